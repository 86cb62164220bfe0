"""Storage areas: how full each is, further ones, and which cabinets and folders use them.

What is filed already moves by ``keep/relocating.py``.
"""

from __future__ import annotations

import shutil
from collections.abc import Collection, Sequence
from pathlib import Path

from sqlalchemy import select, text, update

from keybundle.core.base.errors import AppError, InputProblem
from keybundle.core.base.files import make_folder
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.repository import audit
from keybundle.core.repository.access import find_folder
from keybundle.core.repository.paths import split_path
from keybundle.core.rights.model import Right
from keybundle.core.setup.ids import fresh_id
from keybundle.core.setup.model import Setup, StorageArea
from keybundle.core.store import schema as t
from keybundle.core.workflows.keep.areas.places import require_there, store_of
from keybundle.core.workflows.prepare.parts.parts import check_folder
from keybundle.core.workflows.session.session import Session, needs


@dataclass(frozen=True)
class AreaState:
    """A storage area: where it is, how many bytes are free there and in all (0 where it is away), and what lies in it."""

    id: str
    name: str
    root: str
    free: int
    size: int
    files: int

    @property
    def is_away(self) -> bool:
        """Whether it is not there just now, such as a disk that is not mounted."""
        return not self.size


@needs(Right.PREPARE)
def list_areas(session: Session) -> list[AreaState]:
    """Return the storage areas with their free space."""
    workspace = session.workspace
    with workspace.place.database.read() as c:
        rows = c.execute(text("SELECT area, COUNT(*) AS n FROM file_place GROUP BY area"))
        counts = {str(r.area): int(r.n) for r in rows}
        own = c.execute(text("SELECT COUNT(*) FROM stored_file")).scalar_one()
    found = []
    for area in workspace.setup.storage_areas:
        root = workspace.place.root / area.path
        try:
            require_there(workspace, area.id)
            usage = shutil.disk_usage(root)
        except (OSError, AppError):
            found.append(AreaState(area.id, area.name, str(root), 0, 0, counts.get(area.id, 0)))
            continue
        files = own if root == workspace.place.files.root else counts.get(area.id, 0)
        found.append(AreaState(area.id, area.name, str(root), usage.free, usage.total, files))
    return found


@needs(Right.PREPARE)
def set_area(session: Session, cabinet: str, path: Sequence[str], area_id: str) -> None:
    """Let the files of a folder, and of those below it, lie in an area from now on; empty: where those above it do.

    What is filed already moves by ``relocate``. Raises InputProblem for a folder or an area that is not there.
    """
    workspace = session.workspace
    if area_id:
        store_of(workspace, area_id)
    with workspace.place.database.atomic() as c:
        found = find_folder(c, cabinet, path)
        if found is None or not path:
            raise InputProblem(message("relocating.no-such-folder", path=" / ".join(path)))
        c.execute(update(t.folder).where(t.folder.c.id == found.id).values(storage_area=area_id or None))
        told = {"folder": list(path), "area": area_id}
        audit.append(c, workspace.clock.stamp(), session.person, "storage area set", cabinet, told)


@needs(Right.LOOK)
def folder_areas(session: Session, cabinet: str) -> dict[tuple[str, ...], str]:
    """Return the storage areas (by id) that a cabinet's folders in view have of their own, by the folders' paths."""
    f = t.folder.c
    with session.workspace.place.database.read() as c:
        own = f.storage_area.is_not(None)
        chosen = select(f.path, f.storage_area).where(f.cabinet == cabinet, own, t.IS_THERE, *session.view(c).folders())
        return {split_path(row.path): row.storage_area for row in c.execute(chosen)}


@needs(Right.PREPARE)
def add_area(session: Session, name: str, folder: Path | None = None) -> str:
    """Add a storage area in a folder that is there, and return its id; nothing lies in it before something uses it.

    Without a folder it gets one of its own inside the data directory, until somebody chooses another. Raises InputProblem
    for a name or folder that is taken, and for a folder that is not there or cannot be written.
    """
    name, root = name.strip(), session.workspace.place.root
    added: list[str] = []
    if not name:
        raise InputProblem(message("areas.needs-name"))

    def change(setup: Setup) -> Setup:
        areas, used = setup.storage_areas, session.workspace.used_ids().get("storage_areas", set())
        key = fresh_id(name, {*used, *(a.id for a in areas)})
        there = folder if folder is not None else root / "areas" / key
        if any(a.name.casefold() == name.casefold() for a in areas):
            raise InputProblem(message("areas.taken", name=name, folder=there))
        if folder is None:
            make_folder(there)
        area = check_folder(session.workspace, StorageArea(id=key, name=name, path=str(there)), setup)
        added[:] = [key]
        return setup.model_copy(update={"storage_areas": (*areas, area)})

    session.workspace.change_setup(session.person, change)
    return added[0]


@needs(Right.PREPARE)
def set_cabinets_area(session: Session, cabinets: Collection[str], area_id: str) -> None:
    """Let the files of cabinets lie in an area from now on, but for folders with one of their own.

    Raises InputProblem for a cabinet or an area that is not there.
    """
    store_of(session.workspace, area_id)

    def change(setup: Setup) -> Setup:
        for cabinet in cabinets:
            if setup.cabinet(cabinet) is None:
                raise InputProblem(message("areas.no-such-cabinet", cabinet=cabinet))
        kept = tuple(c.model_copy(update={"storage_area": area_id}) if c.id in cabinets else c for c in setup.cabinets)
        return setup.model_copy(update={"cabinets": kept})

    session.workspace.change_setup(session.person, change)
