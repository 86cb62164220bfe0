"""Who is working, in the window: signing in, locking, somebody else, and whom things are kept to."""

from __future__ import annotations

import time

from PySide6.QtCore import QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit

from keybundle.core.base.errors import InputProblem
from keybundle.core.rights.model import Right
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.session import access, signing_in
from keybundle.core.workflows.session.access import Spot
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.desktop.app import Desktop
from keybundle.desktop.views.access_sheet import AccessSheet
from keybundle.desktop.views.give_sheet import GiveSheet
from keybundle.desktop.views.person_sheet import PersonSheet
from keybundle.desktop.views.window import MainWindow
from tests.desktop.support import DesktopTest
from tests.support import acting, scanned_template, shared_pool

CTRL = Qt.KeyboardModifier.ControlModifier
GOOD, OTHER = "seven geese on the weir", "eight geese on the weir"


class SigningIn(DesktopTest):
    def open(self, *, scanned: bool = False, ways: tuple[str, ...] = ("password",), minutes: int = 0) -> Desktop:
        """Start on demo data where people sign in by ways of their own; nobody has this account."""
        data = self.demo_data(scanned=scanned)
        ws = open_workspace(data)
        people = tuple(p.model_copy(update={"login": ""}) for p in ws.setup.people)
        changed = {"sign_in": ways, "people": people, "lock_after_minutes": minutes}
        ws.put_setup(ws.setup.model_copy(update=changed), "")
        for name in ("Elspra Towpath", "Corvick Sluicegate"):
            signing_in.give_password(acting(ws), acting(ws, name).person, GOOD)
        ws.close()
        settings = QSettings(str(self.folder / "window.ini"), QSettings.Format.IniFormat)
        desktop = Desktop(data, settings=settings, pool=shared_pool())
        self.addCleanup(self.check_left_behind)
        self.addCleanup(self.let_windows_go)
        self.addCleanup(desktop.close)
        desktop.root.show()
        desktop.root.activateWindow()
        self.until(desktop.root.isActiveWindow, 10)
        desktop.start.focus_first()
        return desktop

    def enter(self, desktop: Desktop, name: str, password: str) -> None:
        self.until(lambda: self.is_in_front(desktop.root), 10)
        desktop.start.name.setFocus()
        desktop.start.name.selectAll()
        self.burst(f"{name}\t{password}\n")

    def window(self, desktop: Desktop, name: str) -> MainWindow:
        """Wait for somebody's window to be in front, and return it."""
        self.until(lambda: desktop.window is not None and desktop.window.seat.session.name == name, 10, name)
        self.until(lambda: self.is_in_front(desktop.window), 10)
        assert desktop.window is not None
        return desktop.window

    def test_a_wrong_password_is_told_and_the_right_one_lets_in_within_a_second(self) -> None:
        desktop = self.open()
        self.assertIs(QApplication.focusWidget(), desktop.start.name)
        self.enter(desktop, "Elspra Towpath", OTHER)
        self.until(lambda: "not the name and password" in desktop.start.problem.text(), 10)
        self.assertEqual(desktop.start.password.text(), "", "nothing of it stays on the screen")
        self.assertIsNone(desktop.window)
        start = time.monotonic()
        self.enter(desktop, "elspra towpath", GOOD)
        window = self.window(desktop, "Elspra Towpath")
        self.assertLess(time.monotonic() - start, 20)
        self.assertEqual(window.bar.person.text(), "Elspra Towpath")
        self.assertFalse(desktop.root.isVisible())

    def test_locked_by_key_and_after_a_time_what_one_was_at_stays(self) -> None:
        desktop = self.open(scanned=True, minutes=5)
        desktop.workspace.batches.share(
            scanned_template()[1], "person", acting(desktop.workspace, "Elspra Towpath").person
        )
        self.enter(desktop, "Elspra Towpath", GOOD)
        window = self.window(desktop, "Elspra Towpath")
        window.open_batch(scanned_template()[1])
        bench = window.benches[scanned_template()[1]]
        self.until(lambda: bench.slip.fields, 20)
        field = next(iter(bench.slip.fields.values()))
        field.value.setFocus()
        field.value.clear()
        self.burst("typed before the lock")
        document = bench.slip.document
        self.key(field.value, Qt.Key.Key_F12)
        self.until(desktop.root.isVisible, 10)
        self.assertFalse(window.isVisible())
        self.assertTrue(desktop.is_locked)
        self.assertIn("Elspra Towpath is at work here", desktop.start.ask.text())
        self.enter(desktop, "Elspra Towpath", OTHER)
        self.until(lambda: "not the name and password" in desktop.start.problem.text(), 10)
        self.assertFalse(window.isVisible())
        self.enter(desktop, "Elspra Towpath", GOOD)
        self.assertIs(self.window(desktop, "Elspra Towpath"), window)
        self.until(lambda: window.isVisible() and window.stack.currentWidget() is bench, 10)
        stored = desktop.workspace.batches.load_document(document).document(document).values[field.name]
        self.assertEqual(stored.text, "typed before the lock")
        desktop.idle._last -= 6 * 60
        desktop.idle.look()
        self.until(lambda: desktop.is_locked, 10, "the lock after a time without hands")

    def test_somebody_else_signs_in_and_everybody_finds_their_own_windows(self) -> None:
        desktop = self.open()
        self.enter(desktop, "Elspra Towpath", GOOD)
        first = self.window(desktop, "Elspra Towpath")
        self.key(first, Qt.Key.Key_3, CTRL)
        QTest.keyClicks(first.finder.line, "lock gate")
        self.key(first, Qt.Key.Key_5, CTRL)
        sheet = self.sheet(PersonSheet)
        self.assertIn("look, bring in, index", sheet.rights.text())
        QTest.mouseClick(
            next(b for b in sheet.findChildren(type(sheet.change)) if "somebody else" in b.text()),
            Qt.MouseButton.LeftButton,
        )
        self.until(desktop.root.isVisible, 10)
        self.enter(desktop, "Corvick Sluicegate", GOOD)
        second = self.window(desktop, "Corvick Sluicegate")
        self.assertIsNot(second, first)
        self.assertFalse(first.isVisible())
        self.key(second, Qt.Key.Key_F12)
        self.until(desktop.root.isVisible, 10)
        self.enter(desktop, "Elspra Towpath", GOOD)
        self.assertIs(self.window(desktop, "Elspra Towpath"), first)
        self.assertEqual(first.finder.line.text(), "lock gate")
        self.assertFalse(second.isVisible())

    def test_ones_own_password_is_changed_in_the_sheet_about_oneself(self) -> None:
        desktop = self.open()
        self.enter(desktop, "Elspra Towpath", GOOD)
        window = self.window(desktop, "Elspra Towpath")
        self.key(window, Qt.Key.Key_5, CTRL)
        sheet = self.sheet(PersonSheet)
        self.burst(f"{GOOD}\t{OTHER}\tsomething else\n", start=sheet.old)
        self.assertIn("not the same", sheet.problem.text())
        for line in (sheet.new, sheet.again):
            line.clear()
        self.burst(f"{OTHER}\t{OTHER}\n", start=sheet.new)
        self.until(lambda: sheet.new.text() == "", 10)
        self.assertEqual(signing_in.sign_in(desktop.workspace, "Elspra Towpath", OTHER).name, "Elspra Towpath")
        self.assertIs(sheet.new.echoMode(), QLineEdit.EchoMode.Password)

    def test_a_repository_begins_in_an_empty_directory(self) -> None:
        settings = QSettings(str(self.folder / "window.ini"), QSettings.Format.IniFormat)
        desktop = Desktop(self.folder / "fresh", settings=settings, pool=shared_pool())
        self.addCleanup(self.check_left_behind)
        self.addCleanup(self.let_windows_go)
        self.addCleanup(desktop.close)
        desktop.root.show()
        desktop.root.activateWindow()
        self.until(desktop.root.isActiveWindow, 10)
        desktop.start.focus_first()
        self.burst("\n")
        self.until(lambda: "both need a name" in desktop.start.problem.text(), 10)
        self.burst("Sallow Mill\tAldis Rush\tshort\n", start=desktop.start.repository)
        self.until(lambda: "at least 8 characters" in desktop.start.problem.text(), 10)
        self.assertFalse(desktop.workspace.has_setup, "nothing half")
        self.burst(f"{GOOD}\n", start=desktop.start.password)
        window = self.window(desktop, "Aldis Rush")
        self.assertTrue(window.seat.session.may(*Right))

    def test_a_batch_is_given_to_somebody_from_the_work_list(self) -> None:
        desktop = self.open(scanned=True)
        self.enter(desktop, "Elspra Towpath", GOOD)
        window = self.window(desktop, "Elspra Towpath")
        batch, other = scanned_template()[1], acting(desktop.workspace, "Corvick Sluicegate")
        self.assertFalse(desktop.workspace.batches.belongs_to(batch, other.person, ()))
        self.until(lambda: window.work.model.rowCount() == 1, 10)
        window.work.list.setFocus()
        self.key(window.work.list, Qt.Key.Key_G, Qt.KeyboardModifier.ShiftModifier)
        self.until(lambda: isinstance(window.edge.shown, GiveSheet) and window.edge.shown.others.count() > 1, 10)
        sheet = window.edge.shown
        assert isinstance(sheet, GiveSheet)
        names = [sheet.others.item(i).text() for i in range(sheet.others.count())]
        self.assertNotIn("Elspra Towpath", names, "it is hers already")
        sheet.others.setCurrentRow(names.index("Corvick Sluicegate"))
        self.key(sheet.others, Qt.Key.Key_Space)
        self.until(lambda: desktop.workspace.batches.belongs_to(batch, other.person, ()), 10)
        self.until(lambda: "Given to Corvick Sluicegate too" in window.message.text(), 10, window.message.text())
        self.key(sheet.others, Qt.Key.Key_Space)
        self.until(lambda: not desktop.workspace.batches.belongs_to(batch, other.person, ()), 10)

    def test_ones_own_values_are_given_in_prepare_and_changed_by_oneself(self) -> None:
        desktop = self.open()
        admin = acting(desktop.workspace)
        person = next(p for p in desktop.workspace.setup.people if p.name == "Elspra Towpath")
        parts.save_part(admin, "people", parts.change_part(person, {"values": {"Office": "Holmelock"}}), person)
        self.enter(desktop, "Elspra Towpath", GOOD)
        window = self.window(desktop, "Elspra Towpath")
        self.key(window, Qt.Key.Key_5, CTRL)
        sheet = window.edge.shown
        assert isinstance(sheet, PersonSheet)
        self.assertEqual(sheet.values["Office"].text(), "Holmelock")
        sheet.values["Office"].setFocus()
        sheet.values["Office"].selectAll()
        self.burst("Upper lock\n")
        self.until(lambda: desktop.workspace.setup.person(person.id).values == {"Office": "Upper lock"}, 10)  # type: ignore[union-attr]


class KeptTo(DesktopTest):
    def begin(self, who: str, *, scanned: bool = False) -> tuple[Desktop, MainWindow]:
        desktop = self.start(scanned=scanned)
        desktop.begin(who)
        assert desktop.window is not None
        return desktop, desktop.window

    def test_a_cabinet_is_kept_to_a_group_in_the_window_and_gone_for_others_at_once(self) -> None:
        desktop, window = self.begin("Oswinna Reedmace")
        self.key(window, Qt.Key.Key_2, CTRL)
        view = window.cabinets
        self.until(lambda: view.cabinets.count() == 4, 10)
        view.presenter.open("Purchasing")
        self.until(lambda: view.presenter.state.cabinet == "Purchasing" and view.model.rowCount() > 0, 10)
        self.key(view.cabinets, Qt.Key.Key_K, CTRL)
        sheet = self.sheet(AccessSheet)
        self.until(lambda: "nobody in particular" in sheet.told.text() and sheet.why.topLevelItemCount() == 1, 10)
        sheet.grantee.setCurrentIndex(sheet.grantee.findText("group Purchasing"))
        sheet.amount.setCurrentIndex(2)
        QTest.mouseClick(sheet.more, Qt.MouseButton.LeftButton)
        self.until(lambda: sheet.told.text() == "Kept to the group Purchasing.", 10)
        self.until(lambda: sheet.why.topLevelItemCount() == 2, 10)
        self.assertIn("kept to others in this", sheet.why.topLevelItem(1).child(0).text(1))  # type: ignore[union-attr]
        self.until(lambda: view.cabinets.count() == 3, 10, "the cabinet to be gone from the list of who kept it")
        with self.assertRaisesRegex(InputProblem, "no longer there"):
            access.load_kept(acting(desktop.workspace, "Elspra Towpath"), Spot("Purchasing", ("2026",)))
        box = sheet.list.topLevelItem(0).child(0)  # type: ignore[union-attr]
        box.setCheckState(0, Qt.CheckState.Unchecked)
        self.until(
            lambda: "nobody could look" in sheet.problem.text(), 10, "a list that locks everybody out to be refused"
        )
        QTest.mouseClick(sheet.none, Qt.MouseButton.LeftButton)
        self.until(lambda: "nobody in particular" in sheet.told.text(), 10)
        self.until(lambda: view.cabinets.count() == 4, 10)

    def test_a_document_is_kept_to_somebody_while_it_waits_and_so_once_it_is_filed(self) -> None:
        desktop, window = self.begin("Oswinna Reedmace", scanned=True)
        batch_id = scanned_template()[1]
        window.open_batch(batch_id)
        bench = window.benches[batch_id]
        self.until(lambda: "kept to" in bench.slip.kept.text(), 20)
        self.assertIn("kept to nobody in particular", bench.slip.kept.text())
        document = bench.slip.document
        self.key(bench.strip, Qt.Key.Key_K, CTRL)
        sheet = self.sheet(AccessSheet)
        self.until(lambda: sheet.grantee.count() > 0, 10)
        for who, amount in (("role administrator", 2), ("group Boats office", 0)):
            sheet.grantee.setCurrentIndex(sheet.grantee.findText(who))
            sheet.amount.setCurrentIndex(amount)
            QTest.mouseClick(sheet.more, Qt.MouseButton.LeftButton)
            self.until(lambda who=who: who.split(maxsplit=1)[1] in sheet.told.text(), 10)  # type: ignore[misc]
        self.until(lambda: "the group Boats office" in bench.slip.kept.text(), 10)
        self.key(sheet, Qt.Key.Key_Escape)
        self.key(bench.strip, Qt.Key.Key_Z, CTRL)
        self.until(lambda: "Boats office" not in bench.slip.kept.text(), 10, "the step to be undone")
        self.key(bench.strip, Qt.Key.Key_Z, CTRL | Qt.KeyboardModifier.ShiftModifier)
        self.until(lambda: "Boats office" in bench.slip.kept.text(), 10)
        ws = desktop.workspace
        text = ws.batches.load(batch_id).document(document).kept_to
        self.assertIn("Boats office", text or "")

    def test_a_right_taken_away_while_its_holder_works_is_gone_from_the_window(self) -> None:
        desktop, window = self.begin("Elspra Towpath")
        self.until(lambda: window.work.scan.isEnabled(), 20)
        ws = desktop.workspace
        admin, person = acting(ws), ws.setup.person(window.seat.who)
        assert person is not None
        parts.save_part(admin, "people", parts.change_part(person, {"roles": ("reader",)}), person)
        self.until(lambda: not window.work.scan.isEnabled(), 10, "scanning to be offered no more")
        window.message.setText("")
        self.key(window.work.list, Qt.Key.Key_S)
        self.assertIn("You may look here, not work", window.message.text())
        self.assertEqual(ws.batches.ids(), [])

    def test_people_groups_and_roles_are_changed_in_prepare_and_put_back(self) -> None:
        desktop, window = self.begin("Oswinna Reedmace")
        self.key(window, Qt.Key.Key_4, CTRL)
        prepare, ws = window.prepare, desktop.workspace
        prepare.show_page("people")
        view = prepare.view("people").people
        names, form, p = view.pane.names, view.form, view.presenter
        self.until(lambda: names.count() == 6, 10)
        self.burst("Wenna Sluice\n", start=view.pane.new)
        self.until(lambda: names.count() == 7 and p.state.part.name == "Wenna Sluice", 10)
        self.assertEqual(ws.setup.people[-1].roles, (), "nobody has a right that was not given")

        def check(name: str, state: Qt.CheckState) -> None:
            roles = form.rows["roles"].editor
            next(roles.item(i) for i in range(roles.count()) if roles.item(i).text() == name).setCheckState(state)

        check("operator", Qt.CheckState.Checked)
        self.until(lambda: ws.setup.people[-1].roles == ("operator",), 10)
        reach = prepare.view("people").reach
        self.until(lambda: reach.topLevelItem(0).text(1).startswith("everything but"), 10, "what an operator may")
        self.assertEqual(reach.topLevelItemCount(), 4)
        self.assertIn("delete", reach.topLevelItem(0).text(1))
        self.assertNotIn("file", reach.topLevelItem(0).text(1))
        name = form.rows["name"]
        name.editor.setFocus()
        name.editor.selectAll()
        self.burst("Elspra Towpath\n")
        self.until(lambda: "is taken already" in name.problem.text(), 10, "a name that is taken to be refused")
        self.assertEqual(name.editor.text(), "Elspra Towpath", "what was typed stays to be mended")
        p.choose(ws.setup.people[0].id)
        p.choose(ws.setup.people[-1].id)
        self.assertEqual(p.state.values["name"], "Elspra Towpath", "also when one comes back to it")
        self.assertEqual(ws.setup.people[-1].name, "Wenna Sluice")
        QTest.mouseClick(view.pane.undo, Qt.MouseButton.LeftButton)
        self.until(lambda: ws.setup.people[-1].roles == (), 10)
        p.choose(ws.setup.people[0].id)
        check("administrator", Qt.CheckState.Unchecked)
        self.until(lambda: "nobody could prepare and give rights" in form.rows["roles"].problem.text(), 10)
        self.assertEqual(ws.setup.people[0].roles, ("administrator",))
        self.until(lambda: p.state.values["roles"] == ("administrator",), 10, "the box to say what is so")
