"""What somebody handed over or typed outlives the program: files until they are taken in, texts until they are kept."""

from __future__ import annotations

from pathlib import Path

from PIL import Image

from keybundle.core.base.errors import AppError
from keybundle.core.base.progress import CancelToken, Step
from keybundle.core.workflows.keep.trash import deleting
from keybundle.core.workflows.session.typed import DOCUMENTS, MANY, Noted, list_noted, note_typed
from keybundle.core.workflows.take_in.capture import find_routine, import_files
from keybundle.core.workflows.take_in.waiting import Waiting, forget_waiting, list_waiting, note_waiting
from tests.core.test_arrivals import work
from tests.core.test_course import Course
from tests.support import DataTest, acting, filed_ids

ME, OTHER = "Oswinna Reedmace", "Tarvin Windlass"


class Files(Course):
    def setUp(self) -> None:
        super().setUp()
        self.pool.answer = work
        self.routine = find_routine(acting(self.ws), "Files")

    def test_what_was_not_taken_in_is_taken_in_later_once_and_into_the_same_batch(self) -> None:
        me = acting(self.ws, self.who)
        tree = self.folder / "handed over"
        tree.mkdir()
        for n in range(6):
            Image.new("L", (620, 877), 150 + n).save(tree / f"{n}.png", dpi=(75, 75))
        waiting = Waiting("handed", self.routine.id, (tree,), given={})
        note_waiting(me, waiting)
        cancel, seen = CancelToken(), list[Step]()

        def stop_after_two(step: Step) -> None:
            seen.append(step)
            if step.done >= 2:
                cancel.cancel()

        with self.assertRaises(AppError):
            self.bring(waiting, stop_after_two, cancel)
        (left,) = list_waiting(me)
        self.assertEqual((left.taken, left.left, left.into), (6 - left.left, 6 - left.taken, self.ws.batches.ids()[0]))
        self.assertTrue(0 < left.taken < 6)
        (tree / "00 new meanwhile.png").write_bytes((tree / "0.png").read_bytes()[:-1] + b"x")
        self.bring(left, lambda step: None, CancelToken())
        self.assertEqual(list_waiting(me), [])
        (batch,) = self.ws.batches.ids()
        names = [Path(p.source).name for p in self.ws.batches.load(batch).pages]
        self.assertEqual(sorted(n for n in names if n != "00 new meanwhile.png"), [f"{n}.png" for n in range(6)])

    def bring(self, waiting: Waiting, tell: object, cancel: CancelToken) -> None:
        import_files(
            acting(self.ws, self.who), self.line, self.pool, self.routine, waiting.files, into=waiting.into,  # type: ignore[arg-type]
            progress=tell, cancel=cancel, waiting=waiting,  # type: ignore[arg-type]
        )  # fmt: skip

    def test_it_is_ones_own_and_can_be_forgotten(self) -> None:
        me = acting(self.ws, self.who)
        note_waiting(me, Waiting("one", self.routine.id, (self.folder / "a.png", self.folder / "b.png")))
        self.assertEqual([w.left for w in list_waiting(me)], [2])
        forget_waiting(me, "one")
        self.assertEqual(list_waiting(me), [])


class Texts(DataTest):
    def test_a_text_is_its_persons_and_goes_with_a_document_that_is_erased(self) -> None:
        ws = self.demo_workspace()
        me, other = acting(ws, ME), acting(ws, OTHER)
        gone, stays = filed_ids(ws, "Letters")[:2]
        first = Noted(DOCUMENTS, gone, "Subject", "typed", "a secret that stood there", 3, "a caption", "Letters")
        note_typed(
            me, [first, Noted(DOCUMENTS, MANY.join((gone, stays)), "tags", "x"), Noted("bench b", "d", "f", "y")]
        )
        self.assertEqual({n.key[:2] for n in list_noted(me)},
                         {(DOCUMENTS, gone), (DOCUMENTS, MANY.join((gone, stays))), ("bench b", "d")})  # fmt: skip
        self.assertEqual(list_noted(other), ())
        note_typed(me, [], [("bench b", "d", "f")])
        deleting.delete_documents(me, [gone], "sent twice")
        deleting.empty_trash(me, [gone])
        self.assertEqual(list_noted(me), (), "nor what was typed for it and others together")
        note_typed(me, [first])
        self.assertNotIn(gone, [n.subject for n in list_noted(me)], "nothing is noted over words of an erased document")
