"""Ids of the parts of a set-up: the names that stand in a file become ids and back, and new parts get ids of their own.

In memory and in every table a part is known by its id alone, so that another name changes nothing else. Names stand on
the screen and in text files; ``by_ids`` and ``by_names`` go from one to the other.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from typing import Any

from keybundle.core.setup.formulas import map_caption, map_level, map_order, map_sum
from keybundle.core.setup.model import DocumentType, Setup, number_people
from keybundle.core.setup.parts import KeptTo, Named

PARTS = ("storage_areas", "cabinets", "document_types", "registers", "routines", "roles", "groups", "people")
INNER = {"cabinets": "folder_fields", "document_types": "fields"}


def by_ids(setup: Setup) -> Setup:
    """Return a set-up whose parts stand in one another by id, of one where they stand by name; what is unknown stays."""
    return _map(setup, "name", "id")


def by_names(setup: Setup) -> Setup:
    """Return a set-up whose parts stand in one another by name, as a text file has them."""
    return _map(setup, "id", "name")


def type_by_ids(kind: DocumentType, setup: Setup) -> DocumentType:
    """Return a document type that names others (and its own fields) by id, of one that does so by name."""
    return _map_type(kind, setup, "name", "id")


def type_by_names(kind: DocumentType, setup: Setup) -> DocumentType:
    """Return a document type that names others (and its own fields) by name."""
    return _map_type(kind, setup, "id", "name")


def _table(parts: Iterable[Named], old: str, new: str) -> dict[str, str]:
    return {getattr(p, old): getattr(p, new) for p in parts}


def _map(setup: Setup, old: str, new: str) -> Setup:
    areas, kinds = _table(setup.storage_areas, old, new), _table(setup.document_types, old, new)
    roles, groups = _table(setup.roles, old, new), _table(setup.groups, old, new)
    return setup.model_copy(
        update={
            "cabinets": tuple(
                c.model_copy(update={"storage_area": areas.get(c.storage_area, c.storage_area)}) for c in setup.cabinets
            ),
            "document_types": tuple(_map_type(k, setup, old, new) for k in setup.document_types),
            "routines": tuple(
                r.model_copy(
                    update={
                        "document_type": kinds.get(r.document_type, r.document_type),
                        "types": _each(kinds, r.types),
                        "given_to": _map_kept_to(r.given_to, setup, old, new),
                        "kept_to": _map_kept_to(r.kept_to, setup, old, new),
                    }
                )
                for r in setup.routines
            ),
            "people": tuple(
                p.model_copy(update={"roles": _each(roles, p.roles), "groups": _each(groups, p.groups)})
                for p in setup.people
            ),
        }
    )


def _each(table: Mapping[str, str], keys: Iterable[str]) -> tuple[str, ...]:
    return tuple(table.get(k, k) for k in keys)


def _map_kept_to(kept_to: KeptTo, setup: Setup, old: str, new: str) -> KeptTo:
    return KeptTo(
        people=_each(_table(setup.people, old, new), kept_to.people),
        groups=_each(_table(setup.groups, old, new), kept_to.groups),
        roles=_each(_table(setup.roles, old, new), kept_to.roles),
    )


def _map_type(kind: DocumentType, setup: Setup, old: str, new: str) -> DocumentType:
    cabinets, registers = _table(setup.cabinets, old, new), _table(setup.registers, old, new)
    own = _table(kind.fields, old, new)
    cabinet = next((c for c in setup.cabinets if getattr(c, old) == kind.cabinet), None)
    levels = _table(cabinet.folder_fields, old, new) if cabinet is not None else {}
    folder = {levels.get(level, level): map_level(text, own) for level, text in kind.folder.items()}
    if old == "name":  # a level is named after the field that it comes from, unless the type says otherwise
        told = {level: own[name] for name, level in levels.items() if level not in folder and name in own}
        folder |= {level: field for level, field in told.items() if field != level}
    fields = (
        f.model_copy(update={"register_name": registers.get(f.register_name, f.register_name)}) for f in kind.fields
    )
    return kind.model_copy(
        update={
            "cabinet": cabinets.get(kind.cabinet, kind.cabinet),
            "caption": map_caption(kind.caption, own),
            "folder": folder,
            "sums": tuple(map_sum(text, own) for text in kind.sums),
            "order": tuple(map_order(text, own) for text in kind.order),
            "key": tuple(own.get(n, n) for n in kind.key),
            "fields": tuple(fields),
            "kept_to": _map_kept_to(kind.kept_to, setup, old, new),
        }
    )


def fresh_id(name: str, taken: Collection[str]) -> str:
    """Return an id for a new part of that name that no part has or had."""
    if name not in taken:
        return name
    return next(found for n in range(2, len(taken) + 3) if (found := f"{name} {n}") not in taken)


def match_ids(data: Mapping[str, Any], present: Setup | None, used: Mapping[str, Collection[str]]) -> dict[str, Any]:
    """Return the plain data of a set-up file with an id in each part: its own, else that of the present part of its name.

    ``used`` holds the ids that were ever given, by part (``cabinets``) and, of what lies in one, by part and id
    (``cabinets/Boats``); new parts get others. Data that is no set-up stays as it is.
    """
    matched = dict(data)
    for part in PARTS:
        items = data.get(part)
        if isinstance(items, list):
            there = getattr(present, part) if present is not None else ()
            matched[part] = _match(items, there, used, part)
            if part == "people":
                matched[part] = number_people(matched[part], used.get(part, ()))
    return matched


def _match(items: Iterable[Any], present: Iterable[Any], used: Mapping[str, Collection[str]], part: str) -> list[Any]:
    items, known, inner = tuple(items), tuple(present), INNER.get(part, "")
    own = {str(x["id"]) for x in items if isinstance(x, dict) and x.get("id")}
    by_name = {p.name.casefold(): p for p in known if p.id not in own}
    taken = {*used.get(part, ()), *own, *(p.id for p in known)}
    found: list[Any] = []
    for item in items:
        told = {"name": item} if isinstance(item, str) else item
        if not isinstance(told, dict) or not isinstance(told.get("name"), str):
            found.append(item)
            continue
        before = next((p for p in known if p.id == told.get("id")), None)
        if not told.get("id"):
            before = by_name.pop(told["name"].casefold(), None)
            # People are numbered instead: an id must say nothing of a person.
            fresh = "" if part == "people" else fresh_id(told["name"], taken)
            told = {**told, "id": before.id if before is not None else fresh}
            taken.add(told["id"])
        if inner and isinstance(told.get(inner), list):
            # Ids of fields are their type's own: two types may have a field with the same id.
            told = {**told, inner: _match(told[inner], getattr(before, inner, ()), used, f"{part}/{told['id']}")}
        found.append(told)
    return found
