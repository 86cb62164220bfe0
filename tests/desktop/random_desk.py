"""Random hands at the whole desk: Cabinets, hits, viewer, sheets, Prepare, a window beside, locks, colleagues, restarts.

``python -m tests.desktop.random_desk RUNS [SEED]`` makes as many runs as asked for. Every text that is typed is unlike all
others, so that what became of it can be looked up: it is pending, or stands in a version of what it was typed for, and in
nothing else, unless it was let go of.
"""

from __future__ import annotations

import faulthandler
import random
import sys
import unittest
from collections import Counter
from pathlib import Path

from PySide6.QtCore import QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit
from sqlalchemy import select

from keybundle.core.base.changes import Changes
from keybundle.core.base.ids import FiledId
from keybundle.core.store import schema as t
from keybundle.core.workflows.keep.documents import correcting
from keybundle.core.workflows.keep.trash import deleting
from keybundle.desktop.app import Desktop
from keybundle.desktop.presenters.prepare.form_drafts import FormDrafts
from keybundle.desktop.views.choose_sheet import ChooseSheet
from keybundle.desktop.views.send_sheet import SendSheet
from keybundle.desktop.views.window import MainWindow
from tests.desktop.support import CTRL, CabinetsTest
from tests.support import acting, filed_ids

SHIFT = Qt.KeyboardModifier.ShiftModifier
ME, COLLEAGUE = "Oswinna Reedmace", "Tarvin Windlass"
STEPS, HANGING_SECONDS = 24, 90
Key = tuple[str, str]


class RandomDesk(CabinetsTest):
    """One run after another on the same data; each begins with nothing typed."""

    def check_messages(self) -> None:
        """Qt may hear Enter in an editor that is closed with its window, or F2 in a row that goes, before the next turn."""
        own = ("QAbstractItemView::commitData called with", "edit: editing failed")
        self.messages[:] = [m for m in self.messages if not m.startswith(own)]
        super().check_messages()

    def begin_desk(self) -> None:
        self.window, _ = self.open(ME)
        self.root, self.did, self.number = self.ws.place.root, Counter[str](), 10_000
        self.moved: set[str] = set()
        self.sent: list[tuple[str, Path]] = []
        self.asked: dict[SendSheet, str] = {}

    def run_once(self, seed: int) -> None:
        self.rng = random.Random(seed)
        self.wanted: dict[Key, str] = {}
        self.named: dict[str, str] = {}
        self.letters: dict[tuple[FiledId, ...], str] = {}
        self.folders = {i: self.ws.repository.load(i).folder for i in self.documents()}
        self.moved.clear()
        self.steps = list[str]()
        for _ in range(STEPS):
            step = self.rng.choice(DOINGS)
            self.did[step] += 1
            self.steps.append(step)
            getattr(self, step)()
        self.settle()
        self.assertEqual(self.find_faults(), [], f"seed {seed}")
        self.end_run()

    def documents(self) -> list[str]:
        return filed_ids(self.ws, "Purchasing")

    def settle(self) -> None:
        for window in self.front_shell().windows:
            window.flush_places()
        drafts = self.window.seat.typed.at("documents")
        self.until(lambda: not drafts.is_in_hand, 20, "what is being kept")
        self.spin(0.1)

    def front_shell(self):
        assert self.desktop.shell is not None
        return self.desktop.shell

    # -- what hands do ------------------------------------------------------------------------------------------------

    def unlike(self) -> str:
        self.number += 1
        return f"PO-{self.number}"

    def some_window(self) -> MainWindow:
        return self.rng.choice(self.front_shell().windows)

    def type_in_cabinets(self) -> None:
        self.leave_editors()
        window = self.some_window()
        if window.bar.places["cabinets"].isChecked() is False:
            window.go_cabinets()
        view = window.cabinets
        self.until(lambda: view.presenter.state.documents, 10, "the documents")
        document = self.rng.choice(view.presenter.state.documents)
        if document not in self.documents():
            return
        self.until(lambda: view.model.values_of([document], "Order number") or document not in self.documents(), 10)
        if not (standing := view.model.values_of([document], "Order number")):
            return
        text = self.unlike()
        index = view.model.index(
            list(view.presenter.state.documents).index(document), view.model.heads.index("Order number")
        )
        if self.rng.random() < 0.5:
            if not self.presses(window, view.table, index, text):
                return
        else:
            view.presenter.changes.edit(standing, "Order number", text)
        self.wanted[document, "Order number"] = text

    def leave_editors(self) -> None:
        """Of two editors that are open at one cell the last one to be left counts: let none be open when another one is."""
        for window in self.front_shell().windows:
            window.flush_places()

    def presses(self, window: MainWindow, table, index, text: str) -> None:
        """Type into a cell, and perhaps leave the editor open."""
        window.activateWindow()
        table.clearSelection()
        table.setCurrentIndex(index)
        table.edit(index)
        editor = next((e for e in table.viewport().findChildren(QLineEdit) if e.isVisible()), None)
        if editor is None:
            return False  # the row is just being read anew, or went
        editor.selectAll()
        QTest.keyClicks(editor, text)
        if self.rng.random() < 0.6:
            QTest.keyClick(editor, Qt.Key.Key_Return)
            self.spin(0.01)  # Qt takes it with the next turn
        return True

    def type_in_viewer(self) -> None:
        self.leave_editors()
        document = self.rng.choice(self.documents())
        self.window.viewers.open(document)
        window = next((w for w in self.window.viewers.windows), None)
        state = lambda: window.viewer.presenter.state  # noqa: E731
        self.until(lambda: window is not None and (state().document or state().gone), 20, "the viewer")
        presenter = window.viewer.presenter
        standing = presenter.standing("Order number")
        if standing is None or presenter.document is None:
            return
        text = self.rng.choice([self.unlike(), f"no number {self.unlike()}"])
        presenter.correct(presenter.document.id, "Order number", text, standing)
        self.wanted[presenter.document.id, "Order number"] = text

    def keep(self) -> None:
        QTest.keyClick(self.at_cabinets().table, Qt.Key.Key_S, CTRL)

    def at_cabinets(self):
        window = self.some_window()
        window.go_cabinets()
        return window.cabinets

    def let_go(self) -> None:
        view = self.at_cabinets()
        self.settle()
        view.presenter.changes.discard()
        self.moved |= set(self.documents())  # where nothing was typed, undo takes back what was kept, with its move
        if self.rng.random() < 0.7:
            view.presenter.changes.undo()
        else:
            for key in [k for k in self.wanted if self.window.seat.typed.at("documents").find(*k) is None]:
                if self.wanted[key] not in self.versions(key[0]):
                    del self.wanted[key]

    def undo(self) -> None:
        view = self.at_cabinets()
        self.settle()
        before = {k: d.text for k in self.wanted if (d := self.window.seat.typed.at("documents").find(*k)) is not None}
        self.moved |= set(self.documents())  # what a correction moved goes back with it
        view.presenter.changes.undo()
        self.spin(0.2)
        self.settle()
        drafts = self.window.seat.typed.at("documents")
        for key in before:
            draft = drafts.find(*key)
            if self.wanted[key] not in self.versions(key[0]):
                if draft is None:
                    del self.wanted[key]
                else:
                    self.wanted[key] = draft.text

    def go(self) -> None:
        window = self.some_window()
        window.go(self.rng.choice(["work", "cabinets", "find", "prepare"]))
        if window.front is window.finder:
            self.search(window)

    def search(self, window: MainWindow) -> None:
        """Type into Find what has the keyboard by then."""
        if window.isVisible():
            window.go_find()
            self.until(lambda: self.is_in_front(window), 10)
            window.finder.line.setFocus()
            self.spin(self.rng.choice([0.0, 0.3]))  # what was asked before may be answered now
            for letter in self.rng.choice(["bill", "chain", "x"]):
                QTest.keyClicks(QApplication.focusWidget() or window, letter)
            QTest.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_Return)

    def beside(self) -> None:
        shell = self.front_shell()
        if len(shell.windows) > 1:
            shell.windows[-1].close()
        else:
            shell.open_beside()
        self.window = shell.windows[0]
        self.spin(0.05)

    def lock(self) -> None:
        self.desktop.lock()
        self.spin(0.02)
        self.desktop.begin(ME)

    def another_person(self) -> None:
        self.desktop.change_person()
        self.desktop.begin(COLLEAGUE)
        self.spin(0.05)
        self.desktop.change_person()
        self.desktop.begin(ME)
        self.window = self.front_shell().windows[0]

    def restart(self) -> None:
        self.desktop.close()
        self.open_again()

    def open_again(self) -> None:
        settings = QSettings(str(self.folder / "window.ini"), QSettings.Format.IniFormat)
        self.desktop = Desktop(self.root, settings=settings, pool=self.workers())
        self.addCleanup(self.desktop.close)
        self.desktop.begin(ME)
        self.window, self.ws = self.front_shell().windows[0], self.desktop.workspace
        view = self.window.cabinets
        self.window.go_cabinets()
        self.until(lambda: view.cabinets.count() == 4, 20)
        view.presenter.open("Purchasing")
        self.until(lambda: view.presenter.state.documents, 20)

    def colleague_corrects(self) -> None:
        document = self.rng.choice(self.documents())
        texts = {"Order number": self.unlike()}
        correcting.correct(acting(self.ws, COLLEAGUE), {document: texts}, follow=False)
        self.window.seat.bus.tell(Changes(repository=True))

    def colleague_deletes(self) -> None:
        me = acting(self.ws, ME)
        if lies := deleting.list_trash(me):
            deleting.restore_documents(me, [lies[0].id])
        elif len(self.documents()) > 2:
            deleting.delete_documents(me, [FiledId(self.rng.choice(self.documents()))], "at random")
        self.window.seat.bus.tell(Changes(repository=True))

    def correct_a_date(self) -> None:
        """Let a question about folders come late: only who answers it moves anything."""
        view = self.at_cabinets()
        bills = [i for i in self.documents() if self.ws.repository.load(i).type == "Bill"]
        self.until(lambda: view.model.values_of(bills, "Bill date") or not bills, 10)
        if standing := view.model.values_of(bills[:1], "Bill date"):
            view.presenter.changes.edit(standing, "Bill date", f"19{self.rng.randrange(70, 99)}-03-04")
            window = next(w for w in self.front_shell().windows if "cabinets" in w.made and w.cabinets is view)
            view.presenter.changes.keep()
            self.search(window)

    def answer(self) -> None:
        for window in self.front_shell().windows:
            if "cabinets" in window.made and isinstance(sheet := window.cabinets.edge.shown, ChooseSheet):
                if self.rng.random() < 0.5:
                    sheet.end()
                else:
                    self.moved |= set(self.documents())
                    sheet.chosen.emit(0)
                    sheet.end()
                self.spin(0.1)
                return

    def ask_twice(self) -> None:
        """Let two sheets be open for two documents, and answer one of them."""
        document = self.rng.choice(self.documents())
        self.window.viewers.open(document)
        viewer = self.window.viewers.windows[0].viewer.presenter
        self.until(lambda: viewer.document or viewer.state.gone, 20, "the viewer")
        for at_viewer in self.rng.sample([True, False], 2):
            self.ask_to_send(at_viewer)
        self.send()

    def ask_to_send(self, at_viewer: bool | None = None) -> None:
        document, window = self.rng.choice(self.documents()), self.some_window()
        viewers = [w for w in self.window.viewers.windows if w.viewer.presenter.state.document]
        if viewers and (self.rng.random() < 0.5 if at_viewer is None else at_viewer):
            document, edge = viewers[0].viewer.presenter.state.document, viewers[0].edge
            viewers[0].viewer.sending.emit((document,), False)
        else:
            window.go_cabinets()
            edge = window.cabinets.edge
            window.cabinets.sending.emit((document,), False)
        for made in QApplication.allWidgets():
            if isinstance(made, SendSheet):
                self.asked.setdefault(made, document)
        sheet = edge.shown
        if isinstance(sheet, SendSheet) and self.asked[sheet] == document:
            self.until(lambda: sheet.send.isEnabled() or sheet.problem.text() or edge.shown is not sheet, 10)

    def send_sheets(self) -> list[SendSheet]:
        edges = [w.cabinets.edge for w in self.front_shell().windows if "cabinets" in w.made]
        shown = (edge.shown for edge in (*edges, *(w.edge for w in self.window.viewers.windows)))
        return [sheet for sheet in shown if isinstance(sheet, SendSheet)]

    def send(self) -> None:
        for sheet in self.send_sheets():
            if sheet.send.isEnabled() and self.rng.random() < 0.7:
                self.letters.pop(sheet.request.state.ids, None)  # they go with what is sent, whichever way
                target = self.folder / f"sent {self.unlike()}"
                target.mkdir()
                sheet.choose_way("folder")
                sheet.folder.setText(str(target))
                self.sent.append((self.asked[sheet], target))
                sheet.send.click()
                self.spin(0.3)
                return

    def write_a_letter(self) -> None:
        if not self.send_sheets():
            self.ask_to_send()
        for sheet in self.send_sheets():
            if sheet.isVisible() and sheet.request.state.named and self.rng.random() < 0.7:
                sheet.choose_way("mail")
                sheet.text.setFocus()
                sheet.text.selectAll()
                text = f"These are asked for in {self.unlike()}"
                QTest.keyClicks(sheet.text, text)
                self.letters[sheet.request.state.ids] = text
                if self.rng.random() < 0.3:
                    sheet.leave()
                    del self.letters[sheet.request.state.ids]
                return

    def type_a_name(self) -> None:
        window = self.some_window()
        window.go_prepare()
        window.prepare.show_page("types")
        view = window.prepare.view("types")
        self.until(lambda: view.form.rows and "name" in view.form.rows, 10)
        kind = self.rng.choice([k.id for k in self.ws.setup.document_types])
        view.presenter.choose(kind)
        line = view.form.rows["name"].editor
        line.setFocus()
        line.selectAll()
        text = f"Kind {self.unlike()}"
        QTest.keyClicks(line, text)
        self.named[view.presenter.state.chosen] = text
        if self.rng.random() < 0.5:
            QTest.keyClick(line, Qt.Key.Key_Return)

    # -- what became of it --------------------------------------------------------------------------------------------

    def versions(self, document: str) -> str:
        v = t.version.c
        with self.ws.place.database.read() as c:
            return str([row for row in c.execute(select(v.data).where(v.document_id == document)).scalars()])

    def last_versions(self, document: str) -> list[str]:
        """Return who made the last versions of a document, in which folder, and how the steps went."""
        v = t.version.c
        chosen = select(v.number, v.who, v.path, v.comment).where(v.document_id == document).order_by(v.number.desc())
        with self.ws.place.database.read() as c:
            return [*(str(tuple(row)) for row in c.execute(chosen.limit(4))), " ".join(self.steps)]

    def sent_to(self, target: Path) -> list[str]:
        """Return the documents that were sent to a folder, as the trail says."""
        a, d = t.audit.c, t.audit_detail.c
        chosen = select(a.subject, d.data).join(t.audit_detail, d.seq == a.seq).where(a.what.like("%sent%"))
        with self.ws.place.database.read() as c:
            rows = c.execute(chosen).all()
        return [row.subject for row in rows if str(target) in str(row.data)]

    def find_faults(self) -> list[str]:
        drafts, wrong = self.window.seat.typed.at("documents"), []
        everything = {i: self.versions(i) for i in {*self.documents(), *(d for d, _ in self.wanted)}}
        for (document, field), text in self.wanted.items():
            draft = drafts.find(document, field)
            if text not in everything[document] and (draft is None or draft.text != text):
                wrong.append(f"{text} typed for {document} is lost ({draft})")
            wrong += [
                f"{text} stands in {other}" for other, told in everything.items() if other != document and text in told
            ]
        for document, target in self.sent:
            wrong += [
                f"{other} was sent where {document} was named" for other in self.sent_to(target) if other != document
            ]
        for document, folder in self.folders.items():
            if (
                document in self.documents()
                and document not in self.moved
                and self.ws.repository.load(document).folder != folder
            ):
                wrong.append(f"{document} was moved, and nobody said so: {self.last_versions(document)}")
        letters = self.front_shell().board.letters
        wrong += [
            f"{text} is written no more" for ids, text in self.letters.items() if text not in letters.find(ids).values()
        ]
        names = {k.id: k.name for k in self.ws.setup.document_types}
        forms = FormDrafts(self.window.seat, "document_types")
        for kind, text in self.named.items():
            draft = forms.drafts.find(kind, "name")
            if names.get(kind) != text and (draft is None or draft.text != text):
                wrong.append(f"the name {text} of {kind} is lost")
            wrong += [
                f"{other} took the name {text}" for other, name in names.items() if other != kind and name == text
            ]
        return wrong

    def end_run(self) -> None:
        """Let nothing be typed, asked or beside when the next run begins."""
        shell = self.front_shell()
        for window in shell.windows[1:]:
            window.close()
        shell.viewers.close()
        self.window = shell.windows[0]
        for view in (self.window.cabinets, self.window.finder, self.window.prepare):
            view.edge.end()
        for place in ("documents", "set-up document_types", "letters"):
            drafts = self.window.seat.typed.at(place)
            drafts.let_go([d.key for d in drafts.all()])
        me = acting(self.ws, ME)
        for one in deleting.list_trash(me):
            deleting.restore_documents(me, [one.id])
        self.sent.clear()
        self.asked.clear()
        self.window.seat.bus.tell(Changes(repository=True, setup=True))
        self.spin(0.1)


DOINGS = (
    *("type_in_cabinets",) * 5, *("type_in_viewer",) * 2, *("keep",) * 3, "let_go", "undo", *("go",) * 2, "beside", "lock",
    "another_person", "restart", *("colleague_corrects",) * 2, "colleague_deletes", "correct_a_date", "answer",
    *("ask_to_send",) * 2, *("ask_twice",) * 2, "write_a_letter", *("send",) * 2, *("type_a_name",) * 2,
)  # fmt: skip


def main() -> int:
    """Make runs until one goes wrong."""
    runs, first = int(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else random.SystemRandom().randrange(10**6)
    faulthandler.dump_traceback_later(HANGING_SECONDS * runs, exit=True)

    class Runs(RandomDesk):
        def runTest(self) -> None:
            self.begin_desk()
            for number in range(runs):
                self.run_once(first + number)
                print(f"run {number + 1}: seed {first + number}, {dict(self.did)}", flush=True)

    QApplication.instance()
    result = unittest.TextTestRunner(verbosity=0).run(Runs())
    return 0 if result.wasSuccessful() else 1


if __name__ == "__main__":
    raise SystemExit(main())
