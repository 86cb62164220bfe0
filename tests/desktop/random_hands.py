"""Random hands in the real window against slow workers: what is typed ends where it was meant, each side in one place.

``python -m tests.desktop.random_hands RUNS [SEED]`` makes as many runs as asked for.
"""

from __future__ import annotations

import faulthandler
import io
import random
import sys
import unittest
from collections import Counter
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from PIL import Image
from PySide6.QtCore import QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from keybundle.core.workflows.index import slip
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.take_in.capture import find_routine, scan_stack
from keybundle.demo import seed as demo
from keybundle.desktop.app import Desktop
from keybundle.desktop.views.bench_view import BenchView
from tests.desktop.support import DesktopTest
from tests.flows.conservation import find_losses
from tests.standin import FACTS, ONE_SIDED, Device, StandIn, answer
from tests.support import acting

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
NONE = Qt.KeyboardModifier.NoModifier
LETTER = {"Sender": "Tamsin Reedmace", "Letter date": "2026-03-04", "Subject": "A leaking gate"}
FREE = ("Sender", "Subject")
STEPS = 30
HANGING_SECONDS = 60


class RandomHands(DesktopTest):
    """One window; each run is a batch of its own, its workers answering when a step lets them."""

    def begin_window(self) -> None:
        data = self.folder / "data"
        workspace = open_workspace(data)
        demo.begin(workspace)
        self.who = workspace.person(None).id
        workspace.close()
        self.pool = StandIn(self.work, hold={"read", "make_pdf"})
        settings = QSettings(str(self.folder / "window.ini"), QSettings.Format.IniFormat)
        self.desktop = Desktop(data, settings=settings, pool=self.pool)  # type: ignore[arg-type]
        self.addCleanup(self.let_windows_go)
        self.addCleanup(self.desktop.close)
        self.addCleanup(self.pool.let_all_go)
        self.desktop.begin(self.who)
        assert self.desktop.window is not None
        self.window, self.ws, self.line = self.desktop.window, self.desktop.workspace, self.desktop.line
        self.until(lambda: self.is_in_front(self.window), 10)
        self.did: Counter[str] = Counter()

    def work(self, what: str, args: tuple[Any, ...]) -> Any:
        """What the workers answer: every third side is a separator sheet, pictures are plain paper."""
        if what == "examine":
            number = int(args[0].name[:4])
            return asdict(replace(FACTS, separator=number % 3 == 1)), 0.0
        if what == "draw_previews":
            job, cache = args[0], Path(args[1])
            for kind in ("screen", "thumbnail", "full"):
                paper = io.BytesIO()
                Image.new("L", (80, 110), 255).save(paper, "PNG")
                from keybundle.core.workflows.pages.preview_files import preview_path

                path = preview_path(cache, job.page_id, job.frame.rotation, kind)
                path.parent.mkdir(parents=True, exist_ok=True)
                path.write_bytes(paper.getvalue())
            return None
        return answer(what, args, "a note about the gate")

    def run_once(self, seed: int) -> None:
        """Do random things to a new batch, then look whether all is where it should be."""
        self.rng = random.Random(seed)
        self.pool.hold = {"read", "make_pdf"}
        self.wanted: dict[tuple[str, str], str] = {}
        here = acting(self.ws, self.who)
        found = scan_stack(here, self.line, find_routine(here, "Post"), Device(8, tag=str(seed)), options=ONE_SIDED)
        self.batch_id = str(found.batch)
        self.until(lambda: all(p.disposition for p in self.ws.batches.load(self.batch_id).pages), 20)
        for document in self.ws.batches.load(self.batch_id).in_order():
            slip.choose_type(acting(self.ws, self.who), self.line, self.batch_id, document.id, "Letter")
            for name, text in LETTER.items():
                slip.enter_value(acting(self.ws, self.who), self.line, self.batch_id, document.id, name, text)
        self.window.open_batch(self.batch_id)
        self.bench: BenchView = self.window.benches[self.batch_id]
        self.p = self.bench.presenter
        self.until(lambda: self.p.state.slip is not None and len(self.p.state.documents) > 1, 20)
        for _ in range(STEPS):
            step = self.rng.choice(DOINGS)
            self.did[step] += 1
            getattr(self, step)()
        self.settle()
        wrong = find_losses(self.ws) + self.find_lost_texts()
        self.assertEqual(wrong, [], f"seed {seed}")
        self.window.go_work()
        self.window.release_bench(self.batch_id)

    def settle(self) -> None:
        self.p.flush()
        self.pool.let_all_go()
        self.until(lambda: not self.p.drafts.is_saving, 20, "all that was typed to be kept or refused")
        self.until(self.is_at_rest, 40, "changes, filings and the line to come to rest")

    def is_at_rest(self) -> bool:
        """Whether nothing is under way any more: no change that waits for its turn, no filing, nothing of the line."""
        if self.desktop.runner._changes._waiting or self.line.busy:
            return False
        claimed = any(d.claim for d in self.ws.batches.load(self.batch_id).documents.values())
        return not (claimed or self.desktop.runner._changes._waiting or self.line.busy)

    def find_lost_texts(self) -> list[str]:
        """Return what was typed last into a field and stands neither in the batch nor as a refusal on the screen."""
        batch, wrong = self.ws.batches.load(self.batch_id), []
        for (document, name), text in self.wanted.items():
            if document not in batch.documents:
                continue  # its last page went elsewhere, which was told
            value = batch.documents[document].values.get(name)
            draft = self.p.drafts.find(document, name)
            stored = value.text if value is not None else ""
            if stored != text and not (draft is not None and draft.problem):
                wrong.append(f"{name} of {document}: typed {text!r}, stored {stored!r}")
        return wrong

    # -- what hands and machine do ---------------------------------------------------------------------------------

    def typing(self) -> None:
        """Type into a field, or one's own text on, and go on by one of the ways out; the keys are not waited for."""
        if self.p.state.slip is None or self.p.state.slip.type != "Letter":
            return
        name = self.rng.choice(FREE)
        self.bench.slip.focus(name)
        field, document = self.bench.slip.fields[name].value, self.bench.slip.document
        if field.isReadOnly() or not field.hasFocus():
            return
        field.selectAll()
        said = f"{self.rng.choice(('Oda', 'Bram', 'Tess'))} {self.rng.randrange(10_000)}"
        self.burst(said)
        self.assertEqual(field.text(), said, "each key arrived")
        self.wanted[document, name] = said
        way = self.rng.randrange(6)
        if way < 3:
            self.burst("\n")
        elif way == 3:
            self.burst("\t")
        elif way == 4:
            QTest.keyClick(field, Qt.Key.Key_Escape)

    def typing_two(self) -> None:
        self.typing()
        self.typing()

    def press(self, key: Qt.Key, modifier: Qt.KeyboardModifier = NONE) -> None:
        self.bench.strip.setFocus()
        QTest.keyClick(self.bench.strip, key, modifier)

    def next_document(self) -> None:
        self.press(self.rng.choice((Qt.Key.Key_Down, Qt.Key.Key_Up)))

    def next_page(self) -> None:
        self.press(self.rng.choice((Qt.Key.Key_Right, Qt.Key.Key_Left)))

    def change_pages(self) -> None:
        self.press(self.rng.choice((Qt.Key.Key_B, Qt.Key.Key_J, Qt.Key.Key_X, Qt.Key.Key_T, Qt.Key.Key_R)))

    def undo(self) -> None:
        """Undo or redo: what was typed before may be taken back, so nothing is claimed of it any more."""
        self.press(Qt.Key.Key_Z, CTRL if self.rng.randrange(3) else CTRL | SHIFT)
        self.wanted.clear()

    def file_one(self) -> None:
        target = QApplication.focusWidget() or self.bench.strip
        if self.bench.isAncestorOf(target):
            QTest.keyClick(target, Qt.Key.Key_Return, CTRL)

    def file_all(self) -> None:
        self.press(Qt.Key.Key_Return, CTRL | SHIFT)

    def take_back(self) -> None:
        self.press(Qt.Key.Key_B, CTRL)

    def worker_ends(self) -> None:
        if self.pool.held:
            self.pool.let_go(self.rng.randrange(len(self.pool.held)))

    def look_away(self) -> None:
        self.window.go_work()
        self.window.open_batch(self.batch_id)

    def a_moment(self) -> None:
        self.spin(self.rng.choice((0.0, 0.01, 0.05, 0.15)))


DOINGS = (
    *("typing",) * 6, *("typing_two",) * 2, *("next_document",) * 3, *("next_page",) * 2, *("change_pages",) * 3, "undo",
    *("file_one",) * 2, "file_all", "take_back", *("worker_ends",) * 4, "look_away", *("a_moment",) * 5,
)  # fmt: skip


def main(runs: int = 500, seed: int = 1) -> int:
    """Make so many runs and tell; the exit status says whether something was lost."""

    class Hands(RandomHands):
        def test_hands(self) -> None:
            self.begin_window()
            for number in range(runs):
                self.run_once(seed + number)
                if number % 50 == 49:
                    print(
                        f"{number + 1} runs, seeds {seed} to {seed + number}: nothing lost; {dict(self.did)}",
                        flush=True,
                    )

    faulthandler.dump_traceback_later(HANGING_SECONDS + 30 * runs, exit=True)
    result = unittest.TextTestRunner().run(unittest.defaultTestLoader.loadTestsFromTestCase(Hands))
    return 0 if result.wasSuccessful() else 1


if __name__ == "__main__":
    sys.exit(main(*map(int, sys.argv[1:])))
