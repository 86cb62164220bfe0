"""Somebody at work on a repository: the first parameter of every use case, and what it takes to be let in there.

A session is made by signing in (``signing_in.py``), nowhere else. It holds no rights: they are looked up when they are
used, so that a right that is taken away is gone at once. The machine's own work has a session that is no person's.
"""

from __future__ import annotations

import functools
import inspect
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Concatenate, ParamSpec, TypeVar, cast

from sqlalchemy import ColumnElement, Connection, select

from keybundle.core.base.errors import NotAllowed as NotAllowed
from keybundle.core.base.messages import message
from keybundle.core.batches.stored import belongs
from keybundle.core.repository.access import EVERYTHING, View, view_of
from keybundle.core.repository.folders import nearest_list
from keybundle.core.rights.model import ALL_RIGHTS, Holder, Right, effective_rights
from keybundle.core.setup.model import DocumentType, name_of
from keybundle.core.setup.routines import ALLOWED, Allowed, Routine
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.workspace import Workspace

P = ParamSpec("P")
R = TypeVar("R")
F = TypeVar("F", bound=Callable[..., object])
MACHINE = ""
LEFT_TO_OTHERS: Mapping[Allowed, str] = {
    "page edits": message("session.page-edits"), "indexing": message("session.indexing"), "filing": message("session.filing")
}  # fmt: skip
NEEDS = "__needs__"


@dataclass(frozen=True)
class Session:
    """A person (by id; empty: the machine itself) at work on a repository."""

    workspace: Workspace
    person: str

    @property
    def holder(self) -> Holder:
        """The person as rights see them now."""
        if self.person == MACHINE:
            return Holder(MACHINE, frozenset(), frozenset(), ALL_RIGHTS)
        return self.workspace.setup.holder(self.person)

    @property
    def name(self) -> str:
        """What people call the person now."""
        return name_of(self.workspace.setup.people, self.person)

    def may(self, *rights: Right) -> bool:
        """Whether the person's roles give all these rights now."""
        return self.holder.rights.issuperset(rights)

    def view(self, c: Connection, right: Right = Right.LOOK) -> View:
        """Return where the person has a right, as it is in this transaction: a part of every query over documents."""
        return EVERYTHING if self.person == MACHINE else view_of(c, self.holder, right)

    def may_at(self, c: Connection, document_id: str, right: Right) -> bool:
        """Whether the person has a right at a filed document, as it is in this transaction."""
        chosen = select(t.document.c.id).where(t.document.c.id == document_id, *self.view(c, right).documents())
        return self.may(right) and c.execute(chosen).first() is not None

    def may_there(self, c: Connection, cabinet: str, path: Sequence[str], right: Right) -> bool:
        """Whether the person has a right at a folder, there or not yet, as it is in this transaction."""
        if self.person == MACHINE:
            return True
        return right in effective_rights(self.holder, nearest_list(c, cabinet, path))

    def require(self, *rights: Right) -> None:
        """Raise NotAllowed, in words, where the person lacks one of these rights."""
        has = self.holder.rights
        if missing := [r for r in rights if r not in has]:
            raise NotAllowed(_say_missing(self.name, has, missing[0]))

    def routines(self) -> tuple[Routine, ...]:
        """Return the routines that the person may use: those kept to nobody, or to them too."""
        holder = self.holder
        return tuple(r for r in self.workspace.setup.routines if self.person == MACHINE or r.kept_to.allows(holder))

    def types(self) -> tuple[DocumentType, ...]:
        """Return the document types that the person may use."""
        holder = self.holder
        kinds = self.workspace.setup.document_types
        return tuple(k for k in kinds if self.person == MACHINE or k.kept_to.allows(holder))

    def require_use(self, part: Routine | DocumentType) -> None:
        """Raise NotAllowed for a routine or document type that is kept to others."""
        if part.id not in {p.id for p in (*self.routines(), *self.types())}:
            raise NotAllowed(message("session.kept-others-may-not-use", part_name=part.name, name=self.name))

    def allowed_under(self, batch_id: str) -> tuple[Allowed, ...]:
        """Return what the routine of a batch allows the person; everything for who oversees."""
        routine = self.workspace.setup.routine(self.workspace.batches.routine_of(batch_id))
        return ALLOWED if routine is None or self.may(Right.OVERSEE) else routine.allows

    def require_under(self, batch_id: str, what: Allowed) -> None:
        """Raise NotAllowed where the routine of a batch does not allow something."""
        if what not in self.allowed_under(batch_id):
            raise NotAllowed(message("session.routine-does-not-allow", what=LEFT_TO_OTHERS[what]))

    def sees_batch(self, batch_id: str) -> bool:
        """Whether the person may see a batch: its owner, those it was given to, and who oversees."""
        return self.may(Right.OVERSEE) or self.workspace.batches.belongs_to(batch_id, self.person, self.holder.groups)

    def batches(self) -> tuple[ColumnElement[bool], ...]:
        """Return what a query over ``batch`` must leave out; nothing for who oversees."""
        holder = self.holder
        return () if Right.OVERSEE in holder.rights else (belongs(self.person, holder.groups),)

    def require_batch(self, batch_id: str) -> None:
        """Raise NotAllowed, in words that say nothing of it, for a batch that the person may not see."""
        if not self.sees_batch(batch_id):
            raise NotAllowed(message("session.batch-somebody-else-s-work"))


def _say_missing(name: str, has: frozenset[Right], missing: Right) -> str:
    if has == {Right.LOOK}:
        return message("session.may-only-look-ask-administrator", name=name)
    return message("session.may-not-none-their-roles", name=name, missing=missing)


def asks_inside(*rights: Right) -> Callable[[F], F]:
    """Declare the rights that a use case asks for by itself, where raising at once would leave something half done."""

    def declare(work: F) -> F:
        setattr(work, NEEDS, rights)
        return work

    return declare


def needs(
    *rights: Right, under: Allowed | None = None
) -> Callable[[Callable[Concatenate[Session, P], R]], Callable[Concatenate[Session, P], R]]:
    """Let a use case be run only by who has these rights; a ``batch_id`` among its parameters must be one they may see.

    ``under`` names what the batch's routine must allow, where the person does not oversee. What it takes at single
    cabinets, folders and documents is asked where these are read or written, inside the SQL.
    """

    def declare(work: Callable[Concatenate[Session, P], R]) -> Callable[Concatenate[Session, P], R]:
        names = list(inspect.signature(work).parameters)
        place = names.index("batch_id") if "batch_id" in names else 0

        @functools.wraps(work)
        def checked(session: Session, *args: P.args, **kwargs: P.kwargs) -> R:
            session.require(*rights)
            if place:
                batch_id = kwargs.get("batch_id", args[place - 1] if place <= len(args) else None)
                if batch_id is not None:
                    session.require_batch(str(batch_id))
                    if under is not None:
                        session.require_under(str(batch_id), under)
            return work(session, *args, **kwargs)

        setattr(checked, NEEDS, rights)
        return cast(Callable[Concatenate[Session, P], R], checked)

    return declare
