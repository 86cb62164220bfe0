"""Cabinets: their levels, where each type takes them from, which others are like them, and how full they are."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from sqlalchemy import func, select

from keybundle.core.base.records import dataclass
from keybundle.core.fields.kinds import Kind
from keybundle.core.rights.model import Right
from keybundle.core.setup.ids import fresh_id
from keybundle.core.setup.model import Cabinet, DocumentType, Setup, name_of
from keybundle.core.store import schema as t
from keybundle.core.workflows.prepare.parts.parts import change_part
from keybundle.core.workflows.session.session import Session, needs

DATE_PARTS = ("year", "month")


@dataclass(frozen=True)
class CabinetRow:
    """A cabinet in the table of all: names of its levels, number of fields asked by its types, what lies in it."""

    id: str
    name: str
    levels: tuple[str, ...]
    fields: int
    folders: int
    documents: int
    last_filed: str
    area: str


def with_levels(cabinet: Cabinet, levels: Sequence[Mapping[str, str]], used: Collection[str]) -> Cabinet:
    """Return a cabinet with other levels: each keeps its id, new ones (without) get one that none had; raises PartProblem."""
    taken = {*used, *(level.id for level in cabinet.folder_fields)}
    made: list[dict[str, str]] = []
    for level in levels:
        level_id = level.get("id") or fresh_id(level["name"], taken)
        taken.add(level_id)
        made.append({"id": level_id, "name": level["name"]})
    return change_part(cabinet, {"folder_fields": made})


def level_sources(kind: DocumentType) -> tuple[str, ...]:
    """Return all that a level can take its value from in a type: each field, and year and month of each date."""
    single = [f for f in kind.fields if not f.several]
    parts = [f"{part} of {f.id}" for f in single if f.kind is Kind.DATE for part in DATE_PARTS]
    return (*(f.id for f in single), *parts)


def same_levels(setup: Setup, cabinet: Cabinet) -> Cabinet | None:
    """Return another cabinet with levels of the same names, which could be shared instead."""
    own = [level.name.casefold() for level in cabinet.folder_fields]
    others = (c for c in setup.cabinets if c.id != cabinet.id)
    return next((c for c in others if own and [x.name.casefold() for x in c.folder_fields] == own), None)


def share(setup: Setup, cabinet: Cabinet, other: Cabinet) -> tuple[DocumentType, ...]:
    """Return the types of a cabinet as they would go to another one with the same levels instead."""
    as_there = dict(zip(cabinet.levels, other.levels, strict=True))
    return tuple(
        kind.model_copy(
            update={"cabinet": other.id, "folder": {as_there.get(x, x): source for x, source in kind.folder.items()}}
        )
        for kind in setup.document_types
        if kind.cabinet == cabinet.id
    )


@needs(Right.PREPARE)
def share_instead(session: Session, cabinet_id: str, other_id: str) -> None:
    """Let the types of a cabinet that holds nothing go to one with the same levels, and remove it."""

    def change(setup: Setup) -> Setup:
        cabinet, other = setup.cabinet(cabinet_id), setup.cabinet(other_id)
        if cabinet is None or other is None or len(cabinet.levels) != len(other.levels):
            return setup
        moved = {kind.id: kind for kind in share(setup, cabinet, other)}
        return setup.model_copy(
            update={
                "cabinets": tuple(c for c in setup.cabinets if c.id != cabinet_id),
                "document_types": tuple(moved.get(k.id, k) for k in setup.document_types),
            }
        )

    session.workspace.change_setup(session.person, change)


@needs(Right.PREPARE)
def list_cabinets(session: Session) -> list[CabinetRow]:
    """Return all cabinets with what lies in them."""
    workspace = session.workspace
    d, f, own = t.document.c, t.folder.c, t.folder_count.c
    told = select(
        f.cabinet, func.sum(f.documents).label("n"), func.max(f.last).label("last"),
        func.count().filter(f.path != "").label("folders"),
    ).group_by(f.cabinet)  # fmt: skip
    kept = select(f.cabinet, func.sum(own.documents).label("n")).join_from(t.folder, t.folder_count).group_by(f.cabinet)
    with workspace.place.database.read() as c:
        found = {r.cabinet: r for r in c.execute(told)}
        apart = {r.cabinet: int(r.n) for r in c.execute(kept)}
        newest = select(d.number, d.filed_at).where(d.number.in_([r.last for r in found.values()]))
        filed_at = {r.number: str(r.filed_at) for r in c.execute(newest)}
    setup = workspace.setup
    return [
        CabinetRow(
            cabinet.id, cabinet.name, tuple(level.name for level in cabinet.folder_fields),
            len({f.name for k in setup.document_types if k.cabinet == cabinet.id for f in k.fields}),
            int(found[cabinet.id].folders) if cabinet.id in found else 0,
            (int(found[cabinet.id].n) if cabinet.id in found else 0) + apart.get(cabinet.id, 0),
            filed_at.get(found[cabinet.id].last, "") if cabinet.id in found else "",
            name_of(setup.storage_areas, cabinet.storage_area),
        )
        for cabinet in setup.cabinets
    ]  # fmt: skip
