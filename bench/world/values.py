"""Types and values in organisations never seen: right, sure, and wrong when sure, before and after learning."""

from __future__ import annotations

import random
import time
from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from bench.world.families import FAMILIES, JUDGED_ONLY
from bench.world.papers import Job, organisation, paper
from bench.world.reading import MODES
from bench.world.readings import read_again, read_jobs
from bench.world.seeds import take_fresh_seed
from bench.world.setup import REGISTER, is_right, kind_of, make_book, make_rule, make_types
from keybundle.core.batches.model import SURE_TYPE
from keybundle.core.fields.kinds import Rule, normalise
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.proposing.again import Ask, Heard, hear_all, list_asks
from keybundle.core.proposing.calibration import upper_share
from keybundle.core.proposing.examples import Example
from keybundle.core.proposing.lessons import learn_fields
from keybundle.core.proposing.look import look_at
from keybundle.core.proposing.memory import Memory
from keybundle.core.proposing.propose import Hints, ReadPage, propose_values
from keybundle.core.proposing.types import TypeGuess, guess_type
from keybundle.core.reading.text import PageText
from keybundle.core.registers.book import Book
from keybundle.core.setup.model import DocumentType, FieldSpec

ORGANISATIONS, FORMS, ASKED = 12, 25, 2
BAR = 0.8
CURVE = (0, 1, 2, 3)


@dataclass(frozen=True)
class Told:
    """One field of one document: what was said of it, and its keys: Enter where it is right and unsure, else all of it."""

    family: str
    kind: str
    right: bool
    sure: bool
    keys: int = 0


@dataclass(frozen=True)
class Answer:
    """One document: whether its type is right and sure, and its fields (those of its true type)."""

    family: str
    type_right: bool
    type_sure: bool
    fields: tuple[Told, ...]
    seconds: float

    @property
    def is_done(self) -> bool:
        """Whether it is right and sure in type and every value, so that no key is needed."""
        return self.type_right and self.type_sure and all(f.right and f.sure for f in self.fields)


@dataclass(frozen=True)
class Proposal:
    """What is proposed for a document: the type, the values of its true type, and the seconds."""

    job: Job
    kind: DocumentType
    type: TypeGuess | None
    values: dict[str, FieldValue]
    seconds: float


class House:
    """An organisation at work: its set-up, its register, and what it has confirmed."""

    def __init__(self, seed: int) -> None:
        self.of = organisation(seed)
        self.types: tuple[DocumentType, ...] = make_types(self.of)
        self.books: dict[str, Book] = {REGISTER: make_book(self.of)}
        self.memory = Memory()

    def type_of(self, job: Job) -> DocumentType:
        """Return the true type of a document."""
        name = self.of.types[paper(job).kind][0]
        return next(t for t in self.types if t.name == name)

    def confirm(self, documents: Sequence[tuple[Job, list[PageText]]]) -> None:
        """Learn from documents whose type and values were typed without a mistake."""
        examples = []
        for number, (job, pages) in enumerate(documents):
            kind, names = self.type_of(job), self.of.types[paper(job).kind][1]
            values = {names[v.part]: self._typed(kind, names[v.part], v.stored) for v in paper(job).values}
            self._enter(paper(job).sender.name)
            lessons = learn_fields([(str(i), p) for i, p in enumerate(pages)], kind, values, self.rule)
            examples += [
                Example(number * 20 + i, str(number), kind.name, i, look_at(p), lessons if i == 0 else ())
                for i, p in enumerate(pages)
            ]
        self.memory = Memory.of(examples)

    def _typed(self, kind: DocumentType, name: str, stored: str) -> FieldValue:
        """Return a value as the product keeps what was typed."""
        spec = kind.field(name)
        text = normalise(stored, replace(self.rule(spec), decimal_mark=".")) if spec else stored
        return FieldValue((text if isinstance(text, str) else stored,), 1.0, Origin.TYPED, True)

    def _enter(self, name: str) -> None:
        """Enter a sender whose document is confirmed in the register, where it is not yet: its value is filed only so."""
        book = self.books[REGISTER]
        if book.find(name, "Name") is None:
            entry = {"Number": f"S{len(book.entries) + 1:04d}", "Name": name}
            self.books[REGISTER] = Book(book.key, [*book.entries, entry])

    def propose(self, job: Job, pages: list[PageText]) -> Proposal:
        """Say what the product would propose for a document at first."""
        start = time.perf_counter()
        kind, said = self.type_of(job), guess_type(self.memory, pages[0], self.types)
        hints = Hints(self.memory.taught(pages[0], kind.name))
        read = [ReadPage(str(i), p) for i, p in enumerate(pages)]
        values = propose_values(read, kind, self.books, BAR, self.rule, hints)
        return Proposal(job, kind, said, values, time.perf_counter() - start)

    def hear(self, first: Proposal, heard: Sequence[Heard]) -> Answer:
        """Say what comes of a proposal with what second readers heard where it asked them."""
        told = {a.field: (a, h) for a, h in zip(self.asks(first), heard, strict=True)}
        values = hear_all(first.values, told, first.kind, self.books, BAR, self.rule)
        job, said = first.job, first.type
        names, fields = self.of.types[paper(job).kind][1], []
        for value in paper(job).values:
            found = values.get(names[value.part], FieldValue())
            is_so = is_right(value, found.items)
            keys = (0 if found.sure else 1) if is_so else len(value.stored) + 1
            fields.append(Told(job.family, kind_of(value.part), is_so, found.sure, keys))
        right = said is not None and said.name == first.kind.name
        return Answer(
            job.family, right, said is not None and said.confidence >= SURE_TYPE, tuple(fields), first.seconds
        )

    def asks(self, first: Proposal) -> list[Ask]:
        """Return the places that are read a second time."""
        return list(list_asks(first.values, first.kind, self.rule))

    def rule(self, spec: FieldSpec) -> Rule:
        """Return the rule of a field here."""
        return make_rule(self.of, spec)


def forms_of(seed: int, count: int = FORMS) -> list[Job]:
    """Return forms of an organisation's senders, all families in turn, as the number 0 of each."""
    rng = random.Random(f"values/{seed}")
    senders = [rng.randrange(len(organisation(seed).senders)) for _ in range(count)]
    return [Job(seed, FAMILIES[i % len(FAMILIES)].name, 0, sender=s) for i, s in enumerate(senders)]


def documents_on(forms: Sequence[Job], first: int, count: int) -> list[Job]:
    """Return so many documents on each form; grey and 1-bit, and every fourth over more pages."""
    return [
        Job(f.seed, f.family, n, MODES[(i + n) % 2], f.sender, int((i + n) % 4 == 3))
        for i, f in enumerate(forms)
        for n in range(first, first + count)
    ]


def strangers_on(forms: Sequence[Job]) -> list[Job]:
    """Return a document of each form's family by a sender who has never sent one of that family."""
    known = {(f.family, f.sender) for f in forms}
    found = []
    for i, form in enumerate(forms):
        count = len(organisation(form.seed).senders)
        sender = next(s % count for s in range(i, i + count) if (form.family, s % count) not in known)
        found.append(Job(form.seed, form.family, 60 + i, MODES[i % 2], sender))
    return found


def ask(seed: int, taught: int, *, strangers: bool = False) -> list[Answer]:
    """Return the answers of an organisation that has confirmed so many documents of each form, on these or on strangers'."""
    house, forms = House(seed), forms_of(seed)
    if taught:
        jobs = documents_on(forms, 0, taught)
        house.confirm(list(zip(jobs, read_jobs(jobs), strict=True)))
    jobs = strangers_on(forms) if strangers else documents_on(forms, 50, ASKED)
    first = [house.propose(job, pages) for job, pages in zip(jobs, read_jobs(jobs), strict=True)]
    heard = read_again([(p.job, house.asks(p)) for p in first])
    return [house.hear(p, h) for p, h in zip(first, heard, strict=True)]


def _tell(name: str, answers: Sequence[Answer], which: Callable[[Told], bool] = lambda t: True) -> str:
    fields = [f for a in answers for f in a.fields if which(f)]
    sure = [f for f in fields if f.sure]
    wrong, n = sum(not f.right for f in sure), max(1, len(answers))
    sure_types = [a for a in answers if a.type_sure]
    wrong_types = sum(not a.type_right for a in sure_types)
    types = f"{sum(a.type_right for a in answers) / n:.0%}, {wrong_types} of {len(sure_types)} wrong when sure"
    return (
        f"| {name} | {len(answers)} | {types} "
        f"| {sum(f.right for f in fields) / max(1, len(fields)):.1%} | {len(sure) / max(1, len(fields)):.1%} "
        f"| {wrong} of {len(sure)} ({wrong / max(1, len(sure)):.1%}, at most {upper_share(wrong, len(sure)):.1%}) "
        f"| {sum(a.is_done for a in answers) / n:.0%} | {sum(f.keys for f in fields) / n:.1f} |"
    )


def measure_world_values(seeds: Sequence[int] = ()) -> list[str]:
    """The table by what was confirmed, by family and by kind of value, on fresh judging seeds unless seeds are given."""
    told = f"development seeds {', '.join(map(str, seeds))}"
    if not seeds:
        taken = [take_fresh_seed("values") for _ in range(ORGANISATIONS)]
        seeds, told = [seed for seed, _ in taken], f"seeds {taken[0][0]} to {taken[-1][0]}, used for the first time"
    lines = [
        f"Types and values in {len(seeds)} organisations never seen, {told}.", "",
        "| confirmed before | documents | types right | values right | sure | of the sure ones wrong | documents without a key "
        "| keys a document |",
        "| --- | --- | --- | --- | --- | --- | --- | --- |",
    ]  # fmt: skip
    by_family: dict[int, list[Answer]] = {}
    for taught in CURVE:
        by_family[taught] = [a for seed in seeds for a in ask(seed, taught)]
        lines.append(_tell(f"{taught} of each form" if taught else "nothing", by_family[taught]))
    unknown = [a for seed in seeds for a in ask(seed, CURVE[-1], strangers=True)]
    lines.append(_tell("3 of each form, documents of other senders", unknown))
    for taught in (0, 3):
        families = defaultdict(list)
        for a in by_family[taught]:
            families[a.family].append(a)
        told = f"{taught} of each form" if taught else "nothing"
        for name in (f.name for f in FAMILIES):
            lines.append(_tell(f"{told}: {name}{' (judged only)' if name in JUDGED_ONLY else ''}", families[name]))
        for kind in ("amount", "date", "code", "words"):
            lines.append(_tell(f"{told}: of kind {kind}", by_family[taught], lambda t, kind=kind: t.kind == kind))
    seconds = [a.seconds for answers in by_family.values() for a in answers]
    return [*lines, "", f"A document takes {1000 * sum(seconds) / len(seconds):.0f} ms."]


if __name__ == "__main__":
    import sys

    print("\n".join(measure_world_values(list(map(int, sys.argv[1:])))))
