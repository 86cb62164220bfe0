"""What is not ready yet: what a set-up and its repository still lack before work can be done, and the remedies.

A remedy makes what is missing on the way and says what it made, so that whoever asked can go on from there.
"""

from __future__ import annotations

import os

from sqlalchemy import Connection, func, select

from keybundle.core.base.errors import AppError, InputProblem
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.fields.kinds import Kind
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.setup.gaps import Gap, find_gaps
from keybundle.core.setup.ids import fresh_id
from keybundle.core.setup.model import Cabinet, DocumentType, FieldSpec, FolderField, Setup, name_of
from keybundle.core.store import schema as t
from keybundle.core.workflows.keep.areas.places import require_there
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.prepare.registers import proposals
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.source_states import load_states
from keybundle.core.workflows.session.workspace import Workspace

SEEN = "advice that was seen"
REMEDIES = frozenset(
    {"no cabinets", "no types", "no routines", "no cabinet", "no source", "no type", "no files routine"}
)
NEW_NAMES = {
    "cabinets": str(message("readiness.new-cabinets")), "document_types": str(message("readiness.new-document-types")),
    "routines": str(message("readiness.new-routines")), "files": str(message("readiness.files")),
}  # fmt: skip
FOR_FILES = {"source": "files", "duplex": False, "separation": {"rules": ({"rule": "each source file"},)}, "sign": "FI"}


@dataclass(frozen=True)
class Made:
    """What a remedy made or changed: the kind and id of the part to look at next."""

    kind: str
    id: str


@needs(Right.PREPARE)
def list_missing(session: Session) -> list[Gap]:
    """Return all that is not ready yet, what stops work first."""
    workspace = session.workspace
    setup = workspace.setup
    with workspace.place.database.read() as c:
        of_people = [*_proposed(c, setup), *_people(c, setup)]
        found = [*find_gaps(setup), *_registers(c, setup), *of_people, *_areas(workspace)]
    seen = workspace.setting(SEEN) or []
    told = (gap for gap in found if gap.stops or gap.proposal or f"{gap.code} {gap.id}" not in seen)
    return sorted(told, key=lambda gap: not gap.stops)


def _registers(c: Connection, setup: Setup) -> list[Gap]:
    e = t.register_entry.c
    counts = {r.register: int(r.n) for r in c.execute(select(e.register, func.count().label("n")).group_by(e.register))}
    empty = (r for r in setup.registers if not counts.get(r.id))
    found = [Gap("no entries", message("readiness.no-entries", name=r.name), "registers", r.id) for r in empty]
    for key, number in proposals.count_proposed(c).items():
        said = message("readiness.proposed", name=name_of(setup.registers, key), n=number)
        found.append(Gap("proposed", said, "registers", key, stops=False))
    return found + [
        Gap("source away", state.said(setup), "registers", key, stops=False)
        for key, state in load_states(c).items()
        if state.trouble and setup.register(key) is not None
    ]


def _proposed(c: Connection, setup: Setup) -> list[Gap]:
    """Return the choices and types that somebody proposed, each to be taken or not."""
    found = []
    for p in proposals.load_proposed(c, setup, proposals.CHOICE):
        kind = setup.document_type(p.part)
        if kind is not None and kind.field(p.row["field"]) is not None:
            said = message(
                "readiness.proposed-choice",
                who=p.who,
                choice=p.row["choice"],
                field=kind.label(p.row["field"]),
                type=kind.name,
            )
            found.append(Gap("proposed choice", said, "document_types", p.part, p.row["field"], False, p.id))
    for p in proposals.load_proposed(c, setup, proposals.TYPE):
        said = message("readiness.proposed-type", who=p.who, name=p.row["name"])
        if p.row["why"]:
            said = message("readiness.with-why", said=said, why=p.row["why"])
        found.append(Gap("proposed type", said, "document_types", "", "", False, p.id))
    return found


def _people(c: Connection, setup: Setup) -> list[Gap]:
    if "choose" in setup.sign_in:
        return []
    with_password = set(c.execute(select(t.person_secret.c.person)).scalars())
    shut_out = (p for p in setup.people if p.active and p.id not in with_password and not p.login)
    return [Gap("no way in", message("readiness.no-way-in", name=p.name), "people", p.id) for p in shut_out]


def _areas(workspace: Workspace) -> list[Gap]:
    setup, root, found = workspace.setup, workspace.place.root, list[Gap]()
    used = {cabinet.storage_area for cabinet in setup.cabinets}
    for area in (a for a in setup.storage_areas if a.id in used):
        place = root / area.path
        if place.exists() and not os.access(place, os.W_OK):
            said = message("readiness.area-not-writable", name=area.name, place=place)
            found.append(Gap("not writable", said, "storage_areas", area.id))
        elif not _is_there(workspace, area.id):
            found.append(
                Gap("away", message("readiness.area-away", name=area.name, place=place), "storage_areas", area.id)
            )
        elif os.path.exists(place) and os.stat(place).st_dev == os.stat("/").st_dev:
            said = message("readiness.area-on-this-machine", name=area.name)
            found.append(Gap("only here", said, "storage_areas", area.id, stops=False))
    return found


def _is_there(workspace: Workspace, area: str) -> bool:
    try:
        require_there(workspace, area)
    except AppError:
        return False
    return True


@needs(Right.PREPARE)
def note_seen(session: Session, gap: Gap) -> None:
    """Do not tell again what is only worth a look; what stops work is always told. It is noted who decided that."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        seen = workspace.setting(SEEN) or []
        workspace.put_setting(SEEN, sorted({*seen, f"{gap.code} {gap.id}"}))
        audit.append(c, workspace.clock.stamp(), session.person, "advice seen", gap.id, {"what": gap.code})


@needs(Right.PREPARE)
def remedy(session: Session, gap: Gap) -> Made:
    """Make what is missing, as most people would want it, and return it; raises InputProblem where nobody can know."""
    if gap.code not in REMEDIES:
        raise InputProblem(message("readiness.by-hand"))
    if gap.code in ("no cabinets", "no types", "no routines", "no files routine"):
        for_files = gap.code == "no files routine"
        name = parts.free_name(
            NEW_NAMES["files" if for_files else gap.kind], [p.name for p in getattr(session.workspace.setup, gap.kind)]
        )
        return Made(gap.kind, parts.add_part(session, gap.kind, name, FOR_FILES if for_files else None))
    return _mend(session, gap)


def _mend(session: Session, gap: Gap) -> Made:
    made: list[Made] = []
    used = session.workspace.used_ids()

    def change(setup: Setup) -> Setup:
        kind, cabinet = setup.document_type(gap.id), setup.cabinet(gap.id)
        if gap.code == "no type" and cabinet is not None:
            kind = _type_for(cabinet, setup, used.get("document_types", set()))
            made[:] = [Made("document_types", kind.id)]
            return setup.model_copy(update={"document_types": (*setup.document_types, kind)})
        if kind is None:
            raise InputProblem(message("people.no-longer-nothing-changed"))
        if gap.code == "no cabinet":
            cabinet, kind = _cabinet_for(kind, setup, used.get("cabinets", set()))
            made[:] = [Made("cabinets", cabinet.id)]
            setup = setup.model_copy(update={"cabinets": (*setup.cabinets, cabinet)})
        else:
            kind = with_source(kind, setup, gap.at, used.get(f"document_types/{kind.id}", set()))
            made[:] = [Made("document_types", kind.id)]
        kinds = tuple(kind if k.id == kind.id else k for k in setup.document_types)
        return setup.model_copy(update={"document_types": kinds})

    session.workspace.change_setup(session.person, change)
    return made[0]


def _cabinet_for(kind: DocumentType, setup: Setup, used: set[str]) -> tuple[Cabinet, DocumentType]:
    """Return a new cabinet for a type, by year where the type has a date, and the type as it goes there."""
    name = parts.free_name(kind.name, [c.name for c in setup.cabinets])
    dates = [f.id for f in kind.fields if f.kind is Kind.DATE and not f.several]
    levels = (FolderField(name="Year"),) if dates else ()
    cabinet = Cabinet(id=fresh_id(name, {*used, *(c.id for c in setup.cabinets)}), name=name, folder_fields=levels)
    folder = {"Year": f"year of {dates[0]}"} if dates else {}
    return cabinet, kind.model_copy(update={"cabinet": cabinet.id, "folder": folder})


def _type_for(cabinet: Cabinet, setup: Setup, used: set[str]) -> DocumentType:
    """Return a new document type for a cabinet: a title, and a field for each of its levels."""
    name = parts.free_name(cabinet.name, [k.name for k in setup.document_types])
    title = FieldSpec(name="Title", required=True, labels=("Title", "Subject"))
    kind = DocumentType(
        id=fresh_id(name, {*used, *(k.id for k in setup.document_types)}), name=name, cabinet=cabinet.id,
        caption="{Title}", words=(name,), fields=(title,),
    )  # fmt: skip
    for level in cabinet.levels:
        kind = with_source(kind, setup, level)
    return kind


def with_source(
    kind: DocumentType, setup: Setup, level: str, used: frozenset[str] | set[str] = frozenset()
) -> DocumentType:
    """Return a type in which a folder level has somewhere to come from.

    That is a field of the level's name, else for a year or month its first date, else a new required field.
    """
    cabinet = setup.cabinet(kind.cabinet)
    name = next((f.name for f in cabinet.folder_fields if f.id == level), level) if cabinet is not None else level
    own = kind.field_called(name)
    dates = [f.id for f in kind.fields if f.kind is Kind.DATE and not f.several]
    part = name.casefold() if name.casefold() in ("year", "month") else ""
    fields = kind.fields
    if own is not None and not own.several:
        source = own.id
    elif part and dates:
        source = f"{part} of {dates[0]}"
    else:
        spec = FieldSpec(id=fresh_id(name, {*used, *(f.id for f in fields)}), name=name, required=True, labels=(name,))
        fields, source = (*fields, spec), spec.id
    return kind.model_copy(update={"fields": fields, "folder": {**kind.folder, level: source}})
