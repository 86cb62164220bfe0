"""What somebody changed in a place and can put back; an undo that comes before a change is through waits for it."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import field, replace
from typing import Any

from keybundle.core.base.records import dataclass


@dataclass(frozen=True)
class Undo:
    """A change that was kept: what it was, in words, and what puts back what was there before."""

    told: str
    put_back: Callable[[], Any]
    at: float = field(default_factory=time.monotonic)


class Undoing:
    """The changes of one person in a place, the last one to be put back first.

    Undo is meant for the change that was asked for last. While one is under way (between ``begin`` and ``end``) it waits, and
    is forgotten where that change comes to nothing. ``put_back`` gets the change that is due.
    """

    def __init__(self, put_back: Callable[[Undo], None]) -> None:
        self._put_back = put_back
        self._kept: list[Undo] = []
        self._under_way, self._begun_at = 0, 0.0
        self._asked = 0

    @property
    def told(self) -> str:
        """What ``undo`` would put back, in words; empty where nothing was changed here."""
        return self._kept[-1].told if self._kept else ""

    @property
    def is_under_way(self) -> bool:
        """Whether changes are under way, so that what is shown is newer than what is kept."""
        return self._under_way > 0

    @property
    def can_undo(self) -> bool:
        """Whether there is something to put back, or will be once what is under way is through."""
        return bool(self._kept) or self.is_under_way

    @property
    def at(self) -> float:
        """When what ``undo`` would put back was kept, or asked for."""
        if self.is_under_way:
            return self._begun_at
        return self._kept[-1].at if self._kept else 0.0

    def note(self, undo: Undo) -> None:
        """Remember how a change is put back; it counts as made when it was asked for."""
        self._kept.append(replace(undo, at=self._begun_at) if self.is_under_way else undo)

    def begin(self) -> None:
        """Hear that a change is under way."""
        self._under_way, self._begun_at = self._under_way + 1, time.monotonic()

    def end(self, *, came_to_nothing: bool = False) -> None:
        """Hear that a change is through; it was noted before this, or it ``came_to_nothing``."""
        self._under_way -= 1
        if came_to_nothing:
            self.forget()
        while self._asked and not self._under_way:
            self._asked -= 1
            self.undo()

    def forget(self) -> None:
        """Forget an undo that waits: what it was meant for does not come."""
        self._asked = max(0, self._asked - 1)

    def drop(self, undo: Undo) -> None:
        """Forget a change: what was there before it is back, whoever brought it."""
        self._kept = [u for u in self._kept if u.put_back is not undo.put_back]

    def undo(self) -> None:
        """Put back what was changed last."""
        if self._under_way:
            self._asked += 1
        elif self._kept:
            self._put_back(self._kept.pop())
