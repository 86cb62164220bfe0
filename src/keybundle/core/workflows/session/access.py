"""Whom cabinets, folders and documents are kept to: seen, changed, and explained for any person."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from typing import Any

from sqlalchemy import Connection, select

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import join_and, join_comma, message
from keybundle.core.base.records import dataclass
from keybundle.core.filing.destination import Destination, compute_destination, make_caption
from keybundle.core.filing.keeping import keep_document_to
from keybundle.core.repository import access, audit
from keybundle.core.repository.folders import nearest_list, reach
from keybundle.core.repository.paths import say_path, split_path
from keybundle.core.rights.model import AccessList, Grantee, Reason, Right, effective_rights, explain_rights
from keybundle.core.setup.model import Setup, name_of
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.opening import repository_of
from keybundle.core.workflows.session.session import NotAllowed, Session, needs
from keybundle.core.workflows.session.workspace import Workspace


@dataclass(frozen=True)
class Spot:
    """What is kept to somebody: a cabinet (by id), a folder of it by the values of its path, or a document.

    ``batch`` is that of a document that waits to be filed.
    """

    cabinet: str = ""
    path: tuple[str, ...] = ()
    document: str = ""
    batch: str = ""


@dataclass(frozen=True)
class Entry:
    """One entry of a list as people read it."""

    grantee: Grantee
    name: str
    rights: frozenset[Right]


@dataclass(frozen=True)
class Kept:
    """Whom a thing is kept to: by a list of its ``own`` (None: it has none), else by the ``nearest`` above, told where.

    Both None: to nobody in particular. ``grantees`` are all that an entry can mean.
    """

    title: str
    own: tuple[Entry, ...] | None
    nearest: tuple[Entry, ...] | None
    nearest_at: str
    may_change: bool
    grantees: tuple[tuple[Grantee, str], ...]

    @property
    def told(self) -> str:
        """The whole in words, such as “Kept to the group Purchasing, as Purchasing / 2026 is”."""
        kept = self.own if self.own is not None else self.nearest
        if kept is None:
            return message("access.kept-nobody-particular-everybody-may")
        said = join_comma([say_grantee(e.grantee, e.name) for e in kept]) or message("access.nobody")
        return (
            message("access.kept-own", said=said)
            if self.own is not None
            else message("access.kept", said=said, nearest_at=self.nearest_at)
        )


@dataclass(frozen=True)
class Said:
    """Whether somebody has a right at a thing, and why: in a whole sentence, and ``short`` where it is clear who and what."""

    right: Right
    has: bool
    why: str
    short: str


@dataclass(frozen=True)
class Reached:
    """What somebody may do at one place: the rights they have there, and each right with its why."""

    title: str
    rights: frozenset[Right]
    why: tuple[Said, ...]


def say_grantee(grantee: Grantee, name: str) -> str:
    """Return whom an entry means, in words."""
    return name if grantee.kind == "person" else message(f"access.the-{grantee.kind}", name=name)


@needs(Right.LOOK)
def list_grantees(session: Session) -> tuple[tuple[Grantee, str], ...]:
    """Return all that a list can name, groups first: who it is, and in words."""
    return tuple((g, say_grantee(g, name)) for g, name in _grantees(session.workspace.setup))


@needs(Right.LOOK)
def load_kept(session: Session, spot: Spot) -> Kept:
    """Return whom a thing is kept to; raises InputProblem where it is not there, or not in view."""
    workspace = session.workspace
    with workspace.place.database.read() as c:
        found = _find(session, c, spot)
        own, nearest = found.own, found.nearest
        may = Right.GIVE_RIGHTS in effective_rights(session.holder, nearest)
        at = found.at if nearest is not None and own is None else ""
    return Kept(
        found.title, told_entries(workspace.setup, own) if own is not None else None,
        told_entries(workspace.setup, nearest) if nearest is not None else None, at, may, _grantees(workspace.setup),
    )  # fmt: skip


@needs(Right.LOOK)
def say_kept_waiting(session: Session, own: str | None, goes: Destination) -> str:
    """Return in words whom a document will be kept to where it goes; ``own`` is its own list. Empty for nobody in particular."""
    workspace = session.workspace
    if own is not None:
        kept: AccessList | None = AccessList.from_json(json.loads(own))
    else:
        with workspace.place.database.read() as c:
            kept = nearest_list(c, goes.cabinet, [value or "" for _, value in goes.folder])
    if kept is None:
        return ""
    return message(
        "access.kept-waiting",
        said=join_comma([say_grantee(e.grantee, e.name) for e in told_entries(workspace.setup, kept)]),
    )


@needs(Right.GIVE_RIGHTS)
def keep_to(session: Session, spot: Spot, entries: Mapping[Grantee, Iterable[Right]] | None) -> Changes:
    """Keep a thing to these (None: no list of its own any more), in one transaction, audited.

    Raises InputProblem for a list by which nobody could look any more.
    """
    workspace = session.workspace
    kept = AccessList.of(entries) if entries is not None else None
    with workspace.place.database.atomic() as c:
        found = _find(session, c, spot, make=True)
        before = found.nearest
        if Right.GIVE_RIGHTS not in effective_rights(session.holder, before):
            raise NotAllowed(message("access.may-not-give-rights-nothing", name=session.name, title=found.title))
        if kept is not None:
            _refuse_lockout(workspace.setup, kept, found.title)
        if spot.batch:
            return _keep_waiting(session, spot, kept, found.title)
        if spot.document:
            keep_document_to(c, session, spot.document, kept)
            after = access.load_list(c, access.list_of_document(c, spot.document))
        else:
            access.keep_folder_to(c, found.folder, kept)
            after = access.load_list(c, access.list_of_folder(c, found.folder))
        gained = effective_rights(session.holder, after) - effective_rights(session.holder, before)
        code = "let oneself in" if gained else "kept to"
        told = {
            "title": found.title, "before": before.to_json() if before else None, "after": after.to_json() if after else None,
            "gained": sorted(r.value for r in gained),
        }  # fmt: skip
        audit.append(c, workspace.clock.stamp(), session.person, code, spot.document or f"folder {found.folder}", told)
    said = message("access.now-kept" if kept is not None else "access.list-gone", title=found.title)
    return Changes(repository=True, text=said)


@needs(Right.LOOK)
def explain(session: Session, person_id: str, spot: Spot) -> tuple[Said, ...]:
    """Return each right that a person has or lacks at a thing, and where it comes from, in a sentence.

    Of others only who may give rights, or oversees, is told.
    """
    if person_id != session.person and not (session.may(Right.GIVE_RIGHTS) or session.may(Right.OVERSEE)):
        session.require(Right.GIVE_RIGHTS)
    with session.workspace.place.database.read() as c:
        found = _find(session, c, spot)
        at = found.at if found.own is None else found.title
        return _explain(session.workspace.setup, person_id, found.nearest, at, found.title)


@needs(Right.LOOK)
def reach_of(session: Session, person_id: str) -> tuple[Reached, ...]:
    """Return what a person may do at each cabinet and at each folder with a list of its own, with the why."""
    if person_id != session.person and not (session.may(Right.GIVE_RIGHTS) or session.may(Right.OVERSEE)):
        session.require(Right.GIVE_RIGHTS)
    setup, f = session.workspace.setup, t.folder.c
    holder, found = setup.holder(person_id), list[Reached]()
    with session.workspace.place.database.read() as c:
        lists = access.load_lists(c)
        own = {
            (r.cabinet, r.path): r.own_access_id
            for r in c.execute(
                select(f.cabinet, f.path, f.own_access_id).where(f.own_access_id.is_not(None), t.IS_THERE)
            )
        }
        for cabinet in setup.cabinets:
            places = sorted({"", *(path for of, path in own if of == cabinet.id)})
            for path in places:
                title = say_path((cabinet.name, *split_path(path)))
                kept = lists.get(own.get((cabinet.id, path), ""))
                rights = effective_rights(holder, kept)
                found.append(Reached(title, rights, _explain(setup, person_id, kept, title, title)))
    return tuple(found)


@dataclass(frozen=True)
class _Found:
    """A thing with the list of its own and its nearest one; ``at`` is the title of what has that, ``folder`` its row."""

    title: str
    folder: int
    own: AccessList | None
    nearest: AccessList | None
    at: str


def _find(session: Session, c: Connection, spot: Spot, *, make: bool = False) -> _Found:
    """Return a thing with its lists; who may give rights finds what is kept from them too."""
    workspace, setup = session.workspace, session.workspace.setup
    view = access.EVERYTHING if session.may(Right.GIVE_RIGHTS) else session.view(c)
    if spot.batch:
        return _find_waiting(session, c, spot)
    if spot.document:
        document = repository_of(workspace).load(spot.document, with_pages=False, view=view)
        d = t.document.c
        row = c.execute(select(d.access_id, d.folder_id).where(d.id == spot.document)).one()
        own, nearest = (access.load_list(c, i) for i in (row.access_id, access.list_of_document(c, spot.document)))
        return _Found(document.caption, row.folder_id, own, nearest, _where(workspace, c, row.folder_id))
    if setup.cabinet(spot.cabinet) is None:
        raise InputProblem(message("access.cabinet-no-longer-nothing-changed"))
    if make and not spot.path:
        access.ensure_root(c, spot.cabinet)
    row = access.find_folder(c, spot.cabinet, spot.path)
    title = " / ".join((name_of(setup.cabinets, spot.cabinet), *spot.path))
    if row is None and not spot.path:
        return _Found(title, 0, None, None, "")
    if row is None or row.access_id in view.hidden:
        raise InputProblem(message("access.folder-no-longer-nothing-changed"))
    own, nearest = access.load_list(c, row.own_access_id), access.load_list(c, row.access_id)
    return _Found(title, row.id, own, nearest, _where(workspace, c, row.id))


def _find_waiting(session: Session, c: Connection, spot: Spot) -> _Found:
    """Return a document that waits to be filed: by a list of its own, else by that of the folder it would go to."""
    workspace, setup = session.workspace, session.workspace.setup
    document = session.batch(spot.batch).load().document(spot.document)
    kind = setup.document_type(document.type)
    if kind is None:
        raise InputProblem(message("access.choose-document-s-type-first"))
    goes = compute_destination(kind, setup, document.values)
    there = reach(c, goes.cabinet, [v or "" for _, v in goes.folder])
    own = AccessList.from_json(json.loads(document.kept_to)) if document.kept_to is not None else None
    above = access.load_list(c, access.list_of_folder(c, there.id)) if there is not None else None
    at = _where(workspace, c, there.id) if there is not None else ""
    return _Found(make_caption(kind, document.values), 0, own, own if own is not None else above, at)


def _keep_waiting(session: Session, spot: Spot, kept: AccessList | None, title: str) -> Changes:
    """Note whom a document is to be kept to once it is filed, as a step of its batch."""
    text = json.dumps(kept.to_json()) if kept is not None else None
    from keybundle.core.batches import commands

    session.batch(spot.batch).apply(message("step.keep-to"), lambda b: commands.keep_to(b, spot.document, text))
    told = message("access.kept-once-filed" if kept is not None else "access.kept-as-folder", title=title)
    return Changes(frozenset([spot.batch]), text=told)


def _where(workspace: Workspace, c: Connection, folder_id: int) -> str:
    """Return the title of the folder, from this one upwards, that has a list of its own."""
    at: Any = folder_id
    f = t.folder.c
    while at is not None:
        row = c.execute(select(t.folder).where(f.id == at)).first()
        if row is None:
            return ""
        if row.own_access_id is not None:
            return say_path((name_of(workspace.setup.cabinets, row.cabinet), *split_path(row.path)))
        at = row.parent_id
    return ""


def told_entries(setup: Setup, kept: AccessList) -> tuple[Entry, ...]:
    """Return the entries of a list as people read them."""
    return tuple(Entry(g, _name(setup, g), rights) for g, rights in kept.entries)


def _name(setup: Setup, grantee: Grantee) -> str:
    parts = {"person": setup.people, "group": setup.groups, "role": setup.roles}[grantee.kind]
    return name_of(parts, grantee.id)


def _grantees(setup: Setup) -> tuple[tuple[Grantee, str], ...]:
    return (
        *((Grantee("group", g.id), g.name) for g in setup.groups),
        *((Grantee("role", r.id), r.name) for r in setup.roles),
        *((Grantee("person", p.id), p.name) for p in setup.people if p.active),
    )


def _refuse_lockout(setup: Setup, kept: AccessList, title: str) -> None:
    if not any(Right.LOOK in effective_rights(setup.holder(p.id), kept) for p in setup.people if p.active):
        raise InputProblem(message("access.list-nobody-could-look-any", title=title))


def _explain(setup: Setup, person_id: str, kept: AccessList | None, list_at: str, title: str) -> tuple[Said, ...]:
    person = setup.person(person_id)
    who = person.name if person is not None else person_id
    if person is None or not person.active:
        gone = message("access.works-here-no-more", who=who)
        return tuple(
            Said(r.right, False, gone, message("access.works-no-more"))
            for r in explain_rights(setup.holder(""), {}, kept)
        )
    roles = {r.id: frozenset(r.rights) for r in setup.roles}
    reasons = explain_rights(setup.holder(person_id), roles, kept)
    found = []
    for reason in reasons:
        short = _say_short(setup, reason, list_at)
        code = "access.may" if reason.has else "access.may-not"
        why = message(code, who=who, right=message(f"right.{reason.right.replace(' ', '-')}"), title=title, short=short)
        found.append(Said(reason.right, reason.has, why, short))
    return tuple(found)


def _say_short(setup: Setup, reason: Reason, list_at: str) -> str:
    if not reason.roles:
        return message("access.none-their-roles")
    roles = join_and([name_of(setup.roles, r) for r in reason.roles])
    of = message("access.by-role" if len(reason.roles) == 1 else "access.by-roles", roles=roles)
    if not reason.by_list:
        return message("access.no-list-stands-in-way", of=of)
    if reason.keeps:
        return message("access.whatever-list-says", of=of, list_at=list_at)
    if not reason.has:
        return message("access.kept-others-would-theirs", list_at=list_at, of=of)
    givers = join_and([say_grantee(g, _name(setup, g)) for g in reason.grantees])
    return message("access.and-kept-with", of=of, list_at=list_at, givers=givers)
