"""An expert at full speed: real keys without a wait, while changes, proposals, filing and questions are under way."""

from __future__ import annotations

import threading
from dataclasses import replace
from typing import Any
from unittest import mock

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QKeySequence, QTextDocument, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QWidget

from keybundle.core.batches.model import Document, State
from keybundle.core.workflows.arrange import bench as bench_work
from keybundle.core.workflows.file import filing
from keybundle.core.workflows.index import slip
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.registry import COMMANDS
from keybundle.desktop.presenters.bench_state import SlipRow
from keybundle.desktop.views.ask_sheet import AskSheet
from keybundle.desktop.views.bench_view import BenchView
from keybundle.desktop.views.calm import Choice, Number
from keybundle.desktop.views.list_sheet import ListSheet
from keybundle.desktop.views.register_sheet import RegisterSheet
from keybundle.desktop.views.window import MainWindow
from tests.desktop.support import DesktopTest
from tests.support import acting, filed_ids, scanned_template

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
ALT = Qt.KeyboardModifier.AltModifier


class AtSpeed(DesktopTest):
    """A scanned batch on the bench; ``hold`` keeps every change back until it is let go."""

    def setUp(self) -> None:
        super().setUp()
        self.desktop = self.start(scanned=True)
        self.desktop.begin("Elspra Towpath")
        assert self.desktop.window is not None
        self.window: MainWindow = self.desktop.window
        self.ws, self.batch_id = self.desktop.workspace, scanned_template()[1]
        self.window.open_batch(self.batch_id)
        self.bench: BenchView = self.window.benches[self.batch_id]
        self.p = self.bench.presenter
        self.until(lambda: self.p.state.slip is not None and self.p.pictures.shown is not None)
        self.until(self.window.isActiveWindow)

    def hold(self) -> threading.Event:
        """Let every change of the batch wait, as on a slow disk."""
        gate = threading.Event()
        self.addCleanup(gate.set)
        self.p._s.runner.change(lambda: gate.wait(30), lane=self.p.lane)
        return gate

    def go(self, type_name: str) -> str:
        document = next(d.id for d in self.p.state.documents if d.type == type_name)
        self.p.going.go_to_document(document)
        self.until(lambda: self.p.pictures.shown is not None and self.p.pictures.shown.page == self.p.state.page)
        return document

    def field(self, name: str) -> QLineEdit:
        return self.bench.slip.fields[name].value

    def row(self, name: str) -> SlipRow:
        return next(r for r in self.p.state.slip.rows if r.name == name)  # type: ignore[union-attr]

    def stored(self, document: str) -> Document:
        return self.ws.batches.load_document(document).document(document)

    def text(self, document: str, name: str) -> str:
        value = self.stored(document).values.get(name)
        return value.text if value is not None else ""

    def settle(self) -> None:
        """Wait until all that was asked for is in the store and on the screen."""
        self.until(lambda: not self.p.drafts.is_saving and not self.p.drafts.all(), 15, "the drafts to be kept")

    def make_ready(self, document: str) -> None:
        """Confirm what is unsure of a document, behind the window's back."""
        for name, value in self.stored(document).values.items():
            if not value.sure and value.text:
                slip.confirm_value(acting(self.ws, "Elspra Towpath"), self.desktop.line, self.batch_id, document, name)
        self.assertIs(self.stored(document).state, State.READY, self.stored(document))
        self.p.refresh()
        self.until(lambda: self.p.state.slip is not None and self.p.state.slip.can_file)


class Drafts(AtSpeed):
    def test_enter_goes_on_in_the_same_event_and_keeps_behind(self) -> None:
        document = self.go("Mooring agreement")
        gate = self.hold()
        names = [r.name for r in self.p.state.slip.rows]  # type: ignore[union-attr]
        self.bench.slip.focus(names[0])
        typed = {}
        with mock.patch.object(self.p.going, "go_to_next_unsure", lambda after: self.bench.slip.focus(
                names[(names.index(after) + 1) % len(names)])):  # fmt: skip
            for name, said in zip(names[:3], ("LN1007", "Arden Weir", "Salt Quay"), strict=True):
                typed[name] = said
                self.burst(said + "\n")
        self.assertEqual({n: self.field(n).text() for n in typed}, typed, "each key in its own field")
        self.assertTrue(self.field(names[3]).hasFocus())
        self.assertNotEqual(self.text(document, names[1]), "Arden Weir", "the store is still busy with another change")
        gate.set()
        self.settle()
        self.assertEqual({n: self.text(document, n) for n in typed}, typed)

    def test_the_last_enter_leads_to_the_button_and_enter_there_files_what_was_typed(self) -> None:
        document = self.go("Mooring agreement")
        self.make_ready(document)
        self.hold().set()
        self.bench.slip.focus("Keeper")
        self.burst("Oda Fenwright\n")
        self.assertTrue(self.bench.slip.file.hasFocus(), "all is right: the next thing to do is to file")
        self.burst("\n")
        self.until(lambda: self.stored(document).filed_id, 30, "the document to be filed")
        filed = self.ws.repository.load(str(self.stored(document).filed_id))
        self.assertEqual(filed.values["Keeper"].text, "Oda Fenwright")

    def test_ctrl_enter_files_what_stands_in_the_field(self) -> None:
        document = self.go("Mooring agreement")
        self.make_ready(document)
        gate = self.hold()
        self.bench.slip.focus("Keeper")
        self.burst("Oda Fenwright")
        QTest.keyClick(self.field("Keeper"), Qt.Key.Key_Enter, CTRL | Qt.KeyboardModifier.KeypadModifier)
        gate.set()
        self.until(lambda: self.stored(document).filed_id, 30, "the keypad's Ctrl+Enter to file")
        filed = self.ws.repository.load(str(self.stored(document).filed_id))
        self.assertEqual(filed.values["Keeper"].text, "Oda Fenwright")

    def test_what_was_typed_is_kept_wherever_one_goes(self) -> None:
        ways = {
            "another field": lambda: self.bench.slip.focus("Start date"), "Tab": lambda: self.burst("\t"),
            "the strip": lambda: self.key(self.field("Keeper"), Qt.Key.Key_Escape),
            "the next document": lambda: self.key(self.field("Keeper"), Qt.Key.Key_PageDown, CTRL),
            "another place": lambda: self.key(self.field("Keeper"), Qt.Key.Key_2, CTRL),
            "files that were handed over": lambda: self.window.shell.open_files([self.folder / "none.tif"]),
        }  # fmt: skip
        for number, (way, leave) in enumerate(ways.items()):
            with self.subTest(way):
                self.window.open_batch(self.batch_id)
                document = self.go("Mooring agreement")
                self.bench.slip.focus("Keeper")
                said = f"Arden Weir {number}"
                self.burst(said)
                leave()
                self.until(lambda d=document, t=said: self.text(d, "Keeper") == t, 10, said)  # type: ignore[misc]

    def test_closing_the_window_keeps_what_was_typed(self) -> None:
        document = self.go("Mooring agreement")
        self.bench.slip.focus("Keeper")
        self.burst("Arden Weir")
        store, path = self.ws.place.database.path, self.ws
        self.window.close()
        self.desktop.close()
        import sqlite3

        connection = sqlite3.connect(store)
        try:
            (data,) = connection.execute("SELECT data FROM batch_value WHERE document_id = ? AND field = 'Keeper'",
                                         (document,)).fetchone()  # fmt: skip
        finally:
            connection.close()
        self.assertIn("Arden Weir", data)
        self.assertIs(path, self.ws)

    def test_tags_and_words_of_a_page_are_kept_too(self) -> None:
        document = self.go("Mooring agreement")
        self.bench.slip.tags.setFocus()
        self.burst("urgent, to sign")
        self.key(self.bench.slip.tags, Qt.Key.Key_PageDown, CTRL)
        self.until(lambda: self.stored(document).tags == ("urgent", "to sign"), 10, "the tags")
        document = self.go("Mooring agreement")
        page = str(self.p.state.page)
        self.bench.strip.setFocus()
        self.window.open_batch(self.batch_id)
        self.bench.handlers.trigger("bench.text")
        self.until(lambda: self.bench.text.type.isVisible() and self.bench.text.type.width() > 20)
        self.spin(0.1)
        QTest.mouseClick(self.bench.text.type, Qt.MouseButton.LeftButton)
        self.bench.text.text.selectAll()
        self.burst("typed by hand", start=self.bench.text.text)
        self.p.going.step_page(1)
        self.until(
            lambda: (
                "typed by hand"
                in (bench_work.page_text(acting(self.ws, "Elspra Towpath"), page) or mock.Mock(plain="")).plain
            ),
            10,
        )

    def test_a_proposal_overwrites_nothing_that_is_being_typed(self) -> None:
        document = self.go("Mooring agreement")
        self.bench.slip.focus("Keeper")
        self.burst("Arden")

        def propose(batch: Any) -> Any:
            found = batch.document(document)
            values = {**found.values, "Keeper": replace(found.values["Keeper"], items=("Somebody Else",))}
            return replace(batch, documents={**batch.documents, document: replace(found, values=values)})

        revision = self.stored(document).revision
        self.assertTrue(self.ws.batches.propose(document, revision, propose))
        self.p.refresh()
        self.until(lambda: self.p._slip is not None and any(r.text == "Somebody Else" for r in self.p._slip.rows), 10)
        self.assertEqual(self.field("Keeper").text(), "Arden")
        self.burst(" Weir\n")
        self.until(lambda: self.text(document, "Keeper") == "Arden Weir", 10)

    def test_a_refusal_comes_back_to_its_field(self) -> None:
        document = self.go("Mooring agreement")
        self.bench.slip.focus("Annual charge")
        self.burst("plenty\n")
        self.assertFalse(self.field("Annual charge").hasFocus())
        self.settle()
        self.until(lambda: self.row("Annual charge").unsure and self.row("Annual charge").problem, 10)
        self.assertEqual(self.text(document, "Annual charge"), "plenty", "what was typed stays to be put right")

    def test_type_ahead_never_outlives_its_field(self) -> None:
        self.go("Mooring agreement")
        self.bench.slip.focus("Boat number")
        gate = threading.Event()
        self.addCleanup(gate.set)
        real = slip.complete

        def slow(*args: Any) -> Any:
            gate.wait(10)
            return real(*args)

        with mock.patch.object(slip, "complete", slow):
            self.burst("LN10\n")
            gate.set()
            self.spin(0.4)
        lists = [f.value.list.popup() for f in self.bench.slip.fields.values()]
        self.assertFalse(any(popup is not None and popup.isVisible() for popup in lists))

    def test_undo_reaches_the_batch_from_a_clean_field_and_the_text_from_a_dirty_one(self) -> None:
        document = self.go("Mooring agreement")
        before = self.text(document, "Keeper")
        self.bench.slip.focus("Keeper")
        self.burst("Arden Weir")
        QTest.keyClick(self.field("Keeper"), Qt.Key.Key_Z, CTRL)
        self.assertNotEqual(self.field("Keeper").text(), "Arden Weir", "the field takes its own typing back")
        self.field("Keeper").selectAll()
        self.burst("Arden Weir\n")
        self.until(lambda: self.text(document, "Keeper") == "Arden Weir", 10)
        self.settle()
        QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Z, CTRL)
        self.until(lambda: self.text(document, "Keeper") == before, 10, "the batch's step to be undone")


class Targets(AtSpeed):
    def test_a_register_that_was_opened_for_one_document_never_writes_into_another(self) -> None:
        first = self.go("Mooring agreement")
        self.bench.slip.focus("Boat number")
        self.key(self.field("Boat number"), Qt.Key.Key_R, ALT)
        sheet = self.sheet(RegisterSheet)
        self.assertIn("Mooring agreement", sheet.of.text(), "it says which document it is for")
        self.go(next(d.type for d in self.p.state.documents if d.type != "Mooring agreement"))
        self.until(lambda: self.bench.sheets.edge.shown is None, 10, "it to go with its document")
        self.assertEqual(self.p.state.document != first, True)

    def test_what_somebody_else_gave_the_same_field_meanwhile_is_not_overwritten_unseen(self) -> None:
        document = self.go("Mooring agreement")
        self.bench.slip.focus("Keeper")
        field = self.field("Keeper")
        field.selectAll()
        self.burst("Oda")
        slip.enter_value(
            acting(self.ws, "Tarvin Windlass"), self.desktop.line, self.batch_id, document, "Keeper", "Perrin Osier"
        )
        slip.enter_value(
            acting(self.ws, "Tarvin Windlass"),
            self.desktop.line,
            self.batch_id,
            document,
            "Home mooring",
            "Otter Wharf",
        )
        self.p.refresh()
        self.until(lambda: self.p.row_named("Home mooring").text == "Otter Wharf", 10)  # type: ignore[union-attr]
        self.assertEqual(field.text(), "Oda", "what is being typed stays")
        self.burst("\n")
        self.until(lambda: "Tarvin Windlass has changed the same meanwhile" in self.window.message.text(), 10)
        self.assertEqual(self.text(document, "Keeper"), "Perrin Osier")
        self.assertEqual(field.text(), "Oda", "nor is what was typed lost")
        self.bench.slip.focus("Keeper")
        field.selectAll()
        self.burst("Oda Lund\n")
        self.until(lambda: self.text(document, "Keeper") == "Oda Lund", 10, "it to be kept once it was seen")

    def test_lifting_ends_with_its_field(self) -> None:
        document = self.go("Mooring agreement")
        self.until(lambda: self.p.pictures.shown is not None and self.p.pictures.shown.words)
        keeper = self.text(document, "Keeper")
        self.bench.slip.focus("Keeper")
        self.key(self.field("Keeper"), Qt.Key.Key_L, CTRL)
        self.bench.slip.focus("Home mooring")
        words = self.p.pictures.shown.words  # type: ignore[union-attr]
        self.click(self.bench.page, self.bench.page.rect_of(words[3].box).center().toPoint())
        self.until(lambda: self.text(document, "Home mooring") == words[3].text, 10, "the word in the field in front")
        self.assertEqual(self.text(document, "Keeper"), keeper)

    def test_a_word_goes_nowhere_without_a_field_by_the_other_button_or_while_the_page_is_pulled(self) -> None:
        document = self.go("Mooring agreement")
        self.until(lambda: self.p.pictures.shown is not None and self.p.pictures.shown.words)
        before, page = self.stored(document).values, self.bench.page
        at = page.rect_of(self.p.pictures.shown.words[3].box).center().toPoint()  # type: ignore[union-attr]
        self.bench.strip.setFocus()
        self.click(page, at)
        self.bench.slip.focus("Keeper")
        QTest.mouseClick(page, Qt.MouseButton.RightButton, Qt.KeyboardModifier.NoModifier, at)
        QTest.mousePress(page, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
        QTest.mouseMove(page, at + QPoint(0, 60))
        QTest.mouseRelease(page, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at + QPoint(0, 60))
        self.spin(0.5)
        self.assertEqual(self.stored(document).values, before)

    def test_a_word_of_a_page_that_is_no_longer_in_front_is_not_taken(self) -> None:
        document = self.go("Mooring agreement")
        self.until(lambda: self.p.pictures.shown is not None and self.p.pictures.shown.words)
        self.bench.slip.focus("Keeper")
        before, words = self.text(document, "Keeper"), self.p.pictures.shown.words  # type: ignore[union-attr]
        with mock.patch.object(self.p.pictures, "show_page"):  # its picture is still on the way
            self.p.going.step_page(1)
            self.p.lift(document, "Keeper", str(self.p.pictures.shown and self.p.pictures.shown.page), list(words[:1]))
        self.spin(0.3)
        self.assertEqual(self.text(document, "Keeper"), before)
        self.assertIn("no longer in front", self.window.message.text())

    def test_a_damaged_page_has_its_own_face(self) -> None:
        page = self.p.state.pages[-1]
        with self.ws.place.database.atomic() as c:
            c.exec_driver_sql("UPDATE page SET facts = NULL, trouble = 'It is damaged.' WHERE id = ?", (page.id,))
        self.p.refresh()
        self.until(lambda: self.p.batch is not None and self.p.batch.page(page.id).facts is None)
        self.p.go_to_page(page.id)
        shown = self.p.pictures.shown
        assert shown is not None
        self.assertEqual((shown.page, shown.words, shown.told), (page.id, (), "It is damaged."))

    def test_focus_follows_a_value_to_no_other_document(self) -> None:
        document = next(d for d in self.p.state.documents if d.pages > 1)
        self.p.going.go_to_document(document.id)
        row = next((r for r in self.p.state.slip.rows if r.place), None)  # type: ignore[union-attr]
        assert row is not None and row.place is not None
        pages = [p.id for p in self.p.state.pages if p.document == document.id]
        self.p.go_to_page(pages[1])
        label, command = bench_work.page_command("break", [pages[1]], self.ws.clock.new_id)
        bench_work.run_command(acting(self.ws, "Elspra Towpath"), self.desktop.line, self.batch_id, label, command)
        self.p.refresh()
        self.until(lambda: self.p.state.document not in (None, document.id))
        here, names = self.p.state.page, list(self.bench.slip.fields)
        if names:
            self.bench.slip.focus(names[0])
        self.assertEqual(self.p.state.page, here)


class Calm(AtSpeed):
    def turn(self, widget: QWidget) -> None:
        centre = QPointF(widget.rect().center())
        event = QWheelEvent(
            centre, QPointF(widget.mapToGlobal(centre.toPoint())), QPoint(0, -120), QPoint(0, -120),
            Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(widget, event)

    def test_the_wheel_changes_nothing_that_has_no_focus(self) -> None:
        document = self.go("Mooring agreement")
        self.window.go_prepare()
        self.window.prepare.show_page("routines")
        self.until(lambda: self.window.prepare.view("routines").form.rows, 10)
        self.window.go_work()
        self.bench.strip.setFocus()
        boxes = [w for w in self.window.findChildren(Choice) if w.count() > 1]
        calm: list[Choice | Number] = [*boxes, *self.window.findChildren(Number)]
        self.assertGreater(len(calm), 5)
        before = [w.currentText() if isinstance(w, Choice) else w.value() for w in calm]
        for widget in calm:
            self.turn(widget)
        self.assertEqual([w.currentText() if isinstance(w, Choice) else w.value() for w in calm], before)
        self.spin(0.3)
        self.assertEqual(self.stored(document).type, "Mooring agreement")

    def test_nothing_takes_the_keyboard_from_who_is_typing(self) -> None:
        from keybundle.desktop.presenters.work_state import HaltShown

        self.go("Mooring agreement")
        self.bench.slip.focus("Keeper")
        self.burst("Arden")
        self.window.work.presenter.scanning.halted.emit(
            HaltShown("The feeder stopped.", self.batch_id, 2, 0, "Put it back.", ())
        )
        self.p.conflicts_found.emit(("Side 3: the rules begin a document here",))
        self.p.record_made.emit("none")
        self.spin(0.3)
        self.assertTrue(self.field("Keeper").hasFocus() and self.window.isActiveWindow())
        self.burst(" Weir")
        self.assertEqual(self.field("Keeper").text(), "Arden Weir")
        self.assertEqual(self.window.work.presenter.state.scanning, "")

    def test_files_handed_over_wait_their_turn_with_what_they_bring(self) -> None:
        feeder = sorted((self.ws.place.root / "feeder").glob("000[246]-front.*"))
        gate, real = threading.Event(), self.ws.batches.take

        def slow(*args: Any) -> Any:
            gate.wait(20)
            return real(*args)

        self.addCleanup(gate.set)
        work, before = self.window.work.presenter, set(self.ws.batches.ids())
        with mock.patch.object(self.ws.batches, "take", slow):
            work.files.import_files(feeder[:1])
            self.until(lambda: work.state.scanning, 10)
            self.window.shell.open_files(feeder[1:2])
            work.files.import_files(feeder[2:], None, {"Boat number": "LN1003"})
            self.spin(0.1)
            gate.set()
            self.until(lambda: len(set(self.ws.batches.ids()) - before) == 3 and not work.state.scanning, 30)
        made = [self.ws.batches.load(i) for i in self.ws.batches.ids() if i not in before]
        self.assertEqual([p.source for b in made for p in b.pages], [f.name for f in feeder])
        self.assertEqual(list(made[2].given.values()), [{"Boat number": "LN1003"}])


class SetUp(AtSpeed):
    def test_a_change_of_the_set_up_reaches_what_is_open(self) -> None:
        self.go("Mooring agreement")
        names = list(self.bench.slip.fields)
        self.bench.slip.focus("Keeper")
        self.burst("Arden")
        work, finder = self.window.work, self.window.finder
        before = finder._names.rowCount()
        kinds = tuple(
            k.model_copy(update={"fields": (*k.fields, k.fields[0].model_copy(update={"id": "Berth fee", "name": "Berth fee"}))})
            if k.name == "Mooring agreement" else k for k in self.ws.setup.document_types
        )  # fmt: skip
        routines = tuple(r.model_copy(update={"name": "Morning post"}) if r.name == "Post" else r
                         for r in self.ws.setup.routines)  # fmt: skip
        administrator = next(p.id for p in self.ws.setup.people if "administrator" in p.roles)
        self.ws.put_setup(
            self.ws.setup.model_copy(update={"document_types": kinds, "routines": routines}), administrator
        )
        self.until(lambda: list(self.bench.slip.fields) == [*names, "Berth fee"], 10, "the new field on the slip")
        self.assertTrue(
            self.field("Keeper").hasFocus() and self.field("Keeper").text() == "Arden", "with the caret kept"
        )
        self.until(lambda: work.routine.findText("Morning post") >= 0, 10, "the routine's new name in the work list")
        self.assertEqual(finder._names.rowCount(), before + 1)


class Reach(AtSpeed):
    def test_the_values_of_the_document_before_and_what_was_changed(self) -> None:
        documents = [d.id for d in self.p.state.documents][:2]
        for document in documents:
            slip.choose_type(acting(self.ws, "Elspra Towpath"), self.desktop.line, self.batch_id, document, "Letter")
        self.until(lambda: not self.desktop.line.busy, 20, "what is proposed for the new type")
        slip.enter_value(
            acting(self.ws, "Elspra Towpath"), self.desktop.line, self.batch_id, documents[0], "Subject", "A gate"
        )
        slip.enter_value(
            acting(self.ws, "Elspra Towpath"), self.desktop.line, self.batch_id, documents[1], "Subject", ""
        )
        self.until(lambda: not self.desktop.line.busy, 20)
        self.p.refresh()
        self.until(lambda: [d.type for d in self.p.state.documents][:2] == ["Letter"] * 2)
        self.p.going.go_to_document(documents[1])
        self.bench.slip.focus("Subject")
        self.key(self.field("Subject"), Qt.Key.Key_V, ALT)
        self.until(lambda: self.text(documents[1], "Subject") == "A gate", 10)
        self.assertFalse(self.stored(documents[1]).values["Subject"].sure, "it waits to be confirmed")
        self.key(self.field("Subject"), Qt.Key.Key_H, CTRL)
        first = self.sheet(ListSheet).list.item(0).text()
        self.assertIn("Elspra Towpath", first)
        self.assertIn("Subject of document 2: empty → A gate", first)


class Keys(AtSpeed):
    def record(self, handlers: Handlers) -> list[str]:
        """Let the commands of a place only note that they were asked for, whoever may run them, whatever is in the way."""
        pressed: list[str] = []
        handlers.may = lambda _: True
        handlers.holds.clear()
        handlers.unless = lambda _: ""
        for command in list(handlers.run):
            handlers.run[command] = lambda i=command: pressed.append(i)  # type: ignore[misc]
        return pressed

    def press_all(self, place: str, pressed: list[str], *homes: QWidget, but: tuple[str, ...] = ()) -> None:
        for home in homes:
            for command, key in ((c, k) for c in COMMANDS for k in c.keys if c.place == place and c.id not in but):
                home.setFocus()
                pressed.clear()
                QTest.keySequence(home, QKeySequence(key))
                QTest.qWait(0)
                self.assertEqual(pressed, [command.id], f"{key} at {home.accessibleName()}")

    def test_no_key_of_a_place_is_eaten_by_what_has_the_focus(self) -> None:
        self.go("Mooring agreement")
        bench = self.record(self.bench.handlers)
        slip = self.bench.slip
        self.press_all("bench strip", bench, self.bench.strip)
        self.press_all("bench slip", bench, self.field("Keeper"), slip.tags, but=("slip.confirm",))
        self.press_all("bench", bench, self.bench.strip, self.field("Keeper"), slip.tags, slip.type)
        everywhere = self.record(self.window.handlers)
        self.press_all("everywhere", everywhere, self.bench.strip, self.field("Keeper"), slip.type)
        self.window.go_cabinets()
        self.press_all("cabinets", self.record(self.window.cabinets.handlers), self.window.cabinets.table)
        self.window.go_find()
        found = self.record(self.window.finder.handlers)
        self.press_all("find", found, self.window.finder.line, but=("find.open",))
        self.window.finder.presenter.search("type = Bill")
        self.until(lambda: self.window.finder.hits.isVisible() and self.window.finder.hits.count(), 10)
        self.press_all("find hits", found, self.window.finder.hits)
        self.window.go_work()
        work = self.record(self.window.work.handlers)
        self.until(self.window.work.list.hasFocus)
        self.press_all("work", work, self.window.work.list, but=("work.open",))
        self.window.viewers.open(filed_ids(self.ws, "Purchasing")[0])
        viewer = self.window.viewers.windows[0].viewer
        self.until(lambda: viewer.presenter.shown is not None and viewer.page.isVisible(), 20)
        self.until(lambda: self.is_in_front(self.window.viewers.windows[0]), 10)
        self.press_all("viewer", self.record(viewer.handlers), viewer.page)

    def test_the_focus_can_be_seen(self) -> None:
        self.go("Mooring agreement")
        self.bench.handlers.trigger("bench.text")
        self.spin(0.2)
        slip, other = self.bench.slip, self.bench.slip.type
        for widget in (
            self.bench.strip,
            slip.tags,
            self.field("Keeper"),
            slip.aside,
            self.bench.text.text,
            self.bench.file_all,
        ):
            other.setFocus()
            self.spin(0.05)
            before = widget.grab().toImage()
            widget.setFocus()
            self.spin(0.05)
            self.assertTrue(widget.hasFocus(), widget.accessibleName())
            self.assertNotEqual(before, widget.grab().toImage(), widget.accessibleName())


class Small(AtSpeed):
    def test_long_names_and_messages_leave_the_window_its_size(self) -> None:
        long = "2026-11-26 all that belongs to Reedmouth Basin and to its two towers, as it lay in the green chest " * 3
        with self.ws.place.database.atomic() as c:
            c.exec_driver_sql("UPDATE batch SET origin = ? WHERE id = ?", (long, self.batch_id))
        slip.enter_value(
            acting(self.ws, "Elspra Towpath"),
            self.desktop.line,
            self.batch_id,
            str(self.p.state.document),
            "Keeper",
            long,
        )
        self.window.resize(1100, 700)
        self.p.refresh()
        self.until(lambda: long in self.bench.title.text(), 10)
        self.window.warn(long)
        for go in (self.window.go_work, lambda: self.window.open_batch(self.batch_id)):
            go()
            self.spin(0.3)
            self.assertLessEqual(self.window.minimumSizeHint().width(), 1100)
            self.assertEqual((self.window.width(), self.window.height()), (1100, 700))
        self.assertEqual(self.window.message.toolTip(), long, "the whole of it is in reach")

    def test_a_destination_is_shown_to_the_letter(self) -> None:
        document = self.go("Mooring agreement")
        odd = "Salt & <b>Sons</b> <Boats>"
        slip.enter_value(
            acting(self.ws, "Elspra Towpath"), self.desktop.line, self.batch_id, document, "Home mooring", odd
        )
        self.p.refresh()
        self.until(lambda: any(value == odd for _, value in self.p.state.slip.path), 10)  # type: ignore[union-attr]
        shown = QTextDocument()
        shown.setHtml(self.bench.slip.path.text())
        self.assertIn(odd, shown.toPlainText())


class Lanes(AtSpeed):
    def test_enter_then_ctrl_enter_are_kept_in_their_order_while_sixty_things_are_filed(self) -> None:
        document = self.go("Mooring agreement")
        self.make_ready(document)
        begun: list[str] = []
        real = filing.begin_filing

        def watch(*args: Any, **more: Any) -> Any:
            begun.append(self.text(document, "Keeper"))
            return real(*args, **more)

        gate = self.hold()
        with mock.patch.object(filing, "begin_filing", watch):
            self.bench.slip.focus("Keeper")
            self.burst("Oda Fenwright")
            self.key(self.bench.strip, Qt.Key.Key_Return, CTRL | SHIFT)
            gate.set()
            self.until(lambda: begun, 20)
        self.assertEqual(begun, ["Oda Fenwright"], "it is claimed after what was typed before")
        self.until(lambda: self.stored(document).filed_id, 30)

    def test_filing_is_told_with_its_count_and_stopped_by_a_key(self) -> None:
        ready = [d.id for d in self.ws.batches.load(self.batch_id).in_order() if d.state is State.READY]
        self.assertGreater(len(ready), 1)
        under_way, gate, real = threading.Event(), threading.Event(), filing._commit
        self.addCleanup(gate.set)

        def slow(*args: Any) -> Any:
            under_way.set()
            gate.wait(20)
            return real(*args)

        with mock.patch.object(filing, "_commit", slow):
            self.key(self.bench.strip, Qt.Key.Key_Return, CTRL | SHIFT)
            self.until(under_way.is_set, 30)
            self.until(lambda: "Filing: 0 of" in self.bench.doing.text(), 10, "the count")
            self.assertTrue(self.bench.stop.isVisible())
            self.key(self.bench.strip, Qt.Key.Key_K, CTRL | SHIFT)
            gate.set()
            self.until(lambda: not self.bench.doing.text() and not self.bench.stop.isVisible(), 20)
        after = [self.stored(d) for d in ready]
        self.assertEqual([bool(d.filed_id) for d in after], [True, *[False] * (len(ready) - 1)], "what is done is kept")
        self.assertEqual([d.claim for d in after[1:]], [None] * (len(ready) - 1))
        self.assertIn(f"{len(ready) - 1} stay here", self.window.message.text())

    def test_asking_why_it_is_set_aside_keeps_its_document(self) -> None:
        first = self.go("Mooring agreement")
        other = next(d.id for d in self.p.state.documents if d.id != first)
        self.key(self.bench.strip, Qt.Key.Key_D, CTRL)
        asked = self.sheet(AskSheet)
        QTest.keyClicks(asked.lines[0], "torn")
        self.assertFalse(
            self.bench.isAncestorOf(QApplication.focusWidget()), "no key of the bench acts on what is typed"
        )
        self.p.going.go_to_document(other)
        self.until(lambda: self.bench.sheets.edge.shown is None, 10, "what was asked to go with its document")
        self.p.going.go_to_document(first)
        self.key(self.bench.strip, Qt.Key.Key_D, CTRL)
        self.answer("torn")
        self.until(lambda: self.stored(first).state is State.SET_ASIDE, 10)
