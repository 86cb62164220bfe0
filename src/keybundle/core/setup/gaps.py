"""What is still missing in a set-up that holds together: it can be kept as it is, and work that needs it waits.

So that nothing must be made in one right order, a type may lack its cabinet, a choice its choices, a folder field where
it comes from. ``workflows/prepare/readiness.py`` adds what only the repository can tell.
"""

from __future__ import annotations

from collections.abc import Iterator

from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.fields.kinds import Kind
from keybundle.core.setup.formulas import read_level
from keybundle.core.setup.model import DocumentType, Setup


@dataclass(frozen=True)
class Gap:
    """Something missing: ``code`` says what, ``kind`` and ``id`` in which part (empty: in the whole), ``at`` at which field.

    ``stops`` says that work waits for it; other gaps are only worth a look. ``proposal`` is the number of what somebody
    proposed, to be taken or not.
    """

    code: str
    said: str
    kind: str
    id: str = ""
    at: str = ""
    stops: bool = True
    proposal: int = 0


def find_gaps(setup: Setup) -> list[Gap]:
    """Return what is missing, what stops work first."""
    found = [*_whole(setup), *_types(setup), *_cabinets(setup), *_people(setup)]
    return sorted(found, key=lambda gap: not gap.stops)


def why_not_filed(kind: DocumentType, setup: Setup) -> str:
    """Return why no document of a type can be filed as the set-up is, as a sentence; empty when they can."""
    return next((gap.said for gap in _destination(kind, setup)), "")


def _whole(setup: Setup) -> Iterator[Gap]:
    if not setup.cabinets:
        yield Gap("no cabinets", message("gaps.no-cabinets"), "cabinets")
    if not setup.document_types:
        yield Gap("no types", message("gaps.no-types"), "document_types")
    if not setup.routines:
        yield Gap("no routines", message("gaps.no-routines"), "routines")
    elif not any(r.source == "files" for r in setup.routines):
        yield Gap("no files routine", message("gaps.no-files-routine"), "routines", stops=False)


def _types(setup: Setup) -> Iterator[Gap]:
    for kind in setup.document_types:
        yield from _destination(kind, setup)
        for spec in kind.fields:
            if spec.kind is Kind.CHOICE and not spec.choices:
                said = message("gaps.no-choices", name=kind.name, field=spec.name)
                yield Gap("no choices", said, "document_types", kind.id, spec.id)
            if spec.kind is Kind.REGISTER and not spec.register_name:
                said = message("gaps.no-register", name=kind.name, field=spec.name)
                yield Gap("no register", said, "document_types", kind.id, spec.id)
        if not kind.fields:
            yield Gap("no fields", message("gaps.no-fields", name=kind.name), "document_types", kind.id, stops=False)


def _destination(kind: DocumentType, setup: Setup) -> Iterator[Gap]:
    cabinet = setup.cabinet(kind.cabinet)
    if cabinet is None:
        yield Gap("no cabinet", message("gaps.no-cabinet", name=kind.name), "document_types", kind.id)
        return
    for level in cabinet.folder_fields:
        if kind.field(read_level(kind.folder.get(level.id, level.id)).field) is None:
            said = message("gaps.no-source", name=kind.name, level=level.name, cabinet=cabinet.name)
            yield Gap("no source", said, "document_types", kind.id, level.id)


def _cabinets(setup: Setup) -> Iterator[Gap]:
    used = {kind.cabinet for kind in setup.document_types}
    for cabinet in setup.cabinets:
        if cabinet.id not in used:
            yield Gap("no type", message("gaps.no-type", name=cabinet.name), "cabinets", cabinet.id, stops=False)


def _people(setup: Setup) -> Iterator[Gap]:
    for person in setup.people:
        if person.active and not setup.holder(person.id).rights:
            yield Gap("no role", message("gaps.no-role", name=person.name), "people", person.id)
