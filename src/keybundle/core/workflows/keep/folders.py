"""Folders by hand: made in advance, from a register, a list or a directory; renamed and merged, with the documents below them.

A folder that was made so stays while it is empty. One that was renamed or merged points on: what is still filed under its
old name comes to the new one.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import Connection, delete, select, update

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, silent
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.filing.destination import make_caption
from keybundle.core.filing.revise import Command, both, move_to, set_values
from keybundle.core.repository import audit
from keybundle.core.repository.access import find_folder
from keybundle.core.repository.folder_values import ids_below
from keybundle.core.repository.folders import SEPARATOR, ensure_folder
from keybundle.core.repository.model import FiledDocument
from keybundle.core.rights.model import Right
from keybundle.core.setup.formulas import read_level
from keybundle.core.setup.model import Cabinet
from keybundle.core.store import schema as t
from keybundle.core.store.pieces import in_pieces
from keybundle.core.workflows.keep.correcting import Corrected, take_back_correction
from keybundle.core.workflows.keep.many import revise_each
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

MOST_FOLDERS = 50_000
Paths = tuple[tuple[str, ...], ...]


@dataclass(frozen=True)
class Renamed:
    """What a renaming changed: the documents, and the folder (cabinet and paths) that points on since."""

    cabinet: str
    before: tuple[str, ...]
    after: tuple[str, ...]
    corrected: Corrected
    is_whole: bool


def paths_of_list(text: str) -> Paths:
    """Return the folders of a list: one on each line, its levels apart by tabs or slashes."""
    lines = (line.strip() for line in text.splitlines())
    rows = (tuple(part.strip() for part in line.replace("\t", "/").split("/") if part.strip()) for line in lines)
    return tuple(dict.fromkeys(row for row in rows if row))


def paths_of_directory(root: Path) -> Paths:
    """Return the folders below a directory as paths; what cannot be read, and hidden ones, are passed over."""
    found = []
    for folder in sorted(p for p in root.rglob("*") if p.is_dir()):
        parts = folder.relative_to(root).parts
        if not any(part.startswith(".") for part in parts):
            found.append(parts)
    return tuple(found)


@needs(Right.PREPARE)
def paths_of_register(session: Session, register_id: str, columns: Sequence[str]) -> Paths:
    """Return a folder for each entry of a register: a level for each of these columns, in their order."""
    entries = session.workspace.entries(register_id)
    rows = (tuple(entry.get(column, "").strip() for column in columns) for entry in entries)
    return tuple(dict.fromkeys(row for row in rows if all(row)))


@needs(Right.PREPARE)
def make_folders(
    session: Session, cabinet_id: str, paths: Paths, *, progress: Progress = silent, cancel: CancelToken | None = None
) -> tuple[int, tuple[str, ...]]:
    """Make folders that stay while they are empty, with all above them; return how many are new, and why others are not.

    Raises InputProblem for a cabinet without levels, and for more than ``MOST_FOLDERS``.
    """
    workspace, cabinet = session.workspace, _cabinet(session.workspace, cabinet_id)
    if not cabinet.levels:
        raise InputProblem(message("folders.no-levels", name=cabinet.name))
    if len(paths) > MOST_FOLDERS:
        raise InputProblem(message("folders.too-many", n=len(paths), most=MOST_FOLDERS))
    told: list[str] = []
    made = 0

    def make_one(c: Connection, path: tuple[str, ...]) -> None:
        nonlocal made
        if cancel is not None and cancel.cancelled:
            return
        if len(path) > len(cabinet.levels):
            told.append(message("folders.too-deep", path=" / ".join(path), name=cabinet.name, n=len(cabinet.levels)))
            return
        there = find_folder(c, cabinet_id, SEPARATOR.join(path))
        pairs = list(zip(cabinet.levels, path, strict=False))
        folder_id = ensure_folder(c, cabinet_id, pairs, workspace.setup.locale)
        c.execute(update(t.folder).where(t.folder.c.id == folder_id).values(is_kept=True))
        made += there is None

    in_pieces(workspace.place.database, paths, make_one)
    with workspace.place.database.atomic() as c:
        audit.append(c, workspace.clock.stamp(), session.person, "folders made", cabinet_id, {"folders": made})
    return made, tuple(told)


@needs(Right.PREPARE)
def let_go_of_folder(session: Session, cabinet_id: str, path: Sequence[str]) -> None:
    """Let a folder that was made in advance go once it is empty; raises InputProblem where something lies below it."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        folder = _folder(c, cabinet_id, path)
        if number := len(ids_below(c, cabinet_id, path)):
            raise InputProblem(message("folders.not-empty", path=" / ".join(path), n=number))
        c.execute(update(t.folder).where(t.folder.c.id == folder).values(is_kept=False))
        told = {"folder": list(path)}
        audit.append(c, workspace.clock.stamp(), session.person, "folder let go", cabinet_id, told)


@needs(Right.PREPARE, Right.MOVE)
def rename_folder(
    session: Session, cabinet_id: str, path: Sequence[str], value: str, *, progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> Renamed:  # fmt: skip
    """Give a folder another value, with all documents below it; where a folder of that value is there, they become one.

    The field that the level comes from takes the value in each document, as a further version. Raises InputProblem where
    the level is a part of a date, which only the documents' dates can change.
    """
    workspace, cabinet = session.workspace, _cabinet(session.workspace, cabinet_id)
    value, before = value.strip(), tuple(path)
    if not value or not path:
        raise InputProblem(message("folders.needs-value"))
    level = cabinet.levels[len(path) - 1]
    _refuse_dates(workspace, cabinet, level)
    after = (*before[:-1], value)
    if after == before:
        return Renamed(cabinet_id, before, after, Corrected((), 0), True)
    with workspace.place.database.read() as c:
        _folder(c, cabinet_id, before)
        ids = ids_below(c, cabinet_id, before)
    place = len(before) - 1

    def meant(document: FiledDocument) -> Command | None:
        kind = workspace.setup.document_type(document.type)
        pairs = tuple((f, value if i == place else v) for i, (f, v) in enumerate(document.folder))
        source = read_level(kind.folder.get(level, level)).field if kind is not None else level
        known = document.values.get(source)
        values = {**document.values}
        if kind is not None and kind.field(source) is not None and known is not None:
            values[source] = FieldValue((value,), 1.0, Origin.FOLDER, True, confirmed_by=session.person)
        given = {source: values[source]} if source in values else {}
        caption = make_caption(kind, values) if kind is not None else document.caption
        return both(set_values(given, caption), move_to(cabinet_id, pairs))

    done = revise_each(
        session, ids, meant, message("folders.renamed", before=before[-1], after=value), right=Right.MOVE,
        progress=progress, cancel=cancel,
    )  # fmt: skip
    is_whole = not done.left and len(done.versions) == len(ids)
    if is_whole:
        _point_on(session, cabinet, before, after)
    return Renamed(cabinet_id, before, after, done, is_whole)


@needs(Right.PREPARE, Right.MOVE)
def take_back_renaming(session: Session, renamed: Renamed) -> int:
    """Bring documents back to the folder they were in before it was renamed; return how many."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        folder = _folder(c, renamed.cabinet, renamed.before)
        c.execute(update(t.folder).where(t.folder.c.id == folder).values(became=None, is_kept=True))
    return take_back_correction(session, renamed.corrected)


def _point_on(session: Session, cabinet: Cabinet, before: Sequence[str], after: Sequence[str]) -> None:
    """Let a folder point on to another one; what it gave and was kept as goes along."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        old = _folder(c, cabinet.id, before)
        new = ensure_folder(c, cabinet.id, list(zip(cabinet.levels, after, strict=False)), workspace.setup.locale)
        was_kept = c.execute(select(t.folder.c.is_kept).where(t.folder.c.id == old)).scalar()
        c.execute(update(t.folder).where(t.folder.c.id == old).values(became=new, is_kept=False))
        if was_kept:
            c.execute(update(t.folder).where(t.folder.c.id == new).values(is_kept=True))
        there = set(c.execute(select(t.folder_value.c.field).where(t.folder_value.c.folder_id == new)).scalars())
        mine = (t.folder_value.c.folder_id == old, t.folder_value.c.field.not_in(there))
        c.execute(update(t.folder_value).where(*mine).values(folder_id=new))
        c.execute(delete(t.folder_value).where(t.folder_value.c.folder_id == old))
        told = {"before": list(before), "after": list(after)}
        audit.append(c, workspace.clock.stamp(), session.person, "folder renamed", cabinet.id, told)


def _refuse_dates(workspace: Workspace, cabinet: Cabinet, level: str) -> None:
    for kind in workspace.setup.document_types:
        if kind.cabinet == cabinet.id and read_level(kind.folder.get(level, level)).part:
            source = kind.label(read_level(kind.folder[level]).field)
            raise InputProblem(message("folders.from-date", source=source, type=kind.name))


def _cabinet(workspace: Workspace, cabinet_id: str) -> Cabinet:
    cabinet = workspace.setup.cabinet(cabinet_id)
    if cabinet is None:
        raise InputProblem(message("access.cabinet-no-longer-nothing-changed"))
    return cabinet


def _folder(c: Connection, cabinet_id: str, path: Sequence[str]) -> int:
    found = find_folder(c, cabinet_id, SEPARATOR.join(path))
    if found is None:
        raise InputProblem(message("relocating.no-such-folder", path=" / ".join(path)))
    return int(found.id)
