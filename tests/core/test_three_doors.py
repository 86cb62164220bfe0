"""What the set-up refuses, it refuses at each door: where a part is changed, where a file is imported, where one goes back."""

from __future__ import annotations

from collections.abc import Callable

from keybundle.core.base.errors import InputProblem, NotAllowed
from keybundle.core.rights.model import SHOWN, UNASKED, Right
from keybundle.core.setup.ids import PARTS
from keybundle.core.setup.model import Person, Role, Setup, called, number_people
from keybundle.core.setup.parts import Named
from keybundle.core.setup.text import write_setup
from keybundle.core.store.setup_parts import part_history
from keybundle.core.workflows.keep.documents import correcting
from keybundle.core.workflows.prepare.parts import parts, setup_admin
from keybundle.core.workflows.prepare.registers import registers
from keybundle.core.workflows.session.session import Session
from tests.support import ROOT, DataTest, acting, filed_ids, run_cli

Door = Callable[[Session, str, Named, Named | None], object]


class DoorTest(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.boss = acting(self.ws)

    def person(self, name: str, *rights: Right) -> Session:
        """Somebody with exactly these rights."""
        role = Role(id=f"role of {name}", name=f"role of {name}", rights=rights)

        def change(setup: Setup) -> Setup:
            people = number_people((*setup.people, Person(name=name, roles=(role.id,))), self.ws.used_ids()["people"])
            return setup.model_copy(update={"roles": (*setup.roles, role), "people": people})

        self.ws.change_setup("", change)
        return acting(self.ws, name)

    def with_part(self, kind: str, after: Named | None, part_id: str) -> Setup:
        there = getattr(self.ws.setup, kind)
        changed = tuple(after if p.id == part_id else p for p in there if after is not None or p.id != part_id)
        return self.ws.setup.model_copy(update={kind: changed})

    # -- the doors ------------------------------------------------------------------------------------------------------

    def by_window(self, who: Session, kind: str, before: Named, after: Named | None) -> None:
        if after is None:
            parts.remove_part(who, kind, before.id, before)
        else:
            parts.save_part(who, kind, after, before)

    def by_import(self, who: Session, kind: str, before: Named, after: Named | None) -> None:
        path = self.folder / "changed.toml"
        path.write_text(write_setup(self.with_part(kind, after, before.id)))
        setup_admin.import_setup(who, path)

    def by_going_back(self, who: Session, kind: str, before: Named, after: Named | None) -> None:
        """Let the machine have it so for a moment, so that there is a state to go back to."""
        if after is None:
            raise NotImplementedError
        with self.ws.place.database.atomic() as c:  # nothing asks the machine; the rules of loss would
            from keybundle.core.store.setup_parts import put_setup_parts

            put_setup_parts(c, self.with_part(kind, after, before.id), self.ws.clock.stamp(), "")
            wanted = part_history(c, kind, before.id)[0].revision
            put_setup_parts(c, self.with_part(kind, before, before.id), self.ws.clock.stamp(), "")
        setup_admin.go_back(who, kind, before.name, wanted)

    def doors(self, *, drops: bool = False) -> tuple[Door, ...]:
        return (self.by_window, self.by_import) if drops else (self.by_window, self.by_import, self.by_going_back)

    def refused(
        self, who: Session, kind: str, before: Named, after: Named | None, said: str, error: type[Exception]
    ) -> None:
        for door in self.doors(drops=after is None):
            was = self.ws.full_setup()
            with self.subTest(door=door.__name__, kind=kind), self.assertRaisesRegex(error, said):
                door(who, kind, before, after)
            self.assertEqual(self.ws.full_setup(), was, f"{door.__name__} changed {kind} all the same")


class Rights(DoorTest):
    def test_who_may_prepare_gives_no_rights_by_any_door(self) -> None:
        who, setup = self.person("Preparer", Right.LOOK, Right.PREPARE), self.ws.setup
        own = setup.person(who.person)
        role = called(setup.roles, "role of Preparer")
        assert own is not None and role is not None
        self.refused(
            who, "people", own, own.model_copy(update={"roles": ("administrator",)}), "may not give rights", NotAllowed
        )
        every = role.model_copy(update={"rights": tuple(Right)})
        self.refused(who, "roles", role, every, "may not give rights", NotAllowed)
        other = next(p for p in setup.people if "administrator" not in p.roles and p.id != who.person)
        self.refused(
            who, "people", other, other.model_copy(update={"active": False}), "may not give rights", NotAllowed
        )
        if setup.groups:
            group = setup.groups[0]
            self.refused(who, "groups", group, group.model_copy(update={"name": "Taken over"}), "may not", NotAllowed)

    def test_who_may_not_prepare_changes_no_part_by_any_door(self) -> None:
        who = self.person("Looker", Right.LOOK, Right.GIVE_RIGHTS)
        for kind in (k for k in PARTS if getattr(self.ws.setup, k)):
            before = getattr(self.ws.setup, kind)[0]
            after = before.model_copy(update={"name": "Something else"})
            self.refused(who, kind, before, after, "may not prepare", NotAllowed)

    def test_no_right_is_shown_that_nothing_asks_for(self) -> None:
        room = ROOT / "src" / "keybundle" / "core"
        said = "".join(p.read_text() for p in room.rglob("*.py") if p.parent.name not in ("rights", "setup"))
        asked = {r for r in Right if f"Right.{r.name}" in said}
        self.assertEqual((set(SHOWN) - asked, asked & UNASKED), (set(), set()))


class Loss(DoorTest):
    def test_what_holds_documents_stays_by_every_door(self) -> None:
        setup = self.ws.setup
        cabinet = called(setup.cabinets, "Purchasing")
        bill = called(setup.document_types, "Bill")
        assert cabinet is not None and bill is not None
        turned = cabinet.model_copy(update={"folder_fields": tuple(reversed(cabinet.folder_fields))})
        self.refused(self.boss, "cabinets", cabinet, turned, "would lose its place|whose folder", InputProblem)
        self.refused(self.boss, "cabinets", cabinet, None, "Purchasing", InputProblem)
        self.refused(self.boss, "document_types", bill, None, "Bill", InputProblem)
        area = setup.storage_areas[0]
        (self.ws.place.root / "elsewhere").mkdir()
        self.refused(
            self.boss, "storage_areas", area, area.model_copy(update={"path": "elsewhere"}), "area|files", InputProblem
        )
        field = bill.fields[0].model_copy(update={"name": "filed"})
        named = bill.model_copy(update={"fields": (field, *bill.fields[1:])})
        self.refused(self.boss, "document_types", bill, named, "cannot be called", InputProblem)
        register = setup.registers[0]
        other = register.model_copy(update={"columns": (*register.columns, "Nothing yet"), "key": "Nothing yet"})
        self.refused(self.boss, "registers", register, other, "have nothing|has nothing|in which", InputProblem)

    def test_entries_that_an_import_takes_away_are_told_and_come_back(self) -> None:
        register = self.ws.setup.registers[0]
        path = self.folder / "older.toml"
        setup_admin.export_setup(self.boss, path)
        before = list(self.ws.entries(register.id))
        first = before[0][register.key]
        column = next(c for c in register.columns if c != register.key)
        registers.change_entry(self.boss, register.id, first, {column: "said since"})
        registers.add_entries(self.boss, register.id, [[f"new {n}"] * len(register.columns) for n in range(3)])
        since = list(self.ws.entries(register.id))
        (told,) = [line for line in setup_admin.import_setup(self.boss, path).lines() if "entr" in line]
        self.assertRegex(told, "3 entries taken away")
        self.assertEqual(list(self.ws.entries(register.id)), before)
        (past,) = registers.list_entries_history(self.boss, register.id)
        self.assertEqual((past.removed, past.changed, past.who), (3, 1, self.boss.name))
        done = registers.go_back_entries(self.boss, register.id, past.seq)
        self.assertEqual((len(done.keys), len(done.before)), (3, 1))
        self.assertEqual(list(self.ws.entries(register.id)), since)
        self.ws.close()
        said = run_cli("--data", self.ws.place.root, "setup", "entries", register.name)
        self.assertIn("3 taken away, 1 changed", said.stdout, said.stderr)
        again = run_cli("--data", self.ws.place.root, "setup", "entries", register.name, "--back", "99")
        self.assertEqual(again.returncode, 2, again.stdout)


class Following(DoorTest):
    def test_a_document_follows_its_correction_by_a_right_of_its_own_and_no_other_way(self) -> None:
        plain = (Right.LOOK, Right.CORRECT, Right.FILE)
        bill = next(i for i in filed_ids(self.ws) if self.ws.repository.load(i).type == "Bill")
        lay = self.ws.repository.load(bill).folder
        change = {bill: {"Bill date": "1991-02-03"}}
        with self.assertRaisesRegex(NotAllowed, "may not move"):
            correcting.correct(self.person("Corrects", *plain), change, follow=True)
        with self.assertRaises(NotAllowed):
            correcting.correct(self.person("Follows", Right.LOOK, Right.CORRECT, Right.FOLLOW), change, follow=True)
        self.assertEqual(self.ws.repository.load(bill).folder, lay)
        clerk = self.person("Clerk", *plain, Right.FOLLOW)
        done = correcting.correct(clerk, change, follow=True)
        self.assertEqual(dict(self.ws.repository.load(bill).folder)["Year"], "1991")
        self.assertEqual(correcting.take_back_correction(clerk, done), 1)
        self.assertEqual(self.ws.repository.load(bill).folder, lay)
