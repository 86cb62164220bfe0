"""Ready-made beginnings: a cabinet, its document types and a routine to start from, each a set-up file."""

from __future__ import annotations

import tomllib
from collections.abc import Iterable
from importlib.resources import files
from typing import Any

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.core.setup.ids import by_ids, match_ids
from keybundle.core.setup.model import Cabinet, Setup, called
from keybundle.core.workflows.prepare.parts.parts import free_name
from keybundle.core.workflows.session.session import Session, needs

CODES = ("bills", "letters", "personnel", "contracts")
MERGED = ("cabinets", "document_types", "routines")


@dataclass(frozen=True)
class Beginning:
    """A beginning by its code, its name, and what it brings, in a sentence."""

    code: str
    name: str
    said: str


def list_beginnings() -> tuple[Beginning, ...]:
    """Return the beginnings that ship."""
    found = []
    for code in CODES:
        data = _read(code)
        kinds = ", ".join(kind["name"] for kind in data["document_types"])
        levels = " / ".join(data["cabinets"][0]["folder_fields"])
        said = message("beginnings.said", cabinet=data["cabinets"][0]["name"], levels=levels, kinds=kinds)
        found.append(Beginning(code, data["repository"], said))
    return tuple(found)


def _read(code: str) -> dict[str, Any]:
    if code not in CODES:
        raise InputProblem(message("beginnings.none-such", named=code, known=", ".join(CODES)))
    return tomllib.loads((files("keybundle.core.setup") / "beginnings" / f"{code}.toml").read_text(encoding="utf-8"))


@needs(Right.PREPARE)
def take_beginning(session: Session, code: str) -> tuple[str, ...]:
    """Add what a beginning brings to the set-up, under free names, and return the names of its types.

    A cabinet that is there already with the same levels is used as it is.
    """
    data = _read(code)
    names: list[str] = []

    def change(setup: Setup) -> Setup:
        brought = _fit(data, setup)
        used = session.workspace.used_ids()
        fresh = by_ids(Setup.model_validate(match_ids(brought, None, used)))
        names[:] = [k.name for k in fresh.document_types]
        cabinets = tuple(c for c in fresh.cabinets if called(setup.cabinets, c.name) is None)
        there = {c.id: known.id for c in fresh.cabinets if (known := called(setup.cabinets, c.name)) is not None}
        kinds = tuple(k.model_copy(update={"cabinet": there.get(k.cabinet, k.cabinet)}) for k in fresh.document_types)
        return setup.model_copy(
            update={
                "cabinets": (*setup.cabinets, *cabinets),
                "document_types": (*setup.document_types, *kinds),
                "routines": (*setup.routines, *fresh.routines),
            }
        )

    session.workspace.change_setup(session.person, change)
    return tuple(names)


def _fit(data: dict[str, Any], setup: Setup) -> dict[str, Any]:
    """Return a beginning's data under names and keys that are free; a cabinet of the same levels keeps the name it shares."""
    renamed = {kind: {x["name"]: free_name(x["name"], _names(setup, kind)) for x in data[kind]} for kind in MERGED}
    for cabinet in data["cabinets"]:
        known = called(setup.cabinets, cabinet["name"])
        if known is not None and _levels(known) == cabinet["folder_fields"]:
            renamed["cabinets"][cabinet["name"]] = known.name
    keys = {r.key.casefold() for r in setup.routines}
    fitted = {kind: [{**x, "name": renamed[kind][x["name"]]} for x in data[kind]] for kind in MERGED}
    for kind in fitted["document_types"]:
        kind["cabinet"] = renamed["cabinets"][kind["cabinet"]]
    for routine in fitted["routines"]:
        routine["key"] = "" if routine.get("key", "") in keys else routine.get("key", "")
        if kept := routine.get("document_type"):
            routine["document_type"] = renamed["document_types"][kept]
    return {**data, **fitted}


def _names(setup: Setup, kind: str) -> Iterable[str]:
    return [part.name for part in getattr(setup, kind)]


def _levels(cabinet: Cabinet) -> list[str]:
    return [level.name for level in cabinet.folder_fields]
