"""From an empty data directory to what work can be done by: beginnings, what is missing, remedies, and parts in any order."""

from __future__ import annotations

import os
import random
import tempfile
from collections import Counter
from pathlib import Path

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from keybundle.core.base.errors import InputProblem
from keybundle.core.fields.kinds import Kind
from keybundle.core.setup.gaps import find_gaps
from keybundle.core.setup.text import load_setup, write_setup
from keybundle.core.setup.uses import used_by
from keybundle.core.workflows.prepare.parts import beginnings, first_start, parts, readiness, surroundings
from keybundle.core.workflows.prepare.parts.first_start import FirstAnswers
from keybundle.core.workflows.prepare.types import types
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.session import NotAllowed, Session
from keybundle.core.workflows.session.workspace import Workspace
from tests.support import DataTest, acting

HERE = FirstAnswers("Weirside Stores", "Ottoline Reedmace", "a heron on the sluice", "de_DE", "Europe/Berlin")


class Fresh(DataTest):
    def begin(self, answers: FirstAnswers = HERE) -> tuple[Workspace, Session]:
        workspace = open_workspace(self.folder / "fresh")
        self.addCleanup(workspace.close)
        return workspace, first_start.begin_with(workspace, answers)

    def codes(self, session: Session) -> list[tuple[str, str]]:
        return [(gap.code, gap.id) for gap in readiness.list_missing(session) if gap.stops]


class Beginning(Fresh):
    def test_an_empty_repository_says_what_it_lacks_and_every_beginning_lacks_nothing(self) -> None:
        workspace, session = self.begin()
        self.assertEqual((workspace.setup.locale, workspace.setup.time_zone), ("de_DE", "Europe/Berlin"))
        self.assertEqual([code for code, _ in self.codes(session)], ["no cabinets", "no types", "no routines"])
        for beginning in beginnings.list_beginnings():
            beginnings.take_beginning(session, beginning.code)
        self.assertEqual(self.codes(session), [])
        ways = Counter(r.source for r in workspace.setup.routines)
        self.assertEqual(ways["files"], ways["scanner"], "each brings a routine for files too")
        before = workspace.setup
        beginnings.take_beginning(session, "bills")
        self.assertEqual(len(workspace.setup.cabinets), len(before.cabinets), "the same levels: the same cabinet")
        copied = workspace.setup.document_type("Bill copy")
        assert copied is not None
        self.assertEqual(
            (copied.cabinet, workspace.setup.routines[-1].key), ("Bills", ""), "no key starts two routines"
        )
        self.assertEqual(load_setup(write_setup(workspace.setup)), workspace.setup, "it goes out and comes in the same")

    def test_what_cannot_begin_begins_nothing(self) -> None:
        for answers, said in (
            (FirstAnswers("", "Ottoline Reedmace"), "both need"),
            (FirstAnswers("Weirside", "Ottoline Reedmace", "short"), "at least 8 characters"),
            (FirstAnswers("Weirside", "Ottoline Reedmace", locale="xx"), "no locale “xx”"),
            (FirstAnswers("Weirside", "Ottoline Reedmace", time_zone="Europe/Atlantis"), "no time zone"),
            (
                FirstAnswers("Weirside", "Ottoline Reedmace", beginnings=("letters", "nothing")),
                "no beginning “nothing”",
            ),
        ):
            workspace = open_workspace(self.folder / "fresh")
            with self.assertRaisesRegex(InputProblem, said):
                first_start.begin_with(workspace, answers)
            self.assertFalse(workspace.has_setup)
            workspace.close()

    def test_where_this_machine_stands_is_proposed(self) -> None:
        link = self.folder / "localtime"
        link.symlink_to("/usr/share/zoneinfo/Europe/Lisbon")
        before = dict(os.environ)
        self.addCleanup(lambda: (os.environ.clear(), os.environ.update(before)))
        os.environ.pop("TZ", None)
        os.environ.update(LC_ALL="de_CH.UTF-8")
        self.assertEqual(
            (surroundings.system_locale(), surroundings.system_time_zone(link)), ("de_CH", "Europe/Lisbon")
        )
        os.environ.update(LC_ALL="C.UTF-8", TZ="Nowhere/Land")
        self.assertEqual((surroundings.system_locale(), surroundings.system_time_zone(Path("/none"))), ("en_GB", "UTC"))
        self.assertIn("de_CH", surroundings.list_locales())
        self.assertIn("Europe/Lisbon", surroundings.list_time_zones())


class Missing(Fresh):
    def test_each_remedy_takes_away_what_it_is_for_and_says_what_it_made(self) -> None:
        workspace, session = self.begin()
        for _ in range(10):
            gaps = [gap for gap in readiness.list_missing(session) if gap.stops]
            if not gaps:
                break
            made = readiness.remedy(session, gaps[0])
            self.assertTrue(getattr(workspace.setup, made.kind), made)
            self.assertNotIn((gaps[0].code, gaps[0].id), self.codes(session))
        self.assertEqual(self.codes(session), [])

    def test_a_level_takes_the_field_of_its_name_or_a_date_or_asks_for_one(self) -> None:
        workspace, session = self.begin(FirstAnswers("Weirside", "Ottoline Reedmace", beginnings=("contracts",)))
        cabinet = workspace.setup.cabinets[0]
        levels = [{"name": name} for name in ("Partner", "Year", "Depot")]
        parts.save_part(session, "cabinets", parts.change_part(cabinet, {"folder_fields": levels}), cabinet)
        self.assertEqual(self.codes(session), [("no source", "Contract")] * 2, "the partner comes from its own field")
        for gap in [g for g in readiness.list_missing(session) if g.stops]:
            readiness.remedy(session, gap)
        kind = workspace.setup.document_types[0]
        self.assertEqual(kind.folder, {"Partner": "Partner", "Year": "year of Begins on", "Depot": "Depot"})
        self.assertEqual([f.name for f in kind.fields if f.required][-1], "Depot")

    def test_a_choice_a_register_a_person_and_an_area_are_told_and_advice_is_told_once(self) -> None:
        workspace, session = self.begin(FirstAnswers("Weirside", "Ottoline Reedmace", beginnings=("letters",)))
        kind = workspace.setup.document_types[0]
        asked = types.add_field(types.add_field(kind, "State", Kind.CHOICE), "Boat", Kind.REGISTER)
        parts.save_part(session, "document_types", asked, kind)
        parts.add_part(session, "registers", "Boats")
        parts.add_part(session, "people", "Wenna Sluice")
        self.assertEqual(
            self.codes(session),
            [("no choices", "Letter"), ("no register", "Letter"), ("no role", "person-2"), ("no entries", "Boats"),
             ("no way in", "person-2")],
        )  # fmt: skip
        with self.assertRaisesRegex(InputProblem, "Nobody but you"):
            readiness.remedy(session, readiness.list_missing(session)[0])
        advice = [gap for gap in readiness.list_missing(session) if not gap.stops]
        for gap in advice:
            readiness.note_seen(session, gap)
        self.assertEqual([g.code for g in readiness.list_missing(session) if not g.stops], [])


class AnyOrder(Fresh):
    def test_a_part_is_refused_while_something_hangs_on_it_and_comes_back_where_it_was(self) -> None:
        workspace, session = self.begin(FirstAnswers("W", "Ottoline Reedmace", beginnings=("bills", "letters")))
        self.assertEqual(used_by(workspace.setup, "cabinets", "Bills"), (("document_types", "Bill"),))
        for kind, part_id, said in (
            ("cabinets", "Bills", "still used by Bill"),
            ("document_types", "Bill", "still used in 2 places: Bills, Bill files"),
            ("roles", "administrator", "used by Ottoline Reedmace"),
        ):
            with self.assertRaisesRegex(InputProblem, said):
                parts.remove_part(session, kind, part_id)
        routine = workspace.setup.routines[0]
        place = parts.remove_part(session, "routines", "Bills", routine)
        parts.put_part(session, "routines", routine, place)
        self.assertEqual([r.name for r in workspace.setup.routines], ["Bills", "Bill files", "Post", "Letter files"])
        for _ in range(3):
            parts.move_part(session, "routines", "Post", -1)
        self.assertEqual([r.name for r in workspace.setup.routines], ["Post", "Bills", "Bill files", "Letter files"])
        copied = parts.copy_part(session, "routines", "Bills")
        self.assertEqual(workspace.setup.routine(copied).key, "")  # type: ignore[union-attr]

    def test_names_doubled_empty_and_too_long_are_refused_where_they_stand(self) -> None:
        workspace, session = self.begin(FirstAnswers("W", "Ottoline Reedmace", beginnings=("bills",)))
        before = workspace.setup
        for name, said in (("  ", "needs a name"), ("bills", "taken already"), ("x" * 300, "at most 80 characters")):
            with self.assertRaisesRegex(InputProblem, said):
                parts.add_part(session, "cabinets", name)
        with self.assertRaises(parts.PartProblem) as caught:
            parts.change_part(
                workspace.setup.routines[0], {"resolution_dpi": 20, "separation.rules": ({"rule": "words"},)}
            )
        self.assertEqual(set(caught.exception.at), {"resolution_dpi", "separation.rules.0"})
        self.assertEqual(workspace.setup, before)

    def test_levels_stay_while_documents_lie_below_them(self) -> None:
        workspace = self.demo_workspace()
        session, boats = acting(workspace), workspace.setup.cabinets[0]
        with self.assertRaisesRegex(InputProblem, r"holds \d+ documents"):
            parts.save_part(
                session, "cabinets", parts.change_part(boats, {"folder_fields": [{"name": "Keeper"}]}), boats
            )
        renamed = [{"id": level.id, "name": f"{level.name} now"} for level in boats.folder_fields]
        self.assertGreater(
            parts.save_part(session, "cabinets", parts.change_part(boats, {"folder_fields": renamed}), boats), 0
        )

    def test_who_may_not_changes_nothing(self) -> None:
        workspace = self.demo_workspace()
        before = workspace.setup
        for person in workspace.setup.people:
            session = acting(workspace, person.name)
            may_prepare, may_give = (right in session.holder.rights for right in ("prepare", "give rights"))
            for kind, may in (("cabinets", may_prepare), ("groups", may_prepare and may_give)):
                if not may:
                    with self.assertRaises(NotAllowed):
                        parts.add_part(session, kind, "Odd")
        self.assertEqual(workspace.setup, before)

    @settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.too_slow])
    @given(st.randoms(use_true_random=False))
    def test_made_in_any_order_it_is_ready_in_the_end(self, order: random.Random) -> None:
        workspace = open_workspace(Path(tempfile.mkdtemp(dir=self.folder)))
        try:
            session = first_start.begin_with(workspace, FirstAnswers("Weirside", "Ottoline Reedmace"))
            steps = [
                ("cabinets", "Boats"),
                ("document_types", "Permit"),
                ("routines", "Desk"),
                ("registers", "Keepers"),
            ]
            order.shuffle(steps)
            for kind, name in steps:
                parts.add_part(session, kind, name)
                load_setup(write_setup(workspace.setup))
            while gaps := [g for g in readiness.list_missing(session) if g.stops and g.code in readiness.REMEDIES]:
                readiness.remedy(session, order.choice(gaps))
            self.assertEqual([g.code for g in find_gaps(workspace.setup) if g.stops], [])
        finally:
            workspace.close()
