"""The pages of filed documents that were learned from, as the database keeps them.

Their number is bounded: of each type the newest ``KEPT_PER_TYPE`` documents are kept, and a few more until the oldest are
cleared away together.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from sqlalchemy import Connection, delete, func, insert, select

from keybundle.core.base.records import dataclass
from keybundle.core.fields.kinds import Rule
from keybundle.core.fields.values import FieldValue
from keybundle.core.proposing.lessons import Lesson, learn_fields
from keybundle.core.proposing.look import Look, look_at
from keybundle.core.reading.text import PageText
from keybundle.core.setup.model import DocumentType, FieldSpec
from keybundle.core.store import schema as t

KEPT_PER_TYPE, CLEARED_TOGETHER = 600, 60


@dataclass(frozen=True)
class Example:
    """A page of a filed document: its document and type, its number in it from 0, its look, the document's lessons."""

    id: int
    document: str
    type: str
    page: int
    look: Look
    lessons: tuple[Lesson, ...] = ()


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
            row = {"document": document, "type": kind.id, "page": number, "look": look.to_bytes(), "lessons": told}
            c.execute(insert(t.example).values(**row, at=at))
    e = t.example.c
    of_type = (e.type == kind.id, e.page == 0)
    if (c.execute(select(func.count()).where(*of_type)).scalar() or 0) >= KEPT_PER_TYPE + CLEARED_TOGETHER:
        kept = c.execute(select(e.document).where(*of_type).order_by(e.id.desc()).limit(KEPT_PER_TYPE)).scalars()
        c.execute(delete(t.example).where(e.type == kind.id, e.document.not_in(list(kept))))


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
