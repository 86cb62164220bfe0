"""Slips in the window: alternatives by number, registers, starters, folders, many at once, text, what was learned."""

from __future__ import annotations

from dataclasses import replace
from unittest import mock

from PySide6.QtCore import QItemSelectionModel, QModelIndex, QPoint, Qt
from PySide6.QtTest import QAbstractItemModelTester, QTest

from keybundle.core.batches.model import Batch, State
from keybundle.desktop.models.slips import FIXED
from keybundle.desktop.presenters.bench_state import SlipRow, SlipTable, TableCell, TableRow
from keybundle.desktop.presenters.bench_wording import narrow_table
from keybundle.desktop.views.bench_view import BenchView
from keybundle.desktop.views.choose_sheet import ChooseSheet
from keybundle.desktop.views.record_dialog import RecordDialog
from keybundle.desktop.views.register_sheet import RegisterSheet
from keybundle.desktop.views.slip_table_view import SlipTableView
from keybundle.desktop.views.value_editor import CellEditor
from keybundle.desktop.views.values_sheet import ValuesSheet
from keybundle.desktop.views.window import MainWindow
from tests.desktop.support import DesktopTest
from tests.support import scanned_template

CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)


class Slips(DesktopTest):
    def begin(self) -> tuple[MainWindow, BenchView]:
        desktop = self.start(scanned=True)
        who = next(p.name for p in desktop.workspace.setup.people if "supervisor" in p.roles)
        desktop.begin(who)
        window = desktop.window
        assert window is not None
        self.desktop = desktop
        batch_id = scanned_template()[1]
        window.open_batch(batch_id)
        bench = window.benches[batch_id]
        self.until(lambda: bench.presenter.state.documents and bench.presenter.state.slip is not None)
        self.until(window.isActiveWindow)
        return window, bench

    def go(self, bench: BenchView, type_name: str) -> str:
        document = next(d.id for d in bench.presenter.state.documents if d.type == type_name)
        bench.presenter.going.go_to_document(document)
        self.until(lambda: bench.presenter.state.slip is not None and bench.presenter.state.slip.document == document)
        return document

    def row(self, bench: BenchView, name: str) -> SlipRow:
        return next(r for r in bench.presenter.state.slip.rows if r.name == name)  # type: ignore[union-attr]

    def back(self, window: MainWindow, bench: BenchView) -> None:
        """Go on in the window after a dialog: the offscreen platform does not give the focus back by itself."""
        window.activateWindow()
        self.until(window.isActiveWindow, 10)
        bench.strip.setFocus()

    def becomes(self, bench: BenchView, name: str, text: str) -> None:
        self.until(lambda: self.row(bench, name).text == text, 15, f"{name} to be {text}")

    def test_a_type_says_what_speaks_for_it_and_the_other_one_is_a_key_away(self) -> None:
        _, bench = self.begin()
        stored = self.desktop.workspace.batches.load(bench.presenter.batch_id).documents
        document, was = next((d.id, d.type) for d in stored.values() if d.type_because and d.type != "Letter")
        bench.presenter.going.go_to_document(document)
        shown = lambda: bench.presenter.state.slip  # noqa: E731
        self.until(lambda: shown() is not None and shown().document == document)
        self.assertRegex(bench.slip.because.text(), "^Proposed by title “.+”")
        bench.slip.type.textActivated.emit("Letter")
        self.until(lambda: shown() and shown().type == "Letter" and shown().type_rival == was, 15)
        self.assertEqual((bench.slip.because.isVisible(), bench.slip.rival.isVisible()), (False, True))
        for home, name in ((bench.strip, was), (bench.slip.fields["Subject"].value, "Letter")):
            home.setFocus()
            self.key(home, Qt.Key.Key_T, ALT)
            self.until(lambda name=name: shown() and shown().type == name and bool(shown().rows), 15, name)
            self.assertEqual(shown().document, document)
            self.until(lambda: "Subject" in bench.slip.fields or shown().type != "Letter", 15)

    def test_an_unsure_type_keeps_a_document_from_the_cabinet_until_enter_confirms_it(self) -> None:
        _, bench = self.begin()
        batches, batch_id = self.desktop.workspace.batches, bench.presenter.batch_id
        ready = next(
            d
            for d in batches.load(batch_id).in_order()
            if d.state is State.READY and d.type_origin == "page" and not d.filed_id
        )

        def doubt(batch: Batch) -> Batch:
            return replace(batch, documents={ready.id: replace(batch.document(ready.id), type_confidence=0.6)})

        self.assertTrue(batches.propose(ready.id, ready.revision, doubt))
        self.assertIs(batches.load(batch_id).document(ready.id).state, State.TO_CHECK)
        bench.presenter.refresh()
        bench.presenter.going.go_to_document(ready.id)
        slip = bench.slip
        self.until(lambda: slip.document == ready.id and slip.because.text().startswith("Unsure, by"), 15)
        self.assertEqual((slip.file.isEnabled(), "type is still unsure" in slip.why.text()), (False, True))
        bench.presenter.going.go_to_unsure()
        self.until(slip.type.hasFocus, 10)
        self.key(slip.type, Qt.Key.Key_Return)
        self.until(slip.file.isEnabled, 15)
        confirmed = batches.load(batch_id).document(ready.id)
        self.assertEqual((confirmed.type, confirmed.type_origin, confirmed.state), (ready.type, "typed", State.READY))
        self.assertEqual(confirmed.values, ready.values)

    def test_registers_folders_starters_and_numbers_by_keys(self) -> None:
        window, bench = self.begin()
        self.go(bench, "Mooring agreement")
        before = self.row(bench, "Boat number").text
        bench.slip.focus("Boat number")
        self.key(bench.slip.fields["Boat number"].value, Qt.Key.Key_R, ALT)
        dialog = self.sheet(RegisterSheet)
        other = next(e["Boat number"] for e in self.desktop.workspace.entries("boats") if e["Boat number"] != before)
        QTest.keyClicks(dialog.line, other)
        self.until(lambda: dialog.table.rowCount() == 1, 10, "the one entry")
        self.key(dialog.line, Qt.Key.Key_Return)
        self.becomes(bench, "Boat number", other)
        self.until(
            lambda: before in self.row(bench, "Boat number").alternatives, 10, "the earlier one as an alternative"
        )
        self.back(window, bench)
        bench.slip.focus("Boat number")
        number = self.row(bench, "Boat number").alternatives.index(before) + 1
        self.key(bench.slip.fields["Boat number"].value, Qt.Key(Qt.Key.Key_0.value + number), ALT)
        self.becomes(bench, "Boat number", before)
        self.key(bench.strip, Qt.Key.Key_S, CTRL | SHIFT)
        QTest.mouseClick(self.sheet(ChooseSheet).buttons.itemAt(3).widget(), Qt.MouseButton.LeftButton)
        values = self.sheet(ValuesSheet)
        self.assertEqual(values.editors["Boat number"].text(), before)
        QTest.keyClicks(values.name, "moorings")
        values.editors["Start date"].selectAll()
        self.burst("someday", start=values.editors["Start date"])
        self.key(values.name, Qt.Key.Key_Return)
        self.until(lambda: "Start date" in window.message.text() and "someday" in window.message.text(), 10, "why not")
        self.assertTrue(
            values.isVisible() and values.editors["Start date"].text() == "someday", "nothing typed is lost"
        )
        values.editors["Start date"].clear()
        self.key(values.name, Qt.Key.Key_Return)
        self.until(lambda: "Kept as a starter" in window.message.text(), 10)
        self.assertFalse([w for w in self.app.allWidgets() if isinstance(w, ValuesSheet) and w.isVisible()])
        self.back(window, bench)
        bench.slip.focus("Annual charge")
        self.key(bench.slip.fields["Annual charge"].value, Qt.Key.Key_Backspace, CTRL | SHIFT)
        self.becomes(bench, "Keeper", "")
        self.key(bench.strip, Qt.Key.Key_S, CTRL | SHIFT)
        starters = self.sheet(ChooseSheet)
        self.until(lambda: starters.list.count() and starters.list.item(0).text().startswith("moorings"), 10)
        self.key(starters.list, Qt.Key.Key_Return)
        self.becomes(bench, "Boat number", before)
        self.back(window, bench)
        self.assertTrue(self.row(bench, "Boat number").is_assumed and self.row(bench, "Boat number").unsure)
        self.key(bench.strip, Qt.Key.Key_J, CTRL)
        folders = self.sheet(ChooseSheet)
        self.until(lambda: folders.list.count() and "Boats" in folders.list.item(0).text(), 10, "the folders")
        path = folders.list.item(0).text().split("    ")[0].split(" / ")
        self.key(folders.line, Qt.Key.Key_Return)
        self.becomes(bench, "Boat number", path[2])
        self.assertEqual(self.row(bench, "Boat number").origin, "folder")
        self.back(window, bench)
        bench.slip.focus("Start date")
        self.key(bench.slip.fields["Start date"].value, Qt.Key.Key_D, ALT)
        self.until(lambda: self.row(bench, "Start date").origin == "today", 10)

    def test_the_table_sets_one_value_for_many_and_fills_down(self) -> None:
        _, bench = self.begin()
        kinds = [d.type for d in bench.presenter.state.documents]
        self.go(bench, str(kinds[0]))
        list(bench.slip.fields.values())[-1].value.setFocus()
        self.go(bench, str(next(k for k in kinds if k != kinds[0])))
        first = next(iter(bench.slip.fields.values()))
        self.until(first.value.hasFocus, 10, "the first field, where the one that had the focus is gone")
        self.key(bench.strip, Qt.Key.Key_T, CTRL | SHIFT)
        table = bench.table
        self.assertTrue(table.isVisible() and not bench.slip.isVisible())
        model = table.model
        column = len(FIXED) + model.table.fields.index("Boat number")
        rows = [i for i, r in enumerate(model.table.rows) if r.cells[column - len(FIXED)].can_edit]
        self.assertGreaterEqual(len(rows), 2)
        chosen = table.grid.selectionModel()
        for i in rows[:2]:
            chosen.select(model.index(i, column), QItemSelectionModel.SelectionFlag.Select)
        model.setData(model.index(rows[0], column), "LN1005")
        texts = lambda: [model.table.rows[i].cells[column - len(FIXED)].text for i in rows[:2]]  # noqa: E731
        self.until(lambda: texts() == ["LN1005", "LN1005"], 15, "both documents to have it")
        self.assertIn("the same", str(model.headerData(column, Qt.Orientation.Horizontal, Qt.ItemDataRole.DisplayRole)))
        self.key(bench.strip, Qt.Key.Key_Z, CTRL)
        self.until(lambda: texts() != ["LN1005", "LN1005"], 15, "one step back")
        self.type_in_a_cell(bench, model.index(rows[0], column))
        own = [r.document for r in model.table.rows]
        table.grid.setFocus()
        table.grid.setCurrentIndex(model.index(0, FIXED.index("Type")))
        self.key(table.grid, Qt.Key.Key_Down, CTRL | SHIFT)
        shown = [r.type for r in model.table.rows]
        self.assertEqual(shown, sorted(shown, reverse=True))
        self.assertNotEqual([r.document for r in model.table.rows], own)
        self.key(table.grid, Qt.Key.Key_Down, CTRL | SHIFT)
        self.assertEqual([r.document for r in model.table.rows], own, "as they lie in the batch again")
        top = texts()[0]
        for i in rows[:2]:
            chosen.select(model.index(i, column), QItemSelectionModel.SelectionFlag.Select)
        table.grid.setFocus()
        self.key(table.grid, Qt.Key.Key_Down, CTRL)
        self.until(lambda: texts() == [top, top], 15, "the value filled down")
        table.types.setFocus()
        while table.types.currentText() != "Mooring agreement":
            self.key(table.types, Qt.Key.Key_Down)
        self.assertTrue(all(r.type == "Mooring agreement" for r in model.table.rows))
        self.assertNotIn("Grade", model.table.fields)

    def type_over(self, bench: BenchView, text: str) -> CellEditor:
        """Open the current cell of the table by its key, and type over what stands there."""
        bench.table.grid.setFocus()
        QTest.keyClick(bench.table.grid, Qt.Key.Key_F2)
        editor = self.app.focusWidget()
        assert isinstance(editor, CellEditor)
        QTest.keyClick(editor, Qt.Key.Key_A, CTRL)
        QTest.keyClicks(editor, text)
        return editor

    def type_in_a_cell(self, bench: BenchView, index: QModelIndex) -> None:
        """A cell completes from the register as the slip does, takes the value alone, and says what is wrong with one."""
        table, ledger = bench.table, bench.presenter._s.workspace.books()["boats"]
        text = lambda: str(table.model.data(index, Qt.ItemDataRole.DisplayRole))  # noqa: E731
        table.grid.clearSelection()
        table.grid.setCurrentIndex(index)
        editor = self.type_over(bench, "LN10")
        self.until(lambda: editor.is_list_open, 10, "the type-ahead list in the cell")
        self.assertIn(str(ledger.find("LN1000")["Keeper"]), str(editor.model.index(0, 0).data()))  # type: ignore[index]
        self.key(editor.list.popup(), Qt.Key.Key_Down)
        chosen = editor.text()
        self.key(editor.list.popup(), Qt.Key.Key_Return)
        self.key(editor, Qt.Key.Key_Return)
        self.until(lambda: text() == chosen and chosen.startswith("LN10"), 10, "the chosen boat in the cell")
        editor = self.type_over(bench, "no boat")
        self.key(editor, Qt.Key.Key_Return)
        self.until(lambda: text() == "no boat", 10)
        self.assertIn("no boat", str(table.model.data(index, Qt.ItemDataRole.ToolTipRole)))
        for _ in range(2):
            self.key(bench.strip, Qt.Key.Key_Z, CTRL)
            self.spin(0.3)

    def test_text_poor_pages_set_aside_and_an_area_read_anew(self) -> None:
        window, bench = self.begin()
        p = bench.presenter
        document = self.go(bench, "Mooring agreement")
        self.until(lambda: p.pictures.shown is not None and p.pictures.shown.page == p.state.page and p.pictures.text)
        self.key(bench.strip, Qt.Key.Key_X, CTRL | SHIFT)
        self.assertIn("Larkmere", bench.text.text.toPlainText())
        QTest.keyClicks(bench.text.line, "larkmere")
        self.assertTrue(bench.text.text.extraSelections())
        self.key(bench.strip, Qt.Key.Key_X, CTRL | SHIFT)
        self.key(bench.strip, Qt.Key.Key_D, CTRL)
        self.answer("torn")
        self.until(lambda: p.slips.parked(), 10)
        self.key(bench.strip, Qt.Key.Key_D, CTRL | SHIFT)
        aside = self.sheet(ChooseSheet)
        self.assertIn("torn", aside.list.item(0).text())
        p.going.step_document(1)
        self.key(aside.list, Qt.Key.Key_Return)
        self.assertEqual(p.state.document, document, "Enter goes there")
        self.back(window, bench)
        self.key(bench.strip, Qt.Key.Key_D, CTRL)
        self.until(lambda: not p.slips.parked(), 10)
        self.key(bench.strip, Qt.Key.Key_Q, CTRL | SHIFT)
        self.assertIn("page", self.sheet(ChooseSheet).list.item(0).text())
        self.go(bench, "Mooring agreement")
        self.until(
            lambda: p.pictures.shown is not None and p.pictures.shown.page == p.state.page and p.pictures.shown.words
        )
        place = self.row(bench, "Keeper").place
        assert place is not None and p.pictures.shown is not None
        wanted = self.row(bench, "Keeper").text
        bench.slip.focus("Keeper")
        page, document = str(p.state.page), str(p.state.document)
        p.slips.read_area(
            document, "Keeper", page, tuple(v + d for v, d in zip(place[1], (-14, -12, 14, 12), strict=True))
        )
        self.until(lambda: self.row(bench, "Keeper").origin == "lifted", 20, "the area to be read")
        self.assertEqual(self.row(bench, "Keeper").text, wanted)
        area = bench.page.rect_of(place[1]).toRect().adjusted(-4, -4, 4, 4)
        QTest.mousePress(bench.page, Qt.MouseButton.LeftButton, CTRL, area.topLeft())
        QTest.mouseMove(bench.page, area.bottomRight())
        QTest.mouseRelease(bench.page, Qt.MouseButton.LeftButton, CTRL, area.bottomRight())
        self.spin(0.5)
        self.assertEqual(self.row(bench, "Keeper").text, wanted, "framing words lifts them")
        self.assertFalse(window.message.text().startswith("Something went wrong"))

    def test_what_was_learned_is_shown_and_forgotten(self) -> None:
        window, bench = self.begin()
        bench.presenter.filing.file_all()
        self.until(lambda: any(d.state == "filed" for d in bench.presenter.state.documents), 60)
        self.until(window.more.isVisible, 60, "the filing record to be offered")
        self.assertEqual(window.findChildren(RecordDialog), [], "nothing opens by itself")
        self.key(window, Qt.Key.Key_4, CTRL)
        prepare = window.prepare
        self.until(lambda: prepare.list.count() > 3)
        prepare.list.setCurrentRow(prepare.list.count() - 1)
        view = prepare.view("learned")
        self.until(lambda: view.presenter.state.documents, 10)
        self.assertTrue(any("stands beside" in x for _, labels in view.presenter.state.types for x in labels))
        self.assertIn("confirmed value", view.told.text())
        view.plot.grab()
        count = view.documents.count()
        view.documents.setCurrentRow(0)
        QTest.mouseClick(view.forget, Qt.MouseButton.LeftButton)
        self.until(lambda: view.documents.count() == count - 1, 10, "one to be forgotten")


class Table(DesktopTest):
    STATE = SlipTable(
        ("Keeper", "Grade"), ("Keeper\none slip", "Grade\none slip"),
        (TableRow("a", "1", "Boat", "ready", (TableCell("x", False, True), TableCell())),
         TableRow("b", "2", "Sheet", "to check", (TableCell(), TableCell("A", True, True)))),
        ("Keeper", "Grade"),
    )  # fmt: skip

    def test_the_model_keeps_qts_contract(self) -> None:
        helper = mock.Mock(remembered=None)
        helper.order_table = lambda table, head, descending: table
        view = SlipTableView(helper)
        QAbstractItemModelTester(view.model, QAbstractItemModelTester.FailureReportingMode.Fatal)
        view.render_table(self.STATE)
        view.render_table(narrow_table(self.STATE, "Sheet"))
        self.assertEqual((view.model.rowCount(), view.model.table.fields), (1, ("Grade",)))
        sent: list[object] = []
        view.changed.connect(sent.append)
        self.assertFalse(view.model.setData(view.model.index(0, len(FIXED)), "A"), "nothing changed")
        self.assertTrue(view.model.setData(view.model.index(0, len(FIXED)), "B"))
        self.assertEqual(sent, [[("b", "Grade", "B")]])
        view.resize(400, 200)
        self.click(view, QPoint(5, 5))
