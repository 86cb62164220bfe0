"""Other levels for a cabinet that holds documents: rehearsed, then filed anew in pieces, gone on with after a stop, one undo.

The cabinet takes its new levels first; from then on what is still to be done follows from each document's values and the
folder it lies in, so that a second run goes on where the first one stopped.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from sqlalchemy import Connection, select

from keybundle.core.base.errors import InputProblem, NotAllowed
from keybundle.core.base.messages import join_comma, message
from keybundle.core.base.progress import CancelToken, Progress, silent
from keybundle.core.base.records import dataclass
from keybundle.core.filing.destination import compute_destination
from keybundle.core.filing.gate import Change
from keybundle.core.filing.revise import Command, move_to
from keybundle.core.repository.folder_values import ids_below
from keybundle.core.repository.folders import label_anew, nearest_list
from keybundle.core.repository.model import FiledDocument
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Cabinet, Setup
from keybundle.core.store import schema as t
from keybundle.core.workflows.keep.documents.correcting import Corrected, take_back_correction
from keybundle.core.workflows.keep.documents.many import LOT, revise_each
from keybundle.core.workflows.prepare.parts.parts import refuse_changed
from keybundle.core.workflows.prepare.parts.readiness import with_source
from keybundle.core.workflows.session.seen import Seen, who_sees
from keybundle.core.workflows.session.session import MACHINE, Session, needs
from keybundle.core.workflows.session.workspace import Workspace

MOST_EXAMPLES = 5
Folder = tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Rehearsed:
    """What other levels would do: how many documents move, how many stay for want of a value, and examples.

    ``examples`` are (caption, folder before, folder after), ``lacking`` (caption, name of the missing field), ``seen`` who
    would see more or fewer documents then: lists stay at the folders of the former levels.
    """

    documents: int
    moves: int
    stay: int
    examples: tuple[tuple[str, str, str], ...]
    lacking: tuple[tuple[str, str], ...]
    seen: tuple[Seen, ...] = ()


@dataclass(frozen=True)
class Refiled:
    """What filing anew changed, with the cabinet before and after it, and where types took the levels from before."""

    before: Cabinet
    after: Cabinet
    sources: tuple[tuple[str, tuple[tuple[str, str], ...]], ...]
    corrected: Corrected


def with_cabinet(setup: Setup, cabinet: Cabinet) -> Setup:
    """Return a set-up with a cabinet of other levels, each of which its types have a source for, as far as one is there."""
    cabinets = tuple(cabinet if c.id == cabinet.id else c for c in setup.cabinets)
    changed = setup.model_copy(update={"cabinets": cabinets})
    kinds = []
    for kind in setup.document_types:
        if kind.cabinet == cabinet.id:
            kind = kind.model_copy(update={"folder": {x: s for x, s in kind.folder.items() if x in cabinet.levels}})
            for level in cabinet.levels:
                if level not in kind.folder and kind.field(level) is None:
                    kind = with_source(kind, changed, level)
        kinds.append(kind)
    return changed.model_copy(update={"document_types": tuple(kinds)})


def _goes(document: FiledDocument, setup: Setup) -> tuple[Folder | None, str]:
    """Return the folder that a document's values say, or what is missing for that."""
    kind = setup.document_type(document.type)
    if kind is None:
        return None, ""
    goes = compute_destination(kind, setup, document.values)
    if not goes.is_known:
        return None, next(iter(goes.missing), "")
    return tuple((field, value or "") for field, value in goes.folder), ""


@needs(Right.PREPARE)
def rehearse_levels(session: Session, cabinet: Cabinet) -> Rehearsed:
    """Return what it would do to give a cabinet these levels; nothing is changed."""
    with session.workspace.place.database.read() as c:
        return _rehearse(session, c, cabinet)


def _rehearse(session: Session, c: Connection, cabinet: Cabinet) -> Rehearsed:
    workspace = session.workspace
    setup = with_cabinet(workspace.setup, cabinet)
    moves, stay = 0, 0
    examples, lacking = list[tuple[str, str, str]](), list[tuple[str, str]]()
    whole = Session(workspace, MACHINE)  # all of them move, whoever may see them
    kept, moved = dict[Folder, str | None](), Counter[tuple[str | None, str | None]]()
    ids = ids_below(c, cabinet.id, ())
    for start in range(0, len(ids), LOT):
        for document in whole.documents(c, ids[start : start + LOT]).values():
            folder, missing = _goes(document, setup)
            if folder is None:
                stay += 1
                lacking.append((document.caption, missing))
            elif folder != document.folder:
                moves += 1
                examples.append((document.caption, _path(document.folder), _path(folder)))
                if not _has_own_list(c, document.id):
                    for place in (document.folder, folder):
                        if place not in kept:
                            nearest = nearest_list(c, cabinet.id, [value for _, value in place])
                            kept[place] = nearest.id if nearest is not None else None
                    moved[kept[document.folder], kept[folder]] += 1
    seen = who_sees(c, workspace.setup, moved)
    return Rehearsed(len(ids), moves, stay, tuple(examples[:MOST_EXAMPLES]), tuple(lacking[:MOST_EXAMPLES]), seen)


def _has_own_list(c: Connection, document_id: str) -> bool:
    d = t.document.c
    return c.execute(select(d.id).where(d.id == document_id, d.access_id.is_not(None))).first() is not None


def _path(folder: Sequence[tuple[str, str]]) -> str:
    return " / ".join(value for _, value in folder)


@needs(Right.PREPARE, Right.MOVE)
def change_levels(
    session: Session, cabinet: Cabinet, base: Cabinet, *, progress: Progress = silent, cancel: CancelToken | None = None
) -> Refiled:
    """Give a cabinet other levels and file its documents anew; those that lack a value stay where they are.

    Raises InputProblem where somebody else has changed the cabinet meanwhile, and NotAllowed where others would see what is
    kept from them and the person may not give rights.
    """
    if not session.may(Right.GIVE_RIGHTS) and (more := [s for s in rehearse_levels(session, cabinet).seen if s.more]):
        raise NotAllowed(message("folders.opens", seen=join_comma([s.told for s in more])))

    def change(setup: Setup) -> Setup:
        refuse_changed(setup.cabinet(cabinet.id), base, message("parts.named", name=cabinet.name))
        return with_cabinet(setup, cabinet)

    kinds = [k for k in session.workspace.setup.document_types if k.cabinet == cabinet.id]
    sources = tuple((k.id, tuple(k.folder.items())) for k in kinds)
    session.workspace.change_setup(session.person, change, refiles=True)
    return Refiled(base, cabinet, sources, refile(session, cabinet.id, progress=progress, cancel=cancel))


@needs(Right.MOVE)
def refile(
    session: Session, cabinet_id: str, *, progress: Progress = silent, cancel: CancelToken | None = None
) -> Corrected:
    """File the documents of a cabinet that lie elsewhere than their values say; a second run goes on with what is left."""
    workspace = session.workspace
    with workspace.place.database.read() as c:
        ids = ids_below(c, cabinet_id, ())

    def meant(document: FiledDocument) -> Command | None:
        folder, _ = _goes(document, workspace.setup)
        return None if folder is None or folder == document.folder else move_to(cabinet_id, folder)

    done = revise_each(
        session, ids, meant, message("refiling.refiled"), what=Change.PLACE, progress=progress, cancel=cancel
    )
    if not done.stopped:
        _label_folders(workspace, cabinet_id)
    return done


def _label_folders(workspace: Workspace, cabinet_id: str) -> None:
    """Let what lies at a level be of that level: folders that are left of the former levels, and documents that stayed."""
    setup = workspace.setup
    cabinet = setup.cabinet(cabinet_id)
    label_anew(workspace.place.database, cabinet_id, cabinet.levels if cabinet is not None else (), setup.locale)


@needs(Right.PREPARE, Right.MOVE)
def take_back_levels(session: Session, refiled: Refiled) -> int:
    """Give a cabinet its former levels again and bring its documents back; return how many."""

    def change(setup: Setup) -> Setup:
        now = setup.cabinet(refiled.after.id)
        if now is None or now.levels != refiled.after.levels:
            raise InputProblem(message("routines.no-longer-nothing-changed", what=refiled.after.name))
        levels = now.model_copy(update={"folder_fields": refiled.before.folder_fields})
        back, sources = with_cabinet(setup, levels), dict(refiled.sources)
        kinds = (
            k.model_copy(update={"folder": dict(sources[k.id])}) if k.id in sources else k for k in back.document_types
        )
        return back.model_copy(update={"document_types": tuple(kinds)})

    session.workspace.change_setup(session.person, change, refiles=True)
    back = take_back_correction(session, refiled.corrected)
    _label_folders(session.workspace, refiled.before.id)
    return back
