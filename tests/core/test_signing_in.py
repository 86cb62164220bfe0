"""Signing in: who is let in, by what, and what a wrong password costs."""

from __future__ import annotations

import os
import re
import subprocess
import threading
import time
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

from argon2 import PasswordHasher, low_level
from argon2.exceptions import VerificationError, VerifyMismatchError
from sqlalchemy import select

from keybundle.core.base.clock import Clock
from keybundle.core.base.errors import InputProblem
from keybundle.core.rights.model import Right
from keybundle.core.setup.text import load_setup, write_setup
from keybundle.core.store import schema as t
from keybundle.core.workflows.oversee.verify import verify
from keybundle.core.workflows.prepare.parts import parts, setup_admin
from keybundle.core.workflows.session import signing_in
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.session import NotAllowed
from tests.support import DataTest, acting, run_cli

GOOD, OTHER = "seven geese on the weir", "eight geese on the weir"


class Passwords(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.at = datetime(2026, 3, 2, 8, 0, tzinfo=UTC)
        self.clock = Clock(now=lambda: self.at)
        self.ws = open_workspace(self.folder / "data", clock=self.clock)
        self.addCleanup(lambda: self.ws.close())
        self.admin = signing_in.begin_repository(self.ws, "Sallow Mill", "Aldis Rush", GOOD)

    def wait(self, seconds: float) -> None:
        self.at += timedelta(seconds=seconds)

    def test_whoever_begins_is_administrator_and_comes_in_by_account_or_password(self) -> None:
        self.assertTrue(self.admin.may(*Right))
        self.assertEqual(signing_in.sign_in(self.ws, "aldis rush", GOOD), self.admin)
        self.assertEqual(signing_in.sign_in(self.ws, signing_in.system_account(), GOOD), self.admin)
        self.assertEqual(signing_in.sign_in_by_account(self.ws), self.admin)
        with self.assertRaisesRegex(InputProblem, "by their account here, not by choosing a name"):
            signing_in.choose_person(self.ws, "Aldis Rush")
        with mock.patch.dict(os.environ, {"USER": "somebody", "LOGNAME": "somebody"}):
            self.assertEqual(signing_in.sign_in_by_account(self.ws), self.admin, "not what the environment says")

    def test_a_name_that_nobody_has_is_slowed_like_one_that_is_there(self) -> None:
        told: dict[str, list[str]] = {}
        for name in ("Aldis Rush", "Nobody Here", "NOBODY here"):
            for _ in range(5):
                with self.assertRaises(InputProblem) as caught:
                    signing_in.sign_in(self.ws, name, OTHER)
                told.setdefault(name.casefold(), []).append(type(caught.exception).__name__)
        self.assertEqual(told["aldis rush"], ["InputProblem"] * 3 + ["Slowed"] * 2)
        self.assertEqual(told["nobody here"], told["aldis rush"] + ["Slowed"] * 5, "in any case of letters")
        with mock.patch.object(signing_in, "NAMES_COUNTED", 4):
            for n in range(6):
                with self.assertRaises(InputProblem):
                    signing_in.sign_in(self.ws, f"Nobody {n}", OTHER)
        with self.ws.place.database.read() as c:
            names = c.execute(
                select(t.person_secret.c.person).where(t.person_secret.c.person.startswith("name:"))
            ).all()
        self.assertEqual(len(names), 4)
        first = self.ws.setup.people[0]
        other = first.model_copy(update={"id": "other", "name": "Ode Fen", "login": "aldis RUSH"})
        with self.assertRaisesRegex(InputProblem, "is the name of"):
            self.ws.change_setup("", lambda s: s.model_copy(update={"people": (*s.people, other)}))

    def test_twenty_wrong_passwords_cost_more_and_more_time_and_lock_nobody_out(self) -> None:
        tries, waited = 0, 0
        while tries < 20:
            with self.assertRaises(InputProblem) as caught:
                signing_in.sign_in(self.ws, "Aldis Rush", OTHER)
            if isinstance(caught.exception, signing_in.Slowed):
                waited += caught.exception.seconds
                with self.assertRaises(signing_in.Slowed):
                    signing_in.sign_in(self.ws, "Aldis Rush", GOOD)
                self.ws.close()
                self.ws = open_workspace(self.folder / "data", clock=self.clock)
                with self.assertRaises(signing_in.Slowed, msg="a restart does not help"):
                    signing_in.sign_in(self.ws, "Aldis Rush", GOOD)
                self.wait(caught.exception.seconds)
            else:
                self.assertEqual(str(caught.exception), signing_in.WRONG)
                tries += 1
        self.assertGreater(waited, 2000)
        self.wait(300)
        me = signing_in.sign_in(self.ws, "Aldis Rush", GOOD)
        with self.ws.place.database.read() as c:
            refused = select(t.audit.c.seq).where(t.audit.c.what == "sign-in refused")
            self.assertEqual(len(c.execute(refused).all()), 20)
        self.assertTrue(verify(me).is_whole)

    def test_a_clock_that_goes_back_lets_nobody_wait_longer_than_the_longest_wait(self) -> None:
        self.wait(400 * 86400)
        for _ in range(signing_in.FREE_FAILURES):
            with self.assertRaises(InputProblem):
                signing_in.sign_in(self.ws, "Aldis Rush", OTHER)
        self.wait(-400 * 86400)
        for left in (300, 200, 100):
            with self.assertRaises(signing_in.Slowed) as caught:
                signing_in.sign_in(self.ws, "Aldis Rush", GOOD)
            self.assertEqual(caught.exception.seconds, left, "it begins anew, once, and goes down")
            self.wait(100)
        self.assertTrue(signing_in.sign_in(self.ws, "Aldis Rush", GOOD).may(*Right))

    def test_others_write_while_a_password_is_hashed(self) -> None:
        wrote: list[bool] = []

        def hashing(kept: str, password: str) -> bool:
            writer = threading.Thread(target=self.ws.put_setting, args=("n", 1))
            writer.start()
            writer.join(5)
            wrote.append(not writer.is_alive())
            raise VerificationError

        with mock.patch.object(signing_in, "_hasher", lambda: mock.Mock(verify=hashing)):
            for name in ("Aldis Rush", "Nobody Here"):
                with self.assertRaises(InputProblem):
                    signing_in.sign_in(self.ws, name, OTHER)
            with self.assertRaises(InputProblem):
                signing_in.set_password(self.admin, OTHER, old=OTHER)
        self.assertEqual(wrote, [True, True, True])

    def test_a_name_that_nobody_has_is_told_like_a_wrong_password_and_takes_as_long(self) -> None:
        spent = {}
        for name in ("Aldis Rush", "Nobody Here"):
            start = time.perf_counter()
            with self.assertRaisesRegex(InputProblem, re.escape(signing_in.WRONG)):
                signing_in.sign_in(self.ws, name, OTHER)
            spent[name] = time.perf_counter() - start
        self.assertLess(max(spent.values()), 5 * min(spent.values()), "time tells nobody who works here")

    def test_ones_own_password_takes_the_old_one_and_another_ones_the_right(self) -> None:
        with self.assertRaisesRegex(InputProblem, "old password is not right"):
            signing_in.set_password(self.admin, OTHER, old="something else")
        with self.assertRaisesRegex(InputProblem, "at least 8 characters"):
            signing_in.set_password(self.admin, "short", old=GOOD)
        signing_in.set_password(self.admin, OTHER, old=GOOD)
        self.assertEqual(signing_in.sign_in(self.ws, "Aldis Rush", OTHER), self.admin)
        key = parts.add_part(self.admin, "people", "Wenna Sluice")
        person = self.ws.setup.person(key)
        assert person is not None
        parts.save_part(self.admin, "people", parts.change_part(person, {"roles": ("operator",)}), person)
        signing_in.give_password(self.admin, key, GOOD)
        wenna = signing_in.sign_in(self.ws, "Wenna Sluice", GOOD)
        with self.assertRaises(NotAllowed):
            signing_in.give_password(wenna, self.admin.person, GOOD)
        parts.remove_part(self.admin, "people", key)
        with self.assertRaisesRegex(InputProblem, "works here no more"):
            signing_in.sign_in(self.ws, "Wenna Sluice", GOOD)
        self.assertEqual(wenna.holder.rights, frozenset(), "what they had is gone at once")
        with self.assertRaises(NotAllowed):
            setup_admin.list_setup_history(wenna)

    def test_passwords_are_kept_as_argon2id_and_go_out_nowhere(self) -> None:
        with self.ws.place.database.read() as c:
            (kept,) = c.execute(select(t.person_secret.c.hash)).scalars()
        self.assertTrue(kept.startswith("$argon2id$v=19$m=65536,t=3,p=4$"), kept)
        self.assertTrue(PasswordHasher().verify(kept, GOOD))
        # What stands for nobody's takes as long: the same parameters, a salt and a digest of the same length.
        nobodys = [len(x) for x in signing_in.NOBODYS_HASH.split("$")]
        self.assertEqual(nobodys, [len(x) for x in kept.split("$")])
        self.assertFalse(PasswordHasher().check_needs_rehash(signing_in.NOBODYS_HASH))
        with self.assertRaises(VerifyMismatchError):
            PasswordHasher().verify(signing_in.NOBODYS_HASH, GOOD)
        out = self.folder / "out.toml"
        setup_admin.export_setup(self.admin, out)
        self.assertNotIn("argon2", out.read_text())
        self.assertNotIn(GOOD, out.read_text())
        again = open_workspace(self.folder / "again")
        self.addCleanup(again.close)
        setup_admin.begin_with_setup(again, out)
        self.assertEqual(again.setup.people, self.ws.setup.people)
        self.assertFalse(signing_in.has_password(again, self.admin.person))

    def test_the_last_who_may_prepare_and_give_rights_stays(self) -> None:
        me = self.ws.setup.person(self.admin.person)
        assert me is not None
        for changes in ({"roles": ("reader",)}, {"active": False}):
            with self.assertRaisesRegex(
                InputProblem, "nobody could prepare and give rights any more.*Nothing was changed"
            ):
                parts.save_part(self.admin, "people", parts.change_part(me, changes), me)
        role = next(r for r in self.ws.setup.roles if r.id == "administrator")
        with self.assertRaisesRegex(InputProblem, "nobody could prepare"):
            parts.save_part(self.admin, "roles", parts.change_part(role, {"rights": (Right.LOOK,)}), role)
        with self.assertRaisesRegex(InputProblem, "administrator is still used by Aldis Rush"):
            parts.remove_part(self.admin, "roles", "administrator")
        key = parts.add_part(self.admin, "people", "Second")
        with self.assertRaisesRegex(InputProblem, "taken already"):
            parts.add_part(self.admin, "people", "second")
        second = self.ws.setup.person(key)
        assert second is not None
        parts.save_part(self.admin, "people", parts.change_part(second, {"roles": ("administrator",)}), second)
        with self.assertRaisesRegex(InputProblem, r"changed by somebody else meanwhile \(roles\)"):
            parts.save_part(self.admin, "people", parts.change_part(second, {"login": "x"}), second)
        parts.save_part(acting(self.ws, "Second"), "people", parts.change_part(me, {"roles": ("reader",)}), me)
        self.assertFalse(self.admin.may(Right.PREPARE))

    def test_the_owner_of_the_directory_brings_the_last_administrator_back(self) -> None:
        self.ws.close()
        secret = self.folder / "new"
        secret.write_text(f"{OTHER}\nnot this line\n")
        data = self.folder / "data"
        done = run_cli("--data", data, "reset-administrator", "--password-file", secret)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.ws = open_workspace(data)
        me = signing_in.sign_in(self.ws, "Aldis Rush", OTHER)
        self.assertTrue(me.may(*Right))
        with self.ws.place.database.read() as c:
            self.assertIn("administrator reset", c.execute(select(t.audit.c.what)).scalars().all())
        with (
            mock.patch("os.getuid", return_value=os.getuid() + 1),
            self.assertRaisesRegex(InputProblem, "belongs to another account"),
        ):
            signing_in.reset_administrator(self.ws, None, GOOD)


class Outside(unittest.TestCase):
    def test_the_library_that_keeps_passwords_computes_argon2id(self) -> None:
        # Source: RFC 9106, section 5.3, the test vector of Argon2id.
        new, keep = low_level.ffi.new, []
        given = [bytes([n]) * length for n, length in ((1, 32), (2, 16), (3, 8), (4, 12))]
        keep = [new("uint8_t[]", data) for data in given]
        out = new("uint8_t[]", 32)
        context = new("argon2_context *", {
            "out": out, "outlen": 32, "version": 0x13, "pwd": keep[0], "pwdlen": 32, "salt": keep[1], "saltlen": 16,
            "secret": keep[2], "secretlen": 8, "ad": keep[3], "adlen": 12, "t_cost": 3, "m_cost": 32, "lanes": 4, "threads": 1,
            "allocate_cbk": low_level.ffi.NULL, "free_cbk": low_level.ffi.NULL, "flags": 0,
        })  # fmt: skip
        self.assertEqual(low_level.core(context, low_level.Type.ID.value), 0)
        tag = "0d640df58d78766c08c037a34a8b53c9d01ef0452d75b65eb52520e96b01e659"
        self.assertEqual(bytes(low_level.ffi.buffer(out, 32)).hex(), tag)


class CommandLine(DataTest):
    def test_a_command_says_who_it_is_by_account_name_or_password_file(self) -> None:
        data = self.demo_data()
        self.assertEqual(run_cli("--data", data, "find", "towpath").returncode, 0, "by the account that made the demo")
        setup = load_setup((self.export(data)).read_text())
        changed = setup.model_copy(
            update={
                "sign_in": ("password",),
                "people": tuple(p.model_copy(update={"login": ""}) for p in setup.people),
            }
        )
        path = self.folder / "strict.toml"
        path.write_text(write_setup(changed))
        self.assertEqual(run_cli("--data", data, "setup", "import", path).returncode, 0)
        refused = run_cli("--data", data, "find", "towpath")
        self.assertEqual(refused.returncode, 2)
        self.assertIn("--as NAME", refused.stderr)
        self.assertIn("reset-administrator", refused.stderr)
        asked = run_cli("--data", data, "find", "towpath", "--as", "Elspra Towpath")
        self.assertEqual(asked.returncode, 2)
        self.assertIn("--password-file", asked.stderr)
        secret = self.folder / "secret"
        secret.write_text(GOOD)
        self.assertEqual(
            run_cli("--data", data, "reset-administrator", "Elspra Towpath", "--password-file", secret).returncode, 0
        )
        let_in = run_cli("--data", data, "find", "towpath", "--as", "Elspra Towpath", "--password-file", secret)
        self.assertEqual((let_in.returncode, let_in.stderr), (0, ""))
        secret.write_text(OTHER)
        wrong = run_cli("--data", data, "find", "towpath", "--as", "Elspra Towpath", "--password-file", secret)
        self.assertEqual(wrong.returncode, 2)
        self.assertIn("not the name and password of anybody here", wrong.stderr)

    def export(self, data: Path) -> Path:
        out = self.folder / "out.toml"
        self.assertEqual(run_cli("--data", data, "setup", "export", out).returncode, 0)
        return out

    def test_a_reader_is_refused_on_the_command_line_too(self) -> None:
        data = self.demo_data()
        done = run_cli("--data", data, "capture", "--routine", "Files", "--as", "Hollin Waterhen", Path(__file__))
        self.assertEqual(done.returncode, 2)
        self.assertIn("Hollin Waterhen may only look", done.stderr)
        imported = run_cli("--data", data, "setup", "import", self.export(data), "--as", "Hollin Waterhen")
        self.assertEqual(imported.returncode, 2)

    def test_the_digest_of_a_row_is_recomputed_outside_python(self) -> None:
        ws = self.demo_workspace()
        with ws.place.database.read() as c:
            row = c.execute(
                select(t.audit.c.digest, t.audit_detail).join(t.audit_detail, t.audit_detail.c.seq == t.audit.c.seq)
            ).first()
        assert row is not None
        told = subprocess.run(["sha256sum"], input=f"{row.salt}\n{row.data}".encode(), capture_output=True, check=True)
        self.assertEqual(told.stdout.split()[0].decode(), row.digest)
