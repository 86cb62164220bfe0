"""Rights and the lists that narrow them.

A person has the rights of their roles. A cabinet, folder or document may be kept to some people, groups and roles, each
with rights there; what has no list of its own takes the nearest above. A list never widens: what counts is what the
roles *and* the nearest list give.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping
from enum import StrEnum
from typing import Any

from keybundle.core.base.records import dataclass


class Right(StrEnum):
    """Something that a person may do. The values are codes: they are only ever added to."""

    LOOK = "look"
    BRING_IN = "bring in"
    INDEX = "index"
    FILE = "file"
    TAKE_BACK = "take back"
    CORRECT = "correct"
    MOVE = "move"
    DELETE = "delete"
    EMPTY_TRASH = "empty the trash"
    HOLD = "hold and retain"
    SEND = "send"
    MARK = "mark"
    BLACK_OUT = "black out"
    SEE_UNDER = "see under black-outs"
    APPROVE = "approve"
    GIVE_RIGHTS = "give rights"
    PREPARE = "prepare"
    OVERSEE = "oversee"
    ADD_ENTRIES = "add register entries"
    # In the place of MOVE for a document that follows values which its own correction changed, and for nothing else.
    FOLLOW = "follow"


ALL_RIGHTS = frozenset(Right)
# Nothing asks for these yet: who has them keeps them, and no choice or list names them.
UNASKED = frozenset({Right.HOLD, Right.MARK, Right.BLACK_OUT, Right.SEE_UNDER, Right.APPROVE})
SHOWN = tuple(r for r in Right if r not in UNASKED)
# Those that can be had at a cabinet, folder or document; the others are had everywhere or nowhere.
RIGHTS_OF_PLACE = tuple(
    r for r in Right if r not in (Right.BRING_IN, Right.INDEX, Right.PREPARE, Right.OVERSEE, Right.ADD_ENTRIES)
)
GRANTEES = ("person", "group", "role")


@dataclass(frozen=True, order=True)
class Grantee:
    """Whom an entry of a list means: ``kind`` is person, group or role."""

    kind: str
    id: str


@dataclass(frozen=True)
class Holder:
    """A person as rights see them: their groups, their roles, and the rights that these roles name."""

    person: str
    groups: frozenset[str]
    roles: frozenset[str]
    rights: frozenset[Right]

    def is_meant(self, grantee: Grantee) -> bool:
        """Whether an entry means this person."""
        own = {"person": {self.person}, "group": self.groups, "role": self.roles}
        return grantee.id in own.get(grantee.kind, ())


@dataclass(frozen=True)
class AccessList:
    """Whom a thing is kept to, and with which rights there; equal lists have the same ``id``."""

    entries: tuple[tuple[Grantee, frozenset[Right]], ...]

    @classmethod
    def of(cls, entries: Mapping[Grantee, Iterable[Right]]) -> AccessList:
        """Return a list in its one form: in order, without entries that give nothing."""
        told = {g: frozenset(r) for g, r in entries.items()}
        return cls(tuple(sorted(((g, r) for g, r in told.items() if r), key=lambda pair: pair[0])))

    @classmethod
    def from_json(cls, data: list[list[Any]]) -> AccessList:
        """Return a list from plain data; rights that are not known here give nothing."""
        known = {r.value for r in Right}
        return cls.of({Grantee(kind, key): [Right(r) for r in rights if r in known] for kind, key, rights in data})

    def to_json(self) -> list[list[Any]]:
        """Return plain data, the same for equal lists."""
        return [[g.kind, g.id, sorted(r.value for r in rights)] for g, rights in self.entries]

    @property
    def id(self) -> str:
        """What identifies the list: a digest of what it says."""
        return hashlib.sha256(json.dumps(self.to_json()).encode()).hexdigest()[:24]

    def gives(self, holder: Holder) -> frozenset[Right]:
        """Return the rights that the list gives somebody: those of all entries that mean them."""
        return frozenset().union(*(rights for grantee, rights in self.entries if holder.is_meant(grantee)))


def effective_rights(holder: Holder, nearest: AccessList | None) -> frozenset[Right]:
    """Return what somebody may do at a thing whose nearest list is this one (None: there is none on the way up).

    Who may give rights keeps that everywhere, so that nothing can be locked away from everybody for good.
    """
    if nearest is None:
        return holder.rights
    return (holder.rights & nearest.gives(holder)) | (holder.rights & {Right.GIVE_RIGHTS})


@dataclass(frozen=True)
class Reason:
    """Whether somebody has a right at a thing, and where that comes from.

    ``roles`` are the ids of their roles that name the right. ``by_list`` says that a list stands on the way, ``grantees``
    are its entries that give it to them; ``keeps`` that it is had in spite of the list.
    """

    right: Right
    has: bool
    roles: tuple[str, ...]
    by_list: bool
    grantees: tuple[Grantee, ...]
    keeps: bool


def explain_rights(
    holder: Holder, roles: Mapping[str, frozenset[Right]], nearest: AccessList | None
) -> tuple[Reason, ...]:
    """Return, for each right that is asked for at places, whether somebody has it there and why; ``roles`` are all roles."""
    has, found = effective_rights(holder, nearest), []
    for right in (r for r in RIGHTS_OF_PLACE if r in SHOWN):
        of = tuple(sorted(r for r in holder.roles if right in roles.get(r, frozenset())))
        entries = nearest.entries if nearest is not None else ()
        givers = tuple(g for g, rights in entries if right in rights and holder.is_meant(g))
        keeps = right in has and nearest is not None and not givers
        found.append(Reason(right, right in has, of, nearest is not None, givers, keeps))
    return tuple(found)
