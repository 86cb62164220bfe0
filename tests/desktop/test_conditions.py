"""What commands need: one record for all of them, said at the foot, in menus and in the search, and never against what is new."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from unittest import mock
from zoneinfo import ZoneInfo

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu

from keybundle.core.workflows.arrange import bench as bench_work
from keybundle.desktop.actions.conditions import CONDITIONS, NEEDS
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.menu import make_menu
from keybundle.desktop.actions.registry import COMMANDS, find_command
from keybundle.desktop.presenters.undoing import Undo, Undoing
from keybundle.desktop.views.keys_dialog import KeysDialog
from keybundle.desktop.views.window import MainWindow
from tests.desktop.support import DesktopTest
from tests.desktop.test_at_speed import AtSpeed
from tests.support import filed_ids

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
WHO = "Oswinna Reedmace"


class Records(DesktopTest):
    def places(self, window: MainWindow) -> Iterator[Handlers]:
        """Go to each place in turn; yield what runs its commands."""
        yield window.handlers
        window.go_cabinets()
        self.until(lambda: window.cabinets.cabinets.count() == 4, 10)
        yield window.cabinets.handlers
        yield window.cabinets.table.handlers
        window.go_find()
        yield window.finder.handlers
        window.go_prepare()
        yield window.prepare.handlers
        window.go_work()
        yield window.work.handlers

    def test_every_condition_is_used_and_every_place_knows_those_of_its_commands(self) -> None:
        self.assertEqual({c for needed in NEEDS.values() for c in needed}, set(CONDITIONS))
        self.assertLessEqual(set(NEEDS), {c.id for c in COMMANDS})
        desktop = self.start(scanned=True)
        desktop.begin(WHO)
        window = desktop.window
        assert window is not None
        known = list(self.places(window))
        window.open_batch(window.work.presenter.state.rows[0].id)
        shown = next(iter(window.benches.values()))
        known += [shown.handlers, shown.table.grid.handlers]
        for handlers in known:
            needed = {c for command in handlers.run for c in NEEDS.get(command, ())}
            self.assertLessEqual(needed, set(handlers.holds), sorted(handlers.run)[:3])
        run = {command for handlers in known for command in handlers.run}
        of_viewer = {c.id for c in COMMANDS if c.place == "viewer"}
        self.assertEqual({c.id for c in COMMANDS} - run - of_viewer, {"slip.confirm"}, "the field itself does that")

    def test_a_chord_means_one_thing_in_all_places(self) -> None:
        meanings: dict[str, set[str]] = {}
        for command in COMMANDS:
            for key in (k for k in command.keys if "Ctrl+" in k or "Alt+" in k):
                meanings.setdefault(key, set()).add(command.named)
        clashing = {key: named for key, named in meanings.items() if len(named) > 1}
        self.assertEqual(clashing, {"Ctrl+V": {"Paste before", "Paste cells"}}, "pasting is pasting")
        sends = {c.shortcut for c in COMMANDS if c.named == "Send"}
        self.assertEqual(sends, {"Ctrl+E"})

    def test_every_command_stands_in_the_menu_of_its_place(self) -> None:
        desktop = self.start(scanned=True)
        desktop.begin(WHO)
        window = desktop.window
        assert window is not None
        found: set[str] = set()

        def collect(menu: QMenu) -> None:
            menu.aboutToShow.emit()
            for action in menu.actions():
                if (inner := action.menu()) is not None:
                    collect(inner)  # type: ignore[arg-type]
                else:
                    found.add(action.text())

        for _ in self.places(window):
            collect(window.bar.more.menu())
        window.finder.documents.table.show()
        window.open_batch(window.work.presenter.state.rows[0].id)
        bench = window.front
        bench.toggle_below(bench.table, bench.table.grid)  # type: ignore[attr-defined]
        collect(window.bar.more.menu())
        window.viewers.open(filed_ids(desktop.workspace, "Purchasing")[0])
        (viewer,) = window.viewers.windows
        for menu in viewer.findChildren(QMenu):
            collect(menu)
        missing = [c.id for c in COMMANDS if f"{c.title}\t{c.shortcut}".replace("Return", "Enter") not in found]
        self.assertEqual(missing, ["slip.confirm"], "the field itself does that")

    def test_what_cannot_be_run_says_why_at_the_foot_and_in_the_menu_until_it_can(self) -> None:
        desktop = self.start()
        desktop.begin(WHO)
        window = desktop.window
        assert window is not None
        refused = 0
        for handlers in self.places(window):
            menu = make_menu("", find_command(next(reversed(handlers.run))).place, handlers, window)
            menu.aboutToShow.emit()
            offered = {a.text().split("\t")[0]: a for a in menu.actions()}
            for command in [c for c in map(find_command, handlers.run) if (why := handlers.hindrance(c.id))]:
                why = handlers.hindrance(command.id)
                window.message.setText("")
                handlers.trigger(command.id)
                self.assertEqual(window.message.text(), "" if command.shortcut == "Esc" else why, command.id)
                if command.title in offered:
                    self.assertFalse(offered[command.title].isEnabled(), command.id)
                    self.assertEqual(offered[command.title].toolTip(), why, command.id)
                refused += 1
            menu.deleteLater()
        self.assertGreater(refused, 25)
        # With the hands: what is in the way is told by the key, and gone once it is chosen.
        view = window.cabinets
        self.key(window, Qt.Key.Key_2, CTRL)
        view.presenter.open("Purchasing")
        levels = ["Year", "Supplier"]
        self.until(lambda: [x.field for x in view.presenter.state.columns] == levels, 10, "not the cabinet before it")
        view.table.setFocus()
        view.table.clearSelection()
        self.until(lambda: not view.presenter.state.chosen, 10)
        self.key(view.table, Qt.Key.Key_Delete)
        self.assertEqual(window.message.text(), CONDITIONS["documents"])
        view.table.selectRow(0)
        self.until(lambda: view.presenter.state.chosen, 10)
        self.assertEqual(view.handlers.hindrance("cabinets.delete"), "")
        self.key(window, Qt.Key.Key_1, CTRL)
        self.key(window.work.list, Qt.Key.Key_G)
        self.assertEqual(window.message.text(), CONDITIONS["halt"])
        self.key(window.work.list, Qt.Key.Key_Z, CTRL)
        self.assertEqual(window.message.text(), CONDITIONS["undo"])


class AtOnce(AtSpeed):
    def test_nothing_is_refused_by_what_the_window_has_not_heard_yet(self) -> None:
        self.go("Mooring agreement")
        page, strip = str(self.p.state.page), self.bench.strip
        strip.setFocus()
        self.until(lambda: self.p.is_settled, 10)
        gate = self.hold()
        for key in (Qt.Key.Key_X, Qt.Key.Key_T, Qt.Key.Key_X):
            self.key(strip, key)
        self.key(strip, Qt.Key.Key_Z, CTRL)
        self.assertEqual(self.window.handlers.hindrance("edit.undo"), "")
        gate.set()
        self.until(lambda: self.p.is_settled, 20)
        kept = {p.id: p.kept for p in self.ws.batches.load(self.batch_id).pages}
        self.assertTrue(kept[page], "left out, taken back, left out, and that undone")
        self.assertEqual(self.window.handlers.hindrance("edit.redo"), "")

    def test_a_menu_says_what_is_so_when_it_opens_not_when_it_was_made(self) -> None:
        document = self.go("Mooring agreement")
        self.bench.slip.focus("Keeper")
        self.field("Keeper").selectAll()
        self.key(self.field("Keeper"), Qt.Key.Key_Delete)
        self.key(self.field("Keeper"), Qt.Key.Key_Return)
        self.p.going.go_to_document(document)
        menu = next(m for m in self.bench.findChildren(QMenu) if m.title() == "Batch")
        menu.aboutToShow.emit()
        send = next(a for a in menu.actions() if a.text().startswith("Send\t"))
        file = next(a for a in menu.actions() if a.text().startswith("File and go on\t"))
        self.until(lambda: self.p.is_settled, 10)
        menu.aboutToShow.emit()
        self.assertEqual((send.isEnabled(), send.toolTip()), (False, CONDITIONS["filed"]))
        self.assertEqual((file.isEnabled(), file.toolTip()), (False, self.p.state.slip.why_not))  # type: ignore[union-attr]
        self.bench.slip.focus("Keeper")
        self.burst("Arden Weir")
        self.key(self.field("Keeper"), Qt.Key.Key_Return)
        self.until(lambda: self.p.is_settled and self.p.state.slip.can_file, 10)  # type: ignore[union-attr]
        menu.aboutToShow.emit()
        self.assertTrue(file.isEnabled())
        self.key(self.bench.strip, Qt.Key.Key_Return, CTRL)
        self.until(lambda: self.ws.batches.load(self.batch_id).document(document).filed_id, 30)
        self.p.going.go_to_document(document)
        self.until(lambda: self.p.is_settled and self.p.state.slip.is_filed, 10)  # type: ignore[union-attr]
        menu.aboutToShow.emit()
        self.assertEqual((send.isEnabled(), file.toolTip()), (True, CONDITIONS["unfiled"]))

    def test_a_value_at_todays_date_needs_a_field_for_it_and_that_has_the_focus(self) -> None:
        self.go("Mooring agreement")
        self.bench.slip.focus("Keeper")
        self.key(self.field("Keeper"), Qt.Key.Key_D, Qt.KeyboardModifier.AltModifier)
        self.assertEqual(self.window.message.text(), CONDITIONS["date field"])
        self.bench.strip.setFocus()
        self.assertEqual(self.bench.handlers.hindrance("slip.today"), CONDITIONS["field"])

    def test_a_command_of_the_slip_runs_from_the_search_on_the_field_that_had_the_focus(self) -> None:
        document = self.go("Mooring agreement")
        self.bench.slip.focus("Start date")
        self.key(self.window, Qt.Key.Key_F1)
        self.until(lambda: self.window.findChild(KeysDialog), 10)
        dialog = self.window.findChild(KeysDialog)
        assert dialog is not None
        self.until(lambda: self.is_in_front(dialog), 10)
        QTest.keyClicks(dialog.line, find_command("slip.today").words)
        self.assertIn("Enter runs the marked one", dialog.told.text())
        self.key(dialog.line, Qt.Key.Key_Return)
        today = self.ws.clock.now().astimezone(ZoneInfo(self.ws.setup.time_zone)).date().isoformat()
        self.until(lambda: self.text(document, "Start date") == today, 10, "today's date")

    def test_an_error_while_the_batch_is_asked_for_leaves_nothing_waiting(self) -> None:
        self.go("Mooring agreement")
        away = mock.patch.object(bench_work, "load_bench", side_effect=OSError("the store is away"))
        with away, self.assertLogs("keybundle", "ERROR"):
            self.p.refresh()
            self.until(lambda: "Something went wrong" in self.window.message.text(), 10)
        self.logged.told.clear()
        self.assertTrue(self.p.is_settled)


class UndoOfWhatIsUnderWay(DesktopTest):
    def test_it_waits_is_forgotten_where_nothing_comes_of_it_and_is_never_meant_for_what_was_before(self) -> None:
        back: list[str] = []
        undoing = Undoing(lambda undo: back.append(undo.told))
        undoing.note(Undo("first", lambda: None))
        undoing.begin()
        undoing.undo()
        self.assertEqual((back, undoing.can_undo), ([], True))
        undoing.note(Undo("second", lambda: None))
        undoing.end()
        self.assertEqual((back, undoing.told), (["second"], "first"))
        undoing.begin()
        undoing.undo()
        undoing.end(came_to_nothing=True)
        self.assertEqual((back, undoing.told), (["second"], "first"))
        undoing.undo()
        self.assertEqual((back, undoing.can_undo), (["second", "first"], False))

    def test_in_prepare_undo_at_once_puts_back_what_is_just_being_kept(self) -> None:
        desktop = self.start()
        desktop.begin(WHO)
        window, ws = desktop.window, desktop.workspace
        assert window is not None
        window.go_prepare()
        window.prepare.show_page("routines")
        view = window.prepare.view("routines")
        self.until(lambda: view.presenter.state.routine is not None, 10)
        before = ws.setup.routines[0].description
        view.presenter.change({"description": "first"})
        self.until(lambda: ws.setup.routines[0].description == "first" and not view.presenter._editing.is_keeping, 10)
        gate = threading.Event()
        self.addCleanup(gate.set)
        window.seat.runner.change(lambda: gate.wait(30), lane="setup")
        view.presenter.change({"description": "second"})
        self.key(window.prepare.list, Qt.Key.Key_Z, CTRL)
        gate.set()
        self.until(lambda: "Put back" in window.message.text(), 10)
        self.assertEqual(ws.setup.routines[0].description, "first", "not the one before it")
        self.key(window.prepare.list, Qt.Key.Key_Z, CTRL)
        self.until(lambda: sum("Put back" in told for told in window.shell.messages) == 2, 10)
        self.assertEqual(ws.setup.routines[0].description, before)
        self.key(window.prepare.list, Qt.Key.Key_Z, CTRL)
        self.assertEqual(window.message.text(), CONDITIONS["undo"])
