"""The cabinets by hand: values corrected in the table and kept together, folders that follow, the trash, one undo."""

from __future__ import annotations

import threading
from unittest import mock

from PySide6.QtCore import QItemSelectionModel, QPoint, QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu, QSplitter

from keybundle.core.base.changes import Changes
from keybundle.core.workflows.keep.documents import correcting
from keybundle.core.workflows.keep.trash import deleting
from keybundle.desktop.actions.registry import find_command
from keybundle.desktop.app import Desktop
from keybundle.desktop.presenters import cabinet_changes
from keybundle.desktop.views.cabinets_view import CabinetsView
from keybundle.desktop.views.choose_sheet import ChooseSheet
from keybundle.desktop.views.keys_dialog import KeysDialog
from keybundle.desktop.views.trash_sheet import TrashSheet
from tests.desktop.support import CabinetsTest
from tests.support import acting, shared_pool

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


class Cabinets(CabinetsTest):
    def test_values_are_corrected_together_and_the_folder_follows_or_stays(self) -> None:
        window, view = self.open()
        bill = next(i for i in self.bills() if self.ws.repository.load(i).type == "Bill")
        before = self.ws.repository.load(bill)
        self.type_into(view, self.cell(view, bill, "Bill number"), "R-777777")
        self.assertEqual(self.ws.repository.load(bill).revision, 0, "nothing is kept by typing")
        self.assertIn("1 value in 1 document corrected, not kept yet", view.drafts_told.text())
        told = str(self.cell(view, bill, "Bill number").data())
        self.assertEqual(
            told, f"{before.values['Bill number'].text}\nR-777777", "the old value stands above the new one"
        )
        self.type_into(view, self.cell(view, bill, "Bill date"), "7 July 1991")
        self.key(view.table, Qt.Key.Key_S, CTRL)
        sheet = self.sheet(ChooseSheet)
        self.assertIn("Follow", sheet.list.item(0).text())
        self.key(sheet.list, Qt.Key.Key_Return)
        self.until(lambda: self.ws.repository.load(bill).version == 2)
        after = self.ws.repository.load(bill)
        self.assertEqual((after.values["Bill number"].text, after.folder[0][1]), ("R-777777", "1991"))
        self.until(lambda: not view.presenter.changes.told and "correction of 2 values" in window.undo.text())
        self.assertFalse(view.drafts_told.isVisible())
        self.key(view.table, Qt.Key.Key_Z, CTRL)
        self.until(lambda: self.ws.repository.load(bill).version == 3)
        back = self.ws.repository.load(bill)
        self.assertEqual((dict(back.values), back.folder), (dict(before.values), before.folder))

    def test_all_are_all_that_the_head_counts_not_those_that_are_loaded(self) -> None:
        window, view = self.open()
        documents = set(self.bills())
        pages = "keybundle.core.workflows.keep.documents.browsing.PAGE", "keybundle.desktop.presenters.find.SHOWN"
        view.model.fetchMore = lambda parent: None  # nothing more comes into sight
        with mock.patch(pages[0], 2), mock.patch(pages[1], 2):
            view.presenter.clear()
            self.until(lambda: len(view.presenter.state.documents) == 2, 10, "the first ones alone")
            self.key(view.table, Qt.Key.Key_A, CTRL)
            self.until(lambda: set(view.presenter.state.chosen) == documents, 10, "all of them")
            window.go_find()
            finder = window.finder
            finder.presenter.search("cabinet = Purchasing")
            self.until(lambda: finder.hits.count() == 2, 10)
            self.key(finder.hits, Qt.Key.Key_A, CTRL)
            self.until(lambda: len(finder.hits.selectedItems()) == len(documents), 10, "all hits")

    def test_what_comes_while_a_correction_is_kept_is_kept_after_it_and_undo_is_meant_for_the_last(self) -> None:
        window, view = self.open()
        bill = next(i for i in self.bills() if self.ws.repository.load(i).type == "Bill")
        was = self.ws.repository.load(bill).values["Bill number"].text
        gate = threading.Event()
        self.addCleanup(gate.set)
        window.seat.runner.change(lambda: gate.wait(30), lane=cabinet_changes.LANE)
        self.type_into(view, self.cell(view, bill, "Bill number"), "R-1111")
        self.key(view.table, Qt.Key.Key_S, CTRL)
        self.type_into(view, self.cell(view, bill, "Bill number"), "R-2222")
        self.key(view.table, Qt.Key.Key_S, CTRL)
        gate.set()
        self.until(lambda: self.ws.repository.load(bill).values["Bill number"].text == "R-2222", 20)
        self.until(lambda: not view.presenter.changes.told, 10)
        self.assertNotIn("meanwhile", window.message.text())
        gate = threading.Event()
        self.addCleanup(gate.set)
        window.seat.runner.change(lambda: gate.wait(30), lane=cabinet_changes.LANE)
        self.type_into(view, self.cell(view, bill, "Bill number"), "R-3333")
        self.key(view.table, Qt.Key.Key_S, CTRL)
        self.key(view.table, Qt.Key.Key_Z, CTRL)
        gate.set()
        self.until(lambda: "put back" in window.message.text(), 10)
        self.assertEqual(self.ws.repository.load(bill).values["Bill number"].text, "R-2222", "not the one before it")
        self.key(view.table, Qt.Key.Key_Z, CTRL)  # what lies below an undone change can be undone in its turn
        self.until(lambda: self.ws.repository.load(bill).values["Bill number"].text == "R-1111", 20)
        self.key(view.table, Qt.Key.Key_Z, CTRL)
        self.until(lambda: self.ws.repository.load(bill).values["Bill number"].text == was, 20)

    def test_a_value_goes_to_all_that_are_chosen_and_what_is_none_is_told(self) -> None:
        window, view = self.open()
        bills = [i for i in self.bills() if self.ws.repository.load(i).type == "Bill"][:2]
        self.assertEqual(len(bills), 2)
        model = view.table.selectionModel()
        for document in bills:
            index = self.cell(view, document, "Order number")
            model.select(index, model.SelectionFlag.Select | model.SelectionFlag.Rows)
        self.until(lambda: set(view.presenter.state.chosen) == set(bills))
        index = self.cell(view, bills[0], "Order number")
        model.setCurrentIndex(index, model.SelectionFlag.NoUpdate)
        view.table.edit(index)
        editor = QApplication.focusWidget()
        assert editor is not None
        QTest.keyClick(editor, Qt.Key.Key_A, CTRL)
        QTest.keyClicks(editor, "nonsense")
        self.key(editor, Qt.Key.Key_Return)
        self.assertIn("2 values in 2 documents", view.drafts_told.text())
        self.until(lambda: "nonsense" in window.message.text(), 10, "what is wrong with it, before it is kept")
        self.assertIn("nonsense", str(self.cell(view, bills[1], "Order number").data(Qt.ItemDataRole.ToolTipRole)))
        self.key(view.table, Qt.Key.Key_S, CTRL)
        self.until(lambda: "Nothing was changed" in window.message.text(), 10, window.message.text())
        self.assertEqual([self.ws.repository.load(i).version for i in bills], [1, 1])
        self.assertTrue(view.presenter.changes.told, "what was typed is still there")
        self.key(view.table, Qt.Key.Key_U, CTRL | SHIFT)
        self.assertFalse(view.presenter.changes.told)
        # Changed by somebody else meanwhile: told, and nothing written over.
        self.type_into(view, self.cell(view, bills[0], "Bill number"), "R-1212")
        correcting.correct(acting(self.ws, "Tarvin Windlass"), {bills[0]: {"Bill number": "R-3434"}}, follow=False)
        self.key(view.table, Qt.Key.Key_S, CTRL)
        self.until(lambda: "changed by Tarvin Windlass meanwhile" in window.message.text())
        self.assertEqual(self.ws.repository.load(bills[0]).values["Bill number"].text, "R-3434")

    def order(self, view: CabinetsView, head: str) -> list[str]:
        """Return what the rows have in a column, top down."""
        column = view.model.heads.index(head)
        self.until(lambda: view.model.rowCount() and all(view.model.row_of(i) for i in range(view.model.rowCount())))
        return [str(view.model.index(i, column).data() or "") for i in range(view.model.rowCount())]

    def test_the_table_is_sorted_its_columns_chosen_and_moved_and_a_block_pasted_by_keys(self) -> None:
        window, view = self.open()
        table, newest = view.table, list(view.presenter.state.documents)
        place = view.model.heads.index("Bill date")
        table.setCurrentIndex(view.model.index(0, place))
        table.setFocus()
        self.key(table, Qt.Key.Key_Up, CTRL | SHIFT)
        self.until(lambda: view.presenter.state.documents != tuple(newest), 10, "another order")
        days = self.order(view, "Bill date")
        known = [d for d in days if d]
        self.assertEqual(days, [*sorted(known), *[""] * (len(days) - len(known))], "ISO 8601 days sort as texts")
        self.assertEqual(set(view.presenter.state.documents), set(newest), "nothing is lost by it")
        self.key(table, Qt.Key.Key_Down, CTRL | SHIFT)
        self.until(lambda: self.order(view, "Bill date")[0] == known[-1], 10, "the greatest first")
        # While it is sorted somebody corrects a value: the row goes to its place, and the list stays sorted.
        bill = next(i for i in view.presenter.state.documents if self.ws.repository.load(i).type == "Bill")
        correcting.correct(acting(self.ws, "Tarvin Windlass"), {bill: {"Bill date": "1999-01-01"}}, follow=False)
        window.seat.bus.tell(Changes(repository=True))
        self.until(lambda: [d for d in self.order(view, "Bill date") if d][-1] == "1999-01-01", 10, "its new place")
        self.key(table, Qt.Key.Key_Down, CTRL | SHIFT)
        self.until(lambda: list(view.presenter.state.documents) == newest, 10, "the list's own order again")
        header = table.horizontalHeader()
        table.setCurrentIndex(view.model.index(0, place))
        before = header.visualIndex(place)
        self.key(table, Qt.Key.Key_Left, CTRL | SHIFT)
        self.assertEqual(header.visualIndex(place), before - 1)
        self.key(table, Qt.Key.Key_H, CTRL | SHIFT)
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        tags = next(a for a in menu.actions() if a.text() == "Tags")
        menu.setActiveAction(tags)
        self.key(menu, Qt.Key.Key_Return)
        self.assertTrue(table.isColumnHidden(view.model.heads.index("Tags")))
        kept = window.seat.remembered.get("cabinet columns", view.presenter.state.cabinet)
        self.assertIsNotNone(kept, "remembered for the next time")
        bills = [i for i in view.presenter.state.documents if self.ws.repository.load(i).type == "Bill"][:2]
        rows = [view.presenter.state.documents.index(i) for i in bills]
        if rows[1] == rows[0] + 1:
            QApplication.clipboard().setText("R-1001\nR-1002\n")
            table.setCurrentIndex(self.cell(view, bills[0], "Bill number"))
            self.key(table, Qt.Key.Key_V, CTRL)
            self.assertEqual([view.presenter.changes.drafts[i]["Bill number"] for i in bills], ["R-1001", "R-1002"])
            self.key(table, Qt.Key.Key_U, CTRL | SHIFT)
        table.clearSelection()
        table.setCurrentIndex(self.cell(view, bills[0], "Bill number"))
        self.key(table, Qt.Key.Key_C, CTRL)
        number = self.ws.repository.load(bills[0]).values["Bill number"].text
        self.assertEqual(QApplication.clipboard().text(), number, "of one row the current cell")
        table.selectAll()
        self.key(table, Qt.Key.Key_C, CTRL)
        copied = [line.split("\t") for line in QApplication.clipboard().text().split("\n")]
        self.assertEqual(len(copied), view.model.rowCount())
        self.assertIn(self.ws.repository.load(bills[0]).caption, copied[view.presenter.state.documents.index(bills[0])])

    def test_what_a_colleague_kept_since_the_first_key_is_not_typed_over_and_ones_own_is_no_colleague(self) -> None:
        window, view = self.open()
        changes = view.presenter.changes
        bill = next(i for i in view.presenter.state.documents if self.ws.repository.load(i).type == "Bill")
        self.order(view, "Bill number")
        was = self.ws.repository.load(bill).values["Bill number"].text

        editor = self.begin_to_type(view, bill, "R-1111")
        correcting.correct(acting(self.ws, "Tarvin Windlass"), {bill: {"Bill number": "R-9999"}}, follow=False)
        window.seat.bus.tell(Changes(repository=True))
        self.until(
            lambda: view.model.values_of([bill], "Bill number")[bill].text == "R-9999", 10, "the colleague's value"
        )
        self.key(editor, Qt.Key.Key_Return)
        self.key(view.table, Qt.Key.Key_S, CTRL)
        self.until(
            lambda: f"“{was}” stood here when it was typed, “R-9999” stands here now" in window.message.text(),
            20,
            "both",
        )
        self.assertNotEqual(was, "R-9999")
        self.assertEqual(self.ws.repository.load(bill).values["Bill number"].text, "R-9999")
        self.key(view.table, Qt.Key.Key_U, CTRL | SHIFT)
        self.key(self.begin_to_type(view, bill, "R-2222"), Qt.Key.Key_Return)
        self.key(view.table, Qt.Key.Key_S, CTRL)
        editor = self.begin_to_type(view, bill, "R-3333")  # while the one before is being kept, or is not shown yet
        self.until(lambda: self.ws.repository.load(bill).values["Bill number"].text == "R-2222", 20)
        self.until(lambda: not changes._drafts.is_in_hand, 20)
        self.key(editor, Qt.Key.Key_Return)
        self.key(view.table, Qt.Key.Key_S, CTRL)
        self.until(
            lambda: self.ws.repository.load(bill).values["Bill number"].text == "R-3333", 20, "one's own over one's own"
        )

    def test_one_text_goes_into_one_cell_of_each_chosen_row_and_what_has_no_cell_is_told(self) -> None:
        window, view = self.open()
        table, changes = view.table, view.presenter.changes
        bills = [i for i in view.presenter.state.documents if self.ws.repository.load(i).type == "Bill"][:2]
        self.order(view, "Bill number")
        table.setCurrentIndex(self.cell(view, bills[0], "Order number"))
        table.setFocus()
        QApplication.clipboard().setText("PO-77777")
        self.key(table, Qt.Key.Key_V, CTRL)
        self.until(lambda: changes.drafts, 10)
        self.assertEqual(dict(changes.drafts), {bills[0]: {"Order number": "PO-77777"}})
        for bill in bills[1:]:
            rows = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows
            table.selectionModel().select(self.cell(view, bill, "Order number"), rows)
        self.key(table, Qt.Key.Key_V, CTRL)
        self.until(lambda: len(changes.drafts) == 2, 10)
        self.assertEqual(dict(changes.drafts), {i: {"Order number": "PO-77777"} for i in bills})
        self.key(table, Qt.Key.Key_U, CTRL | SHIFT)
        self.assertEqual(changes.drafts, {})
        self.key(table, Qt.Key.Key_Z, CTRL)
        self.assertEqual(len(changes.drafts), 2, "letting go is a step like any")
        self.assertIn("typed", window.undo.text())
        self.key(table, Qt.Key.Key_Z, CTRL)
        self.assertEqual(
            dict(changes.drafts), {bills[0]: {"Order number": "PO-77777"}}, "what was typed last goes first"
        )
        self.key(table, Qt.Key.Key_S, CTRL)
        self.until(lambda: not changes.drafts, 20, "the first one to be kept")
        self.assertEqual(self.ws.repository.load(bills[0]).values["Order number"].text, "PO-77777")
        table.setCurrentIndex(self.cell(view, bills[1], "Order number"))
        self.key(table, Qt.Key.Key_V, CTRL)
        self.until(lambda: changes.drafts, 10)
        self.key(table, Qt.Key.Key_Z, CTRL)
        self.assertEqual(
            (changes.drafts, self.ws.repository.load(bills[0]).values["Order number"].text), ({}, "PO-77777")
        )
        self.assertIn("correction of 1 value", window.undo.text())
        rest = view.model.rowCount() - self.cell(view, bills[0], "Order number").row()
        table.setCurrentIndex(self.cell(view, bills[0], "Order number"))
        QApplication.clipboard().setText("\n".join(["PO-1"] * (rest + 200)))
        said: list[str] = []
        table.refused.connect(said.append)
        self.key(table, Qt.Key.Key_V, CTRL)
        self.until(lambda: said, 10, "what did not go in")
        self.assertIn(f"of {rest + 200:,} did not go in: 200 fall outside of the table", said[0])

    def test_what_is_deleted_lies_in_the_trash_and_comes_back(self) -> None:
        window, view = self.open()
        first = view.presenter.state.documents[0]
        view.table.setCurrentIndex(view.model.index(0, 0))
        view.table.setFocus()
        self.until(lambda: view.presenter.state.chosen == (first,))
        self.until(lambda: any(view.model.values_of([first], h) for h in view.model.heads), 10, "the row to be read")
        head = next(h for h in view.model.heads if view.model.values_of([first], h))
        view.presenter.changes.edit(view.model.values_of([first], head), head, "typed before it goes")
        self.key(view.table, Qt.Key.Key_Delete)
        self.answer("sent twice")
        self.until(lambda: first not in self.bills() and first not in view.presenter.state.documents)
        self.until(lambda: "deletion of 1 document" in window.undo.text())
        typed = {first: {head: "typed before it goes"}}
        self.assertEqual(view.presenter.changes.drafts, typed, "what was typed for it is there when it comes back")
        view.presenter.changes.keep()
        self.until(lambda: "is gone" in window.message.text(), 10, "its own words for what is gone")
        self.assertIn("is gone", view.presenter.changes.problems[first, head])
        rows = [view.table.rowHeight(i) for i in range(view.model.rowCount())]
        self.assertTrue(rows and all(rows), "what is left stays in sight")
        self.assertNotIn("no longer", window.message.text())
        self.key(view.table, Qt.Key.Key_Delete, SHIFT)
        sheet = self.sheet(TrashSheet)
        self.until(lambda: sheet.list.count() == 1)
        self.assertIn("by Oswinna Reedmace: sent twice", sheet.list.item(0).text())
        QTest.mouseClick(sheet.back, Qt.MouseButton.LeftButton)
        self.until(lambda: first in self.bills() and sheet.list.count() == 0)
        deleting.delete_documents(acting(self.ws, "Oswinna Reedmace"), [first], "sent twice")
        sheet.presenter.refresh()
        self.until(lambda: sheet.list.count() == 1)
        QTest.mouseClick(sheet.erase, Qt.MouseButton.LeftButton)
        self.assertIn("Yes, erase 1", sheet.erase.text(), "one press erases nothing")
        self.assertEqual(len(deleting.list_trash(acting(self.ws, "Oswinna Reedmace"))), 1)

    def test_who_may_only_look_changes_nothing(self) -> None:
        window, view = self.open("Hollin Waterhen")
        view.table.setCurrentIndex(view.model.index(0, 3))
        view.table.setFocus()
        self.assertFalse(view.model.flags(view.model.index(0, 3)) & Qt.ItemFlag.ItemIsEditable)
        self.key(view.table, Qt.Key.Key_Delete)
        self.until(lambda: "You may look here" in window.message.text())
        self.assertEqual(len(self.bills()), view.model.rowCount())

    def test_a_value_is_corrected_in_the_slip_of_the_viewer(self) -> None:
        window, _ = self.open()
        bill = next(i for i in self.bills() if self.ws.repository.load(i).type == "Bill")
        window.viewers.open(bill, 0)
        (shown,) = window.viewers.windows
        viewer = shown.viewer
        self.until(lambda: viewer.presenter.document is not None and viewer.values.rowCount() > 0)
        shown.activateWindow()
        row = next(i for i in range(viewer.values.rowCount()) if viewer.values.item(i, 0).text() == "Bill number")
        viewer.values.setCurrentCell(row, 1)
        self.key(viewer.values, Qt.Key.Key_F2)
        editor = QApplication.focusWidget()
        assert editor is not None
        QTest.keyClick(editor, Qt.Key.Key_A, CTRL)
        QTest.keyClicks(editor, "R-50505")
        self.key(editor, Qt.Key.Key_Return)
        self.until(lambda: self.ws.repository.load(bill).values["Bill number"].text == "R-50505")
        self.until(lambda: "R-50505" in viewer.caption.text())
        self.until(lambda: "Bill number from" in viewer.story.item(0).text())
        viewer.handlers.trigger("viewer.undo")
        self.until(lambda: self.ws.repository.load(bill).version == 3)
        self.assertNotEqual(self.ws.repository.load(bill).values["Bill number"].text, "R-50505")
        shown.close()

    def test_a_command_gets_a_key_of_ones_own_that_acts_at_once_and_comes_back(self) -> None:
        window, view = self.open()
        self.key(window, Qt.Key.Key_F1)
        self.until(lambda: window.findChild(KeysDialog), 10)
        dialog = window.findChild(KeysDialog)
        assert dialog is not None
        QTest.keyClicks(dialog.line, find_command("cabinets.keep").words)
        self.assertIn("Nothing is corrected here that is not kept yet.", dialog.told.text(), "why it cannot run now")
        self.key(dialog.line, Qt.Key.Key_Return)
        self.until(lambda: "Nothing is corrected here" in window.message.text(), 10, "the reason at the foot too")
        self.until(lambda: self.is_in_front(window), 10)
        self.key(window, Qt.Key.Key_F1)
        self.until(lambda: any(d.isVisible() for d in window.findChildren(KeysDialog)), 10)
        dialog = next(d for d in window.findChildren(KeysDialog) if d.isVisible())
        QTest.keyClicks(dialog.line, "close all columns")
        self.assertIn("Enter runs the marked one", dialog.told.text())
        self.assertEqual(dialog.table.item(0, 1).text(), find_command("cabinets.flat").title)
        for key, held, problem in (
            (Qt.Key.Key_A, Qt.KeyboardModifier.NoModifier, "A is for typing"),
            (Qt.Key.Key_Z, CTRL, "Ctrl+Z is the key of “Undo” already"), (Qt.Key.Key_F9, CTRL | SHIFT, ""),
        ):  # fmt: skip
            dialog.own.setFocus()
            self.key(dialog.own, key, held)
            dialog.keep.click()
            self.assertIn(problem, dialog.problem.text(), key)
        self.assertIn("Ctrl+Shift+F9", dialog.table.item(0, 0).text(), "it stands beside the one it has")
        dialog.close()
        self.until(lambda: self.is_in_front(window), 10)
        view.table.setFocus()
        self.assertFalse(view.presenter.state.is_flat)
        self.key(view.table, Qt.Key.Key_F9, CTRL | SHIFT)
        self.assertTrue(view.presenter.state.is_flat)
        self.key(window, Qt.Key.Key_1, CTRL)
        self.key(window.work.list, Qt.Key.Key_F9, CTRL | SHIFT)
        self.assertIn("acts in Cabinets; go there first", window.message.text())
        settings = QSettings(str(self.folder / "window.ini"), QSettings.Format.IniFormat)
        self.desktop.close()
        again = Desktop(self.folder / "data", settings=settings, pool=shared_pool())
        self.addCleanup(again.close)
        again.begin("Oswinna Reedmace")
        assert again.window is not None
        self.assertEqual(again.window.shell.own_keys.keys, {"cabinets.flat": "Ctrl+Shift+F9"})
        again.close()

    def test_it_comes_back_as_it_was_left_for_the_same_person_only(self) -> None:
        window, view = self.open()
        data, settings = self.folder / "data", QSettings(str(self.folder / "window.ini"), QSettings.Format.IniFormat)
        last = view.presenter.state.cabinets[-1][0]
        self.assertNotEqual(view.presenter.state.cabinet, last)
        self.key(view.cabinets, Qt.Key.Key_End)
        self.until(lambda: view.presenter.state.cabinet == last, 10)
        split = view.findChildren(QSplitter)[0]
        handle = split.handle(1)
        QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=QPoint(2, 40))
        QTest.mouseMove(handle, QPoint(-60, 40))
        QTest.mouseRelease(handle, Qt.MouseButton.LeftButton, pos=QPoint(-60, 40))
        sizes = split.sizes()
        window.go_prepare()
        self.key(window.prepare.list, Qt.Key.Key_End)
        shown = window.prepare.shown
        self.assertNotEqual(shown, next(iter(window.prepare.pages)))
        self.desktop.close()
        for who, same in (("Oswinna Reedmace", True), ("Corvick Sluicegate", False)):
            again = Desktop(data, settings=settings, pool=shared_pool())
            self.addCleanup(again.close)
            again.begin(who)
            assert again.window is not None
            again.window.go_cabinets()
            self.until(lambda a=again: a.window.cabinets.presenter.state.cabinet, 10)  # type: ignore[misc]
            self.assertEqual(again.window.cabinets.presenter.state.cabinet == last, same, who)
            now = again.window.cabinets.findChildren(QSplitter)[0].sizes()
            self.assertEqual(abs(now[0] - sizes[0]) <= 3, same, (who, now, sizes))
            again.window.go_prepare()
            self.assertEqual(again.window.prepare.shown == shown, same, who)
            again.close()
