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
from keybundle.core.proposing.look import TOKENS, Look, look_at, measure_rarity, weigh_look
from keybundle.core.reading.text import PageText
from keybundle.core.setup.model import DocumentType, FieldSpec
from keybundle.core.store import schema as t

KEPT_PER_TYPE = 300
SAME_LAYOUT = 0.62
NEAREST = 3
ALIKE_BAR = 0.3
LEAST_EXAMPLES = 3
FIRST_LEAD = 1.08


@dataclass(frozen=True)
class Example:
    """A page of a filed document: its document and type, its number in it from 0, its look, the document's lessons."""

    id: int
    document: str
    type: str
    page: int
    look: Look
    lessons: tuple[Lesson, ...] = ()


@dataclass(frozen=True)
class Guess:
    """A type as guessed from a look: how like its nearest pages of that type are, and those of any other type."""

    type: str
    likeness: float
    rival: float


@dataclass
class Memory:
    """All examples, ready to be compared: their weighted tokens one after another, and where each begins."""

    examples: list[Example] = field(default_factory=list)
    rarity: npt.NDArray[np.float32] = field(default_factory=lambda: np.ones(TOKENS, dtype=np.float32))
    _ids: npt.NDArray[np.int32] = field(default_factory=lambda: np.zeros(0, dtype=np.int32))
    _weights: npt.NDArray[np.float32] = field(default_factory=lambda: np.zeros(0, dtype=np.float32))
    _starts: npt.NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, dtype=np.int64))

    @classmethod
    def of(cls, examples: Sequence[Example]) -> Memory:
        """Return a memory of these examples; pages without words are left aside."""
        kept = [e for e in examples if len(e.look.ids)]
        if not kept:
            return cls()
        rarity = measure_rarity([e.look for e in kept])
        lengths = [len(e.look.ids) for e in kept]
        starts = np.concatenate(([0], np.cumsum(lengths)[:-1])).astype(np.int64)
        ids = np.concatenate([e.look.ids for e in kept])
        weights = np.concatenate([weigh_look(e.look, rarity) for e in kept])
        return cls(list(kept), rarity, ids, weights, starts)

    def compare(self, look: Look) -> npt.NDArray[np.float32]:
        """Return ``(examples,) float32``: the cosine between the look and each example, 0 to 1."""
        if not self.examples or not len(look.ids):
            return np.zeros(len(self.examples), dtype=np.float32)
        query = np.zeros(TOKENS, dtype=np.float32)
        query[look.ids] = weigh_look(look, self.rarity)
        return np.asarray(np.add.reduceat(self._weights * query[self._ids], self._starts), dtype=np.float32)

    def guess_type(self, look: Look) -> Guess | None:
        """Return the type whose first pages are most like this one; None where nothing is like it, or two are."""
        likeness = self.compare(look)
        by_type: dict[str, list[float]] = {}
        for example, like in zip(self.examples, likeness, strict=True):
            if example.page == 0:
                by_type.setdefault(example.type, []).append(float(like))
        ranked = sorted(
            ((float(np.mean(sorted(v)[-NEAREST:])), name) for name, v in by_type.items() if len(v) >= LEAST_EXAMPLES),
            reverse=True,
        )
        if not ranked:
            return None
        rival = ranked[1][0] if len(ranked) > 1 else 0.0
        return Guess(ranked[0][1], ranked[0][0], rival)

    def tell_first_page(self, look: Look) -> str:
        """Return the type of a known layout whose first page this page looks like; empty where it looks like none."""
        likeness = self.compare(look)
        if not len(likeness):
            return ""
        is_first = np.array([e.page == 0 for e in self.examples])
        first, other = _top(likeness[is_first]), _top(likeness[~is_first])
        if first < SAME_LAYOUT or first < FIRST_LEAD * other:
            return ""
        best = int(np.argmax(np.where(is_first, likeness, -1)))
        return self.examples[best].type

    def taught(self, look: Look, type_name: str) -> Mapping[str, Taught]:
        """Return what documents of this layout teach about the fields of a type."""
        likeness = self.compare(look)
        near = [
            (float(like), e)
            for e, like in zip(self.examples, likeness, strict=True)
            if e.page == 0 and e.type == type_name and like >= SAME_LAYOUT
        ]
        near.sort(key=lambda pair: -pair[0])
        return agree_on([lesson for _, e in near[:8] for lesson in e.lessons])


def _top(likeness: npt.NDArray[np.float32]) -> float:
    return float(np.mean(np.sort(likeness)[-2:])) if len(likeness) else 0.0


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
