"""Exporting, importing and checking the set-up file."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from keybundle.core.base.errors import InputProblem, Report, explain_os_error
from keybundle.core.base.files import write_atomic
from keybundle.core.base.messages import join_comma, message
from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.core.setup.gaps import find_gaps
from keybundle.core.setup.ids import PARTS
from keybundle.core.setup.model import Setup, called, name_of
from keybundle.core.setup.text import load_setup, read_setup, write_setup
from keybundle.core.store.setup_parts import GENERAL, PartChange, PartState, part_history
from keybundle.core.workflows.session.entries import EntriesBrought
from keybundle.core.workflows.session.session import MACHINE, Session, needs
from keybundle.core.workflows.session.setup_rules import all_column_ids, count_touched, say_count
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
    """What an import changed: each part, with the number of documents (of open batches, for a routine) that it touches.

    ``entries`` are the registers (by name) whose entries are others now.
    """

    changes: tuple[tuple[PartChange, int], ...]
    entries: tuple[tuple[str, EntriesBrought], ...] = ()

    def lines(self) -> list[str]:
        """Return a line for each change."""
        told = [_say_change(change, touched) for change, touched in self.changes]
        return [*told, *(_say_entries(name, brought) for name, brought in self.entries)]


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
        put = workspace.put_setup(setup, session.person)
        told = [(x, count_touched(c, x.kind, x.id)) for x in put.parts if x.kind != GENERAL]
    return Imported(tuple(told), tuple((name_of(setup.registers, x.register), x) for x in put.entries))


def begin_with_setup(workspace: Workspace, path: Path) -> Imported:
    """Let a fresh data directory begin with a set-up file; whoever brings it in can sign in as its first administrator."""
    if workspace.has_setup:
        raise InputProblem(message("setup-admin.repository-begun-already-sign-change"))
    setup = let_in_importer(workspace, load_setup(_read(path)))
    return Imported(tuple((x, 0) for x in workspace.put_setup(setup, MACHINE).parts if x.kind != GENERAL))


def _say_change(change: PartChange, touched: int) -> str:
    before = (change.before or {}).get("name", change.name)
    renamed = message("setup-admin.before", name=before) if change.what == "changed" and before != change.name else ""
    about = message("setup-admin.it-has", what=say_count(change.kind, touched)) if touched else ""
    kind, what = message(f"setup-admin.{change.kind.replace('_', '-')}"), message(f"setup-admin.{change.what}")
    return message("setup-admin.change", kind=kind, name=change.name, renamed=renamed, what=what, about=about)


def _say_entries(name: str, brought: EntriesBrought) -> str:
    counts = (("removed", brought.removed), ("changed", brought.changed), ("added", brought.added))
    said = join_comma([message(f"setup-admin.entries-{what}", n=n) for what, n in counts if n])
    if brought.seq is None:
        return message("setup-admin.entries", name=name, said=said)
    return message("setup-admin.entries-kept", name=name, said=said, seq=brought.seq)


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
        parts[here : here + 1] = [all_column_ids(state.data) if part == "registers" else dict(state.data)]
        whole = setup.model_dump(by_alias=True)
        return Setup.model_validate({**whole, part: parts})

    # Rights, levels, areas and keys are asked where it is put in force, as for any change.
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
