"""What is typed and not kept yet: it outlives windows and restarts, is one for all windows, and says what is in its way."""

from __future__ import annotations

from PySide6.QtCore import QItemSelectionModel, QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit

from keybundle.core.base.changes import Changes
from keybundle.core.base.ids import FiledId
from keybundle.core.workflows.keep.documents import correcting
from keybundle.core.workflows.keep.trash import deleting
from keybundle.core.workflows.session.typed import Noted, bench_of, list_noted, note_typed
from keybundle.desktop.app import Desktop
from keybundle.desktop.views.cabinets_view import CabinetsView
from keybundle.desktop.views.drafts_sheet import DraftsSheet
from keybundle.desktop.views.send_sheet import SendSheet
from keybundle.desktop.views.window import MainWindow
from tests.desktop.support import CabinetsTest
from tests.support import acting

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
ME, COLLEAGUE = "Oswinna Reedmace", "Tarvin Windlass"


class Typed(CabinetsTest):
    def open_bills(self) -> tuple[MainWindow, CabinetsView, list[str]]:
        window, view = self.open()
        return window, view, [i for i in self.bills() if self.ws.repository.load(i).type == "Bill"]

    def open_all(self) -> tuple[MainWindow, CabinetsView, list[str]]:
        """Return the window, and a delivery note, two bills, another delivery note."""
        window, view, bills = self.open_bills()
        notes = [i for i in self.bills() if i not in bills]
        return window, view, [notes[0], *bills[:2], notes[1]]

    def value(self, document: str, field: str = "Bill number") -> str:
        return self.ws.repository.load(document).values[field].text

    def start_again(self, window: MainWindow) -> MainWindow:
        """Close the window and the program, start it again and sign in."""
        root = self.ws.place.root
        window.close()
        self.desktop.close()
        again = Desktop(root, settings=QSettings(str(self.folder / "window.ini"), QSettings.Format.IniFormat),
                        pool=self.workers())  # fmt: skip
        self.addCleanup(again.close)
        again.begin(ME)
        assert again.window is not None
        self.ws, self.desktop = again.workspace, again
        return again.window

    def test_a_message_that_is_half_written_waits_for_its_documents_until_it_goes_or_is_let_go_of(self) -> None:
        window, view, bills = self.open_bills()
        caption = self.ws.repository.load(bills[0]).caption
        view.sending.emit(tuple(bills[:1]), False)
        sheet = self.sheet(SendSheet)
        self.until(lambda: sheet.request.state.named, 10)
        sheet.choose_way("mail")
        sheet.address.clear()
        QTest.keyClicks(sheet.address, "clerk@millpond.example")
        sheet.text.setFocus()
        sheet.text.selectAll()
        QTest.keyClicks(sheet.text, "These are the chains.")
        self.assertEqual(window.notices.texts, [], "what is in front tells of itself")
        new = self.start_again(window)
        self.until(lambda: new.notices.texts == [f"A message with {caption} is begun and not sent."], 10)
        next(iter(new.notices.buttons.values())).click()
        sheet = self.sheet(SendSheet)
        self.until(lambda: sheet.text.toPlainText() == "These are the chains.", 10)
        self.assertEqual((sheet.way, sheet.address.text()), ("mail", "clerk@millpond.example"))
        self.until(lambda: not new.notices.texts, 10)
        self.key(sheet, Qt.Key.Key_Escape)
        self.until(lambda: new.more.isVisible() and "let go of" in new.message.text(), 10)
        self.assertEqual(new.notices.texts, [])
        new.more.click()
        self.until(lambda: len(new.notices.texts) == 1, 10)
        new.shell.viewers.sends_at(new.edge)(tuple(bills[:1]), False)
        sheet = self.sheet(SendSheet)
        self.until(lambda: sheet.text.toPlainText() == "These are the chains." and sheet.send.isEnabled(), 10)
        sheet.choose_way("folder")
        sheet.folder.setText(str(self.folder))
        sheet.send.click()
        self.until(lambda: new.edge.shown is None, 30, "the sending")
        self.until(lambda: not list_noted(acting(self.ws, ME)), 10, "what went out to be noted no longer")
        me = acting(self.ws, ME)
        note_typed(me, [Noted("letters", bills[1], "text", "Kept for a document that goes.", told="A bill")])
        deleting.delete_documents(me, [FiledId(bills[1])], "tried")
        last = self.start_again(new)
        self.until(lambda: last.notices.texts == ["A message with A bill is begun and not sent."], 10)
        next(iter(last.notices.buttons.values())).click()
        sheet = self.sheet(SendSheet)
        self.until(lambda: sheet.text.toPlainText() == "Kept for a document that goes.", 10, "to be copied")
        me = acting(self.ws, ME)
        (lies,) = deleting.list_trash(me)
        deleting.empty_trash(me, [lies.id])
        self.until(lambda: not list_noted(me), 10, "an erased document takes the words along")

    def test_what_was_typed_on_a_bench_that_is_gone_at_the_next_start_is_told(self) -> None:
        window, _ = self.open()
        note_typed(acting(self.ws, ME), [Noted(bench_of("a-batch-long-closed"), "a page", "Keeper", "Wendra Towpath")])
        new = self.start_again(window)
        self.until(lambda: new.notices.texts, 10)
        self.assertIn("“Wendra Towpath”", new.notices.texts[0])
        next(iter(new.notices.buttons.values())).click()
        self.assertEqual(QApplication.clipboard().text(), "Wendra Towpath")
        self.until(lambda: not list_noted(acting(self.ws, ME)) and not new.notices.texts, 10)

    def test_what_is_typed_outlives_window_and_program_and_says_where_it_is(self) -> None:
        window, view, bills = self.open_bills()
        was = self.value(bills[0])
        self.type_into(view, self.cell(view, bills[0], "Bill number"), "R-1212")
        editor = self.begin_to_type(view, bills[1], "R-3434")  # stands in the open editor when the window is closed
        self.assertTrue(editor.isVisible())
        self.until(lambda: window.bar.places["cabinets"].text() == "Cabinets (1)", 10)
        self.assertIn("1 text is typed there", window.bar.places["cabinets"].toolTip())
        self.until(lambda: len(list_noted(acting(self.ws, ME))) == 1, 10, "what is a second old to be noted")
        new = self.start_again(window)
        self.until(lambda: new.bar.places["cabinets"].text() == "Cabinets (2)", 10)
        self.key(new, Qt.Key.Key_2, CTRL)
        self.until(lambda: len(new.cabinets.presenter.changes.drafts) == 2, 10)
        self.assertEqual(
            new.cabinets.presenter.changes.drafts,
            {bills[0]: {"Bill number": "R-1212"}, bills[1]: {"Bill number": "R-3434"}},
        )
        new.cabinets.presenter.changes.keep()
        self.until(lambda: self.value(bills[0]) == "R-1212" and self.value(bills[1]) == "R-3434", 20)
        self.until(lambda: not list_noted(acting(self.ws, ME)), 10, "what is kept to be noted no longer")
        self.assertNotEqual(was, "R-1212")

    def test_the_window_beside_shows_the_same_and_closing_it_loses_nothing(self) -> None:
        window, view, bills = self.open_bills()
        window.shell.open_beside()
        other = window.shell.windows[-1]
        other.go_cabinets()
        self.until(lambda: other.cabinets.cabinets.count() == 4, 10)
        other.cabinets.presenter.open("Purchasing")
        self.until(lambda: other.cabinets.model.values_of(bills[:1], "Bill number"), 20)
        changes = other.cabinets.presenter.changes
        changes.edit(other.cabinets.model.values_of(bills[:1], "Bill number"), "Bill number", "R-5656")
        self.assertEqual(view.presenter.changes.drafts, {bills[0]: {"Bill number": "R-5656"}})
        self.assertFalse(view.presenter.changes.can_undo, "a step of the other window is not taken back from here")
        self.assertTrue(changes.can_undo)
        other.close()
        self.spin(0.2)
        self.until(lambda: self.is_in_front(window), 10)
        self.key(view.table, Qt.Key.Key_S, CTRL)
        self.until(lambda: self.value(bills[0]) == "R-5656", 20)

    def test_enter_in_one_of_all_chosen_corrects_all_and_keeping_takes_the_open_cell_along(self) -> None:
        _, view, bills = self.open_all()
        flags = QItemSelectionModel.SelectionFlag
        for bill in bills[:3]:
            view.table.selectionModel().select(self.cell(view, bill, "Order number"), flags.Select | flags.Rows)
        self.until(lambda: set(view.presenter.state.chosen) == set(bills[:3]))
        view.table.selectionModel().setCurrentIndex(self.cell(view, bills[0], "Order number"), flags.NoUpdate)
        view.table.setFocus()
        self.key(view.table, Qt.Key.Key_F2)
        editor = QApplication.focusWidget()
        assert isinstance(editor, QLineEdit)
        QTest.keyClick(editor, Qt.Key.Key_A, CTRL)
        QTest.keyClicks(editor, "PO-12121")
        self.key(editor, Qt.Key.Key_S, CTRL)
        self.until(lambda: all(self.value(b, "Order number") == "PO-12121" for b in bills[:3]), 20)

    def test_one_that_is_gone_or_wrong_or_changed_holds_up_no_other_and_all_is_listed(self) -> None:
        window, view, (gone, changed, kept, wrong) = self.open_all()
        changes = view.presenter.changes
        for document, text in ((gone, "PO-10000"), (changed, "PO-10001"), (kept, "PO-10002")):
            self.type_into(view, self.cell(view, document, "Order number"), text)
        self.type_into(view, self.cell(view, wrong, "Delivery date"), "31 February 2026")
        caption = self.ws.repository.load(gone).caption
        deleting.delete_documents(acting(self.ws, ME), [gone], "sent twice")
        correcting.correct(acting(self.ws, COLLEAGUE), {changed: {"Order number": "PO-99999"}}, follow=False)
        window.seat.bus.tell(Changes(repository=True))
        self.key(view.table, Qt.Key.Key_S, CTRL)
        self.until(lambda: self.value(kept, "Order number") == "PO-10002", 20, "what can be kept")
        self.until(lambda: len(changes.problems) == 3, 10)
        self.assertIn(f"{caption} is gone", changes.problems[gone, "Order number"])
        self.assertIn("“PO-99999” stands here now", changes.problems[changed, "Order number"])
        self.assertIn("31 February 2026", changes.problems[wrong, "Delivery date"])
        self.assertEqual(self.value(changed, "Order number"), "PO-99999")
        self.key(view.table, Qt.Key.Key_U, CTRL)
        sheet = self.sheet(DraftsSheet)
        told = [sheet.list.item(i).text() for i in range(sheet.list.count())]
        self.assertEqual(len(told), 3)
        here = next(i for i, line in enumerate(told) if caption in line and "PO-10000" in line)
        sheet.list.setCurrentRow(here)
        self.key(sheet.list, Qt.Key.Key_C, CTRL)
        self.assertEqual(QApplication.clipboard().text(), "PO-10000", "it can be copied")
        self.key(sheet.list, Qt.Key.Key_Escape)
        # Told with both values, it is kept the second time: what stands there now was seen.
        self.key(view.table, Qt.Key.Key_S, CTRL)
        self.until(lambda: self.value(changed, "Order number") == "PO-10001", 20)
        self.key(view.table, Qt.Key.Key_U, CTRL | SHIFT)
        self.assertEqual(changes.drafts, {})
        self.key(view.table, Qt.Key.Key_Z, CTRL)
        self.assertEqual(set(changes.drafts), {gone, wrong}, "letting go is a step")

    def test_tags_that_are_typed_can_be_let_go_of_and_stay_where_they_are_refused(self) -> None:
        _, view, bills = self.open_bills()
        view.table.setCurrentIndex(self.cell(view, bills[0], "Bill number"))
        self.until(lambda: view.presenter.state.chosen == (bills[0],), 10)
        view.table.setFocus()
        self.key(view.table, Qt.Key.Key_T, CTRL)
        stood = view.tags.text()
        QTest.keyClicks(view.tags, ", not meant")
        self.key(view.tags, Qt.Key.Key_Escape)
        self.assertEqual(view.tags.text(), stood)
        view.table.setFocus()
        self.spin(0.3)
        self.assertEqual(self.ws.repository.load(bills[0]).tags, tuple(filter(None, stood.split(", "))))
        self.key(view.table, Qt.Key.Key_T, CTRL)
        view.tags.selectAll()
        QTest.keyClicks(view.tags, "queried")
        deleting.delete_documents(acting(self.ws, ME), [bills[0]], "sent twice")
        self.key(view.tags, Qt.Key.Key_Return)
        self.until(lambda: view.presenter.changes.told, 10, "what was typed to stay")
        draft = view.presenter.changes.tags.find((bills[0],))
        assert draft is not None
        self.assertEqual(draft.text, "queried")
        self.assertTrue(draft.problem)

    def test_find_says_what_can_be_asked_and_what_is_near_what_found_nothing(self) -> None:
        window, _ = self.open()
        self.key(window, Qt.Key.Key_3, CTRL)
        finder = window.finder
        self.until(lambda: finder.ways.isVisible() and len(finder.ways.lines) > 3, 10, "examples")
        for line in list(finder.ways.lines):
            finder.ways.lines[line].click() if line in finder.ways.lines else finder.presenter.search(line)
            self.until(lambda line=line: finder.presenter.state.line == line and finder.hits.isVisible(), 10, line)
        finder.line.setText("larchpudle")
        finder.presenter.search("larchpudle")
        self.until(lambda: finder.ways.isVisible() and "larchpud" in finder.ways.lines, 10, "its beginning")
        self.assertFalse(finder._chart_head.isVisible(), "no heading over nothing")

    def test_a_value_of_all_hits_is_corrected_by_seven_keys_and_hits_are_live(self) -> None:
        window, _, documents = self.open_all()
        bills = documents[1:3]
        finder, asked = window.finder, "PO-55555"
        numbers = {self.value(bill, "Order number") for bill in bills}
        self.key(window, Qt.Key.Key_3, CTRL)
        finder.line.setText("type = Bill")
        self.key(finder.line, Qt.Key.Key_Return)
        self.until(lambda: {h.id for h in finder.presenter.state.hits} >= set(bills) and finder.hits.hasFocus(), 20)
        self.key(finder.hits, Qt.Key.Key_T, CTRL | SHIFT)
        table = finder.documents.table
        self.until(lambda: finder.documents.model.rowCount() == len(finder.presenter.state.hits), 10)
        heads = list(finder.documents.model.heads)
        self.until(lambda: finder.documents.model.values_of(bills, "Order number"), 20, "the rows to be read")
        table.setCurrentIndex(finder.documents.model.index(0, heads.index("Order number")))
        self.key(table, Qt.Key.Key_A, CTRL)
        hits = [h.id for h in finder.presenter.state.hits]
        self.until(lambda: len(finder._chosen()) == len(hits), 10)
        self.key(table, Qt.Key.Key_F2)
        editor = QApplication.focusWidget()
        assert isinstance(editor, QLineEdit)
        editor.selectAll()
        QTest.keyClicks(editor, asked)
        self.key(editor, Qt.Key.Key_Return)
        self.assertEqual(len(finder.presenter.changes.drafts), len(hits))
        self.key(table, Qt.Key.Key_S, CTRL)
        self.until(lambda: all(self.value(i, "Order number") == asked for i in hits), 20)
        self.assertNotIn(asked, numbers)
        self.key(table, Qt.Key.Key_Z, CTRL)
        self.until(lambda: {self.value(bill, "Order number") for bill in bills} == numbers, 20, "one undo for all")
        deleting.delete_documents(acting(self.ws, ME), [bills[0]], "sent twice")
        window.seat.bus.tell(Changes(repository=True))
        self.until(lambda: bills[0] not in [h.id for h in finder.presenter.state.hits], 10, "a hit that goes to go")
        self.until(lambda: finder.documents.model.rowCount() == len(hits) - 1, 10)
