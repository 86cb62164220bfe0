"""What the store, the set-up and the command line promise where several act at once, or where something is damaged."""

from __future__ import annotations

import os
import threading
from datetime import UTC, datetime
from unittest import mock

from sqlalchemy import text
from sqlalchemy.exc import OperationalError

from keybundle.cli import main as cli
from keybundle.core.base.clock import Clock
from keybundle.core.base.errors import EnvironmentProblem, InputProblem, OldFormat
from keybundle.core.batches import commands
from keybundle.core.batches.model import Page, State
from keybundle.core.batches.seen import seen
from keybundle.core.fields.values import FieldValue
from keybundle.core.registers.book import Book
from keybundle.core.store.files import FolderStore
from keybundle.core.workflows.file.closing import close_batch
from keybundle.core.workflows.index import slip_help
from keybundle.core.workflows.oversee import worklist
from keybundle.core.workflows.oversee.verify import verify
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.prepare.parts.setup_admin import import_setup
from keybundle.core.workflows.prepare.types import types
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.signing_in import begin_repository
from keybundle.demo import seed
from tests.core.test_batches import fill
from tests.support import DataTest, acting, add_page


class Fixture(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.root = self.folder / "data"
        self.ws = open_workspace(self.root)
        self.addCleanup(lambda: self.ws.close())
        seed.begin(self.ws)
        self.who = self.ws.person(None).id
        self.reader = next(p.name for p in self.ws.setup.people if "reader" in p.roles)


class StoredFiles(DataTest):
    def test_a_damaged_original_is_healed_when_its_bytes_come_again(self) -> None:
        store = FolderStore(self.folder)
        sha = store.put(b"the page")
        for damage in (b"", b"the pag3"):
            store.path(sha).write_bytes(damage)
            self.assertEqual(store.check(sha), "changed")
            self.assertEqual((store.put(b"the page"), store.check(sha)), (sha, ""))
        (self.folder / "in.bin").write_bytes(b"the page")
        store.path(sha).write_bytes(b"x")
        self.assertEqual(store.put_file(self.folder / "in.bin", "in.bin"), sha)
        self.assertEqual(store.put_file(self.folder / "in.bin", "in.bin"), sha)
        self.assertEqual(store.check(sha), "")
        with self.assertRaisesRegex(InputProblem, "“gone.bin” is not there"):
            store.put_file(self.folder / "gone.bin", "gone.bin")

    def test_names_are_on_the_disk_and_are_their_owners_alone(self) -> None:
        synced: list[str] = []
        was = os.fsync

        def watch(fd: int) -> None:
            synced.append(os.readlink(f"/proc/self/fd/{fd}"))
            was(fd)

        store = FolderStore(self.folder / "area")
        with mock.patch("os.fsync", watch):
            sha = store.put(b"x")
        path = store.path(sha)
        for folder in (path.parent, path.parent.parent, self.folder / "area", self.folder):
            self.assertIn(str(folder), synced)
        self.assertEqual(path.stat().st_mode & 0o777, 0o600)
        self.assertEqual(path.parent.stat().st_mode & 0o777, 0o700)

    def test_verify_goes_on_over_what_cannot_be_read(self) -> None:
        workspace = self.demo_workspace()
        victim = next(p for p in workspace.place.files.root.rglob("*") if p.is_file())
        victim.unlink()
        victim.mkdir()
        found = verify(acting(workspace))
        self.assertEqual([sha for sha, _ in found.bad], [victim.name])
        self.assertIn("cannot be read", found.bad[0][1])


class SetUps(Fixture):
    def test_two_changes_at_once_both_count_and_of_one_part_the_later_is_refused(self) -> None:
        other = open_workspace(self.root)
        self.addCleanup(other.close)
        first, second = self.ws.setup.document_types[0], other.setup.document_types[1]
        parts.save_part(
            acting(self.ws, self.who), "document_types", types.change_type(first, {"caption": "one"}), first
        )
        parts.save_part(
            acting(other, self.who), "document_types", types.change_type(second, {"caption": "two"}), second
        )
        fresh = open_workspace(self.root)
        self.addCleanup(fresh.close)
        self.assertEqual([k.caption for k in fresh.setup.document_types[:2]], ["one", "two"])
        with self.assertRaisesRegex(InputProblem, "changed by somebody else meanwhile"):
            parts.save_part(
                acting(other, self.who), "document_types", types.change_type(first, {"caption": "three"}), first
            )
        post = fresh.setup.routine("Post")
        assert post is not None
        parts.save_part(acting(self.ws, self.who), "routines", parts.change_part(post, {"description": "one"}), post)
        with self.assertRaisesRegex(InputProblem, "“Post” has been changed"):
            parts.save_part(acting(fresh, self.who), "routines", parts.change_part(post, {"description": "two"}), post)

    def test_what_others_remember_changes_with_the_commit_not_before(self) -> None:
        with self.assertRaises(RuntimeError), self.ws.place.database.atomic():
            self.ws.put_setup(self.ws.setup.model_copy(update={"repository": "Another"}), self.who)
            seen: list[str] = []
            thread = threading.Thread(target=lambda: seen.append(self.ws.setup.repository))
            thread.start()
            thread.join()
            self.assertEqual(seen, ["Larkmere Navigation Trust"])
            raise RuntimeError
        self.assertEqual(self.ws.setup.repository, "Larkmere Navigation Trust")

    def test_who_may_only_look_sets_nothing_up(self) -> None:
        path = self.folder / "s.toml"
        path.write_text('schema_version = 1\nrepository = "Mine"\n')
        with self.assertRaisesRegex(InputProblem, "may only look"):
            import_setup(acting(self.ws, self.reader), path)
        with self.assertRaisesRegex(InputProblem, "has begun already"):
            begin_repository(self.ws, "Mine", "Me")

    def test_a_copy_of_a_store_is_whole(self) -> None:
        copy = self.folder / "copy" / "keybundle.sqlite"
        copy.parent.mkdir()
        self.ws.place.database.copy_to(copy)
        again = open_workspace(copy.parent)
        self.addCleanup(again.close)
        self.assertEqual(again.setup, self.ws.setup)

    def test_an_older_or_foreign_store_is_left_alone(self) -> None:
        database = self.ws.place.database
        for change, error, said in (
            ("UPDATE alembic_version SET version_num = '0000'", EnvironmentProblem, "start the desktop once"),
            ("UPDATE store_format SET stamp = 9", OldFormat, "format 9"),
            ("DROP TABLE store_format", OldFormat, "format 1"),
        ):
            with database.atomic() as c:
                c.execute(text(change))
            before = database.path.read_bytes()
            with self.assertRaisesRegex(error, said):
                open_workspace(self.root, create=False)
            self.assertEqual(database.path.read_bytes(), before)
        self.assertEqual(cli.main(["--data", str(self.root), "find", "gate"]), 3)


class Hands(Fixture):
    """Two people at one batch."""

    def test_they_collide_only_on_the_same_page_or_field(self) -> None:
        batch_id = fill(self.ws, pages=4)
        before = self.ws.batches.load(batch_id)
        first, second = (before.pages[i].id for i in (0, 2))
        turn = lambda page: lambda b: commands.turn(b, [page], 90)  # noqa: E731
        with seen(batch_id, before.revision):
            self.ws.batches.apply(batch_id, "one", "turn", turn(first))
            self.ws.batches.apply(batch_id, "two", "turn", turn(second))
            self.ws.batches.apply(batch_id, "one", "turn", turn(first))
            with self.assertRaisesRegex(InputProblem, r"one has changed the same meanwhile \(turn\)"):
                self.ws.batches.apply(batch_id, "two", "turn", turn(first))
        document = before.in_order()[0].id
        for who, name in (("one", "Sender"), ("two", "Subject")):
            value = {name: FieldValue((who,), 1.0, sure=True, confirmed_by=who)}
            give = lambda b, v=value: commands.set_values(b, document, v)  # noqa: E731
            with seen(batch_id, before.revision):
                self.ws.batches.apply(batch_id, who, name, give)

    def test_a_batch_is_closed_by_who_may_and_leaves_a_trace(self) -> None:
        batch_id = self.ws.batches.create("Post", "test", self.who)
        self.ws.batches.end_capture(batch_id)
        with self.assertRaisesRegex(InputProblem, "may only look"):
            close_batch(acting(self.ws, self.reader), batch_id)
        close_batch(acting(self.ws, self.who), batch_id)
        with self.ws.place.database.read() as c:
            rows = c.execute(text("SELECT who, what FROM audit WHERE subject = :b"), {"b": batch_id}).all()
        self.assertEqual([tuple(r) for r in rows], [(self.who, "batch closed")])
        with self.assertRaisesRegex(InputProblem, "closed"):
            self.ws.batches.reopen_capture(batch_id)

    def test_starters_belong_to_their_type_and_their_maker(self) -> None:
        given = {"Subject": "Gates"}
        one, two = [p.name for p in self.ws.setup.people if "operator" in p.roles][:2]
        slip_help.keep_starter(acting(self.ws, one), "Letter", "mine", given)
        with self.assertRaisesRegex(InputProblem, f"is {one}'s"):
            slip_help.keep_starter(acting(self.ws, two), "Letter", "mine", given)
        with self.assertRaisesRegex(InputProblem, "may only look"):
            slip_help.keep_starter(acting(self.ws, self.reader), "Letter", "another", given)
        with self.assertRaisesRegex(InputProblem, f"is {one}'s"):
            slip_help.drop_starter(acting(self.ws, two), "Letter", "mine")
        slip_help.drop_starter(acting(self.ws, one), "Letter", "mine")
        self.assertEqual(slip_help.list_starters(acting(self.ws), "Letter"), [])


class Small(Fixture):
    def test_an_error_is_not_its_own_cause(self) -> None:
        with self.assertRaises(OperationalError) as told, self.ws.place.database.atomic() as c:
            c.exec_driver_sql("SELECT nothing FROM nowhere")
        self.assertIsNot(told.exception.__cause__, told.exception)

    def test_one_read_sees_one_moment(self) -> None:
        with self.ws.place.database.read() as outer:
            outer.execute(text("SELECT count(*) FROM setting")).scalar()
            other = threading.Thread(target=lambda: self.ws.put_setting("x", 1))
            other.start()
            other.join()
            with self.ws.place.database.read() as inner:
                self.assertEqual(inner.execute(text("SELECT count(*) FROM setting")).scalar(), 0)
        self.assertEqual(self.ws.setting("x"), 1)

    def test_entries_that_differ_in_their_signs_alone_are_told_apart(self) -> None:
        book = Book("Name", [{"Name": "C"}, {"Name": "C++"}, {"Name": "Oxlip & Sons"}])
        self.assertEqual([book.find(x) for x in ("c++", "C")], [{"Name": "C++"}, {"Name": "C"}])
        self.assertEqual(book.find("oxlip sons"), {"Name": "Oxlip & Sons"})

    def test_today_is_the_repositorys_day(self) -> None:
        # Source: IANA time zone database: Pacific/Auckland was 13 hours ahead of UTC on 10 January 2026.
        self.ws.put_setup(self.ws.setup.model_copy(update={"time_zone": "Pacific/Auckland"}), self.who)
        batch_id = self.ws.batches.create("Post", "test", self.who)
        for hour in (10, 11):
            page = Page(f"p{hour}", 0, "s", 0, 1, "front", "0" * 64)
            add_page(self.ws.batches, batch_id, page)
            with self.ws.place.database.atomic() as c:
                at = f"2026-01-10T{hour}:30:00+00:00"
                c.execute(text("UPDATE page SET captured_at = :at WHERE id = :id"), {"at": at, "id": page.id})
        self.ws.clock = Clock(now=lambda: datetime(2026, 1, 10, 12, 0, tzinfo=UTC))
        self.assertEqual(worklist.count_today(acting(self.ws)).sides, 1)

    def test_a_fault_of_the_command_line_is_not_told_as_refused_inputs(self) -> None:
        with (
            self.assertLogs(level="ERROR"),
            mock.patch("keybundle.cli.find.find", side_effect=RuntimeError("a fault")),
        ):
            self.assertEqual(cli.main(["--data", str(self.root), "find", "gate"]), 3)

    def test_states_name_what_is_being_filed(self) -> None:
        batch_id = fill(self.ws, pages=1)
        document = self.ws.batches.load(batch_id).in_order()[0]
        self.assertIs(document.state, State.READING)
        self.assertEqual(self.ws.batches.claim(batch_id, [document.id], "x"), {}, "only what is ready is taken in hand")
