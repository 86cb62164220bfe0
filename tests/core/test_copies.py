"""Copies at filing: written behind it, whole, once, tried again while the folder is away, and never in its way."""

from __future__ import annotations

import typing
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

import pikepdf

from keybundle.core.base.clock import Clock
from keybundle.core.base.progress import CancelToken, Progress, silent
from keybundle.core.export.forms import FORMS
from keybundle.core.setup.routines import SentForm
from keybundle.core.workflows.file.filing import Filed, file_documents, take_back
from keybundle.core.workflows.keep.documents.story import load_story
from keybundle.core.workflows.prepare.parts.parts import change_part, save_part
from keybundle.core.workflows.send import copies
from keybundle.core.workflows.send.behind import work_behind
from keybundle.core.workflows.send.copies import tell_trouble, write_due
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.demo.names import PEOPLE
from tests.support import DataTest, acting, is_copy, scanned_template, shared_pool

WHO = PEOPLE[0][0]


class CopiesAtFiling(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.later = timedelta()
        clock = Clock(now=lambda: datetime.now(UTC) + self.later)
        self.ws: Workspace = open_workspace(self.demo_data(scanned=True), clock=clock)
        self.addCleanup(self.ws.close)
        self.batch = scanned_template()[1]
        self.out = self.folder / "out"
        post = self.ws.setup.routine("Post")
        assert post is not None
        kept = {"folder": str(self.out), "form": "pdfa", "names": "{caption}", "sub_folders": "{type}/{filed}"}
        save_part(acting(self.ws, WHO), "routines", change_part(post, {"copies": kept}))

    def file(self, progress: Progress = silent, cancel: CancelToken | None = None) -> Filed:
        filed = file_documents(acting(self.ws, WHO), shared_pool(), self.batch, progress=progress, cancel=cancel)
        self.assertTrue(filed.entries, "something was ready")
        return filed

    def written(self) -> list[Path]:
        return sorted(p for p in self.out.rglob("*") if p.is_file())

    def test_the_forms_of_the_set_up_are_those_that_documents_leave_in(self) -> None:
        self.assertEqual(set(typing.get_args(SentForm)), {f.key for f in FORMS})

    def test_what_is_filed_is_written_once_and_told_in_its_story(self) -> None:
        self.out.mkdir()
        filed = self.file()
        self.assertEqual(self.written(), [], "the filing does not wait for it")
        self.assertEqual(write_due(self.ws, shared_pool()), "")
        self.assertEqual(len(self.written()), len(filed.entries))
        for entry in filed.entries:
            document = self.ws.repository.load(entry.id)
            (path,) = [p for p in self.written() if is_copy(p.read_bytes(), self.ws.place.files.get(document.pdf_sha))]
            with pikepdf.open(path) as pdf:
                self.assertEqual(pdf.docinfo["/Title"], document.caption, "the file that is kept has no title")
            self.assertEqual(path.parent.parent.name, document.type)
            story = [(h.what, h.detail.get("how")) for h in load_story(acting(self.ws), entry.id)]
            self.assertEqual(story, [("filed", None), ("sent", "copy")])
        write_due(self.ws, shared_pool(), at_once=True)
        self.assertEqual(len(self.written()), len(filed.entries))

    def test_a_folder_that_is_away_is_told_and_tried_again_later(self) -> None:
        filed = self.file()
        self.assertIn("is not there", write_due(self.ws, shared_pool()))
        self.assertTrue(tell_trouble(self.ws).startswith(f"{len(filed.entries)} cop"))
        self.out.mkdir()
        self.assertIn("is not there", write_due(self.ws, shared_pool()), "not yet time for another try")
        self.assertEqual(self.written(), [])
        self.later = timedelta(seconds=11)
        self.assertEqual(write_due(self.ws, shared_pool()), "")
        self.assertEqual(len(self.written()), len(filed.entries))

    def test_a_crash_between_the_file_and_its_note_writes_no_second_one(self) -> None:
        self.out.mkdir()
        filed = self.file()
        with mock.patch.object(copies, "_end", side_effect=KeyboardInterrupt), self.assertRaises(KeyboardInterrupt):
            write_due(self.ws, shared_pool())
        self.assertEqual(len(self.written()), 1)
        write_due(self.ws, shared_pool(), at_once=True)
        self.assertEqual(len(self.written()), len(filed.entries))
        self.assertFalse([p for p in self.out.rglob("*") if p.name.startswith(".")])

    def test_what_was_taken_back_before_is_written_no_more_and_other_files_stay(self) -> None:
        filed = self.file()
        for document in self.ws.batches.load(self.batch).in_order():
            if document.filed_id == filed.entries[0].id:
                take_back(acting(self.ws, WHO), self.batch, document.id)
        self.out.mkdir()
        second = self.ws.repository.load(filed.entries[1].id)
        write_due(self.ws, shared_pool(), at_once=True)
        self.assertEqual(len(self.written()), len(filed.entries) - 1)
        self.assertTrue(any(is_copy(p.read_bytes(), self.ws.place.files.get(second.pdf_sha)) for p in self.written()))

    def test_stopped_between_two_what_is_left_stays_due(self) -> None:
        self.out.mkdir()
        filed = self.file()
        write_due(self.ws, shared_pool(), is_stopped=lambda: bool(self.written()))
        self.assertEqual(len(self.written()), 1)
        write_due(self.ws, shared_pool())
        self.assertEqual(len(self.written()), len(filed.entries))

    def test_a_thread_of_its_own_writes_them_and_says_what_is_in_the_way(self) -> None:
        filed = self.file()
        copier = work_behind(self.ws, shared_pool(), look_seconds=0.05)
        try:
            end = CancelToken()
            while "is not there" not in copier.problem and not end.wait(0.05):
                pass
            self.out.mkdir()
            copier.retry()
            while copier.problem and not end.wait(0.05):
                pass
            self.assertEqual(len(self.written()), len(filed.entries))
        finally:
            copier.close()
