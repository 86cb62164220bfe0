"""Exporting, importing and checking the set-up file."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from sqlalchemy import Connection, func, select

from keybundle.core.base.errors import InputProblem, Report, explain_os_error
from keybundle.core.base.files import write_atomic
from keybundle.core.base.messages import message
from keybundle.core.rights.model import Right
from keybundle.core.setup.gaps import find_gaps
from keybundle.core.setup.ids import PARTS
from keybundle.core.setup.model import Setup, called, name_of
from keybundle.core.setup.text import load_setup, read_setup, write_setup
from keybundle.core.store import schema as t
from keybundle.core.store.setup_parts import GENERAL, PartChange, PartState, part_history
from keybundle.core.workflows.session.session import MACHINE, Session, needs
from keybundle.core.workflows.session.signing_in import let_in_importer
from keybundle.core.workflows.session.workspace import Workspace


def _read(path: Path) -> str:
    try:
        return path.read_text(encoding="utf-8")
    except UnicodeDecodeError as error:
        raise InputProblem(message("setup-admin.not-utf-text-save-set", path_name=path.name)) from error
    except OSError as error:
        raise explain_os_error(error, f"“{path.name}”") from error


def check_setup_file(path: Path) -> Report:
    """Return what is wrong with a set-up file, with line and reason; nothing when it can be imported."""
    result = read_setup(_read(path))
    return result if isinstance(result, Report) else Report()


def missing_in_file(path: Path) -> list[str]:
    """Return, as sentences, what a set-up file that can be imported still lacks before work can be done by it."""
    result = read_setup(_read(path))
    return [gap.said for gap in find_gaps(result) if gap.stops] if isinstance(result, Setup) else []


@dataclass(frozen=True)
class Imported:
    """What an import changed: each part, with the number of documents (of open batches, for a routine) that it touches."""

    changes: tuple[tuple[PartChange, int], ...]

    def lines(self) -> list[str]:
        """Return a line for each change."""
        return [_say_change(change, touched) for change, touched in self.changes]


@needs(Right.PREPARE)
def import_setup(session: Session, path: Path) -> Imported:
    """Put a set-up file in force and return what that changed.

    A part with an id that is known, or without one and of a known name, is that part; all others are new ones. Raises
    InputProblem with all findings, and changes nothing, for a file that does not hold together or would drop what holds
    documents.
    """
    workspace, text = session.workspace, _read(path)
    with workspace.place.database.atomic() as c:
        setup = load_setup(text, workspace.setup, workspace.used_ids())
        changes = workspace.put_setup(setup, session.person)
        told = [(x, count_touched(c, x.kind, x.id)) for x in changes if x.kind != GENERAL]
        if kept := [f"{x.name} ({_say_count(x.kind, n)})" for x, n in told if x.what == "dropped" and n]:
            raise InputProblem(message("setup-admin.set-up-no-any-more", list=", ".join(kept)))
    return Imported(tuple(told))


def begin_with_setup(workspace: Workspace, path: Path) -> Imported:
    """Let a fresh data directory begin with a set-up file; whoever brings it in can sign in as its first administrator."""
    if workspace.has_setup:
        raise InputProblem(message("setup-admin.repository-begun-already-sign-change"))
    setup = let_in_importer(workspace, load_setup(_read(path)))
    return Imported(tuple((x, 0) for x in workspace.put_setup(setup, MACHINE) if x.kind != GENERAL))


def count_touched(c: Connection, kind: str, part_id: str) -> int:
    """Return how many filed documents a part holds; of a routine or a person, how many open batches."""
    d, b = t.document.c, t.batch.c
    is_open, is_there = b.closed_at.is_(None), d.removed_at.is_(None)
    chosen = {
        "cabinets": select(func.count()).where(d.cabinet == part_id, is_there),
        "document_types": select(func.count()).where(d.type == part_id, is_there),
        "routines": select(func.count()).where(b.routine == part_id, is_open),
        "people": select(func.count()).where(b.owner == part_id, is_open),
        "storage_areas": select(func.count()).where(t.file_place.c.area == part_id),
    }.get(kind)
    return int(c.execute(chosen).scalar() or 0) if chosen is not None else 0


def _say_count(kind: str, number: int) -> str:
    what = {"routines": "batches", "people": "batches", "storage_areas": "files"}.get(kind, "documents")
    return message(f"setup-admin.has-{what}", n=number)


def _say_change(change: PartChange, touched: int) -> str:
    before = (change.before or {}).get("name", change.name)
    renamed = message("setup-admin.before", name=before) if change.what == "changed" and before != change.name else ""
    about = message("setup-admin.it-has", what=_say_count(change.kind, touched)) if touched else ""
    kind, what = message(f"setup-admin.{change.kind.replace('_', '-')}"), message(f"setup-admin.{change.what}")
    return message("setup-admin.change", kind=kind, name=change.name, renamed=renamed, what=what, about=about)


@needs(Right.LOOK)
def list_setup_history(session: Session, part: str = "", name: str = "", limit: int = 200) -> list[PartState]:
    """Return the states of the set-up's parts, the newest first; of one kind of parts, or of one part by name or id.

    ``who`` is what people call them now.
    """
    workspace = session.workspace
    with workspace.place.database.read() as c:
        states = part_history(c, part, _part_id(workspace, part, name) if name else "", limit)
    return [replace(s, who=name_of(workspace.setup.people, s.who)) for s in states]


@needs(Right.PREPARE)
def go_back(session: Session, part: str, name: str, revision: int) -> str:
    """Put an earlier state of a part in force again and return its name; the states since stay in the history."""
    workspace, who = session.workspace, session.person
    part_id = _part_id(workspace, part, name)

    def change(setup: Setup) -> Setup:
        with workspace.place.database.read() as c:
            states = part_history(c, part, part_id, limit=100_000)
        state = next((s for s in states if s.revision == revision), None)
        if state is None or state.data is None:
            known = ", ".join(str(s.revision) for s in reversed(states) if s.data is not None) or "none"
            raise InputProblem(message("setup-admin.no-revision-go-back", name=name, revision=revision, known=known))
        parts = [p.model_dump(by_alias=True) for p in getattr(setup, part)]
        here = next((i for i, p in enumerate(parts) if p["id"] == part_id), len(parts))
        parts[here : here + 1] = [dict(state.data)]
        whole = setup.model_dump(by_alias=True)
        return Setup.model_validate({**whole, part: parts})

    return str(name_of(getattr(workspace.change_setup(who, change), part), part_id))


def _part_id(workspace: Workspace, part: str, name: str) -> str:
    if part not in PARTS:
        raise InputProblem(message("setup-admin.set-up-no-part", part=part, list=", ".join(PARTS)))
    found = called(getattr(workspace.setup, part), name)
    return found.id if found is not None else name


@needs(Right.PREPARE)
def export_setup(session: Session, path: Path) -> None:
    """Write the whole set-up with the registers' rows as one text file."""
    workspace = session.workspace
    write_atomic(path, write_setup(workspace.full_setup()).encode())
