"""Prepare in the window: routines with their rehearsal, types and fields, registers; refusals where they stand, undo."""

from __future__ import annotations

from typing import Any
from unittest import mock

from PySide6.QtCore import QItemSelectionModel, QPoint, Qt
from PySide6.QtGui import QTextCursor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QLabel, QLineEdit, QPushButton, QSpinBox

from keybundle.core.base.changes import Changes
from keybundle.core.rights.model import Grantee, Right
from keybundle.core.setup.parts import KeptTo
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.prepare.registers import proposals
from keybundle.core.workflows.session import access
from keybundle.desktop.app import Desktop
from keybundle.desktop.views.access_sheet import AccessSheet
from keybundle.desktop.views.ask_sheet import AskSheet
from keybundle.desktop.views.bench_view import BenchView
from keybundle.desktop.views.choose_sheet import ChooseSheet
from keybundle.desktop.views.kept_to_sheet import KeptToSheet
from keybundle.desktop.views.list_sheet import ListSheet
from keybundle.desktop.views.prepare.cabinets_editor import LevelsSheet, TableSheet
from keybundle.desktop.views.prepare.part_view import HistorySheet
from keybundle.desktop.views.prepare.registers_view import MappingSheet
from keybundle.desktop.views.prepare.routine_view import RoutineView
from keybundle.desktop.views.value_editor import TOLD, CellEditor
from keybundle.desktop.views.window import MainWindow
from tests.desktop.support import DesktopTest
from tests.support import acting, count_filed, filed_ids, scanned_template

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier


class Routines(DesktopTest):
    def begin(self, role: str = "administrator", *, scanned: bool = False) -> tuple[Desktop, MainWindow, RoutineView]:
        desktop = self.start(scanned=scanned)
        desktop.begin(next(p.name for p in desktop.workspace.setup.people if role in p.roles))
        window = desktop.window
        assert window is not None
        self.until(window.isActiveWindow)
        window.prepare.show_page("routines")
        return desktop, window, window.prepare.view("routines")

    def open_prepare(self, window: MainWindow) -> None:
        self.key(window, Qt.Key.Key_4, CTRL)
        self.until(lambda: window.prepare.view("routines").presenter.state.routine is not None)

    def test_rules_are_tried_as_they_are_changed_and_open_batches_follow(self) -> None:
        desktop, window, view = self.begin(scanned=True)
        batch_id = scanned_template()[1]
        before = len(desktop.workspace.batches.load(batch_id).documents)
        self.open_prepare(window)
        p = view.presenter
        self.until(lambda: p.state.sides and not p.state.rehearsing, 20, "the first rehearsal")
        self.assertEqual(sum(s.kind == "break" for s in p.state.sides), before)
        self.assertIn(f"{before} breaks are the same, none is missing, none is new", view.rehearsal.figures.text())
        view.rules.kind.setCurrentText("page numbering")
        QTest.mouseClick(view.rules.add, Qt.MouseButton.LeftButton)
        self.until(lambda: view.rules.list.count() == 2)
        self.until(lambda: any("page" in s.told for s in p.state.sides if s.kind == "break") and not p.state.rehearsing, 60,
                   "page numbers to be tried")  # fmt: skip
        view.rules.list.setCurrentRow(0)
        QTest.mouseClick(view.rules.remove, Qt.MouseButton.LeftButton)
        self.until(lambda: [r.rule for r in p.state.routine.separation.rules] == ["page numbering"])  # type: ignore[union-attr]
        breaks = lambda: [s.told for s in p.state.sides if s.kind == "break"]  # noqa: E731
        self.until(lambda: not p.state.rehearsing and not any("separator sheet" in told for told in breaks()), 60,
                   "the rehearsal without separators")  # fmt: skip
        self.assertEqual(len(desktop.workspace.batches.load(batch_id).documents), before, "a rehearsal changes nothing")
        tried = sum(s.kind == "break" for s in p.state.sides)
        self.until(view.rehearsal.separate.isVisible)
        QTest.mouseClick(view.rehearsal.separate, Qt.MouseButton.LeftButton)
        self.until(lambda: len(desktop.workspace.batches.load(batch_id).documents) == tried, 30, "the batch to follow")
        self.assertTrue(desktop.line.wait(120))

    def test_a_break_is_asked_for_by_pointing_at_a_side(self) -> None:
        _, window, view = self.begin(scanned=True)
        self.open_prepare(window)
        p = view.presenter
        self.until(lambda: p.state.sides and not p.state.rehearsing, 20, "the first rehearsal")
        side = next(s.number for s in p.state.sides if s.kind == "break")
        view.rehearsal.sides.setCurrentRow(side - 1)
        view.rehearsal.sides.setFocus()
        self.key(view.rehearsal.sides, Qt.Key.Key_Return)
        sheet = self.sheet(ChooseSheet, 60)  # every side is looked through for what it bears
        self.assertIn(f"Side {side} is found by:", [x.text() for x in sheet.findChildren(QLabel)])
        words = next(i for i in range(sheet.list.count()) if "words" in sheet.list.item(i).text())
        sheet.list.setCurrentRow(words)
        self.key(sheet.list, Qt.Key.Key_Return)
        self.until(lambda: [r.rule for r in p.state.routine.separation.rules] == ["separator sheet", "words"], 10)  # type: ignore[union-attr]
        self.until(
            lambda: not p.state.rehearsing and any("words" in s.told for s in p.state.sides), 60, "it to be tried"
        )

    def test_a_change_is_kept_refused_in_words_and_taken_back(self) -> None:
        desktop, window, view = self.begin("supervisor")
        self.open_prepare(window)
        p = view.presenter
        p.change({"description": "The morning's post"})
        self.until(lambda: desktop.workspace.setup.routines[0].description == "The morning's post")
        p.change({"separation.rules": [{"rule": "barcode", "pattern": "("}]})
        problem = lambda name: view.form.rows[name].problem.text()  # noqa: E731
        self.until(lambda: "no regular expression" in problem("separation.rules"))
        p.change({"name": "Bills"})
        self.until(lambda: "“Bills” is taken already" in problem("name"))
        p.change({"key": "b"})
        self.until(lambda: "started by “B”" in problem("key"))
        self.assertTrue(view.form.rows["key"].problem.isVisible())
        box = view.form.rows["halts"].editor.checks["skew"]
        self.click(box, QPoint(8, box.height() // 2))
        self.until(lambda: [h.on for h in desktop.workspace.setup.routines[0].halts][-1] == "skew")
        self.click(view.form.rows["cleaning.despeckle"].editor, QPoint(8, 8))
        self.until(lambda: not desktop.workspace.setup.routines[0].cleaning.despeckle)
        self.until(lambda: view.pane.undo_told.text() == "Post: cleaning", 10, "it to be said what Undo puts back")
        QTest.mouseClick(view.pane.undo, Qt.MouseButton.LeftButton)
        self.until(lambda: desktop.workspace.setup.routines[0].cleaning.despeckle)
        self.until(lambda: view.pane.undo_told.text() == "Post: halts", 10)
        QTest.mouseClick(view.pane.undo, Qt.MouseButton.LeftButton)
        self.until(lambda: "skew" not in [h.on for h in desktop.workspace.setup.routines[0].halts], 10,
                   "the step before it, not the same one again")  # fmt: skip
        QTest.mouseClick(view.pane.copy, Qt.MouseButton.LeftButton)
        self.until(lambda: [r.name for r in desktop.workspace.setup.routines][-1] == "Post copy")
        self.until(lambda: p.state.routine is not None and p.state.routine.name == "Post copy")
        self.assertEqual(desktop.workspace.setup.routine("Post copy").key, "")  # type: ignore[union-attr]

    def test_copies_at_filing_are_set_where_the_routine_is(self) -> None:
        desktop, window, view = self.begin("supervisor")
        self.open_prepare(window)
        folder = view.form.rows["copies.folder"].editor.line
        kept = lambda: desktop.workspace.setup.routines[0].copies  # noqa: E731
        self.assertNotIn("copies.names", view.form.rows, "without a folder there are no copies")
        folder.setFocus()
        QTest.keyClicks(folder, "/srv/copies")
        self.key(folder, Qt.Key.Key_Return)
        self.until(lambda: kept().folder == "/srv/copies" and "copies.names" in view.form.rows, 10)
        names = view.form.rows["copies.names"].editor
        names.setFocus()
        names.selectAll()
        QTest.keyClicks(names, "{filed} {caption}")
        self.key(names, Qt.Key.Key_Return)
        self.until(lambda: kept().names == "{filed} {caption}", 10)
        self.assertEqual((kept().form, kept().sub_folders), ("pdfa", ""))

    def test_what_is_under_way_stays_with_its_routine_when_one_goes_on_to_another(self) -> None:
        desktop, window, view = self.begin()
        self.open_prepare(window)
        p, ws = view.presenter, desktop.workspace
        line = view.findChildren(QLineEdit, options=Qt.FindChildOption.FindChildrenRecursively)
        description = next(x for x in line if x.accessibleName() == "Description")
        description.setFocus()
        description.selectAll()
        QTest.keyClicks(description, "The morning's post")
        bills = view.pane.names.visualItemRect(view.pane.names.item(1)).center()
        seen: list[str] = []
        p.changed.connect(lambda state: seen.append(state.chosen))
        self.click(view.pane.names.viewport(), bills)  # leaving the field keeps it, the click chooses Bills
        self.until(lambda: ws.setup.routines[0].description == "The morning's post", 10)
        self.until(lambda: "Kept: Post" in window.message.text(), 10)
        self.spin(0.2)
        self.assertEqual(
            (p.state.chosen, seen[seen.index("Bills") :].count("Post")), ("Bills", 0), "no way back to Post"
        )
        p.change({"name": "Post"})
        self.until(lambda: "“Post” is taken already" in view.form.rows["name"].problem.text(), 10)
        self.assertEqual(p.state.routine.name, "Bills", "the routine it was before")

    def test_digits_being_typed_stay_while_a_rehearsal_comes_back(self) -> None:
        _, window, view = self.begin(scanned=True)
        self.open_prepare(window)
        p = view.presenter
        self.until(lambda: p.state.sides and not p.state.rehearsing, 20)
        box = next(x for x in view.findChildren(QSpinBox) if x.accessibleName() == "Resolution")
        box.setFocus()
        box.selectAll()
        QTest.keyClicks(box, "20")
        p.rehearse()
        self.until(lambda: not p.state.rehearsing, 20)
        QTest.keyClicks(box, "0")
        QTest.keyClick(box, Qt.Key.Key_Return)
        self.until(lambda: p.state.routine is not None and p.state.routine.resolution_dpi == 200, 10)

    def test_an_operator_may_look_only(self) -> None:
        desktop, window, view = self.begin("operator")
        self.open_prepare(window)
        view.presenter.change({"bar": 0.5})
        self.until(lambda: "may not prepare" in view.form.rows["bar"].problem.text(), 10)
        self.assertNotEqual(desktop.workspace.setup.routines[0].bar, 0.5)
        self.assertFalse(view.pane.copy.isEnabled())

    def test_a_start_key_scans(self) -> None:
        desktop, window, _ = self.begin()
        self.until(lambda: window.work.presenter.state.can_scan)
        self.key(window.work.list, Qt.Key.Key_B, ALT)
        self.until(lambda: desktop.workspace.batches.ids(), 20)
        batch = desktop.workspace.batches.load(desktop.workspace.batches.ids()[0])
        self.assertEqual(batch.routine, "Bills")
        window.work.presenter.incoming.stop()
        self.until(lambda: not window.work.presenter.state.scanning, 20)


class Editors(DesktopTest):
    def begin(self, page: str) -> tuple[Desktop, MainWindow, Any]:
        desktop = self.start()
        desktop.begin("Oswinna Reedmace")
        window = desktop.window
        assert window is not None
        self.key(window, Qt.Key.Key_4, CTRL)
        window.prepare.show_page(page)
        view = window.prepare.view(page)
        self.until(lambda: view.presenter.state.part is not None, 10)
        return desktop, window, view

    def type_in(self, view: Any, name: str, text: str, form: str = "form") -> None:
        editor = getattr(view, form).rows[name].editor
        editor.setFocus()
        editor.selectAll()
        QTest.keyClicks(editor, text)

    def pick(self, view: Any, name: str, code: str) -> None:
        """Choose in a list of the field's form as Enter does there."""
        editor = view.field_form.rows[name].editor
        self.assertGreaterEqual(editor.findData(code), 0, code)
        editor.setCurrentIndex(editor.findData(code))
        editor.activated.emit(editor.currentIndex())

    def test_a_type_is_changed_with_its_caption_in_sight_and_refused_where_it_stands(self) -> None:
        desktop, _, view = self.begin("types")
        ws, p = desktop.workspace, view.presenter
        bill = lambda: ws.setup.document_type("Bill")  # noqa: E731
        p.choose("Bill")
        self.until(lambda: view.form.rows and "caption" in p.state.values, 10)
        self.type_in(view, "caption", "Bill {Bill number} of {Supplier}")
        self.until(lambda: "here: Bill R-" in view.form.rows["caption"].help.text(), 10, "the example")
        self.assertNotEqual(bill().caption, "Bill {Bill number} of {Supplier}", "a try is not kept")
        self.key(view.form.rows["caption"].editor, Qt.Key.Key_Return)
        self.until(lambda: bill().caption == "Bill {Bill number} of {Supplier}", 10)
        p.change({"words": ("Bill", "Tally")})
        p.change({"field Net labels": ("Net", "Bare")})
        self.until(lambda: bill().words == ("Bill", "Tally") and bill().field("Net").labels == ("Net", "Bare"), 10,
                   "both of two changes made at once")  # fmt: skip
        view.show_tab(1)
        p.choose_field("Order number")
        self.type_in(view, "field Order number pattern", "(", "field_form")
        self.key(view.field_form.rows["field Order number pattern"].editor, Qt.Key.Key_Return)
        row = view.field_form.rows["field Order number pattern"]
        self.until(lambda: "no regular expression" in row.problem.text(), 10)
        self.assertEqual((bill().field("Order number").pattern, row.editor.text()), (r"PO-\d{5}", "("))
        self.type_in(view, "field Order number example", "AB-123", "field_form")
        self.key(view.field_form.rows["field Order number example"].editor, Qt.Key.Key_Return)
        self.until(lambda: bill().field("Order number").pattern == r"AB\-\d{3}", 10, "an example to write the pattern")

    def test_fields_are_added_renamed_moved_and_kept_while_something_needs_them(self) -> None:
        desktop, _, view = self.begin("types")
        ws, p = desktop.workspace, view.presenter
        bill = lambda: ws.setup.document_type("Bill")  # noqa: E731
        p.choose("Bill")
        view.show_tab(1)
        self.burst("Paid on\n", start=view.items.new)
        self.until(lambda: bill().field("Paid on") is not None and view.items.list.count() == 9, 10)
        self.until(lambda: p.state.chosen_field == "Paid on", 10, "the new field to be shown")
        self.pick(view, "field Paid on kind", "choice")
        towns = [e["Town"] for e in ws.entries("suppliers") if e["Town"]]
        self.until(lambda: "field Paid on more_choices" in view.field_form.rows, 10)
        self.pick(view, "field Paid on more_choices", "register\tsuppliers\tTown")
        self.until(lambda: bill().field("Paid on").choices == tuple(dict.fromkeys(towns)), 10)
        self.pick(view, "field Paid on more_choices", "folders\tBoats\tBoat number")
        self.until(lambda: len(bill().field("Paid on").choices) > len(set(towns)), 10, "folders beside what was there")
        self.pick(view, "field Paid on kind", "date")
        self.until(lambda: bill().field("Paid on").kind == "date" and "field Paid on low" in view.field_form.rows, 10)
        for end, typed, kept in (("low", "1 April 2019", "2019-04-01"), ("high", "31.12.2030", "2030-12-31")):
            least = view.field_form.rows[f"field Paid on {end}"].editor
            least.setFocus()
            least.selectAll()
            QTest.keyClicks(least, typed)
            self.key(least, Qt.Key.Key_Return)
            self.until(lambda e=end, k=kept: getattr(bill().field("Paid on"), e) == k, 10, f"{typed} as a limit")
        view.field_form.rows["field Paid on low"].editor.selectAll()
        self.burst("soon\n", start=view.field_form.rows["field Paid on low"].editor)
        self.until(lambda: "soon" in view.field_form.rows["field Paid on low"].problem.text(), 10)
        view.items.list.setCurrentRow(8)
        self.key(view.items.list, Qt.Key.Key_Up, ALT)
        self.until(lambda: [f.name for f in bill().fields][-2:] == ["Paid on", "Order number"], 10)
        view.items.list.item(7).setText("Settled on")
        self.until(lambda: bill().label("Paid on") == "Settled on", 10, "another name, the same field")
        net = next(i for i in range(9) if view.items.list.item(i).text() == "Net")
        view.items.list.setCurrentRow(net)
        self.key(view.items.list, Qt.Key.Key_Delete)
        self.until(lambda: "Net is used by a sum of Bill" in view.problem.text(), 10)
        view.pane.undo.click()
        self.until(lambda: bill().label("Paid on") == "Paid on", 10)

    def test_a_default_is_completed_like_a_value_on_the_slip(self) -> None:
        desktop, _, view = self.begin("types")
        ws, p = desktop.workspace, view.presenter
        p.choose("Inspection sheet")
        view.show_tab(1)
        kind = lambda: ws.setup.document_type("Inspection sheet")  # noqa: E731
        for field, typed, taken in (("Structure number", "L1", "L1"), ("Grade", "", "A"), ("Grade", "{tod", "{today}")):
            p.choose_field(field)
            self.until(lambda f=field: f"field {f} default" in view.field_form.rows, 10)
            editor = view.field_form.rows[f"field {field} default"].editor
            editor.setFocus()
            editor.selectAll()
            self.key(editor, Qt.Key.Key_Delete)
            QTest.keyClicks(editor, typed)
            if not typed:
                self.key(editor, Qt.Key.Key_Down)
            self.until(lambda e=editor: e.is_list_open, 10, f"what can stand in {field}")
            self.key(editor.list.popup(), Qt.Key.Key_Down)
            self.assertTrue(editor.text().startswith(taken), editor.text())
            chosen = editor.text()
            self.key(editor.list.popup(), Qt.Key.Key_Return)
            self.key(editor, Qt.Key.Key_Return)
            self.until(lambda f=field, c=chosen: kind().field(f).default == c, 10, f"{chosen} kept for {field}")

    def test_a_register_is_typed_pasted_mapped_from_a_file_and_put_back(self) -> None:
        desktop, window, view = self.begin("registers")
        ws, p = desktop.workspace, view.presenter
        self.burst("Depots\n", start=view.pane.new)
        self.until(lambda: p.state.part is not None and p.state.part.name == "Depots", 10)
        self.burst("Town\n", start=view.form.rows["columns"].editor.new)
        self.until(lambda: ws.setup.register("Depots").columns == ("Name", "Town"), 10)  # type: ignore[union-attr]
        view.show_tab(1)
        self.burst("Weir depot; Holmelock\n", start=view.new)
        self.until(lambda: p.state.total == 1, 10)
        self.app.clipboard().setText("Lock depot\tMarrowford\nWeir depot\tTwice\n\t\n")
        view.paste.click()
        self.until(lambda: p.state.total == 2, 10)
        self.assertIn("“Weir depot” is there already", self.sheet(ListSheet).list.item(0).text())
        window.edge.end()
        self.until(lambda: view.model.index(1, 1).data() == "Marrowford", 10)
        view.model.setData(view.model.index(1, 0), "Lock house", Qt.ItemDataRole.EditRole)
        self.until(lambda: [e["Name"] for e in ws.entries("Depots")] == ["Weir depot", "Lock house"], 10)
        self.until(lambda: p.state.keys == ("Weir depot", "Lock house") and view.model.index(1, 1).data(), 10)
        town = view.model.heads.index("Town")
        towns = lambda: [e["Town"] for e in ws.entries("Depots")]  # noqa: E731
        view.table.selectAll()
        view.table.selectionModel().setCurrentIndex(
            view.model.index(0, town), QItemSelectionModel.SelectionFlag.NoUpdate
        )
        view.model.setData(view.model.index(0, town), "Oxmere", Qt.ItemDataRole.EditRole)
        self.until(lambda: towns() == ["Oxmere", "Oxmere"], 10, "one value for all chosen entries")
        self.assertEqual(view.table.currentIndex().row(), 0, "the place is kept")
        view.pane.undo.click()
        self.until(lambda: towns() == ["Holmelock", "Marrowford"], 10, "one undo for both")
        view.table.setFocus()
        view.table.setCurrentIndex(view.model.index(0, town))
        self.key(view.table, Qt.Key.Key_Down, CTRL | SHIFT)
        self.until(lambda: p.state.keys == ("Lock house", "Weir depot"), 10, "sorted by town, the greatest first")
        self.assertEqual(view.model.id_at(view.table.currentIndex().row()), "Weir depot", "its row is followed")
        self.app.clipboard().setText("Ashmere\nElmwick")
        view.table.setCurrentIndex(view.model.index(0, town))
        self.key(view.table, Qt.Key.Key_V, CTRL)
        self.until(lambda: towns() == ["Elmwick", "Ashmere"], 10, "a block pasted as it is sorted in sight")
        self.key(view.table, Qt.Key.Key_Down, CTRL | SHIFT)
        self.until(lambda: p.state.keys == ("Weir depot", "Lock house"), 10, "the register's own order again")
        view.table.setCurrentIndex(view.model.index(1, town))
        self.key(view.table, Qt.Key.Key_F2)
        editor = self.app.focusWidget()
        assert isinstance(editor, CellEditor)
        editor.selectAll()
        QTest.keyClicks(editor, "elm")
        self.until(lambda: editor.is_list_open, 10, "what other entries have there")
        self.assertEqual(editor.model.item(0).text(), f"Elmwick{TOLD}1 entry")
        self.key(editor.list.popup(), Qt.Key.Key_Down)
        self.key(editor.list.popup(), Qt.Key.Key_Return)
        self.key(editor, Qt.Key.Key_Return)
        self.until(lambda: towns() == ["Elmwick", "Elmwick"], 10)
        view.table.setCurrentIndex(view.model.index(1, 0))
        self.key(view.table, Qt.Key.Key_F2)
        self.assertIsNone(view.registers.asked("Name"), "a key is its own")
        self.key(self.app.focusWidget(), Qt.Key.Key_Escape)  # type: ignore[arg-type]
        path = self.folder / "depots.csv"
        path.write_text("Place;Depot name\nHolmelock;Weir depot\nOxmere;Reed depot\nOxmere;Reed depot\n")
        with mock.patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            view.bring.click()
        sheet = self.sheet(MappingSheet)
        self.assertEqual(
            sheet.choices["Name"].currentData(), "Depot name", "a head that holds the column's name is proposed"
        )
        sheet.choices["Town"].setCurrentIndex(sheet.choices["Town"].findData("Place"))
        QTest.mouseClick(sheet.take, Qt.MouseButton.LeftButton)
        self.assertIn("stands in line 3 already", self.sheet(ListSheet).list.item(0).text())
        window.edge.end()
        self.assertEqual(len(ws.entries("Depots")), 2, "nothing half changed")
        view.table.selectAll()
        view.fewer.click()
        self.until(lambda: p.state.total == 0, 10)
        view.pane.undo.click()
        self.until(lambda: len(ws.entries("Depots")) == 2, 10)

    def test_a_cabinet_with_documents_is_filed_anew_and_an_empty_one_is_shared(self) -> None:
        desktop, window, view = self.begin("cabinets")
        ws, p = desktop.workspace, view.presenter
        p.choose("Purchasing")
        levels = view.form.rows["folder_fields"].editor
        levels.list.setCurrentRow(1)
        self.key(levels.list, Qt.Key.Key_Up, ALT)
        sheet = self.sheet(LevelsSheet)
        filed = count_filed(ws, "Purchasing")
        self.assertIn(f"{filed} documents move to other folders.\n0 stay where they are", sheet.told.text())
        self.assertEqual(ws.setup.cabinet("Purchasing").levels, ("Year", "Supplier"))  # type: ignore[union-attr]
        sheet.go.click()
        self.until(lambda: f"{filed} documents filed anew" in window.message.text(), 20)
        self.assertEqual(ws.setup.cabinet("Purchasing").levels, ("Supplier", "Year"))  # type: ignore[union-attr]
        view.pane.undo.click()
        self.until(lambda: ws.setup.cabinet("Purchasing").levels == ("Year", "Supplier"), 20)  # type: ignore[union-attr]
        self.until(lambda: not p.state.doing and p.state.part.levels == ("Year", "Supplier"), 20)
        self.burst("Offers\n", start=view.pane.new)
        self.until(lambda: p.state.part is not None and p.state.part.name == "Offers", 10)
        for name in ("Year", "Supplier"):
            self.burst(f"{name}\n", start=view.form.rows["folder_fields"].editor.new)
            self.until(lambda n=name: n in ws.setup.cabinet("Offers").levels, 10)  # type: ignore[union-attr, misc]
        self.until(view.share.isVisible, 10)
        self.assertIn("Purchasing", view.share.text())
        view.share.click()
        self.until(lambda: ws.setup.cabinet("Offers") is None, 10)
        view.all.click()
        sheet = self.sheet(TableSheet)
        names = [sheet.table.item(i, 0).text() for i in range(sheet.table.rowCount())]
        self.assertEqual(names, [c.name for c in ws.setup.cabinets])
        counts = {sheet.table.item(i, 0).text(): sheet.table.item(i, 4).text() for i in range(len(names))}
        self.assertEqual(counts["Boats"], str(count_filed(ws, "Boats")))

    def test_whom_a_type_is_kept_to_is_asked_in_a_sheet_and_answered_for_that_type(self) -> None:
        desktop, _, view = self.begin("types")
        ws, p = desktop.workspace, view.presenter
        p.choose("Bill")
        button = view.form.rows["kept_to"].editor
        self.assertEqual(button.text(), "Everybody may use it")
        button.click()
        sheet = self.sheet(KeptToSheet)
        self.assertEqual(sheet.of.text(), "Bill")
        sheet.checks.item(0).setCheckState(Qt.CheckState.Checked)
        p.choose("Delivery note")
        self.key(sheet.checks, Qt.Key.Key_Return)
        self.until(lambda: ws.setup.document_type("Bill").kept_to != KeptTo(), 10)  # type: ignore[union-attr]
        self.assertEqual(ws.setup.document_type("Delivery note").kept_to, KeptTo())  # type: ignore[union-attr]
        self.until(lambda: p.state.chosen == "Bill" and "Kept to" in button.text(), 10)

    def test_a_new_name_that_is_half_typed_or_refused_stays_in_its_line(self) -> None:
        desktop, window, view = self.begin("types")
        QTest.keyClicks(view.pane.new, "Slipway boo")
        desktop.shell.open_beside()  # type: ignore[union-attr]
        beside = desktop.shell.windows[-1]  # type: ignore[union-attr]
        beside.go_prepare()
        beside.prepare.show_page("types")
        other = beside.prepare.view("types")
        self.until(lambda: other.pane.new.text() == "Slipway boo", 10)
        other.pane.new.setFocus()
        QTest.keyClicks(other.pane.new, "king")
        self.key(other.pane.new, Qt.Key.Key_Return)
        self.until(lambda: desktop.workspace.setup.document_type("Slipway booking") is not None, 10)
        self.until(lambda: view.pane.new.text() == "", 10, "what was made to stand in no line any more")
        beside.close()
        window.activateWindow()
        view.presenter.choose("Bill")
        view.show_tab(1)
        first = view.items.list.item(0).text()
        QTest.keyClicks(view.items.new, first)
        self.key(view.items.new, Qt.Key.Key_Return)
        self.until(lambda: view.items.new.text() == first, 10, "a name that is taken to stand in its line again")

    def test_history_says_who_and_goes_back(self) -> None:
        desktop, _, view = self.begin("cabinets")
        ws, p = desktop.workspace, view.presenter
        p.choose("Boats")
        for text in ("one", "two"):
            self.type_in(view, "description", text)
            self.key(view.form.rows["description"].editor, Qt.Key.Key_Return)
            self.until(lambda text=text: ws.setup.cabinet("Boats").description == text, 10)  # type: ignore[union-attr, misc]
        self.key(view.pane.names, Qt.Key.Key_H, CTRL)
        sheet = self.sheet(HistorySheet)
        backs = [b for b in sheet.findChildren(QPushButton) if b.text() == "Go back to this"]
        self.assertEqual(len(backs), 2)
        p.choose("Personnel")
        backs[0].click()  # of the one it was asked for, whatever is in front by now
        self.assertEqual(p.state.chosen, "Boats")
        self.until(lambda: ws.setup.cabinet("Boats").description == "one", 10)  # type: ignore[union-attr]

    def test_what_somebody_else_changed_meanwhile_is_told_and_not_overwritten(self) -> None:
        desktop, _, view = self.begin("cabinets")
        ws, p = desktop.workspace, view.presenter
        p.choose("Boats")
        base = p.state.part
        p.hide()
        parts.save_part(acting(ws), "cabinets", parts.change_part(base, {"description": "theirs"}), base)
        p.change({"description": "mine"})
        self.until(lambda: "changed by somebody else" in view.form.rows["description"].problem.text(), 10)
        self.assertEqual(ws.setup.cabinet("Boats").description, "theirs")  # type: ignore[union-attr]
        self.assertEqual(view.form.rows["description"].editor.text(), "mine", "what was typed is not lost")

    def test_a_name_that_is_typed_while_its_part_goes_becomes_no_other_parts(self) -> None:
        desktop, window, view = self.begin("types")
        ws, p = desktop.workspace, view.presenter
        names = [kind.name for kind in ws.setup.document_types]
        p.add("A type to go")
        self.until(lambda: p.state.part is not None and p.state.part.name == "A type to go", 10)
        gone = p.state.part
        assert gone is not None
        line = view.form.rows["name"].editor
        line.setFocus()
        line.selectAll()
        QTest.keyClicks(line, "Typed while it goes")
        parts.remove_part(acting(ws), "document_types", gone.id)
        window.seat.bus.tell(Changes(setup=True))
        self.until(lambda: p.state.chosen != gone.id, 10, "another one in front")
        self.assertEqual(line.text(), p.state.part.name if p.state.part else "")
        self.key(line, Qt.Key.Key_Return)
        self.until(lambda: desktop.line.busy == 0, 20)
        self.spin(0.2)
        self.assertEqual([kind.name for kind in ws.setup.document_types], names)
        self.assertIn("Typed for “A type to go”, which is gone: “Typed while it goes”", view.left.told.text())

    def test_another_name_is_not_typed_over_unseen_and_a_refused_one_stays_in_its_line(self) -> None:
        desktop, window, view = self.begin("types")
        ws, p = desktop.workspace, view.presenter
        p.choose("Bill")
        self.until(lambda: p.state.chosen == "Bill", 10)
        self.type_in(view, "name", "Invoice")
        self.until(lambda: window.bar.places["prepare"].text() == "Prepare (1)", 10)
        bill = ws.setup.document_type("Bill")
        assert bill is not None
        parts.save_part(acting(ws), "document_types", bill.model_copy(update={"name": "Tally"}), bill)
        window.seat.bus.tell(Changes(setup=True))
        name = lambda: getattr(ws.setup.document_type("Bill"), "name", "")  # noqa: E731
        line = view.form.rows["name"].editor
        self.spin(0.2)
        self.assertEqual(line.text(), "Invoice", "what is typed is not shown over")
        self.key(line, Qt.Key.Key_Return)
        self.spin(0.3)
        self.assertEqual(name(), "Tally")
        self.assertIn(
            "“Bill” stood here when it was typed, “Tally” stands here now", view.form.rows["name"].problem.text()
        )
        self.key(line, Qt.Key.Key_Return)
        self.until(lambda: name() == "Invoice", 10, "the second Enter, which has seen it")
        self.until(lambda: window.bar.places["prepare"].text() == "Prepare", 10)
        self.type_in(view, "name", "Not meant")
        self.key(line, Qt.Key.Key_Escape)
        self.assertEqual(line.text(), "Invoice", "Esc lets go of what is typed")
        self.key(line, Qt.Key.Key_Z, CTRL)
        self.until(lambda: line.text() == "Not meant", 10, "which is a step")
        self.key(line, Qt.Key.Key_Escape)
        view.pane.new.setFocus()
        QTest.keyClicks(view.pane.new, "Letter")
        self.key(view.pane.new, Qt.Key.Key_Return)
        self.until(lambda: p.state.problem, 10)
        self.assertEqual(view.pane.new.text(), "Letter")

    def at_an_inspection_sheet(self, who: str) -> tuple[Desktop, MainWindow, BenchView]:
        """Sign in, and open the scanned batch at a document that is made an inspection sheet."""
        desktop = self.start(scanned=True)
        desktop.begin(who)
        window, batch = desktop.window, scanned_template()[1]
        assert window is not None
        window.open_batch(batch)
        bench = window.benches[batch]
        self.until(lambda: bench.presenter.state.documents, 20)
        bench.presenter.choose_type(bench.presenter.state.documents[0].id, "Inspection sheet")
        return desktop, window, bench

    def test_a_choice_that_the_slip_lacks_is_made_and_one_is_back_at_the_batch(self) -> None:
        desktop, window, bench = self.at_an_inspection_sheet("Oswinna Reedmace")
        ws = desktop.workspace
        self.until(lambda: "Grade" in [r.name for r in bench.presenter.state.slip.rows], 10)  # type: ignore[union-attr]
        bench.slip.focus("Grade")
        self.key(bench, Qt.Key.Key_P, CTRL | ALT)
        view = window.prepare.view("types")
        self.until(
            lambda: view.presenter.state.chosen_field == "Grade" and view.isVisible(), 10, "the field on its page"
        )
        editor = view.field_form.rows["field Grade choices"].editor
        editor.setFocus()
        editor.moveCursor(QTextCursor.MoveOperation.End)
        self.burst("\nF", start=editor)
        self.key(editor, Qt.Key.Key_Left, ALT)
        self.until(lambda: window.stack.currentWidget() is bench, 10, "to be back at the batch")
        self.until(lambda: "F" in ws.setup.document_type("Inspection sheet").field("Grade").choices, 10)  # type: ignore[union-attr]

    def test_who_may_not_prepare_proposes_a_choice_and_a_type_and_who_may_decides(self) -> None:
        desktop, window, bench = self.at_an_inspection_sheet("Elspra Towpath")
        ws = desktop.workspace
        grade = lambda: next((r for r in bench.presenter.state.slip.rows if r.name == "Grade"), None)  # type: ignore[union-attr]  # noqa: E731
        self.until(lambda: grade() is not None, 10)
        bench.slip.focus("Grade")
        field = bench.slip.fields["Grade"].value
        self.burst("F\n", start=field)
        self.until(lambda: grade().problem and grade().text == "F", 10, "that F is none of the choices")  # type: ignore[union-attr]
        bench.slip.focus("Grade")
        self.key(bench, Qt.Key.Key_P, CTRL | ALT)
        sheet = self.sheet(AskSheet)
        self.assertEqual([line.text() for line in sheet.lines], ["F"])  # type: ignore[union-attr]
        self.key(sheet.lines[0], Qt.Key.Key_Return)
        self.until(lambda: "Proposed" in window.message.text(), 10)
        bench.strip.setFocus()
        self.key(bench, Qt.Key.Key_P, CTRL | ALT)
        sheet = self.sheet(AskSheet)
        self.burst("Slipway booking", start=sheet.lines[0])
        self.burst("They come every spring.\n", start=sheet.lines[1])
        self.until(lambda: len(proposals.list_proposed(acting(ws), proposals.TYPE)) == 1, 10)
        self.assertIsNone(next((k for k in ws.setup.document_types if k.name == "Slipway booking"), None))
        self.until(lambda: desktop.line.busy == 0, 60)
        desktop.begin("Oswinna Reedmace")
        assert desktop.window is not None
        window = desktop.window
        window.go_prepare()
        window.prepare.show_page("missing")
        view = window.prepare.view("missing")
        told = lambda: [row.said for row in view.presenter.state.rows if row.gap.proposal]  # noqa: E731
        self.until(lambda: len(told()) == 2, 10, "both proposals")
        self.assertEqual(told()[0], "Elspra Towpath proposes “F” as a choice for Grade of Inspection sheet.")
        self.assertIn("They come every spring.", told()[1])
        button = lambda title, about: next(  # noqa: E731
            b for b in view.buttons if b.text() == title and about in b.accessibleDescription()
        )
        button("Take it", "Grade").click()
        types = window.prepare.view("types")
        self.until(lambda: types.isVisible() and types.presenter.state.chosen_field == "Grade", 10, "what was made")
        self.assertIn("F", ws.setup.document_type("Inspection sheet").field("Grade").choices)  # type: ignore[union-attr]
        window.prepare.show_page("missing")
        self.until(lambda: len(told()) == 1, 10)
        button("Do not", "Slipway").click()
        self.until(lambda: not told(), 10)
        self.assertEqual(proposals.list_proposed(acting(ws), proposals.TYPE), [])

    def test_what_is_kept_to_somebody_stands_in_a_tree_and_leads_to_its_list(self) -> None:
        desktop = self.start()
        ws, me = desktop.workspace, acting(desktop.workspace, "Oswinna Reedmace")
        document = ws.repository.load(filed_ids(ws, "Boats")[0])
        role, path = Grantee("role", "administrator"), tuple(v for _, v in document.folder)
        for spot in (access.Spot("Boats"), access.Spot("Boats", path), access.Spot("Boats", document=document.id)):
            access.keep_to(me, spot, {role: list(Right), Grantee("role", "operator"): [Right.LOOK]})
        desktop.begin("Oswinna Reedmace")
        window = desktop.window
        assert window is not None
        self.key(window, Qt.Key.Key_4, CTRL)
        window.prepare.show_page("kept")
        tree = window.prepare.view("kept").tree
        self.until(lambda: tree.topLevelItemCount() == len(ws.setup.cabinets), 10)
        boats = next(x for x in map(tree.topLevelItem, range(4)) if x.text(0) == "Boats")
        self.assertEqual(
            [boats.child(i).text(0) for i in range(boats.childCount())], [" / ".join(path), document.caption]
        )
        self.assertIn("the role administrator: everything; the role operator: look", boats.text(1))
        tree.setCurrentItem(boats.child(1))
        tree.setFocus()
        self.key(tree, Qt.Key.Key_Return)
        sheet = self.sheet(AccessSheet)
        self.until(lambda: document.caption in [x.text() for x in sheet.findChildren(QLabel)], 10)
        access.keep_to(me, access.Spot("Boats", path), None)
        desktop.bus.tell(Changes(repository=True))
        self.until(lambda: tree.topLevelItem(0).childCount() == 1, 10, "the tree to follow")
