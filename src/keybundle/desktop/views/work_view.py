"""The work place: sources at the left, the work list, today at the right."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from textwrap import wrap
from typing import TYPE_CHECKING

from PySide6.QtCore import QModelIndex, Qt, Signal
from PySide6.QtGui import QDropEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QListView,
    QProgressBar,
    QScrollArea,
    QStackedLayout,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from keybundle.core.base.ids import BatchId
from keybundle.core.formats.names import ALL
from keybundle.desktop.actions.binding import bind_place
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.menu import hang, make_menu
from keybundle.desktop.presenters.work import KEPT_DAYS, WorkPresenter
from keybundle.desktop.presenters.work_state import HaltShown, MappingAsked, WorkState
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import icon
from keybundle.desktop.views.batch_rows import BatchDelegate, BatchModel
from keybundle.desktop.views.calm import Button, Choice
from keybundle.desktop.views.drops import FileDrop
from keybundle.desktop.views.halt_band import HaltBand
from keybundle.desktop.views.place import Place
from keybundle.desktop.views.scan_options_sheet import ScanOptionsSheet
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import mark, tr, trn

if TYPE_CHECKING:
    from keybundle.desktop.views.preview_dialog import PreviewDialog

SHOWN_REFUSALS, OPTIONS_WIDTH = 4, 30
ANY_TYPE = mark("any type")
SOURCES_WIDTH, TODAY_WIDTH = 264, 248
PAGE_FILES = " ".join(f"*{suffix}" for suffix in sorted(ALL))


def scrolled(layout: QVBoxLayout, width: int) -> QScrollArea:
    """Return a column that scrolls where the window is too low for it, instead of being pressed together."""
    holder, area = QWidget(), QScrollArea()
    layout.setContentsMargins(0, 0, 0, 0)
    holder.setLayout(layout)
    area.setWidget(holder)
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setFixedWidth(width)
    holder.setObjectName("place")
    return area


def section(text: str) -> Told:
    """Return a small heading."""
    label = Told(text)
    label.setProperty("role", "section")
    return label


def quiet(text: str = "") -> Told:
    """Return a quiet, wrapping text."""
    label = Told(text)
    label.setProperty("role", "quiet")
    label.setWordWrap(True)
    return label


def card(*parts: QWidget) -> QFrame:
    """Return parts on a card."""
    frame = QFrame()
    frame.setProperty("role", "card")
    layout = QVBoxLayout(frame)
    layout.setContentsMargins(12, 10, 12, 12)
    layout.setSpacing(6)
    for part in parts:
        layout.addWidget(part)
    return frame


class WorkView(Place):
    """The work place."""

    batch_opened = Signal(str)
    record_opened = Signal(str)
    giving = Signal(str)

    def __init__(self, presenter: WorkPresenter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self.presenter = presenter
        self.handlers = Handlers(presenter.may, presenter.failed.emit)
        self._shown = WorkState()
        self._numbers: list[Told] = []
        self._starters: list[QShortcut] = []
        self._preview_dialog: PreviewDialog | None = None
        self.model = BatchModel(self)
        self.list = QListView()
        self.list.setModel(self.model)
        self.list.setItemDelegate(BatchDelegate(self.list))
        self.list.setAccessibleName(tr("Work list"))
        self.list.setStyleSheet("QListView { background: transparent; border: none; }")
        self.list.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.list.activated.connect(self._open_index)
        FileDrop(self.list.viewport(), self._drop_files)
        FileDrop(self, self._drop_files)
        self.halt = HaltBand()
        self.halt.way_chosen.connect(self._go_on)
        self.halt_told = self.halt.told
        whole = QVBoxLayout(self)
        whole.setContentsMargins(16, 14, 16, 10)
        whole.setSpacing(12)
        whole.addWidget(self.halt)
        layout = QHBoxLayout()
        layout.setSpacing(16)
        whole.addLayout(layout, 1)
        layout.addWidget(scrolled(self._make_sources(), SOURCES_WIDTH))
        layout.addLayout(self._make_list(), 1)
        layout.addWidget(scrolled(self._make_today(), TODAY_WIDTH))
        self.setFocusProxy(self.list)
        self._register()
        presenter.changed.connect(self.render_state)
        presenter.scanning.halted.connect(self.halt.show_halt)
        presenter.files.mapping_asked.connect(self._ask_mapping)

    def _make_sources(self) -> QVBoxLayout:
        self.scanner = Choice()
        self.scanner.setAccessibleName(tr("Scanner"))
        self.scanner.textActivated.connect(self.presenter.scanning.choose_scanner)
        self.look = Button(tr("Look for scanners   L"))
        self.look.setProperty("role", "link")
        self.look.clicked.connect(self.presenter.scanning.look)
        self.feeder = Told()
        self.routine = Choice()
        self.routine.setAccessibleName(tr("Routine"))
        self.routine.textActivated.connect(self.presenter.scanning.choose_routine)
        self.routine_told = quiet()
        self.plan = Told()
        self.plan.setWordWrap(True)
        self.plan.setStyleSheet("font-size: 18px; font-weight: 600;")
        self.destination = Told()
        self.destination.setStyleSheet("font-size: 15px;")
        self.destination.setWordWrap(True)
        self.unusual = Told()
        self.unusual.setStyleSheet(f"color: {c.BRASS}; font-weight: 600;")
        self.unusual.setWordWrap(True)
        self.scan = Button(icon("scan", c.CARD), tr("Scan   S"))
        self.scan.setProperty("role", "main")
        self.scan.clicked.connect(lambda: self.presenter.scanning.scan())
        self.preview = Button(tr("Preview a page   P"))
        self.preview.clicked.connect(self._show_preview)
        self.options = Button()
        self.options.setProperty("role", "link")
        self.options.setToolTip(tr("Change how the next stacks are scanned (O)"))
        self.options.clicked.connect(self._show_options)
        self.stop = Button(tr("Stop   Shift+S"))
        self.stop.clicked.connect(self.presenter.incoming.stop)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress_told = quiet()
        self.refill = Button(tr("Refill the feeder   F"))
        self.refill.clicked.connect(self.presenter.scanning.refill)
        self.importing = Button(icon("file-text"), tr("Import files   I"))
        self.importing.clicked.connect(self._ask_files)
        self.sheets = Button(tr("Save a separator sheet"))
        self.sheets.setProperty("role", "link")
        self.sheets.clicked.connect(self._ask_sheets)
        column = QVBoxLayout()
        column.setSpacing(8)
        column.addWidget(section(tr("Sources")))
        scan_card = card(
            self.scanner, self.feeder, self.routine, self.routine_told, self.options, self.plan, self.destination,
            self.unusual, self.scan, self.preview, self.stop, self.progress, self.progress_told, self.refill,
            self.look, self.sheets,
        )  # fmt: skip
        self.files_told = quiet()
        self.folder = Button(tr("Import a folder   Shift+I"))
        self.folder.setProperty("role", "link")
        self.folder.clicked.connect(self._ask_folder)
        self.refused = quiet()
        self.refused.setProperty("role", "problem")
        self.refused.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.refused.setAccessibleName(tr("Files not taken in"))
        self.file_routine = Choice()
        self.file_routine.setAccessibleName(tr("Routine for files"))
        self.file_routine.textActivated.connect(self.presenter.files.choose_routine)
        file_card = card(
            Told(tr("Files")), self.files_told, self.file_routine, self.importing, self.folder, self.refused
        )
        for holder in (scan_card, file_card):
            holder.setFixedWidth(252)
            column.addWidget(holder)
        column.addStretch(1)
        return column

    def _make_list(self) -> QVBoxLayout:
        self.empty = Told("")
        self.empty.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setProperty("role", "quiet")
        holder = QWidget()
        self._stack = QStackedLayout(holder)
        self._stack.addWidget(self.list)
        self._stack.addWidget(self.empty)
        column = QVBoxLayout()
        column.setSpacing(8)
        head = Told(tr("Waiting"))
        head.setProperty("role", "section")
        column.addWidget(head)
        column.addWidget(holder, 1)
        self.thrown = Button()
        self.thrown.setProperty("role", "link")
        self.thrown.clicked.connect(self._show_thrown)
        column.addWidget(self.thrown, 0, Qt.AlignmentFlag.AlignLeft)
        return column

    def _make_today(self) -> QVBoxLayout:
        self._figures = QVBoxLayout()
        self._figures.setSpacing(0)
        self._records = QVBoxLayout()
        self._records.setSpacing(2)
        column = QVBoxLayout()
        column.setSpacing(8)
        column.addWidget(section(tr("Today")))
        holder = card()
        holder.setFixedWidth(236)
        holder.layout().addLayout(self._figures)  # type: ignore[union-attr]
        column.addWidget(holder)
        column.addWidget(section(tr("Filing records")))
        records = card()
        records.setFixedWidth(236)
        records.layout().addLayout(self._records)  # type: ignore[union-attr]
        column.addWidget(records)
        column.addStretch(1)
        return column

    def _register(self) -> None:
        on = self.handlers.on
        on("work.scan", lambda: self.presenter.scanning.scan())
        on("work.stop", self.presenter.incoming.stop)
        on("work.import", self._ask_files)
        on("work.preview", self._show_preview)
        on("work.options", self._show_options)
        on("work.import folder", self._ask_folder)
        on("work.refill", self.presenter.scanning.refill)
        on("work.look", self.presenter.scanning.look)
        on("work.scan more", lambda: self._at_chosen(self.presenter.scanning.scan))
        on("work.open", lambda: self._open_index(self.list.currentIndex()))
        on("work.stop reading", lambda: self._at_chosen(self.presenter.toggle_reading))
        on("work.close", lambda: self._at_chosen(self.presenter.close_batch))
        on("work.throw away", lambda: self._at_chosen(self.presenter.throw_away))
        on("work.thrown", self._show_thrown)
        on("work.give", lambda: self._at_chosen(self.giving.emit))
        on("work.go on", lambda: self.halt.choose("go on"))
        on("work.again", lambda: self.halt.choose("again"))
        on("work.leave out", lambda: self.halt.choose("leave out"))
        on("work.later", lambda: self.halt.choose(""))
        given, scanning = self.handlers.provide, self.presenter.scanning
        given("batch", lambda: self.list.currentIndex().isValid())
        given("routine", lambda: scanning.routine() is not None)
        given("scanner", lambda: not scanning.lack(), scanning.lack)
        of_batch = lambda: scanning.lack(self._chosen_batch())  # noqa: E731
        given("scanner for it", lambda: not of_batch(), of_batch)
        given("incoming", lambda: self.presenter.incoming.is_busy)
        given("halt", lambda: self.halt.isVisible())
        bind_place(self, "work", self.handlers, but=("work.open",))
        hang(make_menu(tr("Work"), "work", self.handlers, self), self.list)

    def refresh(self) -> None:
        """Ask for the list again."""
        self.presenter.refresh()

    def focus_first(self) -> None:
        """Give the list the keyboard; what is said in its place where there is none."""
        (self.list if self._stack.currentIndex() == 0 else self.empty).setFocus()

    @property
    def undo_told(self) -> str:
        """What was thrown away last."""
        return self.presenter.undo_told

    @property
    def can_undo(self) -> bool:
        """Whether a batch was thrown away here, or is being thrown away."""
        return self.presenter.can_undo

    def undo(self) -> None:
        """Bring back what was thrown away last."""
        self.presenter.undo()

    def render_state(self, state: WorkState) -> None:
        """Show a state."""
        was_empty, chosen = self.model.rowCount() == 0, self.list.currentIndex().data(Qt.ItemDataRole.UserRole)
        self.model.render_rows(state.rows)
        had_focus = self.list.hasFocus() or self.empty.hasFocus()
        self._stack.setCurrentIndex(0 if state.rows else 1)
        if had_focus:
            (self.list if state.rows else self.empty).setFocus()
        hint = tr("Press S to scan what lies in the feeder, or I to import files.") if state.may_work else ""
        if not (state.routines or state.file_routines):
            hint = tr("There is no routine yet, so nothing can come in. Under Prepare (Ctrl+4) one is made.")
        self.empty.setText("\n\n".join(filter(None, (tr("Nothing is waiting."), hint))))
        here = next((i for i, row in enumerate(state.rows) if chosen is not None and row.id == chosen.id), None)
        if here is not None or (state.rows and was_empty):
            self.list.setCurrentIndex(self.model.index(here or 0))
        elif chosen is not None:
            self.list.setCurrentIndex(QModelIndex())  # it is gone: no key may act on what took its place
        if state.routine_keys != self._shown.routine_keys:
            self._bind_starters(state.routine_keys)
        fill_box(self.routine, state.routines, state.routine)
        fill_box(self.file_routine, state.file_routines, state.file_routine)
        self.file_routine.setVisible(len(state.file_routines) > 1)
        fill_box(self.scanner, dict.fromkeys((*state.scanners, state.scanner)), state.scanner)
        for label, text in (
            (self.feeder, state.feeder), (self.files_told, state.files_told), (self.routine_told, state.routine_told),
            (self.plan, state.plan), (self.destination, state.destination), (self.progress_told, state.scanning),
            (self.unusual, state.unusual),
        ):  # fmt: skip
            label.setText(text)
        shown, more = state.refused[:SHOWN_REFUSALS], len(state.refused) - SHOWN_REFUSALS
        self.refused.setText("\n\n".join((*shown, tr("And {more} more.", more=more) if more > 0 else "")).strip())
        self.refused.setToolTip("\n".join(state.refused))
        self.refused.setVisible(bool(state.refused))
        busy = bool(state.scanning)
        if busy:
            self.halt.put_away()
        self.scan.setEnabled(state.can_scan)
        self.scan.setVisible(not busy)
        self.preview.setEnabled(state.can_scan)
        self.preview.setVisible(not busy)
        self.options.setText(
            "\n".join(wrap(tr("{options_told}   (O changes)", options_told=state.options_told), OPTIONS_WIDTH))
        )
        self.options.setVisible(bool(state.options_told) and not busy)
        if isinstance(self.edge.shown, ScanOptionsSheet):
            self.edge.shown.render_choices(state.options)
        for widget in (self.stop, self.progress, self.progress_told):
            widget.setVisible(busy)
        self.progress.setRange(0, state.scan_total)
        self.progress.setValue(state.scanned)
        for button in (self.importing, self.folder, self.file_routine, self.options, self.refill):
            button.setEnabled(state.may_work)
        self.refill.setVisible(not busy and not state.can_scan and state.scanner != tr("No scanner"))
        self.unusual.setVisible(bool(state.unusual))
        self.plan.setVisible(bool(state.plan) and not busy)
        self.thrown.setText(
            tr("{batches} thrown away   Shift+Del", batches=trn("{n:,} batch", "{n:,} batches", state.thrown))
        )
        self.thrown.setVisible(state.thrown > 0)
        self._render_today(state)

    def _render_today(self, state: WorkState) -> None:
        if [words for words, _ in state.today] != [words for words, _ in self._shown.today]:
            empty_layout(self._figures)
            self._numbers = []
            for words, _ in state.today:
                number, told = Told(), quiet(words)
                number.setProperty("role", "figure")
                told.setContentsMargins(0, 0, 0, 8)
                self._numbers.append(number)
                self._figures.addWidget(number)
                self._figures.addWidget(told)
        for number, (_, figure) in zip(self._numbers, state.today, strict=True):
            number.setText(figure)
        if state.records != self._shown.records or not self._records.count():
            empty_layout(self._records)
            if not state.records:
                self._records.addWidget(quiet(tr("Each filing leaves its record here.")))
            for record_id, line in state.records:
                button = Button(line)
                button.setProperty("role", "link")
                button.clicked.connect(lambda _=False, r=record_id: self.record_opened.emit(r))
                self._records.addWidget(button)
        self._shown = state

    def _open_index(self, index: QModelIndex) -> None:
        row = index.data(Qt.ItemDataRole.UserRole)
        if row is not None:
            self.batch_opened.emit(row.id)

    def _at_chosen(self, run: Callable[[BatchId], object]) -> None:
        """Do something with the chosen batch, where one is chosen."""
        if (batch_id := self._chosen_batch()) is not None:
            run(BatchId(batch_id))

    def _chosen_batch(self) -> BatchId | None:
        row = self.list.currentIndex().data(Qt.ItemDataRole.UserRole)
        return row.id if row is not None else None

    def _bind_starters(self, keys: tuple[tuple[str, str], ...]) -> None:
        """Let each routine's own key start it, with Alt so that it never stands in the way of a command."""
        for old in self._starters:
            old.setEnabled(False)
            old.deleteLater()
        self._starters = []
        for letter, name in keys:
            key = QShortcut(QKeySequence(tr("Alt+{letter}", letter=letter)), self)
            key.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            key.activated.connect(lambda n=name: self.presenter.scanning.start(n))
            self._starters.append(key)

    def _drop_files(self, files: list[Path], event: QDropEvent) -> None:
        """Bring dropped files in: onto a batch as its pages, beside them as a new one."""
        index = self.list.indexAt(event.position().toPoint()) if self.list.underMouse() else QModelIndex()
        row = index.data(Qt.ItemDataRole.UserRole) if index.isValid() else None
        self.presenter.files.import_files(files, row.id if row is not None else None)

    def _go_on(self, halt: HaltShown, way: str) -> None:
        if way:
            self.presenter.scanning.go_on(halt, way)

    def _show_options(self) -> None:
        sheet = ScanOptionsSheet(self._shown.routine)
        sheet.render_choices(self._shown.options)
        sheet.changed.connect(self.presenter.scanning.change_option)
        sheet.cleared.connect(self.presenter.scanning.clear_options)
        self.edge.open(sheet)

    def _show_preview(self) -> None:
        from keybundle.desktop.views.preview_dialog import PreviewDialog

        if self._preview_dialog is not None:
            self._preview_dialog.activateWindow()
            return
        if not self.presenter.scanning.scan_preview():
            return
        dialog = self._preview_dialog = PreviewDialog(self.presenter.scanning.preview, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.finished.connect(lambda _: setattr(self, "_preview_dialog", None))
        self.presenter.scanning.preview.shown.connect(dialog.render_preview)
        self.presenter.scanning.preview.failed.connect(dialog.close)
        dialog.show()

    def _ask_mapping(self, asked: MappingAsked) -> None:
        from keybundle.desktop.views.mapping_sheet import MappingSheet

        sheet = MappingSheet(asked)
        sheet.mapped.connect(lambda levels: self.presenter.files.take_in(asked.files, asked.into, asked.given, levels))
        sheet.left.connect(lambda: self.presenter.files.leave_mapping(asked))
        self.edge.open(sheet)

    def _show_thrown(self) -> None:
        from keybundle.desktop.views.trash_sheet import TrashSheet

        told = tr("What was thrown away lies here whole for {days} days, then it is erased.", days=KEPT_DAYS)
        title = tr("Batches thrown away")
        self.edge.open(TrashSheet(self.presenter.make_thrown(), title, told, tr("Batches thrown away")))

    def _ask_sheets(self) -> None:
        """Ask for the type that is to follow the sheet and for a file; it is printed from there."""
        from keybundle.desktop.views.ask_sheet import AskSheet

        def save(said: list[str]) -> None:
            name, _ = QFileDialog.getSaveFileName(
                self, tr("Save a separator sheet"), "separator.pdf", tr("PDF (*.pdf)")
            )
            if name:
                self.presenter.files.save_sheets(Path(name), "" if said[0] == ANY_TYPE else said[0])

        head = tr(
            "Print the sheet and lay it before each document: the next one begins behind it, and it is left out itself."
        )
        offers = {tr("The document behind it is"): (ANY_TYPE, *self._shown.types)}
        sheet = AskSheet(tr("Separator sheet"), head, offers, tr("Save as PDF"))
        sheet.answered.connect(save)
        self.edge.open(sheet)

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, tr("Import a folder with all below it"))
        if name:
            self.presenter.files.import_files([Path(name)])

    def _ask_files(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self, tr("Import files"), "", tr("What can be read ({PAGE_FILES});;All files (*)", PAGE_FILES=PAGE_FILES)
        )
        if names:
            self.presenter.files.import_files([Path(n) for n in names])


def fill_box(box: QComboBox, entries: Iterable[str], chosen: str, *, with_empty: bool = False) -> None:
    """Let a box offer these entries with one chosen; it is touched only where something differs."""
    wanted = [e for e in entries if e or with_empty]
    if [box.itemText(i) for i in range(box.count())] != wanted:
        box.clear()
        box.addItems(wanted)
    box.setCurrentText(chosen)


def empty_layout(layout: QVBoxLayout) -> None:
    """Take all widgets out of a layout and let them go."""
    while (item := layout.takeAt(0)) is not None:
        widget = item.widget()
        if widget is not None:
            widget.hide()
            widget.deleteLater()
