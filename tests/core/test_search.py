"""Search: the query line, and the same documents as a plain scan over the same text."""

from __future__ import annotations

import unittest
from collections.abc import Callable

from hypothesis import given
from hypothesis import strategies as st

from keybundle.core.base.folding import fold
from keybundle.core.reading.text import PageText
from keybundle.core.repository.model import FiledDocument
from keybundle.core.search.query import Condition, parse_query
from keybundle.core.workflows.find.find import find, understand, words_on
from keybundle.core.workflows.session.opening import open_workspace
from tests.support import DataTest, acting, filed_ids, scanned_template

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
        ids = [i for c in workspace.setup.cabinets for i in filed_ids(workspace, c.name)]
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
            self.assertEqual({h.id for h in find(acting(workspace), line).hits}, expected, line)

    def test_fields_ranges_and_intervals(self) -> None:
        workspace = self.demo_workspace()
        bills = [workspace.repository.load(i) for i in filed_ids(workspace, "Purchasing")]
        totals = {d.id: float(d.values["Total"].text) for d in bills if d.type == "Bill"}
        middle = sorted(totals.values())[0]
        over = {h.id for h in find(acting(workspace), f"Total > {middle}").hits}
        self.assertEqual(over, {i for i, t in totals.items() if t > middle})
        some = next(d for d in bills if d.type == "Bill")
        day = some.values["Bill date"].text
        for line in (f"Bill date = {day}", f"bill date = {day[:7]}", f"Bill date = {day[:4]}", f"Bill date = {day[:7]}/{day[:7]}",
                     f"type = bill cabinet = purchasing Bill number = {some.values['Bill number'].text}"):  # fmt: skip
            self.assertIn(some.id, {h.id for h in find(acting(workspace), line).hits}, line)
        self.assertNotIn(some.id, {h.id for h in find(acting(workspace), "Bill date = 1999").hits})

        def exactly(line: str, holds: Callable[[FiledDocument], bool]) -> None:
            everything = [workspace.repository.load(i) for c in workspace.setup.cabinets
                          for i in filed_ids(workspace, c.name)]  # fmt: skip
            self.assertEqual(
                {h.id for h in find(acting(workspace), line).hits}, {d.id for d in everything if holds(d)}, line
            )

        def has(field: str, fits: Callable[[str], bool]) -> Callable[[FiledDocument], bool]:
            return lambda d: field in d.values and any(fits(x) for x in d.values[field].items)

        total = some.values["Total"].text
        whole, year = str(int(float(total))), int(day[:4])
        exactly(f"Total = {float(total):g}", has("Total", lambda x: float(x) == float(total)))
        exactly(f"Total = {whole}", has("Total", lambda x: float(x) == int(whole)))
        exactly(f"Total <= {total}", has("Total", lambda x: float(x) <= float(total)))
        exactly(f"Bill date > {year}", has("Bill date", lambda x: int(x[:4]) > year))
        exactly(f"Bill date >= {day[:7]}", has("Bill date", lambda x: x[:7] >= day[:7]))
        exactly(f"Bill date < {year + 1}", has("Bill date", lambda x: int(x[:4]) <= year))
        exactly(f"filed > {year - 30}", lambda d: True)
        exactly("type = BILL", lambda d: d.type == "Bill")
        self.assertEqual(
            understand(acting(workspace), "subtotal = 5"),
            understand(acting(workspace), "subtotal 5"),
            "no field Total in it",
        )
        supplier = some.values["Supplier"].text
        exactly(f"Supplier = {supplier.split()[0]}", lambda d: False)
        exactly(f"Supplier = {supplier.split()[0]}*", has("Supplier", lambda x: x.startswith(supplier.split()[0])))
        exactly(f'Supplier = "{supplier.upper()}"', has("Supplier", lambda x: x == supplier))

    def test_any_scripts_letters_fold_alike(self) -> None:
        # Source: Unicode Standard, section 3.13 (caseless matching): ß and SS, composed and decomposed letters alike.
        for one, other in (("Straße", "STRASSE"), ("Ärger", "A\u0308RGER"), ("ΜΆΙΟΣ", "μάιος"), ("ЁЛКА", "ёлка")):
            self.assertEqual(fold(one), fold(other))
        workspace = self.demo_workspace()
        kinds = workspace.setup.document_types
        renamed = tuple(k.model_copy(update={"name": "Ärger"}) if k.name == "Letter" else k for k in kinds)
        workspace.put_setup(workspace.setup.model_copy(update={"document_types": renamed}), "")
        self.assertEqual(understand(acting(workspace), "type = äRGER").conditions[0].names, ("Letter",))

    def test_work_not_filed_yet_is_found_under_conditions_too(self) -> None:
        data, batch_id = self.demo_data(scanned=True), scanned_template()[1]
        workspace = open_workspace(data)
        self.addCleanup(workspace.close)
        waiting = [d for d in workspace.batches.load(batch_id).in_order() if d.type]
        document = next(d for d in waiting if any(v.items for v in d.values.values()))
        name, value = next((n, v.text) for n, v in document.values.items() if v.items and len(v.items) == 1)
        hits = find(acting(workspace), f'type = "{document.type}" {name} = "{value}"').hits
        self.assertIn((document.id, batch_id, False), {(h.id, h.batch, h.is_filed) for h in hits})
        self.assertEqual(
            [
                h
                for h in find(acting(workspace), f'type = "{document.type}" {name} = "{value}x"').hits
                if not h.is_filed
            ],
            [],
        )

    def test_words_are_marked_and_quotes_do_no_harm(self) -> None:
        workspace = self.demo_workspace()
        for line in ('"', "'; DROP TABLE document", "AND OR NOT", "a*", "(", "Total >"):
            find(acting(workspace), line)
        hit = find(acting(workspace), "larkmere").hits[0]
        text = PageText.from_bytes(workspace.repository.load(hit.id).pages[0].text)
        boxes = words_on(text, understand(acting(workspace), "larkmere"))
        self.assertEqual(len(boxes), sum(w.text.casefold().startswith("larkmere") for w in text.words))
        self.assertGreater(len(boxes), 0)
