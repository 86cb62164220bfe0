"""The prepare place: the set-up's lists, read-only."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from keybundle.core.setup.formulas import map_caption
from keybundle.core.setup.model import name_of
from keybundle.core.workflows.prepare.register_files import import_register
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr, worded

REGISTER = "register:"


@dataclass(frozen=True)
class PartTable:
    """A list of the set-up: which (``kind``; of a register its name in it too), its name, column heads and rows."""

    kind: str
    name: str
    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]


def bring_register(seat: Seat, name: str, path: Path) -> int:
    """Put the entries of a CSV file in place of a register's; return how many. Raises InputProblem, line by line."""
    return import_register(seat.session, name, path)


def load_parts(seat: Seat) -> list[PartTable]:
    """Return all lists of the set-up, ready to show."""
    ws = seat.workspace
    setup = ws.setup
    cabinets = tuple(
        (
            c.name,
            c.description,
            ", ".join(f.name for f in c.folder_fields),
            name_of(setup.storage_areas, c.storage_area),
        )
        for c in setup.cabinets
    )
    types = tuple(
        (
            t.name,
            name_of(setup.cabinets, t.cabinet),
            map_caption(t.caption, {f.id: f.name for f in t.fields}),
            ", ".join(f"{f.name}{'' if f.required else tr(' (may be empty)')}" for f in t.fields),
        )
        for t in setup.document_types
    )
    routines = tuple(
        (
            r.sign,
            r.name,
            r.description,
            "; ".join(worded(x.said) for x in r.separation.rules),
            tr("two-sided") if r.duplex else tr("one-sided"),
            f"{r.bar:.0%}",
        )
        for r in setup.routines
    )
    areas = tuple((a.name, str(ws.place.root / a.path)) for a in setup.storage_areas)
    parts = [
        PartTable(
            "routines",
            tr("Routines"),
            (tr("Sign"), tr("Name"), tr("Description"), tr("Separated by"), tr("Sheets"), tr("Bar")),
            routines,
        ),
        PartTable(
            "cabinets",
            tr("Cabinets"),
            (tr("Name"), tr("Description"), tr("Folder fields"), tr("Storage area")),
            cabinets,
        ),
        PartTable("types", tr("Document types"), (tr("Name"), tr("Cabinet"), tr("Caption"), tr("Fields")), types),
        PartTable(
            "people",
            tr("People"),
            (tr("Name"), tr("Roles")),
            tuple(
                (
                    p.name,
                    ", ".join(name_of(setup.roles, r) for r in p.roles)
                    + ("" if p.active else tr(", works here no more")),
                )
                for p in setup.people
            ),
        ),
        PartTable("areas", tr("Storage areas"), (tr("Name"), tr("Place")), areas),
    ]
    for register in setup.registers:
        rows = tuple(tuple(e[c] for c in register.columns) for e in ws.entries(register.id))
        parts.append(
            PartTable(f"{REGISTER}{register.name}", tr("Register: {name}", name=register.name), register.columns, rows)
        )
    return parts
