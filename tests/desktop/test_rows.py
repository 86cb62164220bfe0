"""Lists that live by id: what is chosen, edited and in sight stays where it is while rows come and go."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPersistentModelIndex, Qt
from PySide6.QtTest import QAbstractItemModelTester
from PySide6.QtWidgets import QTableView

from keybundle.desktop.models.documents import DocumentsModel
from keybundle.desktop.models.slips import FIXED, SlipsModel
from keybundle.desktop.presenters.bench_state import SlipTable, TableCell, TableRow
from tests.desktop.support import DesktopTest

IDS = st.lists(st.sampled_from("abcdefghij"), unique=True)


def table(texts: dict[str, str], heads: str = "one slip") -> SlipTable:
    rows = tuple(TableRow(k, k, "Bill", "ready", (TableCell(text, False, True),)) for k, text in texts.items())
    return SlipTable(("Total",), (f"Total\n{heads}",), rows)


class Rows(DesktopTest):
    @given(old=IDS, new=IDS, chosen=st.integers(0, 9))
    def test_a_row_is_followed_by_its_id(self, old: list[str], new: list[str], chosen: int) -> None:
        model = DocumentsModel(lambda ids, came: came({}))
        tester = QAbstractItemModelTester(model, QAbstractItemModelTester.FailureReportingMode.Fatal)
        model.render_ids(tuple(old), ("Caption",))
        kept = QPersistentModelIndex(model.index(chosen % len(old), 0)) if old else None
        model.render_ids(tuple(new), ("Caption",))
        self.assertEqual([model.id_at(i) for i in range(model.rowCount())], new)
        if kept is not None:
            self.assertEqual(model.id_at(kept.row()) if kept.isValid() else None,
                             old[chosen % len(old)] if old[chosen % len(old)] in new else None)  # fmt: skip
        del tester

    def test_an_open_editor_and_the_choice_outlive_a_change(self) -> None:
        model, view = SlipsModel(), QTableView()
        view.setModel(model)
        view.show()
        self.addCleanup(view.deleteLater)
        edited: list[tuple[str, str, str]] = []
        model.edited.connect(lambda *told: edited.append(told))
        model.render_table(table({"a": "1", "b": "2", "c": "3"}))
        view.setCurrentIndex(model.index(1, len(FIXED)))
        view.edit(view.currentIndex())
        model.render_table(table({"x": "0", "a": "1", "b": "2", "c": "4"}, "4 different in 4"))
        self.assertEqual(view.currentIndex().row(), 2, "the row of b, a row further down")
        self.assertEqual(view.state(), QTableView.State.EditingState, "what is being typed there is not lost")
        self.assertEqual(model.headerData(len(FIXED), Qt.Orientation.Horizontal), "Total\n4 different in 4")
        self.assertEqual(edited, [])
