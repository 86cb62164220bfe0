"""A list with its editor: what the pages of all kinds of parts share."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QGuiApplication, QKeySequence, QShortcut
from PySide6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from keybundle.desktop.presenters.drafts import Draft
from keybundle.desktop.presenters.prepare.parts import PartsPresenter, PartsState, PastState, Used
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.kept_to_sheet import KeptToSheet
from keybundle.desktop.views.prepare.form_view import FormView
from keybundle.desktop.views.prepare.list_pane import ListPane
from keybundle.desktop.views.side_sheet import Sheet
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.words import tr

MOST_USES = 6
USED = ("cabinets", "document_types", "registers", "storage_areas", "groups", "roles")


class PartView(QWidget):
    """Shows the parts of a kind at the left and the form of the chosen one beside them.

    ``beside`` is what a kind shows at the right of its form; ``tabs`` are further sheets of the editor, by title, shown in
    place of the form, whose own title is ``form_title``.
    """

    part_opened = Signal(str, str)
    sheet_asked = Signal(object)

    def __init__(
        self, title: str, presenter: PartsPresenter, *, beside: QWidget | None = None,
        tabs: Mapping[str, QWidget] | None = None, form_title: str = "", empty: str = "", may_move: bool = True, remove: str = "",
    ) -> None:  # fmt: skip
        super().__init__()
        self.presenter = presenter
        self.pane = ListPane(title, presenter, may_move=may_move, remove=remove)
        self.pane.entered.connect(self._enter_form)
        self.head, self.told = Elided(), Told()
        self.head.setProperty("role", "head")
        self.told.setWordWrap(True)
        self.told.hide()
        self.uses = QHBoxLayout()
        self.uses.setSpacing(2)
        self._uses: tuple[Used, ...] = ()
        self._use_widgets: list[QWidget] = []
        self.problem = Told()
        self.problem.setProperty("role", "problem")
        self.problem.setWordWrap(True)
        self.empty = Told(empty or tr("Nothing here yet. Type a name at the left and press Enter."))
        self.empty.setProperty("role", "quiet")
        self.empty.setWordWrap(True)
        self.form = FormView()
        self.form.edited.connect(lambda name, value: presenter.change({name: value}))
        self.form.typed.connect(presenter.type)
        self.form.let_go.connect(presenter.let_go_here)
        self.form.is_typed = presenter.is_typed
        self.form.sheet_made.connect(self._show_sheet)
        self.left = LeftBand(presenter)
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(10)
        for part in (self.left, self.problem, self.empty, self.form):
            column.addWidget(part)
        column.addStretch(1)
        self.cards = QWidget()
        self.cards.setObjectName("place")
        self.cards.setLayout(column)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.setWidget(self.cards)
        right = self.right = QVBoxLayout()
        right.setSpacing(6)
        right.addWidget(self.head)
        right.addWidget(self.told)
        right.addLayout(self.uses)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.area)
        self.tabs = QButtonGroup(self)
        if tabs:
            right.addLayout(self._make_tabs(form_title, tabs))
        right.addWidget(self.stack, 1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(14)
        layout.addWidget(self.pane)
        layout.addLayout(right, 5)
        if beside is not None:
            layout.addWidget(beside, 3)
        presenter.changed.connect(self.render_state)
        presenter.history_found.connect(self._show_history)

    def _make_tabs(self, form_title: str, tabs: Mapping[str, QWidget]) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(2)
        for place, title in enumerate((form_title, *tabs)):
            button = Button(title)
            button.setCheckable(True)
            button.setChecked(place == 0)
            button.setProperty("role", "place")
            button.setToolTip(tr("Ctrl+Alt+{number}", number=place + 1))
            button.clicked.connect(lambda _=False, p=place: self.stack.setCurrentIndex(p))
            key = QShortcut(QKeySequence(f"Ctrl+Alt+{place + 1}"), self)
            key.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            key.activated.connect(button.click)
            self.tabs.addButton(button, place)
            row.addWidget(button)
        for widget in tabs.values():
            self.stack.addWidget(widget)
        row.addStretch(1)
        return row

    def show_tab(self, place: int) -> None:
        """Show the form (0) or one of the further sheets."""
        self.tabs.button(place).click()

    def render_state(self, state: PartsState) -> None:
        """Show a state."""
        self.pane.render_list(state)
        self.head.setText(state.part.name if state.part is not None else "")
        self.head.setVisible(state.part is not None)
        self.empty.setVisible(state.part is None)
        self.form.setVisible(state.part is not None)
        for button in self.tabs.buttons():
            button.setVisible(state.part is not None)
        if state.part is None:
            self.stack.setCurrentIndex(0)
        self.left.render_left(state.left)
        self.problem.setText(state.problem)
        self.problem.setVisible(bool(state.problem))
        self.form.render_form(
            state.sections, state.values, state.problems, can_change=state.can_change, of=state.chosen
        )
        self._show_uses(state.uses)

    def _show_uses(self, uses: tuple[Used, ...]) -> None:
        if uses == self._uses and self._use_widgets:
            return
        self._uses = uses
        while (item := self.uses.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self._use_widgets = []
        if not uses and self.presenter.kind not in USED:
            return
        told = Told(tr("Used by") if uses else tr("Used by nothing yet"))
        told.setProperty("role", "quiet")
        self._use_widgets.append(told)
        self.uses.addWidget(told)
        for use in uses[:MOST_USES]:
            link = Button(use.name)
            link.setProperty("role", "link")
            link.clicked.connect(lambda _=False, u=use: self.part_opened.emit(u.kind, u.id))
            self.uses.addWidget(link)
        if len(uses) > MOST_USES:
            self.uses.addWidget(Told(tr("and {n} more", n=len(uses) - MOST_USES)))
        self.uses.addStretch(1)

    def focus_first(self) -> None:
        """Give the list the focus; a place to type a first name where it is empty."""
        (self.pane.names if self.pane.names.count() else self.pane.new).setFocus()

    def rest(self) -> None:
        """Ask for nothing more while another page is in front."""
        self.presenter.hide()

    def flush(self) -> None:
        """Keep what stands in an open editor."""
        self.form.take_editor()

    def verbs(self) -> Mapping[str, Callable[[], Any]]:
        """Return what the place's commands do on this page."""
        return {
            "prepare.new": self.pane.new.setFocus, "prepare.copy": self.pane.copy.click,
            "prepare.remove": self.pane.remove.click, "prepare.earlier": self.pane.earlier.click,
            "prepare.later": self.pane.later.click, "prepare.history": self.pane.history.click,
            "prepare.undo": self.presenter.undo, "prepare.filter": self._filter,
            "prepare.editor": self._enter_form,
        }  # fmt: skip

    def lack(self, command_id: str) -> str:
        """Return why a command cannot be run now."""
        return self.presenter.lack(command_id)

    def _filter(self) -> None:
        self.pane.filter.show()
        self.pane.filter.setFocus()

    def _enter_form(self) -> None:
        if self.form.rows:
            next(iter(self.form.rows.values())).editor.setFocus()

    def show_part(self, part_id: str, at: str = "") -> None:
        """Show a part, at one of its fields."""
        self.presenter.choose(part_id)
        if at:
            self.form.focus(at)

    def _show_sheet(self, name: str, sheet: KeptToSheet) -> None:
        sheet.answered.connect(self.presenter.bound(lambda value: self.presenter.change({name: value})))
        self.sheet_asked.emit(sheet)

    def _show_history(self, part_id: str, states: tuple[PastState, ...]) -> None:
        row = next((r for r in self.presenter.state.rows if r.id == part_id), None)
        sheet = HistorySheet(row.name if row is not None else "", states)
        sheet.chosen.connect(self.presenter.bound(self.presenter.go_back, (part_id, "")))
        self.sheet_asked.emit(sheet)


class LeftBand(QFrame):
    """Says what is typed for parts that are gone; it can be copied, and let go of."""

    def __init__(self, presenter: PartsPresenter) -> None:
        super().__init__()
        self._presenter = presenter
        self._left: tuple[Draft, ...] = ()
        self.setProperty("role", "card")
        self.told = Told()
        self.told.setWordWrap(True)
        copy, drop = Button(tr("Copy")), Button(tr("Let go"))
        copy.clicked.connect(self._copy)
        drop.clicked.connect(self._let_go)
        row = QHBoxLayout(self)
        row.addWidget(self.told, 1)
        row.addWidget(copy)
        row.addWidget(drop)
        self.hide()

    def _copy(self) -> None:
        QGuiApplication.clipboard().setText("\n".join(draft.text for draft in self._left))

    def _let_go(self) -> None:
        self._presenter.drafts.let_go([draft.key for draft in self._left])

    def render_left(self, left: tuple[Draft, ...]) -> None:
        """Show it, or nothing."""
        self._left = left
        lines = [tr("Typed for “{name}”, which is gone: “{typed}”", name=d.told, typed=d.text) for d in left]
        self.told.setText("\n".join(lines))
        self.setVisible(bool(left))


class HistorySheet(Sheet):
    """The states of a part, the newest first; ``chosen`` carries the one to go back to."""

    chosen = Signal(object)

    def __init__(self, name: str, states: tuple[PastState, ...]) -> None:
        super().__init__(tr("History"), tr("Each state stays; going back makes one more."), of=name)
        self._first: QWidget = self
        for state in states:
            line = QHBoxLayout()
            told = Told(state.told)
            told.setWordWrap(True)
            line.addWidget(told, 1)
            if state.can_go_back:
                back = Button(tr("Bring these back") if state.is_inner else tr("Go back to this"))
                back.clicked.connect(lambda _=False, s=state: self._take(s))
                line.addWidget(back)
                self._first = back if self._first is self else self._first
            self.body.addLayout(line)
        self.body.addStretch(1)

    def first(self) -> QWidget:
        return self._first

    def _take(self, state: PastState) -> None:
        self.chosen.emit(state)
        self.end()
