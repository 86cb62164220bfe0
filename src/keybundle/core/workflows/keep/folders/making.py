"""Folders by hand: made in advance, from a register, a list or a directory. One that was made so stays while it is empty."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from sqlalchemy import Connection, update

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, silent
from keybundle.core.repository import audit
from keybundle.core.repository.access import find_folder
from keybundle.core.repository.folder_values import ids_below
from keybundle.core.repository.folders import ensure_folder
from keybundle.core.repository.paths import clean_value, say_path
from keybundle.core.repository.renaming import drop_unneeded, free_name
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Cabinet
from keybundle.core.store import schema as t
from keybundle.core.store.pieces import in_pieces, say_stopped
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

MOST_FOLDERS = 50_000
Paths = tuple[tuple[str, ...], ...]


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
    workspace, cabinet = session.workspace, cabinet_of(session.workspace, cabinet_id)
    if not cabinet.levels:
        raise InputProblem(message("folders.no-levels", name=cabinet.name))
    if len(paths) > MOST_FOLDERS:
        raise InputProblem(message("folders.too-many", n=len(paths), most=MOST_FOLDERS))

    def make_one(c: Connection, path: tuple[str, ...]) -> str | bool:
        if cancel is not None and cancel.cancelled:
            return False
        if len(path) > len(cabinet.levels):
            return message("folders.too-deep", path=say_path(path), name=cabinet.name, n=len(cabinet.levels))
        there = find_folder(c, cabinet_id, path)
        if there is None:
            free_name(c, cabinet_id, path)
        folder_id = ensure_folder(c, cabinet_id, list(zip(cabinet.levels, path, strict=False)), workspace.setup.locale)
        c.execute(update(t.folder).where(t.folder.c.id == folder_id).values(is_kept=True))
        return there is None

    found = in_pieces(workspace.place.database, [tuple(clean_value(x) for x in p) for p in paths], make_one)
    made = sum(x is True for x in found.done)
    told = [x for x in found.done if isinstance(x, str)]
    if said := say_stopped(made, len(paths), found.stopped):
        told.append(said)
    with workspace.place.database.atomic() as c:
        audit.append(c, workspace.clock.stamp(), session.person, "folders made", cabinet_id, {"folders": made})
    return made, tuple(told)


@needs(Right.PREPARE)
def let_go_of_folder(session: Session, cabinet_id: str, path: Sequence[str]) -> None:
    """Let a folder that was made in advance go once it is empty; raises InputProblem where something lies below it."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        folder = folder_of(c, cabinet_id, path)
        if number := len(ids_below(c, cabinet_id, path)):
            raise InputProblem(message("folders.not-empty", path=say_path(path), n=number))
        c.execute(update(t.folder).where(t.folder.c.id == folder).values(is_kept=False))
        drop_unneeded(c, [folder])
        told = {"folder": list(path)}
        audit.append(c, workspace.clock.stamp(), session.person, "folder let go", cabinet_id, told)


def cabinet_of(workspace: Workspace, cabinet_id: str) -> Cabinet:
    """Return a cabinet; raises InputProblem where it is no longer there."""
    cabinet = workspace.setup.cabinet(cabinet_id)
    if cabinet is None:
        raise InputProblem(message("access.cabinet-no-longer-nothing-changed"))
    return cabinet


def folder_of(c: Connection, cabinet_id: str, path: Sequence[str]) -> int:
    """Return the id of a folder; raises InputProblem where it is not there."""
    found = find_folder(c, cabinet_id, path)
    if found is None:
        raise InputProblem(message("relocating.no-such-folder", path=say_path(path)))
    return int(found.id)
