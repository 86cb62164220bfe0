"""Tags of filed documents: changed for one or many, found at once, gone with a document that is taken back, in the trail."""

from __future__ import annotations

import unittest
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import select

from keybundle.core.base.errors import InputProblem
from keybundle.core.search.query import parse_query
from keybundle.core.store import schema as t
from keybundle.core.workflows.find.find import find
from keybundle.core.workflows.index import tags
from keybundle.core.workflows.keep.documents.story import load_story
from keybundle.core.workflows.oversee.verify import verify
from keybundle.core.workflows.prepare.parts import tags as prepared
from keybundle.core.workflows.session.workspace import Workspace
from tests.support import DataTest, acting, filed_ids


class Reading(unittest.TestCase):
    @given(st.lists(st.text(alphabet="ab ß", min_size=1, max_size=6), max_size=6))
    def test_a_line_of_tags_reads_as_it_is_written(self, words: list[str]) -> None:
        wanted = tuple(dict.fromkeys(" ".join(w.split()) for w in words if w.strip()))
        self.assertEqual(tags.read_tags(" , ".join(words)), wanted)
        self.assertEqual(tags.read_tags(", ".join(wanted)), wanted)

    def test_a_tag_is_a_condition_of_the_query_line(self) -> None:
        query = parse_query('ferry tag = "to sign" Tag=urgent', ["Supplier"])
        self.assertEqual(query.words, ("ferry",))
        self.assertEqual([(c.field, c.value) for c in query.conditions], [("tag", "to sign"), ("tag", "urgent")])
        self.assertIn("tag is to sign", query.said())


class Filed(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws: Workspace = self.demo_workspace()
        self.who = self.ws.person(None).id
        self.ids = filed_ids(self.ws, "Purchasing")[:3]

    def of(self, number: int) -> tuple[str, ...]:
        return self.ws.repository.load(self.ids[number], with_pages=False).tags

    def retag(self, ids: list[str], text: str) -> int:
        self.last = tags.retag(acting(self.ws, self.who), ids, tags.common_tags(acting(self.ws), ids), text)
        return len(self.last)

    def found(self, line: str) -> set[str]:
        return {h.id for h in find(acting(self.ws), line).hits}

    def test_what_documents_have_in_common_changes_and_the_rest_stays(self) -> None:
        self.assertEqual(self.retag(self.ids[:1], "urgent, own"), 1)
        self.assertEqual(self.retag(self.ids[1:2], "urgent"), 1)
        self.assertEqual(tags.common_tags(acting(self.ws), self.ids[:2]), ("urgent",))
        self.assertEqual(tags.common_tags(acting(self.ws), self.ids), ())
        self.assertEqual(self.retag(self.ids[:2], "seen"), 2)
        self.assertEqual([self.of(i) for i in range(3)], [("own", "seen"), ("seen",), ()])
        self.assertEqual(self.retag(self.ids[:2], "seen"), 0, "nothing is written that is so already")
        self.assertEqual(self.retag(self.ids, "all"), 3)
        self.assertEqual([self.of(i) for i in range(3)], [("own", "seen", "all"), ("seen", "all"), ("all",)])
        changed = self.last
        self.retag(self.ids[1:2], "signed")
        self.assertEqual(
            tags.put_back(acting(self.ws, self.who), changed), 2, "the one that was changed again since stays"
        )
        self.assertEqual([self.of(i) for i in range(3)], [("own", "seen"), ("signed",), ()])

    def test_a_tag_is_found_as_condition_and_as_word_and_counted(self) -> None:
        # Source: the tags of every document loaded one by one.
        self.retag(self.ids[:2], "Überfällig")
        self.retag(self.ids[2:], "überholt")
        everything = filed_ids(self.ws, "Purchasing")
        by_hand = {i for i in everything if "Überfällig" in self.ws.repository.load(i, with_pages=False).tags}
        self.assertEqual(self.found("tag = überfällig"), by_hand)
        self.assertEqual(self.found("überfällig"), by_hand)
        self.assertEqual(self.found("tag = über*"), set(self.ids), "a star stands for the rest of a tag, as of a value")
        self.assertEqual(self.found('tag = überfällig cabinet = "Purchasing"'), by_hand)
        self.assertEqual(self.found("tag = überfällig cabinet = Boats"), set())
        self.assertEqual(dict(find(acting(self.ws), "tag = über*").tags), {"Überfällig": 2, "überholt": 1})
        self.retag(self.ids[:2], "")
        self.assertEqual((self.found("überfällig"), self.found("tag = überfällig")), (set(), set()))

    def test_values_are_still_found_beside_the_tags(self) -> None:
        document = self.ws.repository.load(self.ids[0], with_pages=False)
        number = document.values["Order number"].text
        before = self.found(number)
        self.retag(self.ids[:1], "urgent")
        self.assertEqual(self.found(number), before)
        self.assertEqual(self.ws.repository.load(self.ids[0], with_pages=False).values, document.values)

    def test_each_change_stands_in_the_trail(self) -> None:
        self.retag(self.ids[:1], "urgent")
        with self.ws.place.database.read() as c:
            row = c.execute(select(t.audit).order_by(t.audit.c.seq.desc()).limit(1)).one()
        self.assertEqual((row.what, row.subject), ("tags changed", self.ids[0]))
        self.assertIn("urgent", str(load_story(acting(self.ws), self.ids[0])[-1].detail))
        self.assertTrue(verify(acting(self.ws)).is_whole)

    def test_a_document_taken_back_takes_its_tags_along(self) -> None:
        self.retag(self.ids[:1], "urgent")
        self.ws.repository.take_back(self.ids[0], self.who)
        with self.ws.place.database.read() as c:
            self.assertEqual(c.execute(select(t.document_tag)).all(), [])

    def test_what_stands_in_the_way_is_told_and_nothing_changes(self) -> None:
        reader = next(p.name for p in self.ws.setup.people if "reader" in p.roles)
        with self.assertRaisesRegex(InputProblem, "may only look"):
            tags.retag(acting(self.ws, reader), self.ids[:1], (), "urgent")
        with mock.patch.object(tags, "MOST_AT_ONCE", 2), self.assertRaisesRegex(InputProblem, "at most 2 documents"):
            tags.common_tags(acting(self.ws), self.ids)
        with self.assertRaisesRegex(InputProblem, "no longer in the repository"):
            self.ws.repository.set_tags("nothing", ["urgent"], self.who)
        self.assertEqual([self.of(i) for i in range(3)], [(), (), ()])


class InOnePlace(DataTest):
    def test_tags_are_counted_renamed_merged_coloured_taken_away_and_put_back(self) -> None:
        ws = self.demo_workspace()
        me, ids = acting(ws), filed_ids(ws)
        tags.retag(me, ids[:3], (), "urgent")
        tags.retag(me, ids[2:4], (), "to sign")
        prepared.colour_tag(me, "urgent", "madder")
        path = tuple(v for _, v in ws.repository.load(ids[0]).folder)
        cabinet = ws.repository.load(ids[0]).cabinet
        prepared.tag_folder(me, cabinet, path[:1], ("urgent",))
        rows = {r.name: (r.documents, r.folders, r.colour) for r in prepared.list_tags(me)}
        self.assertEqual(rows, {"urgent": (3, 1, "madder"), "to sign": (2, 0, "")})
        with self.assertRaisesRegex(InputProblem, "no comma"):
            prepared.rename_tag(me, "urgent", "now, at once")
        with self.assertRaisesRegex(InputProblem, "no colour “pink”"):
            prepared.colour_tag(me, "urgent", "pink")
        changed = prepared.rename_tag(me, "urgent", "to sign")
        rows = {r.name: (r.documents, r.folders, r.colour) for r in prepared.list_tags(me)}
        self.assertEqual(rows, {"to sign": (4, 1, "madder")}, "the two are one")
        self.assertEqual(ws.repository.load(ids[2]).tags, ("to sign",))
        self.assertEqual(prepared.folder_tags(me, cabinet), {path[:1]: ("to sign",)})
        self.assertEqual(prepared.take_back_renaming(me, changed), 3)
        self.assertEqual({r.name: r.documents for r in prepared.list_tags(me)}, {"urgent": 3, "to sign": 2})
        self.assertEqual(len(find(me, "tag = urgent").hits), 3, "they are found by it again")
        gone = prepared.rename_tag(me, "to sign", "")
        self.assertEqual([r.name for r in prepared.list_tags(me)], ["urgent"])
        prepared.take_back_renaming(me, gone)
        self.assertTrue(verify(me).is_whole)
