"""What a routine allows, whose work it makes, which types it takes, and what its rehearsal says of values."""

from __future__ import annotations

from typing import Any

from keybundle.core.base.errors import InputProblem
from keybundle.core.batches import commands
from keybundle.core.setup.routines import Routine, Separation
from keybundle.core.setup.text import load_setup, write_setup
from keybundle.core.workflows.arrange import bench
from keybundle.core.workflows.arrange.separating import rehearse
from keybundle.core.workflows.file.filing import file_documents
from keybundle.core.workflows.index import page_texts, slip
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.prepare.routines import rehearsing
from keybundle.core.workflows.prepare.routines.breaking import rules_at
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.session import NotAllowed
from keybundle.core.workflows.take_in.capture import import_files
from tests.support import DataTest, acting, scanned_template, shared_pool, whole_only


class RoutineTest(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = open_workspace(self.demo_data(scanned=True))
        self.addCleanup(self.ws.close)
        self.line = Line(self.ws, shared_pool())
        self.addCleanup(self.line.close)
        self.batch = scanned_template()[1]
        self.operator = acting(self.ws, self.ws.batches.load(self.batch).owner)

    def change(self, **changes: Any) -> Routine:
        post = self.ws.setup.routine("Post")
        assert post is not None
        parts.save_part(acting(self.ws), "routines", parts.change_part(post, changes))
        changed = self.ws.setup.routine("Post")
        assert changed is not None
        return changed

    def test_what_it_leaves_to_others_is_refused_to_who_does_not_oversee(self) -> None:
        batch = self.ws.batches.load(self.batch)
        document = next(d for d in batch.in_order() if d.type)
        page = batch.pages_of(document.id)[0].id
        lead = acting(self.ws, next(p.name for p in self.ws.setup.people if "supervisor" in p.roles))

        def turn(who: Any) -> None:
            bench.edit_pages(who, self.line, self.batch, "step.turn-right", lambda b: commands.turn(b, [page], 90))

        def aside(who: Any) -> None:
            slip.set_aside(who, self.line, self.batch, document.id, "for later")

        def file(who: Any) -> None:
            file_documents(who, shared_pool(), self.batch, [document.id])

        for allows, refused, said in (
            (("indexing", "filing"), turn, "changing its pages"), (("page edits", "filing"), aside, "its values"),
            (("page edits", "indexing"), file, "filing"),
        ):  # fmt: skip
            self.change(allows=allows)
            with self.assertRaisesRegex(NotAllowed, f"leaves {said} to those who oversee"):
                refused(self.operator)
        self.assertEqual(self.ws.batches.load(self.batch), batch)
        self.change(allows=())
        aside(lead)
        self.assertEqual(self.ws.batches.load(self.batch).document(document.id).parked, "for later")
        self.change(language_locked=True, allows=("indexing",))
        with self.assertRaisesRegex(InputProblem, "its own languages"):
            page_texts.set_language(self.operator, self.line, self.batch, [page], "eng+osd")

    def test_a_batch_becomes_the_work_of_those_it_names_and_only_its_types_are_proposed_and_offered(self) -> None:
        group = parts.add_part(acting(self.ws), "groups", "Day desk")
        routine = self.change(given_to={"groups": (group,), "people": (), "roles": ()}, types=("Bill",))
        path = self.folder / "agreement.txt"
        path.write_text("Mooring agreement\n\nAgreement number: MA-2026-001\nBoat number: LN1007\n")
        done = import_files(self.operator, self.line, shared_pool(), routine, [path])
        assert done.batch is not None
        self.assertTrue(self.line.wait(60))
        self.assertIn(("group", group), self.ws.batches.shared_with(done.batch))
        (document,) = self.ws.batches.load(done.batch).in_order()
        self.assertNotEqual(document.type, "Mooring agreement", "it is not among its types")
        self.assertEqual(slip.list_types(self.operator, "Post"), ["Bill"])
        self.assertEqual(load_setup(write_setup(self.ws.setup)), self.ws.setup)
        with self.assertRaisesRegex(InputProblem, "still used"):
            parts.remove_part(acting(self.ws), "document_types", "Bill")

    def test_its_rehearsal_says_types_values_and_places_and_keeps_nothing(self) -> None:
        before = self.ws.batches.load(self.batch)
        routine = self.ws.setup.routine("Post")
        assert routine is not None
        told = rehearsing.rehearse_values(acting(self.ws), self.batch, routine)
        known = [d for d in before.in_order() if d.type]
        self.assertEqual(len(told), len(before.in_order()))
        self.assertTrue(any(f"{known[0].type} (" in d.said for d in told), told)
        self.assertEqual(sum(d.is_ready for d in told) + sum(bool(d.unsure) for d in told if not d.is_ready), len(told))
        strict = self.change(wrong_one_in=100_000)
        stricter = rehearsing.rehearse_values(acting(self.ws), self.batch, strict)
        self.assertGreaterEqual(sum(len(d.unsure) for d in stricter), sum(len(d.unsure) for d in told))
        self.assertEqual(self.ws.batches.load(self.batch), before)

    @whole_only
    def test_a_side_that_is_pointed_at_is_found_by_every_rule_that_is_suggested(self) -> None:
        post, pages, me = self.change(separation={"rules": []}), self.ws.batches.load(self.batch).pages, acting(self.ws)
        stated = {i for i, p in enumerate(pages) if p.facts is not None and p.facts.separator}
        self.assertGreater(len(stated), 1)
        sheets = rules_at(me, shared_pool(), self.batch, min(stated), post)
        self.assertEqual((sheets[0].rule.rule, sheets[0].finds), ("separator sheet", len(stated)))
        firsts = [own[0].id for own in self.ws.batches.load(self.batch).pages_by_document().values()]
        for first in firsts:
            place = next(i for i, p in enumerate(pages) if p.id == first)
            found = rules_at(me, shared_pool(), self.batch, place, post)
            headings = [s for s in found if s.rule.rule == "words"]
            self.assertTrue(headings, "large print at the head of each document")
            for one in found:
                changed = post.model_copy(update={"separation": Separation(rules=(one.rule,))})
                placings = rehearse(me, shared_pool(), self.batch, changed).placings
                self.assertTrue(placings[place].starts, one.rule)
        kept = self.change(separation={"rules": [sheets[0].rule]})
        blank = next(i for i, p in enumerate(pages) if p.facts is not None and p.facts.is_blank and i not in stated)
        with self.assertRaisesRegex(InputProblem, "Nothing on that side"):
            rules_at(me, shared_pool(), self.batch, blank, kept)
