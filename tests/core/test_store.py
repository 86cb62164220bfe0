"""The database, the files, the holder rules, and the audit trail recomputed outside Python."""

from __future__ import annotations

import errno
import os
import sqlite3
import subprocess
import sys
from pathlib import Path
from unittest import mock

from sqlalchemy import create_engine, inspect, select, text

from keybundle.core.base.errors import AppError, Cancelled, EnvironmentProblem, Held
from keybundle.core.base.progress import CancelToken, Step
from keybundle.core.batches.model import balance
from keybundle.core.repository import audit, folders
from keybundle.core.store import ledger, reserve, schema
from keybundle.core.store.files import FolderStore
from keybundle.core.store.moving import LEFT_BEHIND, move_directory
from keybundle.core.store.place import hold, open_place
from keybundle.core.workflows.find.find import find
from keybundle.core.workflows.oversee.forgetting import tidy_up
from keybundle.core.workflows.oversee.verify import verify
from keybundle.core.workflows.prepare.registers import registers
from keybundle.core.workflows.session.opening import OpenWorkspace, open_workspace
from keybundle.core.workflows.session.signing_in import machine_session
from keybundle.core.workflows.session.source_states import load_states
from tests.support import ROOT, DataTest, acting, filed_ids, run_cli


class Schema(DataTest):
    def test_migrations_make_what_the_schema_says(self) -> None:
        place = open_place(self.folder)
        self.addCleanup(place.close)
        engine = create_engine(f"sqlite:///{place.database.path}")
        found, dialect = inspect(engine), engine.dialect
        for table in schema.metadata.sorted_tables:
            made = {
                c["name"]: (c["type"].compile(dialect), c["nullable"], bool(c["primary_key"]))
                for c in found.get_columns(table.name)
            }
            wanted = {c.name: (c.type.compile(dialect), bool(c.nullable), c.primary_key) for c in table.columns}
            self.assertEqual(made, wanted, table.name)
            indexes = {i["name"]: [str(n) for n in i["column_names"]] for i in found.get_indexes(table.name)}
            self.assertEqual(indexes, {i.name: [c.name for c in i.columns] for i in table.indexes})
            keys = {(tuple(k["constrained_columns"]), k["referred_table"]) for k in found.get_foreign_keys(table.name)}
            self.assertEqual(keys, {((k.parent.name,), k.column.table.name) for k in table.foreign_keys})
        engine.dispose()

    def test_a_kept_store_of_every_released_schema_opens(self) -> None:
        kept_stores = sorted((ROOT / "tests" / "stores").glob("*.sql"))
        self.assertTrue(kept_stores)
        for kept in kept_stores:
            workspace = self.kept(kept.stem)
            self.addCleanup(workspace.close)
            batch = workspace.batches.load("b1")
            self.assertEqual((batch.routine, balance(batch).waiting, batch.pages[0].stage.value), ("Post", 1, "failed"))
            tagged = [(h.id, h.tags) for h in find(acting(workspace), 'tag = "äusserst dringend" Title = GRÖSSE').hits]
            self.assertEqual(tagged, [("d1", ("Äußerst dringend",))])

    def test_what_was_due_in_five_places_is_due_in_one_and_the_ledger_is_what_the_tables_say(self) -> None:
        due = (
            "INSERT INTO copy_due(id, document_id, who, copies, tries, next_at, trouble) VALUES "
            "(7, 'd1', 'person-1', '{\"folder\": \"/out\"}', 3, '2026-02-01T00:00:00.000+00:00', 'It is away.');"
            "INSERT INTO erase_due(name, is_file, stored_at) VALUES ('beef', 1, '2026-01-02T00:00:00.000+00:00');"
            "INSERT INTO erase_due(name, is_file, stored_at) VALUES ('a page', 0, '2026-01-02T00:00:00.000+00:00');"
            "INSERT INTO setting(name, value) VALUES ('copy leaving loft/cafe', '[\"loft\", \"cafe\"]');"
            'INSERT INTO setting(name, value) VALUES (\'register source keepers\', \'{"id": "keepers", "at": "2026-01-03",'
            ' "tried_at": "2026-01-04T00:00:00.000+00:00", "trouble": "No server."}\');'
            "UPDATE batch_document SET claim = 'a filing that is no more';"
        )
        workspace = self.kept("0002", due)
        self.addCleanup(workspace.close)
        with workspace.place.database.read() as c:
            found = {(r.kind, r.ref): r for r in c.execute(select(schema.work)).all()}
            gaps = [gap for gap in ledger.find_gaps(c) if gap[0].startswith("noted") or gap[0] == "not noted"]
            uses = c.execute(text("SELECT count(*) FROM file_use")).scalar()
            unmade = c.execute(text("SELECT count(*) FROM rendition WHERE sha IS NULL")).scalar()
            states = load_states(c)
        self.assertEqual((gaps, bool(uses)), ([], True))
        copied, erased = found["copy", "d1"], found["erase", "beef"]
        self.assertEqual((copied.data["copies"], copied.tries, copied.trouble), ({"folder": "/out"}, 3, "It is away."))
        self.assertEqual(erased.data["since"], "2026-01-02T00:00:00.000+00:00")
        self.assertEqual(sum(kind == "rendition" for kind, _ in found), unmade)
        self.assertLessEqual({("erase pictures", "a page"), ("leaving", "loft/cafe")}, set(found))
        self.assertEqual((states["keepers"].at, states["keepers"].trouble), ("2026-01-03", "No server."))
        self.assertFalse(any(d.claim for d in workspace.batches.load("b1").documents.values()))
        self.assertIsNone(workspace.setting("register source keepers"))

    def test_a_renaming_that_was_stopped_goes_on_in_a_kept_store(self) -> None:
        workspace = self.kept("0002")
        self.addCleanup(workspace.close)
        tidy_up(machine_session(workspace))
        found = [(d.caption, [v for _, v in d.folder]) for d in map(workspace.repository.load, filed_ids(workspace))]
        self.assertEqual(found.count(("Dock Pike", ["Dock", "Pike"])), 2, found)
        with workspace.place.database.read() as c:
            led = {
                name: folders.led(c, "Yard", (name, "Pike")) for name in ("Alder", "Birch", "Cress", "Dock", "Elder")
            }
        self.assertEqual({n: p[0] for n, p in led.items()}, {**dict.fromkeys(led, "Dock"), "Elder": "Elder"})
        boss = acting(workspace)
        (past,) = registers.list_entries_history(boss, "keepers")
        registers.go_back_entries(boss, "keepers", past.seq)
        self.assertEqual([e["Keeper"] for e in workspace.entries("keepers")], ["Pike", "Rudd"])

    def test_folders_that_led_in_circles_are_brought_together_and_the_old_store_is_kept_until_the_next_start(
        self,
    ) -> None:
        rows = [  # id, parent, level, value, path, documents, became
            (2, 1, 0, "Alder", "Alder", 0, 2), (3, 1, 0, "Birch", "Birch", 0, 4), (4, 1, 0, "Cress", "Cress", 0, 3),
            (5, 1, 0, "Dock", "Dock", 0, 6), (6, 1, 0, "Elder", "Elder", 0, None), (7, 5, 1, "Pike", "Dock\x1fPike", 1, None),
        ]  # fmt: skip
        extra = [
            "INSERT INTO folder(id, cabinet, parent_id, level, field, value, path, folded, documents, last, became) VALUES "
            f"({i}, 'Letters', {parent}, {level}, 'L{level}', '{value}', '{path}', '{path.lower()}', {n}, 0, "
            f"{'NULL' if became is None else became})"
            for i, parent, level, value, path, n, became in rows
        ]
        lies = "UPDATE document SET folder_id = 7; UPDATE version SET folder_id = 7; UPDATE folder SET documents = 0 WHERE id = 1"
        workspace = self.kept("0001", "; ".join([*extra, lies]))
        copy = workspace.place.database.path.with_name("keybundle.sqlite.0001")
        with workspace.place.database.read() as c:
            circles = c.execute(text("SELECT value FROM folder WHERE became = id")).all()
            led = {name: folders.led(c, "Letters", (name,)) for name in ("Alder", "Birch", "Cress", "Dock")}
            there = c.execute(text("SELECT path, documents FROM folder WHERE id = 7")).one()
        self.assertEqual((circles, led["Dock"]), ([], ("Elder",)), "a name that led on leads on")
        self.assertEqual(
            {led[n] for n in ("Alder", "Birch", "Cress")}, {("Alder",), ("Birch",), ("Cress",)}, "none is shut"
        )
        self.assertEqual(tuple(there), ("Elder\x1fPike", 1), "what was left below the old name lies below the new one")
        workspace.close()
        self.assertTrue(copy.exists())
        again = open_workspace(workspace.place.root, held=True)
        tidy_up(machine_session(again))
        self.assertEqual([v for _, v in again.repository.load("d1").folder], ["Elder", "Pike"])
        again.close()
        self.assertFalse(copy.exists(), "once a start went well")

    def test_a_newer_store_is_told_and_not_touched(self) -> None:
        root = self.kept_root("0002", "UPDATE alembic_version SET version_num = '9999'; PRAGMA journal_mode = WAL")
        before = {p.name: p.read_bytes() for p in root.iterdir() if p.is_file()}
        with self.assertRaisesRegex(AppError, "newer"):
            open_workspace(root, held=True)
        self.assertEqual({n: (root / n).read_bytes() for n in before}, before)
        self.assertFalse(list(root.glob("keybundle.sqlite.*")), "nothing is laid beside it")

    def kept_root(self, name: str, also: str = "") -> Path:
        """A data directory with a kept store of a schema in it."""
        root = self.folder / f"kept {name}"
        root.mkdir()
        connection = sqlite3.connect(root / "keybundle.sqlite")
        connection.executescript((ROOT / "tests" / "stores" / f"{name}.sql").read_text() + also)
        connection.close()
        return root

    def kept(self, name: str, also: str = "") -> OpenWorkspace:
        return open_workspace(self.kept_root(name, also), held=True)

    def test_transactions_nest_and_the_first_error_wins(self) -> None:
        place = open_place(self.folder)
        self.addCleanup(place.close)
        add = "INSERT INTO setting(name, value) VALUES (:n, '1')"
        with self.assertRaises(KeyError), place.database.atomic() as c:
            c.execute(text(add), {"n": "outer"})
            raise KeyError
        with place.database.atomic() as c:
            c.execute(text(add), {"n": "kept"})
            with self.assertRaises(KeyError), place.database.atomic() as inner:
                inner.execute(text(add), {"n": "dropped"})
                raise KeyError
        with place.database.read() as c:
            self.assertEqual(list(c.execute(text("SELECT name FROM setting")).scalars()), ["kept"])


class Own(DataTest):
    def test_what_is_made_is_its_owners_alone(self) -> None:
        root = self.folder / "data"
        root.mkdir(mode=0o755)
        (root / "files").mkdir(mode=0o755)
        place = open_place(root)
        self.addCleanup(place.close)
        place.files.put(b"a page")
        with place.database.atomic() as c:
            c.execute(text("INSERT INTO setting(name, value) VALUES ('n', '1')"))
        reserve.keep_reserve(root)
        with hold(root, who="a test"):
            pass
        loose = {
            str(p.relative_to(root)): oct(p.stat().st_mode & 0o777) for p in (root, *root.rglob("*"))
            if p.stat().st_mode & 0o077
        }  # fmt: skip
        self.assertEqual(loose, {})

    def test_room_is_kept_back_and_used_where_the_disk_is_full(self) -> None:
        reserve.keep_reserve(self.folder)
        kept = self.folder / reserve.NAME
        self.assertGreaterEqual(kept.stat().st_blocks * 512, reserve.BYTES, "it takes room, not only a size")
        full = mock.Mock(free=0)
        with mock.patch.object(reserve.shutil, "disk_usage", return_value=full), reserve.making_room(self.folder):
            self.assertFalse(kept.exists())
        self.assertFalse(kept.exists(), "not while the disk is full")
        with reserve.making_room(self.folder):
            self.assertFalse(kept.exists())
        self.assertTrue(kept.exists())


class Files(DataTest):
    def test_a_full_disk_leaves_the_old_state_and_says_so(self) -> None:
        store = FolderStore(self.folder)
        with (
            mock.patch("keybundle.core.base.files.os.fsync", side_effect=OSError(errno.ENOSPC, "full")),
            self.assertRaisesRegex(EnvironmentProblem, "no space left"),
        ):
            store.put(b"a page")
        self.assertEqual([p for p in self.folder.rglob("*") if p.is_file()], [])
        sha = store.put(b"a page")
        # Source: sha256sum of GNU coreutils over the same bytes.
        said = subprocess.run(["sha256sum", store.path(sha)], capture_output=True, text=True, check=True).stdout
        self.assertEqual(said.split()[0], sha)

    def test_a_real_full_disk(self) -> None:
        small = self.folder / "small"
        small.mkdir()
        mounted = subprocess.run(
            ["mount", "-t", "tmpfs", "-o", "size=256k", "none", small], capture_output=True, check=False
        )
        if mounted.returncode:
            return self.test_a_full_disk_leaves_the_old_state_and_says_so()
        self.addCleanup(subprocess.run, ["umount", small], check=False)
        store = FolderStore(small)
        store.put(b"first")
        with self.assertRaisesRegex(EnvironmentProblem, "no space left"):
            store.put(os.urandom(1 << 20))
        self.assertEqual(len([p for p in small.rglob("*") if p.is_file()]), 1)
        return None


class Holding(DataTest):
    def test_one_holder_at_a_time(self) -> None:
        with (
            hold(self.folder, who="the desktop"),
            self.assertRaisesRegex(Held, "in use by the desktop"),
            hold(self.folder, who="another", wait_seconds=0.2),
        ):
            self.fail("held twice")

    def test_looking_goes_on_beside_a_holder(self) -> None:
        data = self.demo_data()
        with hold(data, who="the desktop"):
            self.assertEqual(run_cli("--data", data, "find", "towpath").returncode, 0)
            self.assertEqual(run_cli("--data", data, "verify").returncode, 0)
            self.assertEqual(run_cli("--data", data, "setup", "export", self.folder / "s.toml").returncode, 0)

    def test_without_write_permission(self) -> None:
        data = self.demo_data()
        for path in (data, *data.rglob("*")):
            os.chmod(path, 0o555 if path.is_dir() else 0o444)
        self.addCleanup(lambda: [os.chmod(p, 0o755) for p in (data, *data.rglob("*")) if p.is_dir()])
        code = (
            "import os, sys, sqlalchemy, keybundle.cli.capturing, keybundle.cli.capture; from keybundle.cli.main import main;"
            "sqlalchemy.create_engine('sqlite://').connect().close();"
            "os.setgroups([]); os.setgid(65534); os.setuid(65534); sys.exit(main(sys.argv[1:]))"
        )
        if os.getuid() == 0:
            os.chmod(self.folder, 0o755)
            command = [sys.executable, "-c", code]
        else:
            command = [sys.executable, "-m", "keybundle.cli.main"]
        args = ["--data", str(data), "capture", "--routine", "Files", str(ROOT / "LICENSE")]
        done = subprocess.run([*command, *args], capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 3, done.stderr)
        self.assertIn("permission is missing", done.stderr)


class Trail(DataTest):
    def test_recomputed_by_sha256sum_in_a_shell(self) -> None:
        # Source: the chain as docs/architecture.md tells it, recomputed by bash and GNU sha256sum.
        data = self.demo_data()
        trail = self.folder / "trail.tsv"
        trail.write_text(run_cli("--data", data, "verify", "--trail").stdout)
        script = """previous=$(printf '0%.0s' {1..64})
        while IFS= read -r row; do
          line=${row%$'\\t'*}; said=${row##*$'\\t'}
          hash=$(printf '%s\\n%s' "$previous" "$line" | sha256sum | cut -d' ' -f1)
          [ "$hash" = "$said" ] || { echo "broken: $line"; exit 1; }
          previous=$hash
        done <"$1"; echo "$previous" """
        done = subprocess.run(["bash", "-c", script, "-", trail], capture_output=True, text=True, check=True)
        workspace = self.demo_open(data)
        self.assertEqual(done.stdout.strip(), verify(acting(workspace)).head)

    def demo_open(self, data: Path):  # type: ignore[no-untyped-def]
        from keybundle.core.workflows.session.opening import open_workspace

        workspace = open_workspace(data)
        self.addCleanup(workspace.close)
        return workspace

    def test_tampering_shows(self) -> None:
        workspace = self.demo_workspace()
        database = workspace.place.database
        with database.read() as c:
            self.assertEqual(audit.verify(c), "whole")
            head = audit.head(c)
        for attack, said in (
            ("UPDATE audit SET who = 'Nobody' WHERE seq = 3", "broken at row 3"),
            ("DELETE FROM audit WHERE seq = 4", "broken at row 4"),
            ("UPDATE audit SET seq = CASE seq WHEN 5 THEN -6 WHEN 6 THEN -5 END WHERE seq IN (5, 6)", "broken at row"),
        ):
            with self.assertRaises(RuntimeError), database.atomic() as c:
                c.execute(text(attack))
                self.assertIn(said, audit.verify(c))
                raise RuntimeError
        with database.atomic() as c:
            c.execute(text("DELETE FROM audit WHERE seq = (SELECT max(seq) FROM audit)"))
            self.assertEqual(audit.verify(c), "whole")
            self.assertNotEqual(audit.head(c), head, "a cut tail shows against the head on the filing record")

    def test_a_changed_file_is_found(self) -> None:
        workspace = self.demo_workspace()
        self.assertTrue(verify(acting(workspace)).is_whole)
        victim = next(p for p in workspace.place.files.root.rglob("*") if p.is_file())
        victim.write_bytes(victim.read_bytes() + b"x")
        self.assertEqual(verify(acting(workspace)).bad, ((victim.name, "changed"),))


class Moving(DataTest):
    def listed(self, root: Path) -> dict[str, bytes]:
        names = (p for p in root.rglob("*") if p.is_file())
        return {
            str(p.relative_to(root)): p.read_bytes() for p in names if p.relative_to(root).parts[0] not in LEFT_BEHIND
        }

    def test_a_data_directory_is_renamed_or_copied_and_compared_and_stays_whole_until_then(self) -> None:
        data = self.demo_data()
        before = self.listed(data)
        (self.folder / "full").mkdir()
        (self.folder / "full" / "something").write_text("x")
        for target, said in ((data / "inside", "inside"), (self.folder / "full", "not an empty folder")):
            with self.assertRaisesRegex(EnvironmentProblem, said):
                move_directory(data, target)
        move_directory(data, self.folder / "renamed")
        self.assertEqual(self.listed(self.folder / "renamed"), before)
        other_disk = mock.patch.object(Path, "rename", side_effect=OSError(errno.EXDEV, "another disk"))
        token, steps = CancelToken(), list[Step]()

        def stop_soon(step: Step) -> None:
            steps.append(step)
            if step.done == 3:
                token.cancel()

        with other_disk, self.assertRaises(Cancelled):
            move_directory(self.folder / "renamed", self.folder / "copied", progress=stop_soon, cancel=token)
        self.assertEqual((len(steps), (self.folder / "copied").exists()), (3, False))
        full = mock.patch("keybundle.core.store.moving._write", side_effect=OSError(errno.ENOSPC, "no space"))
        with other_disk, full, self.assertRaises(EnvironmentProblem):
            move_directory(self.folder / "renamed", self.folder / "copied")
        torn = mock.patch("keybundle.core.store.moving._digest", return_value="")
        with other_disk, torn, self.assertRaisesRegex(EnvironmentProblem, "is not what was read"):
            move_directory(self.folder / "renamed", self.folder / "copied")
        self.assertEqual(self.listed(self.folder / "renamed"), before, "the old place stays whole")
        with other_disk:
            move_directory(self.folder / "renamed", self.folder / "copied")
        self.assertEqual((self.listed(self.folder / "copied"), (self.folder / "renamed").exists()), (before, False))
        ws = open_workspace(self.folder / "copied")
        self.assertTrue(verify(acting(ws)).is_whole)
        ws.close()
