"""Somebody at work on a repository: the first parameter of every use case, and what it takes to be let in there.

A session is made by signing in (``signing_in.py``), nowhere else. It holds no rights: they are looked up when they are
used, so that a right that is taken away is gone at once. The machine's own work has a session that is no person's.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Concatenate, ParamSpec, TypeVar, cast

from sqlalchemy import ColumnElement, Connection, or_, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.errors import NotAllowed as NotAllowed
from keybundle.core.base.ids import BatchId, FiledId, PageId
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.batches.whose import belongs
from keybundle.core.repository.access import EVERYTHING, View, view_of
from keybundle.core.repository.folders import nearest_list
from keybundle.core.rights.model import ALL_RIGHTS, Holder, Right, effective_rights
from keybundle.core.setup.model import DocumentType, name_of
from keybundle.core.setup.routines import ALLOWED, Allowed, Routine
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.opening import batches_of, repository_of
from keybundle.core.workflows.session.workspace import Workspace

if TYPE_CHECKING:
    from keybundle.core.batches.arrivals import Arrival
    from keybundle.core.repository.model import FiledDocument
    from keybundle.core.workflows.session.handles import Filed, OpenBatch, OpenPage

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
    """A person (by id; empty: the machine itself) at work on a repository.

    ``under`` is what the use case that is being run must be allowed by the routine of each batch that it takes in hand.
    """

    workspace: Workspace
    person: str
    under: Allowed | None = None

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

    def batch(self, batch_id: str) -> OpenBatch:
        """Return a handle on a batch that the person may see, and whose routine allows what is run; raises NotAllowed."""
        from keybundle.core.workflows.session.handles import OpenBatch

        self.require_batch(batch_id)
        if self.under is not None:
            self.require_under(batch_id, self.under)
        return OpenBatch(self, BatchId(batch_id))

    def begin_batch(
        self, routine: Routine, origin: str, *, two_sided: bool, paper_mm: tuple[float, float]
    ) -> OpenBatch:
        """Begin a batch of the person's, given to whom its routine gives it; raises NotAllowed for a routine kept to others."""
        from keybundle.core.workflows.session.handles import OpenBatch

        self.require_use(routine)
        store = batches_of(self.workspace)
        batch_id = store.create(routine.id, origin, self.person, two_sided=two_sided, paper_mm=paper_mm)
        for kind, given in (("group", routine.given_to.groups), ("person", routine.given_to.people)):
            for key in given:
                store.share(batch_id, kind, key, shared=True)
        return OpenBatch(self, BatchId(batch_id))

    def note_arrival(self, arrival: Arrival, *, is_container: bool = False) -> None:
        """Note what came in before there is a batch for it."""
        batches_of(self.workspace).note_arrival(None, arrival, is_container=is_container)

    def page(self, page_id: str) -> OpenPage:
        """Return a handle on a page of a batch that the person may see; raises NotAllowed in words that say nothing of it."""
        from keybundle.core.workflows.session.handles import OpenPage

        batch_id = batches_of(self.workspace).batch_of_page(page_id)
        if batch_id is None:
            raise NotAllowed(message("session.batch-somebody-else-s-work"))
        return OpenPage(self.batch(batch_id), PageId(page_id))

    def require_picture(self, page_id: str, sha: str) -> None:
        """Raise NotAllowed for a picture that is not a page's, or that of a page that the person may look at nowhere.

        A page is looked at in its batch, by who may see that, and in each document that it is filed in.
        """
        p, v, d = t.page.c, t.version_page.c, t.document.c
        with self.workspace.place.database.read() as c:
            own = (p.id == page_id, or_(p.file_sha == sha, p.facts["flat_sha"].as_string() == sha))
            batch_id = c.execute(select(p.batch_id).where(*own)).scalar()
            if batch_id is not None and self.sees_batch(batch_id):
                return
            for column in (v.file_sha, v.flat_sha):
                filed = select(d.id).join(t.version_page, v.document_id == d.id).where(column == sha)
                if c.execute(filed.where(v.page_id == page_id, *self.view(c).documents()).limit(1)).first() is not None:
                    return
        raise NotAllowed(message("session.batch-somebody-else-s-work"))

    def document(self, filed_id: str, right: Right = Right.LOOK) -> Filed:
        """Return a handle on a filed document that the person has a right at; raises InputProblem for any other."""
        from keybundle.core.workflows.session.handles import Filed

        with self.workspace.place.database.read() as c:
            if not self.documents(c, [filed_id], right, with_values=False):
                raise InputProblem(message("store.document-no-longer-repository"))
        return Filed(self, FiledId(filed_id))

    def documents(
        self, c: Connection, filed_ids: Sequence[str], right: Right = Right.LOOK, *, with_values: bool = True
    ) -> dict[str, FiledDocument]:
        """Return those of the filed documents that the person has a right at, without their pages, by id."""
        view = self.view(c, right)
        return repository_of(self.workspace).load_many(filed_ids, with_values=with_values, view=view)

    def allowed_under(self, batch_id: str) -> tuple[Allowed, ...]:
        """Return what the routine of a batch allows the person; everything for who oversees."""
        routine = self.workspace.setup.routine(batches_of(self.workspace).routine_of(batch_id))
        return ALLOWED if routine is None or self.may(Right.OVERSEE) else routine.allows

    def require_under(self, batch_id: str, what: Allowed) -> None:
        """Raise NotAllowed where the routine of a batch does not allow something."""
        if what not in self.allowed_under(batch_id):
            raise NotAllowed(message("session.routine-does-not-allow", what=LEFT_TO_OTHERS[what]))

    def sees_batch(self, batch_id: str) -> bool:
        """Whether the person may see a batch: its owner, those it was given to, and who oversees."""
        return self.may(Right.OVERSEE) or batches_of(self.workspace).belongs_to(
            batch_id, self.person, self.holder.groups
        )

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
    """Let a use case be run only by who has these rights; ``under`` is what the routine of its batches must allow.

    Which batches, pages and documents they have them at is asked where these are had: by the session's handles, and inside
    the SQL that reads many of them.
    """

    def declare(work: Callable[Concatenate[Session, P], R]) -> Callable[Concatenate[Session, P], R]:
        @functools.wraps(work)
        def checked(session: Session, *args: P.args, **kwargs: P.kwargs) -> R:
            session.require(*rights)
            return work(session if under is None else replace(session, under=under), *args, **kwargs)

        setattr(checked, NEEDS, rights)
        return cast(Callable[Concatenate[Session, P], R], checked)

    return declare
