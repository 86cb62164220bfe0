"""Cabinets in Prepare: levels, where each type takes them from, and a table of all."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QTableWidget, QTableWidgetItem, QWidget

from keybundle.desktop.presenters.prepare.cabinets import CabinetsPresenter, CabinetsState, Levels
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.prepare.part_view import PartView
from keybundle.desktop.views.side_sheet import WIDE_PX, Sheet
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import mark, tr, trn, worded

HEADS = (
    mark("Cabinet"), mark("Folder fields"), mark("Document fields"), mark("Folders"), mark("Documents"), mark("Last filed"),
    mark("Storage area"),
)  # fmt: skip


class CabinetsEditor(PartView):
    """Shows and changes cabinets; ``keeping_asked`` and ``browse_asked`` carry the id of one."""

    keeping_asked = Signal(str)
    browse_asked = Signal(str)

    def __init__(self, presenter: CabinetsPresenter) -> None:
        super().__init__(
            tr("Cabinets"), presenter,
            empty=tr("A cabinet keeps documents in folders, one level for each folder field. "
                     "Type the name of the first one at the left, such as Purchasing, and press Enter."),
        )  # fmt: skip
        self.cabinets = presenter
        self.share = Button()
        self.share.clicked.connect(presenter.share_instead)
        self.keep = Button(tr("Who may reach it"))
        self.keep.clicked.connect(lambda: self.keeping_asked.emit(presenter.state.chosen))
        self.browse = Button(tr("Look into it"))
        self.browse.clicked.connect(lambda: self.browse_asked.emit(presenter.state.chosen))
        self.all = Button(tr("All as a table"))
        self.all.clicked.connect(presenter.ask_table)
        row = QHBoxLayout()
        for button in (self.keep, self.browse, self.all, self.share):
            row.addWidget(button)
        row.addStretch(1)
        self.right.insertLayout(3, row)
        self.doing, self.stop = Told(), Button(tr("Stop"))
        self.stop.clicked.connect(presenter.doing.stop)
        row.insertWidget(4, self.doing)
        row.insertWidget(5, self.stop)
        presenter.table_found.connect(self._show_table)
        presenter.rehearsed.connect(self._show_rehearsed)

    def render_state(self, state: CabinetsState) -> None:  # type: ignore[override]
        """Show a state."""
        super().render_state(state)
        if not hasattr(self, "share"):
            return
        name = state.like[1]
        self.share.setText(tr("Same folder fields as {name}: share it", name=name))
        self.share.setVisible(bool(name) and state.can_change)
        for button in (self.keep, self.browse):
            button.setVisible(state.part is not None)
        self.doing.setText(state.doing)
        self.stop.setVisible(bool(state.doing))

    def _show_rehearsed(self, levels: Levels) -> None:
        sheet = LevelsSheet(levels)
        sheet.agreed.connect(lambda: self.cabinets.refile(levels))
        sheet.ended.connect(lambda: self.render_state(self.cabinets.state))
        self.sheet_asked.emit(sheet)

    def _show_table(self, rows: tuple[tuple[str, tuple[str, ...]], ...]) -> None:
        sheet = TableSheet(tr("All cabinets"), tuple(tr(h) for h in HEADS), rows)
        sheet.chosen.connect(self.cabinets.choose)
        self.sheet_asked.emit(sheet)


class LevelsSheet(Sheet):
    """What other levels would do to the documents of a cabinet; ``agreed`` when somebody wants that."""

    agreed = Signal()

    def __init__(self, levels: Levels) -> None:
        found = levels.rehearsed
        names = " / ".join(level.name for level in levels.cabinet.folder_fields) or tr("one flat list")
        super().__init__(tr("Other levels: {names}", names=names), of=levels.cabinet.name)
        moves = trn("{n:,} document moves to another folder.", "{n:,} documents move to other folders.", found.moves)
        stays = trn(
            "{n:,} stays where it is, for want of a value.",
            "{n:,} stay where they are, for want of a value.",
            found.stay,
        )
        told = [
            *(worded(s.told) for s in found.seen),
            *(tr("{caption}: {before} becomes {after}", caption=c, before=b, after=a) for c, b, a in found.examples),
            *(tr("{caption} stays: {field} is empty", caption=c, field=f) for c, f in found.lacking),
        ]  # fmt: skip
        lists = tr("Lists of who may look stay at the folders of now, so others see more or less of them:")
        self.told = Told("\n".join((moves, stays, *((lists,) if found.seen else ()))))
        self.told.setWordWrap(True)
        self.list = QListWidget()
        self.list.setWordWrap(True)
        self.list.setAccessibleName(tr("Examples"))
        self.list.addItems(told)
        note = Told(tr("Each document gets a further version. It can be stopped, and Undo takes all of it back."))
        note.setProperty("role", "quiet")
        note.setWordWrap(True)
        self.go = Button(tr("File them anew"))
        self.go.setProperty("role", "main")
        self.go.clicked.connect(self._agree)
        for widget in (self.told, self.list, note):
            self.body.addWidget(widget)
        self.body.addWidget(self.go, alignment=Qt.AlignmentFlag.AlignRight)

    def first(self) -> QWidget:
        return self.go

    def _agree(self) -> None:
        self.agreed.emit()
        self.end()


class TableSheet(Sheet):
    """A table to look at and to choose a line from; ``chosen`` carries its id."""

    chosen = Signal(str)

    def __init__(self, title: str, heads: tuple[str, ...], rows: tuple[tuple[str, tuple[str, ...]], ...]) -> None:
        super().__init__(title, width_px=WIDE_PX + WIDE_PX // 3)
        self.table = QTableWidget(len(rows), len(heads))
        self.table.setHorizontalHeaderLabels(list(heads))
        self.table.setAccessibleName(title)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        for i, (_, cells) in enumerate(rows):
            for j, cell in enumerate(cells):
                self.table.setItem(i, j, QTableWidgetItem(cell))
        self.table.resizeColumnsToContents()
        self.table.horizontalHeader().setStretchLastSection(True)
        self._ids = [key for key, _ in rows]
        self.table.itemActivated.connect(lambda item: self._take(item.row()))
        self.body.addWidget(self.table, 1)

    def first(self) -> QWidget:
        return self.table

    def _take(self, row: int) -> None:
        self.chosen.emit(self._ids[row])
        self.end()
