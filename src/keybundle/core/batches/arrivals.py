"""Arrivals: whatever came in, by itself or inside something else, each with what became of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from enum import StrEnum
from typing import Any

from sqlalchemy import BindParameter, Connection, Select, bindparam, func, insert, or_, select, update

from keybundle.core.base.records import dataclass
from keybundle.core.batches.model import Came
from keybundle.core.fields.kinds import Kept
from keybundle.core.store import schema as t


class Fate(StrEnum):
    """What became of an arrival."""

    TAKEN = "taken"
    REFUSED = "refused"
    PASSED_OVER = "passed over"


@dataclass(frozen=True)
class Arrival:
    """One thing that came in: a scanned side, a file, a file inside another.

    ``name`` is what it goes by in its batch (``outer/inner`` inside another), ``tree`` its path from what was handed in,
    ``origin`` the device or way it came by, ``values`` what it brings along, by field. ``sha`` is empty where its bytes were
    never read; they are kept where it was taken, and of what only holds other files no longer than it takes to open it.
    ``name_bytes`` is its name as it came, byte for byte, where that is no UTF-8.
    """

    id: str
    name: str
    origin: str
    fate: Fate = Fate.TAKEN
    why: str = ""
    parent_id: str | None = None
    tree: str = ""
    sha: str = ""
    mime: str = ""
    size: int = 0
    values: Mapping[str, str] | None = None
    name_bytes: bytes = b""


_a, _p = t.arrival.c, t.page.c
_BATCH: BindParameter[str] = bindparam("batch")
_DOCUMENT: BindParameter[str] = bindparam("document")
_INSERT = insert(t.arrival)
_COUNT = select(_a.state, func.count()).where(_a.batch_id == _BATCH, _a.is_container.is_(False)).group_by(_a.state)
_VALUES = select(_a.id, _a.brought).where(_a.brought.is_not(None))
_VALUES_OF_BATCH = _VALUES.where(_a.id.in_(select(_p.arrival).where(_p.batch_id == _BATCH)))
_VALUES_OF_DOCUMENT = _VALUES.where(_a.id.in_(select(_p.arrival).where(_p.document_id == _DOCUMENT)))
_TOLD = select(t.arrival).where(_a.batch_id == _BATCH, or_(_a.state != Fate.TAKEN.value, _a.why != ""))
_TOLD = _TOLD.order_by(_a.received_at, _a.id)


def insert_arrival(
    c: Connection, batch_id: str | None, arrival: Arrival, at: str, *, is_container: bool = False
) -> None:
    """Write an arrival; ``batch_id`` is None where nothing came of what it came with."""
    c.execute(_INSERT, {
        "id": arrival.id, "batch_id": batch_id, "parent_id": arrival.parent_id, "name": arrival.name, "tree": arrival.tree,
        "sha": arrival.sha, "mime": arrival.mime, "size": arrival.size, "received_at": at, "origin": arrival.origin,
        "brought": _to_json(arrival.values) if arrival.values else None, "state": arrival.fate.value, "why": arrival.why,
        "is_container": is_container, "name_bytes": arrival.name_bytes or None,
    })  # fmt: skip


def join_batch(c: Connection, arrival_ids: Sequence[str], batch_id: str) -> None:
    """Let arrivals belong to the batch that was begun after they came."""
    c.execute(update(t.arrival).where(_a.id.in_(arrival_ids)).values(batch_id=batch_id))


def load_values(c: Connection, batch_id: str, document_id: str | None = None) -> dict[str, dict[str, str]]:
    """Return the values that the arrivals of a batch's pages (or of one document's) brought along, by arrival."""
    asked: Select[Any] = _VALUES_OF_BATCH if document_id is None else _VALUES_OF_DOCUMENT
    bound = {"batch": batch_id} if document_id is None else {"document": document_id}
    return {row.id: _from_json(row.brought) for row in c.execute(asked, bound)}


def _to_json(values: Mapping[str, str]) -> dict[str, Any]:
    """Return values as plain data, in which those that were kept somewhere already stand in a list."""
    return {name: [value] if isinstance(value, Kept) else value for name, value in values.items()}


def _from_json(data: Mapping[str, Any]) -> dict[str, str]:
    return {name: Kept(value[0]) if isinstance(value, list) else value for name, value in data.items()}


def count_arrivals(c: Connection, batch_id: str) -> Came:
    """Count what came in with a batch."""
    counts = {Fate(state): int(n) for state, n in c.execute(_COUNT, {"batch": batch_id})}
    return Came(
        sum(counts.values()), counts.get(Fate.TAKEN, 0), counts.get(Fate.REFUSED, 0), counts.get(Fate.PASSED_OVER, 0)
    )


def load_told(c: Connection, batch_id: str) -> list[Arrival]:
    """Return what came in with a batch and was not taken, or not whole, with the reasons, in the order it came."""
    return [
        Arrival(r.id, r.name, r.origin, Fate(r.state), r.why, r.parent_id, r.tree, r.sha, r.mime, r.size)
        for r in c.execute(_TOLD, {"batch": batch_id})
    ]  # fmt: skip
