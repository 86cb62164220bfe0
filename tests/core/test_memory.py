"""What is remembered of filed documents in the database: bounded, forgotten, and read again only as far as needed."""

from __future__ import annotations

from typing import Any
from unittest import mock

from keybundle.core.base.boxes import Frame
from keybundle.core.batches.model import Batch, Document, Facts, Page
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.proposing import examples
from keybundle.core.proposing.memory import Memory
from keybundle.core.reading.text import PageText, Word
from keybundle.core.setup.routines import TypeRule
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.prepare.types import types
from keybundle.core.workflows.propose.indexing import index_zones, known_type
from keybundle.core.workflows.session.workspace import Workspace
from tests.support import DataTest, acting

WIDTH, HEIGHT = 800, 1100


def page_of(*lines: str) -> PageText:
    """Lines of columns; two blanks between columns are a wide gap."""
    words = []
    for row, line in enumerate(lines):
        left = 80
        for column in line.split("  "):
            for text in column.split():
                words.append(Word(text, (left, 80 + 40 * row, left + 10 * len(text), 100 + 40 * row), 0.97, 0, row))
                left += 10 * len(text) + 8
            left += 90
    return PageText(tuple(words), Frame(WIDTH, HEIGHT))


class Kept(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws: Workspace = self.demo_workspace()
        with self.ws.place.database.atomic() as c:
            known = {e.document for e in examples.load_examples(c)}
            examples.forget(c, sorted(known))

    def learn(self, document: str, number: str) -> None:
        kind = self.ws.setup.document_type("Delivery note")
        assert kind is not None
        page = page_of("Goods in", f"Our sign  {number}", "Came in on the  3 April 2026")
        values = {"Order number": FieldValue((number,), 1.0, Origin.TYPED, True)}
        with self.ws.place.database.atomic() as c:
            examples.remember(c, document, kind, [("p", page)], values, self.ws.rule, self.ws.clock.stamp())

    def known(self) -> list[str]:
        with self.ws.place.database.read() as c:
            return [e.document for e in examples.load_examples(c)]

    def test_the_oldest_of_a_type_are_cleared_together(self) -> None:
        with mock.patch.multiple(examples, KEPT_PER_TYPE=4, CLEARED_TOGETHER=3):
            for i in range(6):
                self.learn(f"d{i}", f"PO-1000{i}")
            self.assertEqual(self.known(), [f"d{i}" for i in range(6)], "a few more are kept until then")
            self.learn("d6", "PO-10006")
            self.assertEqual(self.known(), ["d3", "d4", "d5", "d6"])
        self.assertEqual([e.document for e in self.ws.memory().examples], ["d3", "d4", "d5", "d6"])

    def test_a_document_filed_again_is_known_once_and_as_it_is_now(self) -> None:
        self.learn("d0", "PO-10000")
        self.learn("d0", "PO-20000")
        self.assertEqual(self.known(), ["d0"])
        lesson = self.ws.memory().examples[0].lessons[0]
        self.assertEqual((lesson.field, lesson.label), ("Order number", "Our sign"))

    def test_only_what_is_new_is_read(self) -> None:
        self.learn("d0", "PO-10000")
        first = self.ws.memory()
        self.assertIs(self.ws.memory(), first, "nothing was learned since")
        self.learn("d1", "PO-10001")
        asked: list[int] = []
        load = examples.load_examples

        def watch(c: Any, after: int = 0) -> list[examples.Example]:
            asked.append(after)
            return load(c, after)

        with mock.patch.object(examples, "load_examples", watch):
            second = self.ws.memory()
        self.assertEqual(asked, [first.examples[-1].id])
        self.assertEqual([e.document for e in second.examples], ["d0", "d1"])
        self.assertEqual(len(first.examples), 1, "a memory in somebody's hands does not change")

    def test_what_was_forgotten_teaches_nothing_any_more(self) -> None:
        for i in range(3):
            self.learn(f"d{i}", f"PO-1000{i}")
        page = page_of("Goods in", "Our sign  PO-77777", "Came in on the  5 May 2026")
        self.assertEqual(self.ws.memory().taught(page, "Delivery note")["Order number"].label, "Our sign")
        with self.ws.place.database.atomic() as c:
            self.assertEqual(examples.forget(c, ["d0", "d1", "d2"]), 3)
        self.assertEqual((self.ws.memory().examples, self.ws.memory().layouts), ((), ()))
        self.assertEqual(self.ws.memory().taught(page, "Delivery note"), {})

    def test_pages_without_words_are_left_aside(self) -> None:
        self.assertIsNone(Memory().guess_type(PageText((), Frame(WIDTH, HEIGHT))))
        self.learn("d0", "PO-10000")
        self.assertEqual(self.ws.memory().tell_first_page(PageText((), Frame(WIDTH, HEIGHT))), "")


class KnownBefore(DataTest):
    """A document whose page is not read yet."""

    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.facts = Facts(WIDTH, HEIGHT, 100, "grey", 0, 0.0, 50.0, False)

    def batch(self, routine: str = "Files", source: str = "one.tif", **document: Any) -> tuple[Batch, Document]:
        made = Document("d", "first page", **document)
        page = Page("p", 0, source, 0, 1, "front", "sha", facts=self.facts, document_id="d", disposition="kept")
        return Batch("b", routine, "test", "somebody", "2026-01-01", None, None, (page,), {"d": made}), made

    def known(self, *args: str, **document: Any) -> str | None:
        kind = known_type(self.ws, *self.batch(*args, **document))
        return kind.name if kind else None

    def test_by_hand_by_its_separator_or_by_a_rule(self) -> None:
        self.assertIsNone(self.known())
        self.assertEqual(self.known(type="Letter", type_origin="separator sheet"), "Letter")
        bill = self.ws.setup.document_type("Bill")
        assert bill is not None
        ruled = bill.model_copy(update={"told_by": (TypeRule(on="source", pattern=r"^bills/"),)})
        parts.save_part(acting(self.ws, self.ws.person(None).id), "document_types", ruled)
        self.assertEqual(self.known("Files", "bills/7.tif"), "Bill")
        self.assertEqual(self.known("Files", "bills/7.tif", type="Letter"), "Letter", "what is known goes first")
        self.assertIsNone(self.known("Files", "letters/7.tif"))

    def test_zones_fill_only_their_own_fields_and_leave_hands_alone(self) -> None:
        bill = self.ws.setup.document_type("Bill")
        assert bill is not None
        zone = {"left": 0.05, "top": 0.05, "right": 0.5, "bottom": 0.12}
        kind = types.change_field(bill, "Bill number", {"zone": zone})
        parts.save_part(acting(self.ws, self.ws.person(None).id), "document_types", kind)
        typed = FieldValue(("2026-04-03",), 1.0, Origin.TYPED, True)
        batch, document = self.batch(type="Bill", values={"Bill date": typed})
        found = index_zones(self.ws, batch, document, "p", page_of("R-45855"))
        self.assertEqual(
            {n: v.text for n, v in found.values.items()}, {"Bill number": "R-45855", "Bill date": typed.text}
        )
        self.assertFalse(found.proposed, "the rest of the page is still to come")
        batch, late = self.batch(type="Bill", proposed=True)
        self.assertIs(index_zones(self.ws, batch, late, "p", page_of("R-45855")), late, "the whole page was faster")
