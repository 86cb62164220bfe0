"""The set-up in its tables: each part by itself, with its revision and all its earlier states."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from sqlalchemy import Connection, insert, select, update

from keybundle.core.base.records import dataclass
from keybundle.core.setup.ids import INNER, PARTS
from keybundle.core.setup.model import Setup
from keybundle.core.setup.parts import AS_KEPT
from keybundle.core.store import schema as t

GENERAL = "general"  # what belongs to no part: name, locale, time zone, mail server, patch codes


@dataclass(frozen=True)
class PartChange:
    """What happened to one part of a set-up: ``what`` is added, changed or dropped; ``before`` and ``after`` its data."""

    kind: str
    id: str
    what: str
    revision: int
    before: Mapping[str, Any] | None
    after: Mapping[str, Any] | None

    @property
    def name(self) -> str:
        """What people call the part, as it was told last."""
        return str((self.after or self.before or {}).get("name", self.id))


@dataclass(frozen=True)
class PartState:
    """A part as it was from a moment on (``at`` ISO 8601 in UTC); ``data`` None: dropped then."""

    kind: str
    id: str
    revision: int
    at: str
    who: str
    data: Mapping[str, Any] | None


def load_setup_parts(c: Connection) -> Setup | None:
    """Return the set-up in force, None before the first one; registers come without their rows."""
    p = t.setup_part.c
    rows = c.execute(select(p.kind, p.data).where(p.is_dropped.is_(False)).order_by(p.kind, p.position)).all()
    if not rows:
        return None
    whole: dict[str, Any] = next((dict(r.data) for r in rows if r.kind == GENERAL), {})
    for row in rows:
        if row.kind != GENERAL:
            whole.setdefault(row.kind, []).append(row.data)
    return Setup.model_validate({"storage_areas": [], **whole}, context=AS_KEPT)


def put_setup_parts(c: Connection, setup: Setup, at: str, who: str) -> list[PartChange]:
    """Make the tables say what a set-up says; return what that changed, part by part."""
    p = t.setup_part.c
    known = {(r.kind, r.id): r for r in c.execute(select(t.setup_part))}
    changes: list[PartChange] = []
    seen: set[tuple[str, str]] = set()
    for kind, part_id, position, data in _parts(setup):
        if (kind, part_id) in seen:
            raise ValueError(f"two {kind} have the id {part_id}")
        seen.add((kind, part_id))
        before = known.get((kind, part_id))
        here = (p.kind == kind) & (p.id == part_id)
        if before is None:
            c.execute(insert(t.setup_part).values(
                kind=kind, id=part_id, position=position, revision=1, data=data, is_dropped=False
            ))  # fmt: skip
            changes.append(PartChange(kind, part_id, "added", 1, None, data))
        elif before.is_dropped or before.data != data:
            revision = before.revision + 1
            values = {"position": position, "revision": revision, "data": data, "is_dropped": False}
            c.execute(update(t.setup_part).where(here).values(values))
            what = "added" if before.is_dropped else "changed"
            changes.append(PartChange(kind, part_id, what, revision, None if before.is_dropped else before.data, data))
        elif before.position != position:
            c.execute(update(t.setup_part).where(here).values(position=position))
    for (kind, part_id), row in known.items():
        if (kind, part_id) not in seen and not row.is_dropped:
            revision = row.revision + 1
            c.execute(
                update(t.setup_part).where(p.kind == kind, p.id == part_id).values(revision=revision, is_dropped=True)
            )
            changes.append(PartChange(kind, part_id, "dropped", revision, row.data, None))
    for x in changes:
        row_of = {"kind": x.kind, "id": x.id, "revision": x.revision, "at": at, "who": who, "data": x.after}
        c.execute(insert(t.setup_history).values(row_of))
    return changes


def _parts(setup: Setup) -> Iterator[tuple[str, str, int, dict[str, Any]]]:
    plain = setup.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    yield GENERAL, "", 0, {k: v for k, v in plain.items() if k not in PARTS}
    for kind in PARTS:
        for position, part in enumerate(getattr(setup, kind)):
            data = part.model_dump(mode="json", by_alias=True, exclude_defaults=True)
            yield kind, part.id, position, {k: v for k, v in data.items() if k != "rows"}


def person_name(c: Connection, person: str) -> str:
    """Return what people call somebody now; the id itself for one who is not known."""
    p = t.setup_part.c
    data = c.execute(select(p.data).where(p.kind == "people", p.id == person)).scalar()
    return str((data or {}).get("name", person))


def time_zone(c: Connection) -> str:
    """Return the time zone of the repository, which its days and months are those of."""
    p = t.setup_part.c
    data = c.execute(select(p.data).where(p.kind == GENERAL)).scalar()
    return str((data or {}).get("time_zone", "UTC"))


def used_ids(c: Connection) -> dict[str, set[str]]:
    """Return every id that a part ever had, as ``match_ids`` takes them."""
    found: dict[str, set[str]] = {kind: set() for kind in PARTS}
    h = t.setup_history.c
    for row in c.execute(select(h.kind, h.id, h.data).where(h.kind != GENERAL)):
        found[row.kind].add(row.id)
        if row.kind in INNER and row.data:
            inner = found.setdefault(f"{row.kind}/{row.id}", set())
            inner |= {x if isinstance(x, str) else str(x.get("id", "")) for x in row.data.get(INNER[row.kind], ())}
    return found


def part_history(c: Connection, kind: str = "", part_id: str = "", limit: int = 200) -> list[PartState]:
    """Return the states of a part (of all parts of a kind, or of everything), the newest first."""
    h = t.setup_history.c
    chosen = select(t.setup_history).order_by(h.seq.desc()).limit(limit)
    if kind:
        chosen = chosen.where(h.kind == kind)
    if part_id:
        chosen = chosen.where(h.id == part_id)
    return [PartState(r.kind, r.id, r.revision, r.at, r.who, r.data) for r in c.execute(chosen)]
