"""A routine as step cards in the order of the work, with a rehearsal on a sample batch beside them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from keybundle.core.base.boxes import Box
from keybundle.desktop.presenters.bench_state import PageShown
from keybundle.desktop.presenters.prepare.routines import (
    PointedBarcode,
    RehearsedSide,
    RoutinesPresenter,
    RoutineState,
    Suggested,
)
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.calm import Button, Choice
from keybundle.desktop.views.choose_sheet import ChooseSheet
from keybundle.desktop.views.list_sheet import ListSheet
from keybundle.desktop.views.page_view import words_inside
from keybundle.desktop.views.prepare.part_view import PartView
from keybundle.desktop.views.prepare.zone_dialog import ZoneDialog
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr, trn, worded

MARGIN = 0.02
RULES = "separation.rules"


class RehearsalView(QWidget):
    """What the routine would do with a sample batch, side by side, in sentences."""

    def __init__(self, presenter: RoutinesPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self._count, self._can_change = 0, False
        head = Told(tr("Rehearsal"))
        head.setProperty("role", "section")
        self.sample = Choice()
        self.sample.setAccessibleName(tr("Sample batch"))
        self.sample.setMinimumWidth(120)
        self.sample.activated.connect(lambda i: presenter.choose_sample(self.sample.itemData(i)))
        self.figures = Told()
        self.figures.setWordWrap(True)
        self.figures.setStyleSheet("font-size: 15px; font-weight: 600;")
        self.figures.setAccessibleName(tr("Figures of the rehearsal"))
        self.sides = QListWidget()
        self.sides.setWordWrap(True)
        self.sides.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.sides.setAccessibleName(tr("What would become of each side"))
        self.sides.itemActivated.connect(lambda _: self._ask_break())
        self.sides.currentRowChanged.connect(lambda _: self._may_break())
        self.here = Button(tr("Break where this is"))
        self.here.setToolTip(
            tr("Rules that find the marked side, by what is on it, and how often they find that   Enter")
        )
        self.here.clicked.connect(self._ask_break)
        self.throw = Button(tr("Throw away"))
        self.throw.setToolTip(tr("Take this batch off the work list too; there it can be brought back (Shift+Del)"))
        self.throw.clicked.connect(presenter.throw_sample_away)
        self.separate = Button(tr("Separate open batches again"))
        self.separate.clicked.connect(presenter.separate_open_batches)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        row = QHBoxLayout()
        row.addWidget(self.sample, 1)
        row.addWidget(self.throw)
        column.addWidget(head)
        column.addLayout(row)
        column.addWidget(self.figures)
        column.addWidget(self.sides, 1)
        column.addWidget(self.here)
        column.addWidget(self.separate)
        column.addStretch(0)
        column.setAlignment(Qt.AlignmentFlag.AlignTop)

    def render_state(self, state: RoutineState) -> None:
        """Show a state."""
        told = [worded(s.told) for s in state.samples]
        if [self.sample.itemText(i) for i in range(self.sample.count())] != told:
            self.sample.clear()
            for sample in state.samples:
                self.sample.addItem(worded(sample.told), sample.id)
        self.sample.setCurrentIndex(next((i for i, s in enumerate(state.samples) if s.id == state.sample), -1))
        self.sample.setVisible(bool(state.samples))
        self.throw.setVisible(any(s.id == state.sample and s.is_open for s in state.samples))
        self.throw.setEnabled(state.can_throw)
        none = tr("Scan or import a batch; the rehearsal shows here what this routine would do with it.")
        self.figures.setText(
            tr("Trying it...") if state.rehearsing else state.figures or ("" if state.samples else none)
        )
        self.sides.clear()
        for side in state.sides:
            self.sides.addItem(_side_item(side))
        for document in state.documents:
            item = QListWidgetItem("\n".join((worded(document.said), *(worded(u) for u in document.unsure))))
            item.setForeground(QColor(c.MOSS if document.is_ready else c.BRASS))
            self.sides.addItem(item)
        self.sides.setVisible(bool(state.samples))
        self._count, self._can_change = len(state.sides), state.can_change
        self.here.setVisible(bool(state.sides))
        self._may_break()
        self.separate.setVisible(state.open_batches > 0)
        self.separate.setText(tr("Separate open batches again ({open_batches})", open_batches=state.open_batches))

    def _may_break(self) -> None:
        self.here.setEnabled(self._can_change and 0 <= self.sides.currentRow() < self._count)

    def _ask_break(self) -> None:
        if self.here.isEnabled():
            self.presenter.ask_break(self.sides.currentRow() + 1)


class RoutineView(PartView):
    """Shows and changes routines; every change is kept at once."""

    def __init__(self, presenter: RoutinesPresenter) -> None:
        self.rehearsal = RehearsalView(presenter)
        self.routines = presenter
        self._pointing: ZoneDialog | None = None
        super().__init__(
            tr("Routines"), presenter, beside=self.rehearsal,
            empty=tr("A routine says how one kind of work is handled, from the scanner to the cabinet. "
                     "Type the name of the first one at the left, such as Post, and press Enter."),
        )  # fmt: skip
        self.save, self.bring = Button(tr("Save as a file")), Button(tr("Bring in a file"))
        self.save.clicked.connect(self._ask_save)
        self.bring.clicked.connect(self._ask_bring)
        for button in (self.save, self.bring):
            button.setStyleSheet("padding: 4px 6px;")
            self.pane.column.addWidget(button)
        self.form.make_asked.connect(self._make)
        presenter.conflicts_found.connect(self._show_conflicts)
        presenter.pointed.connect(self._show_pointed)
        presenter.breaks_found.connect(self._show_breaks)

    def render_state(self, state: RoutineState) -> None:  # type: ignore[override]
        """Show a state."""
        super().render_state(state)
        self.told.setText(state.sentence)
        self.told.setVisible(bool(state.sentence))
        self.rehearsal.render_state(state)
        if hasattr(self, "save"):
            self.save.setEnabled(state.part is not None)
            self.bring.setEnabled(state.can_change)

    @property
    def rules(self) -> Any:
        """The editor of the separation's rules."""
        return self.form.rows[RULES].editor

    def _make(self, name: str) -> None:
        if name == RULES:
            self._point()
        elif name == "document_type":
            self.routines.make_type()

    # -- pointing, files ------------------------------------------------------------------------------------------------

    def _point(self) -> None:
        told = tr(
            "Draw the zone with the pointer, or choose a barcode below; the rehearsal shows at once what it does."
        )
        dialog = self._pointing = ZoneDialog(told, self)
        dialog.page_asked.connect(self.routines.point)
        dialog.zone_drawn.connect(self.routines.bound(self._take_zone))
        dialog.barcode_chosen.connect(self.routines.bound(self._take_barcode))
        dialog.finished.connect(self._end_pointing)
        self.routines.point()

    def _show_pointed(self, shown: PageShown, barcodes: tuple[PointedBarcode, ...]) -> None:
        if self._pointing is not None:
            self._pointing.render_page(shown, barcodes)
            self._pointing.show()

    def _end_pointing(self) -> None:
        if self._pointing is not None:
            self._pointing.deleteLater()
        self._pointing = None

    def _take_zone(self, shown: PageShown, box: Box) -> None:
        inside = words_inside(shown.words, box)
        said = {"words": " ".join(w.text for w in inside)} if inside else {}
        self.rules.change_chosen(zone=self.routines.zone_of(shown, box, margin=MARGIN), **said)

    def _take_barcode(self, shown: PageShown, barcode: PointedBarcode) -> None:
        self.rules.change_chosen(**self.routines.rule_at(shown, barcode, margin=2 * MARGIN))

    def _ask_save(self) -> None:
        part = self.routines.state.part
        if part is None:
            return
        offered = tr("{name}.toml", name=part.name)
        name, _ = QFileDialog.getSaveFileName(self, tr("Save the routine"), offered, tr("Routines (*.toml)"))
        if name:
            self.routines.export(Path(name))

    def _ask_bring(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Bring in routines"), "", tr("Routines and set-ups (*.toml);;All files (*)")
        )
        if name:
            self.routines.bring_in(Path(name))

    def _show_breaks(self, number: int, found: tuple[Suggested, ...]) -> None:
        """Offer the rules that find a side; the chosen one is the routine's, and is tried at once."""
        sheet = ChooseSheet(tr("Break where this is"), tr("Side {number} is found by:", number=number))
        sheet.render_entries([
            tr("{rule}; on {n:,} of the {of} around it", rule=worded(s.rule.said), n=s.finds,
               of=trn("{n:,} side", "{n:,} sides", s.sides))
            for s in found
        ])  # fmt: skip
        sheet.chosen.connect(self.routines.bound(lambda row: self.routines.break_by(found[row].rule)))
        self.sheet_asked.emit(sheet)

    def _show_conflicts(self, conflicts: tuple[str, ...]) -> None:
        if conflicts:
            head = tr("What people did stays as it is. The rules say something else at these sides:")
            self.sheet_asked.emit(ListSheet(tr("Separated again"), head, conflicts))


def _side_item(side: RehearsedSide) -> QListWidgetItem:
    item = QListWidgetItem(side.told)
    colour = {"break": c.TEAL, "kept": c.INK, "left out": c.QUIET}[side.kind]
    item.setForeground(QColor(colour))
    if side.note:
        item.setToolTip(side.note)
    return item
