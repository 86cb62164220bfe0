"""Where the parts of a set-up are used in one another."""

from __future__ import annotations

from collections.abc import Iterator

from keybundle.core.setup.model import Setup

Use = tuple[str, str]


def used_by(setup: Setup, kind: str, part_id: str) -> tuple[Use, ...]:
    """Return the parts (kind, id) that name one part of the set-up, in the order of the set-up."""
    return tuple(dict.fromkeys(_uses(setup, kind, part_id)))


def _uses(setup: Setup, kind: str, part_id: str) -> Iterator[Use]:
    for cabinet in setup.cabinets:
        if kind == "storage_areas" and cabinet.storage_area == part_id:
            yield "cabinets", cabinet.id
    for document_type in setup.document_types:
        registers = {spec.register_name for spec in document_type.fields}
        named = {"cabinets": {document_type.cabinet}, "registers": registers}.get(kind, set())
        if part_id in named or part_id in getattr(document_type.kept_to, kind, ()):
            yield "document_types", document_type.id
    for routine in setup.routines:
        is_of_type = kind == "document_types" and part_id in (routine.document_type, *routine.types)
        if is_of_type or any(part_id in getattr(x, kind, ()) for x in (routine.kept_to, routine.given_to)):
            yield "routines", routine.id
    for person in setup.people:
        if kind in ("roles", "groups") and part_id in getattr(person, kind):
            yield "people", person.id
