"""Files brought to the storage areas that their folders say by now, and taken away where no folder needs them any more.

Where a file lies is a row of its own (``file_place``), written once its copy was compared. So a relocation that is stopped,
or killed, goes on where it was: what is still to be done follows from folders and rows alone.
"""

from __future__ import annotations

from dataclasses import field

from sqlalchemy import Connection, delete, select, text

from keybundle.core.base.errors import AppError
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.core.store import schema as t
from keybundle.core.store import work
from keybundle.core.store.work import Taken
from keybundle.core.workflows.keep.areas.places import area_of_id, bring_files, note_places, require_there, store_of
from keybundle.core.workflows.session.behind import Duty, do_due
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace


@dataclass
class Relocated:
    """How many files were brought, and taken away from where none needs them any more; those that could not be, and why."""

    brought: int = 0
    taken_away: int = 0
    left: list[tuple[str, str]] = field(default_factory=list)


@needs(Right.PREPARE)
def count_astray(session: Session) -> int:
    """Return how many files do not lie where they belong, or lie where none needs them any more."""
    workspace, count = session.workspace, 0
    with workspace.place.database.read() as c:
        _place_folders(workspace, c)
        for area in _areas(workspace):
            count += len(_missing(c, area)) + len(_needless(c, area))
    return count


@needs(Right.PREPARE)
def relocate(session: Session, *, progress: Progress = silent, cancel: CancelToken | None = None) -> Relocated:
    """Bring files to the areas that their folders say by now, each compared, and take away what no folder needs there.

    It can be stopped and begun again at any time. Files of an area that is away are left, with the reason.
    """
    workspace, cancel, result = session.workspace, cancel or CancelToken(), Relocated()
    do_due(workspace, leaving(workspace), at_once=True)
    with workspace.place.database.read() as c:
        _place_folders(workspace, c)
        areas = _areas(workspace)
        steps = [(_bring, area, sha) for area in areas for sha in _missing(c, area)]
        steps += [(_take_away, area, sha) for area in areas for sha in _needless(c, area)]
    for number, (do, area, sha) in enumerate(steps, 1):
        if cancel.cancelled:
            break
        do(workspace, area, sha, result)
        progress(Step(number, len(steps), message("progress.relocating")))
    return result


def _areas(workspace: Workspace) -> list[str]:
    """Return the areas beside the data directory's own, which has every file anyway."""
    return [a.id for a in workspace.setup.storage_areas if store_of(workspace, a.id) is not None]


def _place_folders(workspace: Workspace, c: Connection) -> None:
    """Note the area of every folder in a table of this connection: its own, else the nearest one's above, else its cabinet's."""
    cabinets = {k.id: k.storage_area for k in workspace.setup.cabinets}
    found: dict[int, str] = {}
    rows = c.execute(select(t.folder.c.id, t.folder.c.parent_id, t.folder.c.cabinet, t.folder.c.storage_area)).all()
    by_id = {r.id: r for r in rows}

    def area_of(folder_id: int) -> str:
        if folder_id not in found:
            row = by_id[folder_id]
            above = area_of(row.parent_id) if row.parent_id is not None else cabinets.get(row.cabinet, "")
            found[folder_id] = row.storage_area or above
        return found[folder_id]

    for row in rows:
        area_of(row.id)
    c.execute(text("CREATE TEMP TABLE IF NOT EXISTS folder_area(id INTEGER PRIMARY KEY, area TEXT)"))
    c.execute(text("DELETE FROM temp.folder_area"))
    if found:
        c.execute(
            text("INSERT INTO temp.folder_area VALUES (:id, :area)"), [{"id": i, "area": a} for i, a in found.items()]
        )


# What documents in the folders of an area hold, those of the trash too.
_BELONG = (
    "SELECT u.sha AS sha FROM file_use u JOIN document d ON d.id = u.ref JOIN temp.folder_area f ON f.id = d.folder_id "
    "WHERE u.kind = 'document' AND f.area = :area"
)
_NEED = text(
    "SELECT DISTINCT d.folder_id FROM file_use u JOIN document d ON d.id = u.ref WHERE u.sha = :sha AND u.kind = 'document'"
)
_THERE = "SELECT sha FROM file_place WHERE area = :area"


def _missing(c: Connection, area: str) -> list[str]:
    return list(c.execute(text(f"{_BELONG} EXCEPT {_THERE}"), {"area": area}).scalars())


def _needless(c: Connection, area: str) -> list[str]:
    return list(c.execute(text(f"{_THERE} EXCEPT SELECT sha FROM ({_BELONG})"), {"area": area}).scalars())


def _bring(workspace: Workspace, area: str, sha: str, result: Relocated) -> None:
    try:
        bring_files(workspace, area, [sha])
        with workspace.place.database.atomic() as c:
            # What was erased meanwhile is not noted anew; its copy goes with the next relocation.
            known = c.execute(select(t.stored_file.c.sha).where(t.stored_file.c.sha == sha)).first()
            if known is not None:
                note_places(workspace, c, area, [sha])
                result.brought += 1
    except AppError as error:
        result.left.append((sha, str(error)))


def _take_away(workspace: Workspace, area: str, sha: str, result: Relocated) -> None:
    """Take a copy away, which is struck off before: a row never speaks of a file that is gone.

    That it is leaving is noted until it has left. Where it was put again just now it stays, and is told.
    """
    p = t.file_place.c
    try:
        require_there(workspace, area)
    except AppError as error:
        result.left.append((sha, str(error)))
        return
    with workspace.place.database.atomic() as c:
        if any(area_of_id(workspace, c, folder) == area for folder in c.execute(_NEED, {"sha": sha}).scalars()):
            return  # it is needed by now
        if workspace.place.files.check(sha):
            result.left.append((sha, message("relocating.only-copy", sha=sha[:12])))
            return
        c.execute(delete(t.file_place).where(p.sha == sha, p.area == area))
        ref = f"{area}/{sha}"
        work.due(c, workspace.clock.stamp(), work.LEAVING, ref)
    left = list[str]()
    do_due(workspace, leaving(workspace), at_once=True, refs=[ref], ended=lambda taken, trouble: left.append(trouble))
    with workspace.place.database.read() as c:
        is_back = c.execute(select(p.sha).where(p.sha == sha, p.area == area)).first() is not None
    if is_back or any(left):
        result.left.append((sha, next(filter(None, left), message("relocating.put-just-now", sha=sha[:12]))))
    else:
        result.taken_away += 1


def leaving(workspace: Workspace) -> Duty:
    """Return the duty of taking away copies that are struck off; those of an area that is away wait."""
    return Duty(work.LEAVING, lambda taken, _: _leave(workspace, taken), "relocating.leaving-waits")


def _leave(workspace: Workspace, taken: Taken) -> None:
    """Take away a copy that is struck off; where it was put again, or noted, meanwhile it counts again."""
    p, (area, _, sha) = t.file_place.c, taken.ref.rpartition("/")
    if all(a.id != area for a in workspace.setup.storage_areas):
        with workspace.place.database.atomic() as c:
            work.done(c, taken)  # nobody knows any more where it was
        return
    store = require_there(workspace, area)
    with workspace.place.database.read() as c:
        is_noted = c.execute(select(p.sha).where(p.sha == sha, p.area == area)).first() is not None
    has_left = store is None or (not is_noted and store.retire(sha, 0.0))
    with workspace.place.database.atomic() as c:
        if not has_left:
            note_places(workspace, c, area, [sha])
        work.done(c, taken)
