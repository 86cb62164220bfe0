"""Whose a batch is: its owner's, and theirs to whom it was given."""

from __future__ import annotations

import functools
from collections.abc import Iterable

from sqlalchemy import ColumnElement, and_, or_, select

from keybundle.core.store import schema as t


def belongs(person: str, groups: Iterable[str]) -> ColumnElement[bool]:
    """Return the condition over ``batch`` that it is somebody's, or was given to them or to a group of theirs."""
    return _belongs(person, frozenset(groups))


@functools.lru_cache(maxsize=256)
def _belongs(person: str, groups: frozenset[str]) -> ColumnElement[bool]:
    s = t.batch_share.c
    meant = or_(and_(s.kind == "person", s.grantee == person), and_(s.kind == "group", s.grantee.in_(sorted(groups))))
    return or_(t.batch.c.owner == person, t.batch.c.id.in_(select(s.batch_id).where(meant)))
