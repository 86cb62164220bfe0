"""Every decision of a person against every stage of a page: the machine never overwrites it, whatever comes after."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from keybundle.core.base.errors import InputProblem
from keybundle.core.batches.model import Batch, State
from keybundle.core.reading.text import PageText
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.index import page_texts, slip, slip_help
from tests.core.test_course import Course
from tests.standin import answer
from tests.support import acting

WORDS = "From Tamsin Reedmace\nSubject A leaking gate\nYours sincerely"


@dataclass(frozen=True)
class Stage:
    """Where the pages are: what is held back, under which rules, how a reading ends."""

    holds: frozenset[str] = frozenset()
    rules: tuple[dict[str, str], ...] = ({"rule": "separator sheet"},)
    fails: bool = False


STAGES = {
    "captured": Stage(frozenset({"examine"})),
    "looked at": Stage(frozenset({"read"}), ({"rule": "page numbering"},)),
    "placed": Stage(frozenset({"read"})),
    "read": Stage(),
    "failed": Stage(fails=True),
}


class Decisions(Course):
    def begin(self, stage: Stage) -> str:
        def work(what: str, args: tuple[Any, ...]) -> Any:
            if what == "read" and stage.fails:
                raise InputProblem("It cannot be read.")
            return answer(what, args, WORDS)

        self.pool.answer, self.pool.hold = work, set(stage.holds)
        data = {**self.routine.model_dump(), "separation": {"rules": list(stage.rules)}, "halts": ()}
        routine = Routine.model_validate(data)
        routines = tuple(routine if r.name == routine.name else r for r in self.ws.setup.routines)
        self.ws.put_setup(self.ws.setup.model_copy(update={"routines": routines}), self.who)
        self.routine = routine
        return self.scan(3)

    def go_on(self, batch_id: str) -> None:
        """Let the machine do all it can: what was held back, a new start, one more sheet."""
        while self.pool.held:
            self.pool.let_go()
            self.settle_down()
        self.pool.hold = set()
        self.line.resume()
        self.settle_down()
        self.scan(1, batch_id)

    def check(self, decide: Callable[[str], None], holds: Callable[[Batch], object], *early: str) -> None:
        """Decide at each stage and look afterwards; at the ``early`` ones it is refused in words."""
        for name, stage in STAGES.items():
            with self.subTest(name):
                batch_id = self.begin(stage)
                try:
                    decide(batch_id)
                except InputProblem as error:
                    self.assertIn(name, early, str(error))
                    self.go_on(batch_id)
                    continue
                self.settle_down()
                self.go_on(batch_id)
                batch = self.load(batch_id)
                self.assertTrue(holds(batch), [(p.disposition, p.reason, p.turn, p.stage) for p in batch.pages])
                self.assertEqual([p.disposition is not None for p in batch.pages], [True] * 4)
                self.assertNotIn(State.READING, {d.state for d in batch.documents.values()})

    def test_left_out(self) -> None:
        self.check(
            lambda b: self.act(b, "leave out", 1),
            lambda b: (b.pages[1].disposition, b.pages[1].reason) == ("left out", "by hand"),
        )

    def test_left_out_and_taken_back(self) -> None:
        def decide(batch_id: str) -> None:
            self.act(batch_id, "leave out", 1)
            self.act(batch_id, "take back", 1)

        self.check(decide, lambda b: b.pages[1].kept and b.pages[1].document_id == b.pages[0].document_id)

    def test_a_break(self) -> None:
        self.check(lambda b: self.act(b, "break", 1), lambda b: [len(b.pages_of(d.id)) for d in b.in_order()] == [1, 3])

    def test_a_join(self) -> None:
        def decide(batch_id: str) -> None:
            self.act(batch_id, "break", 1)
            self.act(batch_id, "join up", 1)

        self.check(decide, lambda b: len(b.documents) == 1)

    def test_a_turn(self) -> None:
        def turned(batch: Batch) -> bool:
            page = batch.pages[1]
            data = self.ws.batches.texts([page.id]).get(page.id)
            right = data is None or PageText.from_bytes(data).frame.rotation == 90
            return page.turn == 90 and right and page.is_read

        self.check(lambda b: self.act(b, "turn right", 1), turned)

    def test_typed_words(self) -> None:
        def decide(batch_id: str) -> None:
            page = self.load(batch_id).pages[1]
            page_texts.type_words(acting(self.ws, self.who), self.line, batch_id, page.id, "words of a person")

        def kept(batch: Batch) -> bool:
            page = batch.pages[1]
            return PageText.from_bytes(self.ws.batches.texts([page.id])[page.id]).plain == "words of a person"

        self.check(decide, kept, "captured")

        def turn_too(batch_id: str) -> None:
            decide(batch_id)
            self.act(batch_id, "turn right", 1)

        def turned(batch: Batch) -> bool:
            page = batch.pages[1]
            rotation = PageText.from_bytes(self.ws.batches.texts([page.id])[page.id]).frame.rotation
            return kept(batch) and page.is_read and (rotation, page.turn) == (90, 90)

        self.check(turn_too, turned, "captured")

    def test_the_order(self) -> None:
        order: list[str] = []

        def decide(batch_id: str) -> None:
            order[:] = [p.id for p in self.load(batch_id).pages]
            self.act(batch_id, "move later", 0)

        self.check(
            decide, lambda b: [p.id for p in b.pages][:3] == [order[1], order[0], order[2]], "captured", "looked at"
        )

    def first(self, batch_id: str) -> str:
        documents = self.load(batch_id).in_order()
        if not documents:
            raise InputProblem("There is no document yet.")
        return documents[0].id

    def test_the_type(self) -> None:
        self.check(
            lambda b: void(slip.choose_type(acting(self.ws, self.who), self.line, b, self.first(b), "E-mail")),
            lambda b: (b.in_order()[0].type, b.in_order()[0].type_origin) == ("E-mail", "typed"),
            "captured", "looked at",
        )  # fmt: skip

    def test_a_value_and_an_emptied_one(self) -> None:
        def decide(batch_id: str) -> None:
            document = self.first(batch_id)
            slip.choose_type(acting(self.ws, self.who), self.line, batch_id, document, "Letter")
            slip.enter_value(acting(self.ws, self.who), self.line, batch_id, document, "Sender", "Perrin Osier")
            slip.enter_value(acting(self.ws, self.who), self.line, batch_id, document, "Subject", "")

        def kept(batch: Batch) -> bool:
            values = batch.in_order()[0].values
            return values["Sender"].text == "Perrin Osier" and values["Subject"].is_emptied

        self.check(decide, kept, "captured", "looked at")

    def test_values_taken_from_elsewhere(self) -> None:
        # Taken by a key they are still to be confirmed, but no proposal replaces them; what the page says is offered.
        sender = {"Sender": "Perrin Osier"}

        def from_starter(batch_id: str) -> None:
            document = self.first(batch_id)
            slip.choose_type(acting(self.ws, self.who), self.line, batch_id, document, "Letter")
            starter = slip_help.Starter("usual", "Letter", sender)
            slip_help.start_from(acting(self.ws, self.who), self.line, batch_id, document, starter)

        def from_before(batch_id: str) -> None:
            self.act(batch_id, "break", 1)
            self.first(batch_id)
            first, second = (d.id for d in self.load(batch_id).in_order())
            slip.choose_type(acting(self.ws, self.who), self.line, batch_id, first, "Letter")
            slip.enter_value(acting(self.ws, self.who), self.line, batch_id, first, "Sender", sender["Sender"])
            slip.choose_type(acting(self.ws, self.who), self.line, batch_id, second, "Letter")
            slip_help.take_from_before(acting(self.ws, self.who), self.line, batch_id, second)

        def kept(batch: Batch) -> bool:
            value = batch.in_order()[-1].values["Sender"]
            failed = not any(p.is_read and p.stage != "failed" for p in batch.pages_of(batch.in_order()[-1].id)[:1])
            return (
                value.text == sender["Sender"]
                and not value.sure
                and (failed or "Tamsin Reedmace" in value.alternatives)
            )

        for decide in (from_starter, from_before):
            self.check(decide, kept, "captured", "looked at")


def void(_: object) -> None:
    """Let a verb's answer go."""
