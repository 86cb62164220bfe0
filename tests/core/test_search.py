"""Search: the query line, and the same documents as a plain scan over the same text."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from keybundle.core.reading.text import PageText
from keybundle.core.search.query import Condition, parse_query
from keybundle.core.workflows.find import find, understand, words_on
from tests.support import DataTest

FIELDS = ["Bill number", "Total", "Bill date", "Supplier"]


class QueryLine(unittest.TestCase):
    def test_words_phrases_and_conditions(self) -> None:
        query = parse_query('gate bill NUMBER = R-2041 "lock key" total > 500 Bill date = 2026-01/2026-03', FIELDS)
        self.assertEqual(query.words, ("gate",))
        self.assertEqual(query.phrases, ("lock key",))
        self.assertEqual(
            query.conditions,
            (Condition("Bill number", "=", "R-2041"), Condition("Total", ">", "500"),
             Condition("Bill date", "=", "2026-01", "2026-03")),
        )  # fmt: skip
        self.assertIn("where Total is over 500", query.said())

    @given(st.text(max_size=60))
    def test_any_line_is_understood_somehow(self, line: str) -> None:
        query = parse_query(line, FIELDS)
        self.assertTrue(query.said())
        self.assertEqual(query.match_expression().count('"') % 2, 0)


class Finding(DataTest):
    def test_the_same_documents_as_a_plain_scan(self) -> None:
        # Source: a Python scan over the filed texts and values, word by word.
        workspace = self.demo_workspace()
        ids = [i for c in workspace.setup.cabinets for i in workspace.repository.list_ids(c.name, {})]
        texts = {}
        for document in map(workspace.repository.load, ids):
            said = [PageText.from_bytes(p.text).plain for p in document.pages]
            said += [v.text for v in document.values.values()] + [document.caption, *(v for _, v in document.folder)]
            texts[document.id] = " ".join(said).casefold()
        self.assertEqual(len(ids), 14)

        def scan(*words: str) -> set[str]:
            def holds(text: str, word: str) -> bool:
                return any(part.startswith(word) for part in "".join(x if x.isalnum() else " " for x in text).split())

            return {i for i, text in texts.items() if all(holds(text, w) for w in words)}

        for line in ("towpath", "TOWPATH", "lock keeper", "committee spring", "larkmere", "nowhereatall", "gate"):
            expected = scan(*line.casefold().split())
            self.assertEqual({h.id for h in find(workspace, line).hits}, expected, line)

    def test_fields_ranges_and_intervals(self) -> None:
        workspace = self.demo_workspace()
        bills = [workspace.repository.load(i) for i in workspace.repository.list_ids("Purchasing", {})]
        totals = {d.id: float(d.values["Total"].text) for d in bills if d.type == "Bill"}
        middle = sorted(totals.values())[0]
        over = {h.id for h in find(workspace, f"Total > {middle}").hits}
        self.assertEqual(over, {i for i, t in totals.items() if t > middle})
        some = next(d for d in bills if d.type == "Bill")
        day = some.values["Bill date"].text
        for line in (f"Bill date = {day}", f"bill date = {day[:7]}", f"Bill date = {day[:4]}", f"Bill date = {day[:7]}/{day[:7]}",
                     f"type = bill cabinet = purchasing Bill number = {some.values['Bill number'].text}"):  # fmt: skip
            self.assertIn(some.id, {h.id for h in find(workspace, line).hits}, line)
        self.assertNotIn(some.id, {h.id for h in find(workspace, "Bill date = 1999").hits})

    def test_words_are_marked_and_quotes_do_no_harm(self) -> None:
        workspace = self.demo_workspace()
        for line in ('"', "'; DROP TABLE document", "AND OR NOT", "a*", "(", "Total >"):
            find(workspace, line)
        hit = find(workspace, "larkmere").hits[0]
        text = PageText.from_bytes(workspace.repository.load(hit.id).pages[0].text)
        boxes = words_on(text, understand(workspace, "larkmere"))
        self.assertEqual(len(boxes), sum(w.text.casefold().startswith("larkmere") for w in text.words))
        self.assertGreater(len(boxes), 0)
