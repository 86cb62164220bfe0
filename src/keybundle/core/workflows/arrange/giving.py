"""Whose a batch is, and whom it was given to: they find it in their work list and go on with it."""

from __future__ import annotations

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import BatchId
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.repository import audit
from keybundle.core.rights.model import Grantee, Right
from keybundle.core.setup.model import Setup, name_of
from keybundle.core.workflows.session.session import NotAllowed, Session, needs


@dataclass(frozen=True)
class Given:
    """A batch's owner, who else could own it (id, name), and all it could be given to: who, their name, whether it was."""

    origin: str
    owner: str
    owner_name: str
    may_give: bool
    owners: tuple[tuple[str, str], ...]
    others: tuple[tuple[Grantee, str, bool], ...]


@needs(Right.LOOK)
def load_given(session: Session, batch_id: BatchId) -> Given:
    """Return whose a batch is and whom it was given to, groups first, then people who may index."""
    workspace = session.workspace
    setup, batch = workspace.setup, session.batch(batch_id).load()
    has = session.batch(batch_id).shared_with()
    others = [(Grantee("group", g.id), g.name) for g in setup.groups]
    others += [
        (Grantee("person", p.id), p.name) for p in setup.people
        if p.id != batch.owner and (("person", p.id) in has or (p.active and Right.INDEX in setup.holder(p.id).rights))
    ]  # fmt: skip
    return Given(
        batch.origin, batch.owner, name_of(setup.people, batch.owner), _may_give(session, batch.owner), _could_own(setup),
        tuple((g, name, (g.kind, g.id) in has) for g, name in others),
    )  # fmt: skip


@needs(Right.INDEX)
def give_batch(session: Session, batch_id: BatchId, grantee: Grantee, *, given: bool) -> Changes:
    """Give a batch to a person or group too, or take it from them; audited. Raises NotAllowed for somebody else's batch."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        batch = session.batch(batch_id).load()
        if not _may_give(session, batch.owner):
            raise NotAllowed(message("giving.not-yours", owner=name_of(workspace.setup.people, batch.owner)))
        known = {"group": workspace.setup.groups, "person": workspace.setup.people}.get(grantee.kind, ())
        name = next((p.name for p in known if p.id == grantee.id), None)
        if name is None:
            raise InputProblem(message("giving.nobody-there"))
        session.batch(batch_id).share(grantee.kind, grantee.id, shared=given)
        what = "batch given" if given else "batch taken from"
        told = {"kind": grantee.kind, "to": grantee.id, "name": name}
        audit.append(c, workspace.clock.stamp(), session.person, what, f"batch {batch_id}", told)
    return Changes(frozenset([batch_id]), text=message("giving.given" if given else "giving.taken", name=name))


@needs(Right.INDEX)
def hand_over(session: Session, batch_id: BatchId, person_id: str) -> Changes:
    """Make somebody else the owner of a batch; audited. Raises NotAllowed for somebody else's batch."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        batch = session.batch(batch_id).load()
        if not _may_give(session, batch.owner):
            raise NotAllowed(message("giving.not-yours", owner=name_of(workspace.setup.people, batch.owner)))
        if person_id not in dict(_could_own(workspace.setup)):
            raise InputProblem(message("giving.nobody-there"))
        name = name_of(workspace.setup.people, person_id)
        session.batch(batch_id).hand_over(person_id)
        told = {"from": batch.owner, "to": person_id, "name": name}
        audit.append(c, workspace.clock.stamp(), session.person, "batch handed over", f"batch {batch_id}", told)
    return Changes(frozenset([batch_id]), text=message("giving.handed-over", name=name))


def _could_own(setup: Setup) -> tuple[tuple[str, str], ...]:
    """Return (id, name) of the people who may work on a batch."""
    return tuple((p.id, p.name) for p in setup.people if p.active and Right.INDEX in setup.holder(p.id).rights)


def _may_give(session: Session, owner: str) -> bool:
    return session.may(Right.INDEX) and (owner == session.person or session.may(Right.OVERSEE))
