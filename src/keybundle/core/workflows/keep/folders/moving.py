"""The mover of folders: one is given another name where it stands, or becomes one with the folder of that name.

What is derived from a folder's name in its documents (the field that its level comes from, the caption, what they are found
by) follows afterwards, in pieces and as a further version of each; until then a document counts by its folder. What still
has to follow is noted at the folder, so that a stop in between is gone on with at the next start.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import field
from typing import Any

from sqlalchemy import Connection, select, update

from keybundle.core.base.errors import InputProblem, NotAllowed
from keybundle.core.base.ids import FiledId
from keybundle.core.base.messages import join_comma, message
from keybundle.core.base.progress import CancelToken, Progress, silent
from keybundle.core.base.records import dataclass
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.filing.destination import make_caption
from keybundle.core.filing.gate import Change, Following
from keybundle.core.filing.revise import Command, both, move_to, set_values
from keybundle.core.repository import audit, renaming
from keybundle.core.repository.access import find_folder
from keybundle.core.repository.folders import load_folders
from keybundle.core.repository.model import FiledDocument
from keybundle.core.repository.paths import clean_value, say_path, split_path
from keybundle.core.rights.model import Right
from keybundle.core.setup.formulas import read_level
from keybundle.core.setup.model import Cabinet, Setup
from keybundle.core.store import schema as t
from keybundle.core.store.pieces import in_pieces
from keybundle.core.workflows.keep.documents.correcting import put_back
from keybundle.core.workflows.keep.documents.many import Corrected, add_up, revise_each
from keybundle.core.workflows.keep.folders.making import cabinet_of, folder_of
from keybundle.core.workflows.session.seen import Seen, who_sees
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

MOST_ROUNDS = 20


@dataclass(frozen=True)
class Renaming:
    """What another name for a folder would do.

    How many documents lie below it, whether a folder of that name is there already so that they become one, and who would
    see more or fewer documents then.
    """

    documents: int
    joins: bool
    seen: tuple[Seen, ...] = ()


@dataclass(frozen=True)
class Renamed:
    """What a renaming did, to be taken back: the folder, its path before and after it, and the documents that followed.

    ``joined`` are the folders that became others, the first ones first, ``brought`` those (with what they lay below) that
    were brought below another one. Not ``is_whole``: it was stopped, or documents were left.
    """

    cabinet: str
    folder: int
    before: tuple[str, ...]
    after: tuple[str, ...]
    corrected: Corrected
    is_whole: bool
    joined: tuple[renaming.Joined, ...] = ()
    brought: tuple[tuple[int, int], ...] = ()


@dataclass
class _Plan:
    """Which folders become which, and which are brought below which, the highest first."""

    joins: list[tuple[int, int]] = field(default_factory=list)
    brings: list[tuple[int, int]] = field(default_factory=list)


@needs(Right.PREPARE, Right.MOVE)
def preview_renaming(session: Session, cabinet_id: str, path: Sequence[str], value: str) -> Renaming:
    """Return what it would do to give a folder another value; nothing is changed. Raises as ``rename_folder`` does."""
    value = clean_value(value.strip())
    _level_of(session.workspace, cabinet_id, path, value)
    with session.workspace.place.database.read() as c:
        folder = folder_of(c, cabinet_id, path)
        twin = _twin(c, cabinet_id, path, value)
        number = len(_documents_in(c, [folder, *renaming.below_ids(c, folder)]))
        if twin is None or twin == folder:
            return Renaming(number, False)
        return Renaming(number, True, _seen(c, session.workspace.setup, _plan(c, folder, twin)))


@needs(Right.PREPARE, Right.MOVE)
def rename_folder(
    session: Session, cabinet_id: str, path: Sequence[str], value: str, *, progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> Renamed:  # fmt: skip
    """Give a folder another value, with all that lies below it; where a folder of that value is there, they become one.

    Its list, tags, area and the values that it gives are its own and stay; where two become one, the list and area of the
    one that is there count. Raises InputProblem where the level is a part of a date, which only the documents' dates can
    change, and NotAllowed where the person may not move what lies there, or where others would see what is kept from them
    and the person may not give rights.
    """
    value, before = clean_value(value.strip()), tuple(path)
    level = _level_of(session.workspace, cabinet_id, before, value)
    after = (*before[:-1], value)
    with session.workspace.place.database.read() as c:
        folder, twin = folder_of(c, cabinet_id, before), _twin(c, cabinet_id, before, value)
    if twin is not None and twin != folder:
        return _join(session, cabinet_id, folder, twin, before, progress=progress, cancel=cancel)
    if after != before:
        _set_value(session, cabinet_id, folder, before, value, level)
    done = follow_folder(session.workspace, session, folder, progress=progress, cancel=cancel)
    return Renamed(cabinet_id, folder, before, after, done, _follows_no_more(session, folder))


@needs(Right.PREPARE, Right.MOVE)
def take_back_renaming(session: Session, renamed: Renamed) -> int:
    """Let a folder be what it was before it was renamed, with its documents; return how many of these were put back.

    Raises InputProblem where a folder of its former name stands there by now.
    """
    workspace, locale = session.workspace, session.workspace.setup.locale
    is_free = True
    with workspace.place.database.atomic() as c:
        for folder, parent in reversed(renamed.brought):
            row = c.execute(select(t.folder).where(t.folder.c.id == folder)).one()
            if row.became is None and row.parent_id != parent:
                _refollow(
                    c, folder, session.person, {x: [v] for x, v in load_folders(c, [row.parent_id])[row.parent_id]}
                )
        for joined in renamed.joined:
            is_free &= _part(c, joined, locale)
        for folder, parent in renamed.brought:
            if is_free:
                renaming.put_below(c, folder, parent)
        if not renamed.joined and renamed.before != renamed.after:
            is_free = _name_again(c, session, renamed, locale)
        told = {"cabinet": renamed.cabinet, "before": list(renamed.after), "after": list(renamed.before)}
        subject = renaming.folder_subject(renamed.folder)
        audit.append(c, workspace.clock.stamp(), session.person, "folder renamed", subject, told)
    # What became another folder's is brought back by whoever may move it; what only follows a name was asked for above.
    done = put_back(session, renamed.corrected, by=None if renamed.joined else Following(session.person, session.name))
    for folder in (renamed.folder, *(f for f, _ in renamed.brought)):
        follow_folder(workspace, session, folder)
    if not is_free:
        raise InputProblem(message("folders.name-taken", name=renamed.before[-1]))
    return done


def _name_again(c: Connection, session: Session, renamed: Renamed, locale: str) -> bool:
    """Give a folder its former name again; False where it is called otherwise by now, or another one has that name."""
    row = c.execute(select(t.folder).where(t.folder.c.id == renamed.folder)).first()
    if row is None or row.became is not None or row.value != renamed.after[-1]:
        return False
    above = split_path(row.path)[:-1]
    if find_folder(c, renamed.cabinet, (*above, renamed.before[-1])) is not None:
        return False
    renaming.set_value(c, renamed.folder, renamed.before[-1], locale, leave_name=False)
    _refollow(c, renamed.folder, session.person, {row.field: [row.value]})
    return True


def _part(c: Connection, joined: renaming.Joined, locale: str) -> bool:
    row = c.execute(select(t.folder).where(t.folder.c.id == joined.folder)).one()
    above = load_folders(c, [row.parent_id])[row.parent_id]
    return renaming.part_again(c, joined, (*above, (row.field, row.value)), locale)


# -- a folder by itself ---------------------------------------------------------------------------------------------------


def _set_value(session: Session, cabinet_id: str, folder: int, before: Sequence[str], value: str, level: str) -> None:
    """Rename a folder where it stands, in one transaction."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        if folder_of(c, cabinet_id, before) != folder or _twin(c, cabinet_id, before, value) is not None:
            raise InputProblem(message("routines.no-longer-nothing-changed", what=say_path(before)))
        _require_move(session, c, cabinet_id, before)
        renaming.set_value(c, folder, value, workspace.setup.locale)
        _refollow(c, folder, session.person, {level: [before[-1]]})
        told = {"cabinet": cabinet_id, "before": list(before), "after": [*before[:-1], value]}
        audit.append(
            c, workspace.clock.stamp(), session.person, "folder renamed", renaming.folder_subject(folder), told
        )


def _require_move(session: Session, c: Connection, cabinet_id: str, path: Sequence[str]) -> None:
    if not session.may_there(c, cabinet_id, path, Right.MOVE):
        raise NotAllowed(message("folders.may-not-move", name=session.name, place=say_path(path)))


def _refollow(c: Connection, folder: int, who: str, was: dict[str, list[str]]) -> None:
    """Note that the documents below a folder still say former values of fields, beside what was noted before."""
    f = t.folder.c
    known = (c.execute(select(f.follows).where(f.id == folder)).scalar() or {}).get("was", {})
    both_of = {x: list(dict.fromkeys([*known.get(x, ()), *was.get(x, ())])) for x in {**known, **was}}
    c.execute(update(t.folder).where(f.id == folder).values(follows={"who": who, "was": both_of}))


def _follows_no_more(session: Session, folder: int) -> bool:
    with session.workspace.place.database.read() as c:
        return c.execute(select(t.folder.c.follows).where(t.folder.c.id == folder)).scalar() is None


def finish_following(workspace: Workspace, session: Session) -> int:
    """Let follow what a stop left behind; return how many documents did. For a start."""
    f = t.folder.c
    with workspace.place.database.read() as c:
        due = list(c.execute(select(f.id).where(f.follows.is_not(None), f.became.is_(None))).scalars())
    return sum(len(follow_folder(workspace, session, folder).versions) for folder in due)


def follow_folder(
    workspace: Workspace,
    session: Session,
    folder: int,
    *,
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> Corrected:
    """Let the documents below a folder say what it is called by now, where they say what it was called before.

    It was asked for when the folder was renamed, and is done in the name of whoever did that. What somebody changes at the
    same moment is gone through again.
    """
    locale = workspace.setup.locale

    def say_below(c: Connection, below: int) -> None:
        renaming.say_below(c, folder, below, locale)

    whole = Corrected((), 0)
    for _ in range(MOST_ROUNDS):
        with workspace.place.database.read() as c:
            row = c.execute(select(t.folder).where(t.folder.c.id == folder)).first()
            if row is None or row.follows is None or row.became is not None:
                return whole
            pairs = dict(load_folders(c, [folder])[folder])
            unsaid = renaming.unsaid_below(c, folder)
            ids = _documents_in(c, [folder, *renaming.below_ids(c, folder)])
        in_pieces(workspace.place.database, unsaid, say_below)
        was = {x: frozenset(v) for x, v in row.follows["was"].items() if x in pairs}
        said = message(
            "folders.renamed", before=next(iter(next(iter(row.follows["was"].values()), [])), ""), after=row.value
        )
        done = revise_each(
            session, ids, lambda d: _follow(workspace.setup, d, was, pairs, row.follows["who"]), said,  # noqa: B023
            by=Following(row.follows["who"]), progress=progress, cancel=cancel,
        )  # fmt: skip
        whole = add_up(whole, done)
        if (cancel is not None and cancel.cancelled) or done.stopped:
            return whole
        if not done.left:
            _end_following(workspace, folder, row.follows)
            return Corrected(whole.versions, whole.values, (), whole.stopped)
    return whole


def _end_following(workspace: Workspace, folder: int, followed: dict[str, Any]) -> None:
    """Note that all has followed, but for what was renamed once more meanwhile."""
    f = t.folder.c
    with workspace.place.database.atomic() as c:
        if c.execute(select(f.follows).where(f.id == folder)).scalar() == followed:
            c.execute(update(t.folder).where(f.id == folder).values(follows=None))


def _follow(
    setup: Setup, document: FiledDocument, was: dict[str, frozenset[str]], pairs: dict[str, str], who: str
) -> Command | None:
    """Return what lets a document say what its folder is called by now; None where it says nothing of before."""
    kind, given = setup.document_type(document.type), dict[str, FieldValue]()
    for level, former in was.items():
        source = read_level(kind.folder.get(level, level)).field if kind is not None else level
        for name in {level, source}:
            own = document.values.get(name)
            if own is not None and len(own.items) == 1 and own.items[0] in former and own.items[0] != pairs[level]:
                given[name] = FieldValue((pairs[level],), 1.0, Origin.FOLDER, True, confirmed_by=who)
    if not given:
        return None
    values = {**document.values, **given}
    return set_values(given, make_caption(kind, values) if kind is not None else document.caption)


# -- two that become one --------------------------------------------------------------------------------------------------


def _join(
    session: Session, cabinet_id: str, folder: int, twin: int, before: tuple[str, ...], *, progress: Progress,
    cancel: CancelToken | None,
) -> Renamed:  # fmt: skip
    """Let a folder and those below it become one with another one: its documents first, then the folders, in one moment."""
    workspace = session.workspace
    with workspace.place.database.read() as c:
        _require_move(session, c, cabinet_id, before)
        plan = _plan(c, folder, twin)
        _refuse_opening(session, c, plan)
        paths = load_folders(c, [into for _, into in plan.joins])
        after = tuple(value for _, value in paths[twin])
    said = message("folders.renamed", before=before[-1], after=after[-1])
    done = Corrected((), 0)
    for one, into in plan.joins:
        with workspace.place.database.read() as c:
            ids = _documents_in(c, [one])
        done = add_up(done, revise_each(
            session, ids, lambda d: _move(workspace.setup, d, cabinet_id, paths[into], session.person), said,  # noqa: B023
            what=Change.PLACE, progress=progress, cancel=cancel,
        ))  # fmt: skip
    if done.left or done.stopped or (cancel is not None and cancel.cancelled):
        return Renamed(cabinet_id, folder, before, after, done, False)
    with workspace.place.database.atomic() as c:
        now = _plan(c, folder, twin)
        if now != plan or _documents_in(c, [one for one, _ in plan.joins]):  # something was filed there meanwhile
            return Renamed(cabinet_id, folder, before, after, done, False)
        _refuse_opening(session, c, plan)
        brought = tuple((x, _parent(c, x)) for x, _ in plan.brings)
        for one, below in plan.brings:
            _refollow(c, one, session.person, {x: [v] for x, v in load_folders(c, [_parent(c, one)])[_parent(c, one)]})
            renaming.put_below(c, one, below)
        joined = tuple(reversed([renaming.join_into(c, one, into) for one, into in reversed(plan.joins)]))
        told = {"cabinet": cabinet_id, "before": list(before), "after": list(after)}
        audit.append(c, workspace.clock.stamp(), session.person, "folder renamed", renaming.folder_subject(twin), told)
    for one, _ in brought:
        done = add_up(done, follow_folder(workspace, session, one, progress=progress, cancel=cancel))
    return Renamed(cabinet_id, folder, before, after, done, True, joined, brought)


def _plan(c: Connection, folder: int, twin: int) -> _Plan:
    """Return what becomes what so that a folder becomes another one; those below of one value become one in their turn."""
    plan, waiting = _Plan(), [(folder, twin)]
    while waiting:
        one, into = waiting.pop(0)
        plan.joins.append((one, into))
        there = {row.value: row.id for row in renaming.children_of(c, into)}
        for child in renaming.children_of(c, one):
            if child.value in there:
                waiting.append((child.id, there[child.value]))
            else:
                plan.brings.append((child.id, into))
    return plan


def _seen(c: Connection, setup: Setup, plan: _Plan) -> tuple[Seen, ...]:
    """Return who would see more or fewer documents by a plan: what is brought below another one without a list counts too."""
    moved = Counter[tuple[str | None, str | None]]()
    lists = {r.id: r for r in c.execute(select(t.folder))}
    for one, into in plan.joins:
        moved[lists[one].access_id, lists[into].access_id] += lists[one].documents
    for one, into in plan.brings:
        top = lists[one].access_id if lists[one].own_access_id is not None else lists[into].access_id
        moved[lists[one].access_id, top] += lists[one].documents
        for below in renaming.below_ids(c, one):
            row = lists[below]
            is_by_list = _has_list_above(lists, below, one)
            moved[row.access_id, row.access_id if is_by_list else top] += row.documents
    return who_sees(c, setup, moved)


def _has_list_above(lists: dict[int, Any], folder: int, top: int) -> bool:
    """Whether a folder, or one above it below ``top``, has a list of its own."""
    while folder != top:
        if lists[folder].own_access_id is not None:
            return True
        folder = lists[folder].parent_id
    return False


def _refuse_opening(session: Session, c: Connection, plan: _Plan) -> None:
    more = [s for s in _seen(c, session.workspace.setup, plan) if s.more]
    if more and not session.may(Right.GIVE_RIGHTS):
        raise NotAllowed(message("folders.opens", seen=join_comma([s.told for s in more])))


def _move(
    setup: Setup, document: FiledDocument, cabinet_id: str, pairs: tuple[tuple[str, str], ...], who: str
) -> Command:
    """Return what brings a document into another folder and lets it say what that is called."""
    was = {x: frozenset([v]) for x, v in document.folder}
    follow = _follow(setup, document, {x: was[x] for x, _ in pairs if x in was}, dict(pairs), who)
    move = move_to(cabinet_id, pairs)
    return both(follow, move) if follow is not None else move


def _parent(c: Connection, folder: int) -> int:
    return int(c.execute(select(t.folder.c.parent_id).where(t.folder.c.id == folder)).scalar_one())


def _documents_in(c: Connection, folders: Sequence[int]) -> list[FiledId]:
    """Return the documents that lie in folders, the oldest first."""
    d, found = t.document.c, list[tuple[int, FiledId]]()
    for start in range(0, len(folders), 500):
        here = select(d.number, d.id).where(d.folder_id.in_(folders[start : start + 500]), d.removed_at.is_(None))
        found += [(r.number, r.id) for r in c.execute(here)]
    return [i for _, i in sorted(found)]


def _twin(c: Connection, cabinet_id: str, path: Sequence[str], value: str) -> int | None:
    """Return the folder that stands beside another one and has this value, None where there is none."""
    found = find_folder(c, cabinet_id, (*path[:-1], value))
    return int(found.id) if found is not None else None


def _level_of(workspace: Workspace, cabinet_id: str, path: Sequence[str], value: str) -> str:
    """Return the level that a folder stands at; raises InputProblem where it cannot be given another value."""
    cabinet: Cabinet = cabinet_of(workspace, cabinet_id)
    if not value or not path or len(path) > len(cabinet.levels):
        raise InputProblem(message("folders.needs-value"))
    level = cabinet.levels[len(path) - 1]
    for kind in workspace.setup.document_types:
        if kind.cabinet == cabinet.id and read_level(kind.folder.get(level, level)).part:
            source = kind.label(read_level(kind.folder[level]).field)
            raise InputProblem(message("folders.from-date", source=source, type=kind.name))
    return level
