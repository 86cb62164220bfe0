"""Parts that Prepare changes: document types, captions, pointing at a page."""

from __future__ import annotations

from concurrent.futures import Future
from dataclasses import replace
from typing import Any

from keybundle.core.base.boxes import Frame, upright_box
from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.batches.model import Document
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.imaging.picture import decode
from keybundle.core.jobs.pool import Pool
from keybundle.core.proposing.propose import ReadPage, propose_values
from keybundle.core.reading.text import PageText, Word
from keybundle.core.rights.model import Grantee, Right
from keybundle.core.setup.routines import Zone
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.prepare.types import pointing, types
from keybundle.core.workflows.propose.indexing import take_proposal
from keybundle.core.workflows.session import access
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.take_in.capture import find_routine, import_files
from tests.support import DataTest, acting, filed_ids, reading_pool, scanned_template, shared_pool


class Types(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.who = self.ws.person(None).id
        kind = self.ws.setup.document_type("Bill")
        assert kind is not None
        self.kind = kind

    def test_a_change_is_kept_and_says_how_many_documents_are_of_the_type(self) -> None:
        changed = types.change_field(self.kind, "Bill date", {"default": "{today}", "labels": ("Day",)})
        filed = [d for d in self.ws.repository.load_many(filed_ids(self.ws, "Purchasing")).values() if d.type == "Bill"]
        self.assertEqual(parts.save_part(acting(self.ws, self.who), "document_types", changed), len(filed))
        self.assertEqual(self.ws.setup.document_type("Bill"), changed)

    def test_what_does_not_hold_together_is_refused_in_words(self) -> None:
        for changes, said in (
            ({"key": ("Nothing",)}, "has no field “Nothing”"),
            ({"name": ""}, "at least 1 character"),
        ):
            with self.assertRaisesRegex(InputProblem, said):
                types.change_type(self.kind, changes)
        with self.assertRaisesRegex(InputProblem, "no regular expression"):
            types.change_field(self.kind, "Bill number", {"pattern": "("})
        with self.assertRaisesRegex(InputProblem, "no field to come from"):
            parts.save_part(
                acting(self.ws, self.who),
                "document_types",
                types.change_type(self.kind, {"folder": {"Year": "year of Nothing"}}),
            )
        reader = next(p.name for p in self.ws.setup.people if "reader" in p.roles)
        with self.assertRaisesRegex(InputProblem, "may only look"):
            parts.save_part(acting(self.ws, reader), "document_types", self.kind)

    def test_a_group_that_a_list_of_who_may_names_is_not_removed_under_it(self) -> None:
        me = acting(self.ws, next(p.name for p in self.ws.setup.people if "administrator" in p.roles))
        group = parts.add_part(me, "groups", "Weir keepers")
        kept = {Grantee("group", group): [Right.LOOK], Grantee("role", "administrator"): list(Right)}
        access.keep_to(me, access.Spot("Boats"), kept)
        with self.assertRaisesRegex(InputProblem, "Weir keepers is named where 1 cabinet, folder or document is kept"):
            parts.remove_part(me, "groups", group)
        access.keep_to(me, access.Spot("Boats"), None)
        parts.remove_part(me, "groups", group)
        self.assertNotIn(group, [g.id for g in self.ws.setup.groups])

    def test_captions_are_tried_on_a_filed_document(self) -> None:
        self.assertRegex(
            types.example_caption(acting(self.ws), types.change_type(self.kind, {"caption": "No {Bill number}!"})),
            r"^No R-\d+!$",
        )
        fresh = types.change_type(self.kind, {"id": "Receipt", "name": "Receipt"})
        self.assertEqual(
            types.example_caption(acting(self.ws), fresh), "Supplier Bill number", "before anything is filed"
        )
        offered = types.prepared_captions(self.kind)
        self.assertEqual(offered[0], self.kind.caption)
        self.assertEqual(len(offered), len(set(offered)))

    def test_a_fixed_zone_tells_the_value_without_any_label(self) -> None:
        zone = Zone(left=0.1, top=0.1, right=0.5, bottom=0.15)
        kind = types.change_field(self.kind, "Bill date", {"zone": zone.model_dump()})
        date, line = (("31", 100, 130), ("March", 140, 210), ("2026", 220, 280)), (130, 150)
        words = [Word(w, (left, line[0], right, line[1]), 0.95, 0, 0) for w, left, right in date]
        words.append(Word("1 May 2025", (100, 900, 300, 920), 0.95, 1, 1))
        page = ReadPage("p", PageText(tuple(words), Frame(1000, 1100)))
        found = propose_values([page], kind, {}, 0.8, self.ws.rule)
        self.assertEqual((found["Bill date"].text, found["Bill date"].sure), ("2026-03-31", True))
        self.assertNotIn("Bill date", propose_values([page], self.kind, {}, 0.8, self.ws.rule))


class Pointing(DataTest):
    def test_pages_come_with_their_text_and_all_barcodes(self) -> None:
        ws = open_workspace(self.demo_data(scanned=True))
        self.addCleanup(ws.close)
        batch_id = scanned_template()[1]
        batch = ws.batches.load(batch_id)
        ids = pointing.pages_to_point_at(acting(ws), batch_id)
        self.assertTrue(batch.page(ids[0]).kept, "pages that are kept come first")
        last = [d for d in batch.in_order() if d.type][-1]
        of_type = pointing.pages_to_point_at(acting(ws), batch_id, str(last.type))
        self.assertEqual(
            batch.page(of_type[0]).document_id, next(d.id for d in batch.in_order() if d.type == last.type)
        )
        self.assertEqual(sorted(of_type), sorted(ids))
        self.assertEqual(pointing.choose_sample(acting(ws), [batch_id], str(last.type)), batch_id)
        self.assertEqual(
            pointing.choose_sample(acting(ws), [batch_id], "None such"), batch_id, "any page is better than none"
        )
        shown = pointing.load_page(acting(ws), shared_pool(), batch_id, ids[0])
        self.assertEqual((shown.width, shown.height), batch.page(ids[0]).frame.upright_size)
        self.assertTrue(shown.text is not None and decode(shown.picture).width > 500)
        separator = next(p.id for p in batch.pages if p.facts is not None and p.facts.separator)
        codes = pointing.load_page(acting(ws), shared_pool(), batch_id, separator).barcodes
        self.assertTrue(any(c.text.startswith("KB1;") for c in codes))
        for code in codes:
            zone = pointing.zone_of(code.box, shown.width, shown.height, margin=0.02)
            self.assertTrue(zone.right > zone.left and zone.bottom > zone.top)


class RecordingPool:
    """Hands everything on to a real pool, and remembers what was asked in which order."""

    def __init__(self, pool: Pool) -> None:
        self._pool = pool
        self.asked: list[str] = []

    def submit(self, name: str, *args: Any, **options: Any) -> Future[Any]:
        self.asked.append(name.split(":")[1])
        return self._pool.submit(name, *args, **options)


class ZonesFirst(DataTest):
    def test_zones_of_a_known_type_are_told_before_the_page_is_read(self) -> None:
        ws = open_workspace(self.demo_data(scanned=True))
        self.addCleanup(ws.close)
        who, batch = ws.person(None).id, ws.batches.load(scanned_template()[1])
        document = batch.in_order()[0]
        first = batch.pages_of(document.id)[0]
        name, value = next((n, v) for n, v in document.values.items() if v.box and v.page == first.id and v.sure)
        assert value.box is not None
        kind = ws.setup.document_type(document.type)
        assert kind is not None
        width, height = first.frame.upright_size
        zone = pointing.zone_of(upright_box(first.frame, value.box), width, height, margin=0.01)
        kind = types.change_field(kind, name, {"zone": zone.model_dump(), "labels": ()})
        parts.save_part(acting(ws, who), "document_types", types.change_told(kind, "source", "page.tif"))
        picture = self.folder / "page.tif"
        picture.write_bytes(ws.place.files.path(first.file_sha).read_bytes())
        pool, seen = RecordingPool(reading_pool()), []

        def look(changes: Changes) -> None:
            for batch_id in changes.batches - {batch.id}:
                now = ws.batches.load(batch_id)
                seen.extend((d.values.get(name), now.pages[0].is_read) for d in now.in_order() if d.values)

        line = Line(ws, pool, look)  # type: ignore[arg-type]
        self.addCleanup(line.close)
        import_files(acting(ws, who), line, shared_pool(), find_routine(acting(ws), "Files"), [picture])
        self.assertTrue(line.wait(60))
        self.assertEqual(pool.asked, ["examine", "read_zones", "read", "read_lines_again"])
        early, is_read = seen[0]
        self.assertFalse(is_read, "the page itself still waits for its reading")
        self.assertEqual(early.text if early else "", value.text)
        self.assertTrue(seen[-1][1])
        self.assertEqual(seen[-1][0].text if seen[-1][0] else "", value.text)

    def test_what_somebody_did_meanwhile_stays(self) -> None:
        typed = FieldValue(("R-1",), 1.0, Origin.TYPED, True)
        now = Document("d", "first page", "Bill", 0.9, "page", values={"Bill number": typed})
        found = replace(
            now, values={"Bill number": FieldValue(("R-2",), 0.9), "Net": FieldValue(("3.00",), 0.9)}, proposed=True
        )
        merged = take_proposal(now, found)
        self.assertEqual(
            (merged.values["Bill number"], merged.values["Net"].text, merged.proposed), (typed, "3.00", True)
        )
        letter = replace(now, type="Letter", type_origin="typed")
        self.assertEqual(take_proposal(letter, found), letter)
