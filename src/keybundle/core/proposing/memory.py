"""What was learned from filed documents: their looks and lessons, kept in the database and compared with new pages.

The memory is bounded: of each type the newest ``KEPT_PER_TYPE`` documents are kept. It can be seen, forgotten document
by document, and exported.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt
from sqlalchemy import Connection, delete, func, insert, select

from keybundle.core.fields.kinds import Rule
from keybundle.core.fields.values import FieldValue
from keybundle.core.proposing.lessons import Lesson, Taught, agree_on, learn_fields
from keybundle.core.proposing.look import Look, Rarity, look_at, measure_rarity
from keybundle.core.reading.text import PageText
from keybundle.core.setup.model import DocumentType, FieldSpec
from keybundle.core.store import schema as t

KEPT_PER_TYPE = 600
SINGLE_ALIKE, JOIN_COVER = 0.36, 0.6
COMMON_SHARE = 0.6
MERGE_ALIKE, MOST_MERGED = 0.58, 8
KNOWN_TYPE, KNOWN_FIRST = 0.72, 0.68
LEAST_FOR_FIRST, MOST_LESSONS = 3, 12


@dataclass(frozen=True)
class Example:
    """A page of a filed document: its document and type, its number in it from 0, its look, the document's lessons."""

    id: int
    document: str
    type: str
    page: int
    look: Look
    lessons: tuple[Lesson, ...] = ()


@dataclass
class Layout:
    """First pages of one type that look alike: how many have each token, and what most of them have in common.

    What changes from sheet to sheet (values, running text) falls out of what they share, so that a page is compared
    with what is printed on every sheet of the layout.
    """

    type: str
    members: list[Example]
    ids: npt.NDArray[np.int32]
    counts: npt.NDArray[np.float32]

    def shared(self) -> npt.NDArray[np.int32]:
        """Return the tokens that most members have, ascending."""
        return self.ids[self.counts >= COMMON_SHARE * len(self.members)]

    def cover(self, look: Look, rarity: Rarity) -> float:
        """Return the share (by rarity) of what the members have in common that a look has too, 0 to 1.

        With a single member nothing tells what is printed from what was filled in: then it is how much both share of
        all they have (Dice's coefficient).
        """
        common = self.shared()
        both = np.intersect1d(common, look.ids, assume_unique=True)
        if len(self.members) == 1:
            weight = rarity.mild
            whole = float(weight[common].sum() + weight[look.ids].sum()) / 2
        else:
            weight = rarity.sharp
            whole = float(weight[common].sum())
        return float(weight[both].sum()) / whole if whole else 0.0

    def joins(self, look: Look, rarity: Rarity) -> float:
        """Return how well a look fits, above 1 where it belongs here."""
        return self.cover(look, rarity) / (SINGLE_ALIKE if len(self.members) == 1 else JOIN_COVER)

    def shares(self, other: Layout, rarity: Rarity) -> float:
        """Return how much of what the members have in common another layout's have too (Dice's coefficient)."""
        own, theirs = self.shared(), other.shared()
        both = np.intersect1d(own, theirs, assume_unique=True)
        whole = float(rarity.mild[own].sum() + rarity.mild[theirs].sum())
        return 2 * float(rarity.mild[both].sum()) / whole if whole else 0.0

    def add(self, example: Example) -> None:
        """Take one more member."""
        ids = np.union1d(self.ids, example.look.ids).astype(np.int32)
        counts = np.zeros(len(ids), dtype=np.float32)
        counts[np.searchsorted(ids, self.ids)] += self.counts
        counts[np.searchsorted(ids, example.look.ids)] += 1
        self.ids, self.counts = ids, counts
        self.members.append(example)


@dataclass(frozen=True)
class Guess:
    """A type as guessed from a look: how well the best layout of that type covers it, and the best of any other type."""

    type: str
    likeness: float
    rival: float


@dataclass
class Memory:
    """All examples, gathered into layouts."""

    examples: list[Example] = field(default_factory=list)
    rarity: Rarity = field(default_factory=lambda: measure_rarity([]))
    layouts: list[Layout] = field(default_factory=list)

    @classmethod
    def of(cls, examples: Sequence[Example]) -> Memory:
        """Return a memory of these examples; pages without words are left aside."""
        kept = [e for e in examples if len(e.look.ids)]
        if not kept:
            return cls(list(examples))
        made = cls(list(examples), measure_rarity([e.look for e in kept]))
        for example in kept:
            if example.page == 0:
                made._gather(example)
        made._merge()
        return made

    def _gather(self, example: Example) -> None:
        own = [x for x in self.layouts if x.type == example.type]
        fits = [(layout.joins(example.look, self.rarity), layout) for layout in own]
        best = max(fits, key=lambda fit: fit[0], default=(0.0, None))
        if best[1] is not None and best[0] >= 1:
            best[1].add(example)
        else:
            look = example.look
            self.layouts.append(Layout(example.type, [example], look.ids, np.ones(len(look.ids), dtype=np.float32)))

    def _merge(self) -> None:
        """Put small layouts together that share most of what their own members have in common.

        The first sheets of a layout may begin several, before anything tells what is printed from what was filled in.
        """
        for small in sorted(self.layouts, key=lambda x: len(x.members)):
            if not 1 < len(small.members) <= MOST_MERGED:
                continue
            others = [x for x in self.layouts if x is not small and x.type == small.type and len(x.members) > 1]
            likes = [(small.shares(x, self.rarity), x) for x in others]
            best = max(likes, key=lambda pair: pair[0], default=(0.0, None))
            if best[1] is not None and best[0] >= MERGE_ALIKE:
                for example in small.members:
                    best[1].add(example)
                self.layouts.remove(small)

    def _covers(self, look: Look, least: int) -> list[tuple[float, Layout]]:
        """Return (cover, layout), the best first, of layouts with so many members."""
        if not len(look.ids):
            return []
        found = [(x.cover(look, self.rarity), x) for x in self.layouts if len(x.members) >= least]
        return sorted(found, key=lambda pair: -pair[0])

    def guess_type(self, look: Look) -> Guess | None:
        """Return the type whose known layouts cover a look best; None where no layout is known yet."""
        ranked = self._covers(look, 2)
        if not ranked:
            return None
        best = ranked[0]
        rival = next((cover for cover, x in ranked if x.type != best[1].type), 0.0)
        return Guess(best[1].type, best[0], rival)

    def tell_first_page(self, look: Look) -> str:
        """Return the type of the known layout whose first page this page looks like; empty where it looks like none."""
        ranked = self._covers(look, LEAST_FOR_FIRST)
        return ranked[0][1].type if ranked and ranked[0][0] >= KNOWN_FIRST else ""

    def taught(self, look: Look, type_name: str) -> Mapping[str, Taught]:
        """Return what documents of this layout teach about the fields of a type."""
        own = [(x.joins(look, self.rarity), x) for x in self.layouts if x.type == type_name and len(look.ids)]
        fit, layout = max(own, key=lambda pair: pair[0], default=(0.0, None))
        if layout is None or fit < 1:
            return {}
        return agree_on([lesson for e in layout.members[-MOST_LESSONS:] for lesson in e.lessons])


def remember(
    c: Connection, document: str, kind: DocumentType, pages: Sequence[tuple[str, PageText]],
    values: Mapping[str, FieldValue], make_rule: Callable[[FieldSpec], Rule], at: str,
) -> None:  # fmt: skip
    """Learn from a filed document, inside the caller's transaction; the oldest ones of its type give way."""
    forget(c, [document])
    lessons = learn_fields(pages, kind, values, make_rule)
    for number, (_, text) in enumerate(pages):
        look = look_at(text)
        if len(look.ids):
            told = [x.to_json() for x in lessons] if number == 0 else []
            row = {"document": document, "type": kind.name, "page": number, "look": look.to_bytes(), "lessons": told}
            c.execute(insert(t.example).values(**row, at=at))
    e = t.example.c
    kept = select(e.document).where(e.type == kind.name, e.page == 0).order_by(e.id.desc()).limit(KEPT_PER_TYPE)
    if (c.execute(select(func.count()).where(e.type == kind.name, e.page == 0)).scalar() or 0) > KEPT_PER_TYPE:
        names = list(c.execute(kept).scalars())
        c.execute(delete(t.example).where(e.type == kind.name, e.document.not_in(names)))


def forget(c: Connection, documents: Sequence[str]) -> int:
    """Forget what was learned from documents; return how many pages that were."""
    return int(c.execute(delete(t.example).where(t.example.c.document.in_(list(documents)))).rowcount)


def load_examples(c: Connection, after: int = 0) -> list[Example]:
    """Return the examples learned after one of them (0: all), in the order they were learned."""
    rows = c.execute(select(t.example).where(t.example.c.id > after).order_by(t.example.c.id))
    return [
        Example(r.id, r.document, r.type, r.page, Look.from_bytes(r.look), tuple(map(Lesson.from_json, r.lessons)))
        for r in rows
    ]


def count_examples(c: Connection) -> tuple[int, int]:
    """Return (how many examples there are, the number of the newest): both change with every lesson."""
    row: Any = c.execute(select(func.count(), func.max(t.example.c.id))).one()
    return int(row[0]), int(row[1] or 0)
