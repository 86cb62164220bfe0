"""The one gate before every change of a filed document: whoever asks, and by whatever way, it is asked here.

It is asked in the transaction that changes, so that a right which was taken away meanwhile counts. What else may stand in
the way of a change (a document that somebody has checked out, that was approved, that is held) is to be asked here too.
"""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum
from typing import Protocol

from sqlalchemy import Connection

from keybundle.core.base.errors import NotAllowed
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.repository.paths import say_path
from keybundle.core.rights.model import Right


class Change(StrEnum):
    """What is done to a filed document."""

    VALUES = "values"
    PAGES = "pages"
    PLACE = "place"
    TAGS = "tags"
    LIST = "list"
    TAKE_BACK = "take back"
    DELETE = "delete"
    BRING_BACK = "bring back"
    ERASE = "erase"


ASKS = {
    Change.VALUES: Right.CORRECT,
    Change.PAGES: Right.CORRECT,
    Change.PLACE: Right.MOVE,
    Change.TAGS: Right.CORRECT,
    Change.LIST: Right.GIVE_RIGHTS,
    Change.TAKE_BACK: Right.TAKE_BACK,
    Change.DELETE: Right.DELETE,
    Change.BRING_BACK: Right.DELETE,
    Change.ERASE: Right.EMPTY_TRASH,
}


class By(Protocol):
    """Whoever changes something: a session, or what follows from a change that was allowed already (``Following``)."""

    @property
    def person(self) -> str:
        """Their id; empty for the machine."""

    @property
    def name(self) -> str:
        """What people call them."""

    def may_at(self, c: Connection, document_id: str, right: Right) -> bool:
        """Whether they have a right at a filed document, as it is in this transaction."""

    def may_there(self, c: Connection, cabinet: str, path: Sequence[str], right: Right) -> bool:
        """Whether they have a right at a folder, there or not yet, as it is in this transaction."""


@dataclass(frozen=True)
class Following:
    """What follows from something that a person was allowed to do: done in their name, and asked no more."""

    person: str
    name: str = ""

    def may_at(self, c: Connection, document_id: str, right: Right) -> bool:
        """Return True: it was asked where it began."""
        return True

    def may_there(self, c: Connection, cabinet: str, path: Sequence[str], right: Right) -> bool:
        """Return True: it was asked where it began."""
        return True


def allow(c: Connection, by: By, document_id: str, what: Change) -> None:
    """Raise NotAllowed, in words, where somebody may not do something to a filed document, there or in the trash."""
    if not by.may_at(c, document_id, ASKS[what]):
        raise NotAllowed(message(f"gate.may-not-{what.value.replace(' ', '-')}", name=by.name))


def allow_move(
    c: Connection, by: By, document_id: str, cabinet: str, path: Sequence[str], *, follows: bool = False
) -> None:
    """Raise NotAllowed where somebody may not bring a document into a folder.

    ``follows``: it goes where values say that its own correction changed, which ``Right.FOLLOW`` allows too.
    """
    may = by.may_at(c, document_id, Right.MOVE) or (follows and by.may_at(c, document_id, Right.FOLLOW))
    if not may:
        raise NotAllowed(message("gate.may-not-move", name=by.name))
    if not by.may_there(c, cabinet, path, Right.FILE):
        raise NotAllowed(message("correcting.may-not-file-there", name=by.name, place=say_path(path)))
