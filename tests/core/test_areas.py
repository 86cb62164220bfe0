"""Storage areas: what is filed lies where its cabinet says, is read from any, told when one is away, and verified in all."""

from __future__ import annotations

import shutil
from unittest.mock import Mock, patch

from sqlalchemy import text

from keybundle.core.base.progress import CancelToken, Step
from keybundle.core.store.files import MARKER
from keybundle.core.store.moving import move_directory
from keybundle.core.workflows.file.filing import file_documents
from keybundle.core.workflows.keep.areas import relocating
from keybundle.core.workflows.keep.documents import browsing
from keybundle.core.workflows.keep.trash import deleting
from keybundle.core.workflows.keep.trash.erasing import finish_erasing
from keybundle.core.workflows.oversee.forgetting import tidy_up
from keybundle.core.workflows.oversee.verify import verify
from keybundle.core.workflows.prepare.cabinets import areas
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.session.opening import open_workspace
from tests.support import DataTest, acting, filed_ids, scanned_template, shared_pool


class Areas(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = open_workspace(self.demo_data(scanned=True))
        self.addCleanup(self.ws.close)
        self.me, self.batch = acting(self.ws, "Oswinna Reedmace"), scanned_template()[1]
        self.archive = self.folder / "archive"
        self.archive.mkdir()

        def change(setup):  # type: ignore[no-untyped-def]
            area = type(setup.storage_areas[0])(name="Archive", id="archive", path=str(self.archive))
            kept = tuple(
                c.model_copy(update={"storage_area": "archive"}) if c.id == "Boats" else c for c in setup.cabinets
            )
            return setup.model_copy(update={"storage_areas": (*setup.storage_areas, area), "cabinets": kept})

        self.ws.change_setup(self.me.person, change)

    def test_files_lie_where_the_cabinet_says_and_are_read_from_there(self) -> None:
        filed = file_documents(self.me, shared_pool(), self.batch)
        ids = [e.id for e in filed.entries if e.path[0] == "Boats"]
        self.assertTrue(ids)
        files = self.ws.place.files
        for document in map(self.ws.repository.load, ids):
            for sha in (document.pdf_sha, *(p.file_sha for p in document.pages)):
                there = self.archive / sha[:2] / sha[2:4] / sha
                self.assertEqual(there.read_bytes(), files.own_path(sha).read_bytes())
                files.own_path(sha).unlink()
                self.assertEqual(files.path(sha), there, "read from where it is")
        others = [e.id for e in filed.entries if e.path[0] != "Boats"]
        self.assertTrue(others)
        self.assertFalse(any((self.archive / self.ws.repository.load(i).pdf_sha[:2]).exists() for i in others))
        with self.ws.place.database.read() as c:
            sizes = c.execute(
                text("SELECT COUNT(*), MIN(size) FROM stored_file WHERE at > (SELECT MAX(created_at) FROM batch)")
            )
            self.assertGreater(sizes.one()[1], 0, "sizes are true")

    def test_an_area_that_is_away_leaves_the_document_ready_and_it_is_filed_once_it_is_back(self) -> None:
        away = self.folder / "away"
        self.archive.rename(away)
        filed = file_documents(self.me, shared_pool(), self.batch)
        self.assertTrue(filed.left and all("is not there just now" in why for _, why in filed.left))
        self.assertFalse([e for e in filed.entries if e.path[0] == "Boats"])
        self.assertFalse(self.archive.exists(), "no folder is made in the place of a disk that is not there")
        away.rename(self.archive)
        again = file_documents(self.me, shared_pool(), self.batch)
        self.assertEqual((len(again.entries), again.left), (len(filed.left), []))
        self.assertTrue(verify(self.me).is_whole)

    def put(self, cabinet: str, area: str) -> None:
        def change(setup):  # type: ignore[no-untyped-def]
            kept = tuple(c.model_copy(update={"storage_area": area}) if c.id == cabinet else c for c in setup.cabinets)
            return setup.model_copy(update={"cabinets": kept})

        self.ws.change_setup(self.me.person, change)

    def lies_there(self) -> set[str]:
        return {p.name for p in self.archive.rglob("*") if p.is_file() and p.name != MARKER}

    def test_files_follow_their_cabinet_and_their_folder_to_another_area_and_back(self) -> None:
        file_documents(self.me, shared_pool(), self.batch)
        boats = self.lies_there()
        self.assertTrue(boats)
        self.put("Purchasing", "archive")
        astray = relocating.count_astray(self.me)
        self.assertGreater(astray, 0)
        # It is stopped after two files, and goes on where it was.
        token = CancelToken()
        steps: list[int] = []

        def stop_early(step: Step) -> None:
            steps.append(step.done)
            if step.done == 2:
                token.cancel()

        self.assertEqual(relocating.relocate(self.me, progress=stop_early, cancel=token).brought, 2)
        self.assertEqual(relocating.count_astray(self.me), astray - 2)
        self.assertEqual(relocating.relocate(self.me).brought, astray - 2)
        self.assertEqual((relocating.count_astray(self.me), verify(self.me).is_whole), (0, True))
        for document in (d for i in filed_ids(self.ws) if (d := self.ws.repository.load(i)).cabinet == "Purchasing"):
            self.assertLessEqual({p.file_sha for p in document.pages} | {document.pdf_sha}, self.lies_there())
        # Back again: what lies there since more than an hour goes, as far as no folder needs it there.
        self.put("Purchasing", self.ws.setup.storage_areas[0].id)
        own = next(d for i in filed_ids(self.ws, "Purchasing") if (d := self.ws.repository.load(i)))
        areas.set_area(self.me, "Purchasing", [value for _, value in own.folder], "archive")
        with patch("keybundle.core.store.files.MAY_BE_SOMEBODYS", 0.0):
            found = relocating.relocate(self.me)
        self.assertEqual((found.brought, found.left), (0, []))
        self.assertLessEqual(boats | {p.file_sha for p in own.pages} | {own.pdf_sha}, self.lies_there())
        self.assertEqual(len(self.lies_there()), areas.list_areas(self.me)[1].files)
        self.assertLess(len(self.lies_there()), astray + len(boats))
        self.assertEqual((relocating.count_astray(self.me), verify(self.me).is_whole), (0, True))

    def test_an_area_without_room_or_away_is_told_and_the_rest_goes_on(self) -> None:
        with patch("keybundle.core.workflows.keep.areas.places.shutil.disk_usage", return_value=Mock(free=100 << 20)):
            filed = file_documents(self.me, shared_pool(), self.batch)
        self.assertTrue(filed.left and all("has only 100 MB left" in why for _, why in filed.left))
        self.put("Purchasing", "archive")
        away = self.archive.rename(self.folder / "away")
        self.assertTrue(areas.list_areas(self.me)[1].is_away)
        found = relocating.relocate(self.me)
        self.assertEqual((found.brought, len(found.left)), (0, relocating.count_astray(self.me)))
        away.rename(self.archive)
        self.assertEqual(relocating.relocate(self.me).left, [])
        self.assertFalse(areas.list_areas(self.me)[1].is_away)

    def test_a_mount_point_whose_disk_is_away_is_no_area_and_another_disk_is_told(self) -> None:
        self.put("Purchasing", "archive")
        relocating.relocate(self.me)
        away = self.archive.rename(self.folder / "away")
        self.archive.mkdir()  # as the mount point is, empty
        found = relocating.relocate(self.me)
        self.assertTrue(areas.list_areas(self.me)[1].is_away)
        filed = file_documents(self.me, shared_pool(), self.batch)
        self.assertTrue(filed.left and all("is not there just now" in why for _, why in filed.left))
        self.assertEqual((found.brought, list(self.archive.iterdir())), (0, []), "nothing is written below it")
        (self.archive / MARKER).write_text("loft")
        self.assertIn("another storage area", file_documents(self.me, shared_pool(), self.batch).left[0][1])
        shutil.rmtree(self.archive)
        away.rename(self.archive)
        self.assertEqual(file_documents(self.me, shared_pool(), self.batch).left, [])
        self.assertTrue(verify(self.me).is_whole)

    def test_an_area_of_the_data_directory_moves_along_and_one_that_was_moved_by_hand_is_known_by_its_marker(
        self,
    ) -> None:
        own = areas.add_area(self.me, "Loft")
        self.put("Purchasing", own)
        relocating.relocate(self.me)
        self.ws.close()
        move_directory(self.folder / "data", self.folder / "moved")
        ws = open_workspace(self.folder / "moved", held=True)
        self.addCleanup(ws.close)
        me = acting(ws, "Oswinna Reedmace")
        tidy_up(me)
        self.assertFalse(any(a.is_away for a in areas.list_areas(me)))
        self.assertTrue(verify(me).is_whole)
        area = next(a for a in ws.setup.storage_areas if a.id == own)
        (self.folder / "moved" / area.path).rename(self.folder / "elsewhere")
        (self.folder / "empty").mkdir()
        with self.assertRaises(parts.PartProblem):
            parts.save_part(me, "storage_areas", parts.change_part(area, {"path": str(self.folder / "empty")}))
        parts.save_part(me, "storage_areas", parts.change_part(area, {"path": str(self.folder / "elsewhere")}))
        self.assertTrue(verify(me).is_whole)

    def test_all_areas_are_verified_and_emptied(self) -> None:
        filed = file_documents(self.me, shared_pool(), self.batch)
        document = self.ws.repository.load(next(e.id for e in filed.entries if e.path[0] == "Boats"))
        copy = self.archive / document.pdf_sha[:2] / document.pdf_sha[2:4] / document.pdf_sha
        copy.write_bytes(b"damaged")
        self.assertIn((document.pdf_sha, "changed"), verify(self.me).bad)
        shutil.copy(self.ws.place.files.own_path(document.pdf_sha), copy)
        self.assertTrue(verify(self.me).is_whole)
        with self.ws.place.database.atomic() as c:
            c.execute(text("UPDATE batch SET closed_at = '2026-01-01'"))
        deleting.delete_documents(self.me, [document.id], "sent twice")
        away = self.archive.rename(self.folder / "away")
        self.assertGreater(deleting.empty_trash(self.me, [document.id]).due, 0)
        away.rename(self.archive)
        self.assertTrue(copy.exists(), "its disk was away")
        with patch("keybundle.core.store.files.MAY_BE_SOMEBODYS", 0.0):
            self.assertEqual((finish_erasing(self.ws), copy.exists()), (0, False))
        self.assertEqual(len(browsing.list_cabinets(self.me)), 4)
