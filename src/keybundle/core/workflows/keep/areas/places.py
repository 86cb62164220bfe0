"""Storage areas: where the files of what is filed lie. The nearest folder decides, else the cabinet, else the first area.

A file that is filed into another area than the data directory's own is copied there and compared before the document is
committed; an area that is away, or full, leaves the document ready, with the reason.
"""

from __future__ import annotations

import shutil
from collections.abc import Iterable, Sequence

from sqlalchemy import Connection, delete, insert, select

from keybundle.core.base.errors import AppError, EnvironmentProblem, InputProblem, Passing
from keybundle.core.base.files import make_folder, write_atomic
from keybundle.core.base.messages import message
from keybundle.core.filing.destination import Destination
from keybundle.core.repository.access import find_folder
from keybundle.core.repository.folders import reach
from keybundle.core.repository.paths import split_path
from keybundle.core.store import schema as t
from keybundle.core.store.files import MARKER, FileStore, FolderStore, marked
from keybundle.core.workflows.session.workspace import Workspace

KEPT_FREE = 256 << 20
LOOKED_FOR = 20


def store_of(workspace: Workspace, area_id: str) -> FileStore | None:
    """Return the files of a storage area, None where they are the data directory's own; raises InputProblem for none such."""
    area = next((a for a in workspace.setup.storage_areas if a.id == area_id), None)
    if area is None:
        raise InputProblem(message("areas.no-such-area", area=area_id))
    root = workspace.place.root / area.path
    return None if root == workspace.place.files.root else FolderStore(root)


def require_there(workspace: Workspace, area_id: str) -> FileStore | None:
    """Return the files of a storage area that is there, None where they are the data directory's own.

    An area carries a marker with its id (``MARKER``): a folder without it is a mount point whose disk is away, or another
    disk, and nothing is written below it. One that holds nothing yet gets its marker here; and one that is from a time
    before there were markers, and that holds a file which it should. Raises Passing where it is away.
    """
    store = store_of(workspace, area_id)
    if store is None:
        return None
    try:
        found = marked(store.root)
    except OSError as error:
        raise Passing(message("areas.away", root=store.root)) from error
    if found == area_id:
        return store
    if found is not None:
        raise Passing(message("areas.another", root=store.root))
    p, is_inside = t.file_place.c, store.root.is_relative_to(workspace.place.root)
    with workspace.place.database.read() as c:
        holds = list(c.execute(select(p.sha).where(p.area == area_id).limit(LOOKED_FOR)).scalars())
    if (not store.root.is_dir() and not is_inside) or (holds and not any(store.own_path(x).exists() for x in holds)):
        raise Passing(message("areas.away", root=store.root))
    try:
        make_folder(store.root)
        write_atomic(store.root / MARKER, f"{area_id}\n".encode())
    except AppError as error:
        raise Passing(message("areas.not-taken", root=store.root, why=str(error))) from error
    except OSError as error:
        raise Passing(message("areas.away", root=store.root)) from error
    return store


def area_of(workspace: Workspace, c: Connection, goes: Destination) -> str:
    """Return the id of the area that the files of a destination lie in."""
    return area_of_folder(workspace, c, goes.cabinet, [value or "" for _, value in goes.folder])


def area_of_folder(workspace: Workspace, c: Connection, cabinet: str, path: Sequence[str]) -> str:
    """Return the id of the area that the files of a folder lie in, there or not yet."""
    there = reach(c, cabinet, path)
    own = there.path if there is not None else ()
    for depth in range(len(own), -1, -1):
        found = find_folder(c, cabinet, own[:depth])
        if found is not None and found.storage_area:
            return str(found.storage_area)
    found_cabinet, areas = workspace.setup.cabinet(cabinet), workspace.setup.storage_areas
    return found_cabinet.storage_area if found_cabinet is not None else areas[0].id if areas else ""


def area_of_id(workspace: Workspace, c: Connection, folder_id: int) -> str:
    """Return the id of the area that the files of a folder that is there lie in."""
    f = t.folder.c
    row = c.execute(select(f.cabinet, f.path).where(f.id == folder_id)).one()
    return area_of_folder(workspace, c, row.cabinet, split_path(row.path))


def bring_files(workspace: Workspace, area_id: str, shas: Iterable[str]) -> None:
    """Copy files into an area and compare each copy; nothing is done where they lie there already.

    Raises Passing where the area is away or full, so that it may be tried again.
    """
    store = require_there(workspace, area_id)
    if store is None:
        return
    for sha in dict.fromkeys(shas):
        _require_room(store, workspace.place.files.size(sha))
        try:
            store.put_file(workspace.place.files.path(sha), sha)
        except EnvironmentProblem as error:
            raise Passing(message("areas.not-taken", root=store.root, why=str(error))) from error
        if store.check(sha):
            raise Passing(message("areas.not-taken", root=store.root, why=store.check(sha)))


def _require_room(store: FileStore, size: int) -> None:
    """Raise Passing where an area would be left with less than ``KEPT_FREE`` bytes: it is told before it is full."""
    try:
        free = shutil.disk_usage(store.root).free
    except OSError:
        return  # making its folder says what is wrong
    if free - size < KEPT_FREE:
        raise Passing(message("areas.full", root=store.root, free=free >> 20))


def note_places(workspace: Workspace, c: Connection, area_id: str, shas: Iterable[str]) -> None:
    """Note that files lie in an area too, in the transaction that files them."""
    if store_of(workspace, area_id) is None:
        return
    p = t.file_place.c
    for sha in dict.fromkeys(shas):
        if c.execute(select(p.sha).where(p.sha == sha, p.area == area_id)).first() is None:
            c.execute(insert(t.file_place).values(sha=sha, area=area_id))


def retire_copies(workspace: Workspace, c: Connection, sha: str, stored_at: float) -> bool:
    """Take a file that nothing refers to away from all other areas; False where it was put there again just now.

    Raises Passing for an area that is away, once it is gone from all others; of one that is no longer set up it is told too.
    """
    p, whole, away = t.file_place.c, True, list[AppError]()
    for area in list(c.execute(select(p.area).where(p.sha == sha)).scalars()):
        try:
            store = require_there(workspace, area)
        except AppError as error:
            away.append(error)
            continue
        if store is None or store.retire(sha, stored_at):
            c.execute(delete(t.file_place).where(p.sha == sha, p.area == area))
        else:
            whole = False
    if away:
        raise away[0]
    return whole
