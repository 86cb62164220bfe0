"""What the editors of Prepare share: a change is shown at once, kept behind in order, and one's own can be undone."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import shiboken6
from PySide6.QtCore import QObject

from keybundle.desktop.presenters.drafts import Drafts, Step
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.undoing import Undo, Undoing
from keybundle.desktop.words import tr

LANE = "setup"


class Editing:
    """Keeps changes of one person in the order they were made, and remembers how to put each back.

    Putting back builds on what was kept: where somebody else has changed the same part since, the core refuses in words.
    """

    def __init__(
        self,
        owner: QObject,
        seat: Seat,
        said: Callable[[str], None],
        failed: Callable[[str], None],
        refresh: Callable[[], None],
        drafts: Drafts | None = None,
    ) -> None:
        self._s, self._owner = seat, owner
        self._said, self._failed, self._refresh = said, failed, refresh
        self._undoing, self._drafts = Undoing(self._put_back), drafts

    @property
    def is_keeping(self) -> bool:
        """Whether changes are under way, so that what is shown is newer than what is kept."""
        return self._undoing.is_under_way

    @property
    def can_undo(self) -> bool:
        """Whether there is something to put back, or will be once what is under way is through."""
        return self._undoing.can_undo or self._last_let_go() is not None

    @property
    def undo_told(self) -> str:
        """What ``undo`` would put back, in words; empty where nothing was changed here."""
        step = self._last_let_go()
        return step.told if step is not None else self._undoing.told

    def _last_let_go(self) -> Step | None:
        """Return what was let go of last, unless something was changed after that."""
        step = self._drafts.last_step(self._owner) if self._drafts is not None else None
        return step if step is not None and step.at > self._undoing.at else None

    def keep(
        self, save: Callable[[], Any], kept: Callable[[Any], Undo], done: Callable[[Any], None],
        refused: Callable[[str], None],
    ) -> None:  # fmt: skip
        """Keep a change after all before it; ``done`` gets what ``save`` returned, ``refused`` why it was not kept."""
        undoing = self._undoing

        def was_kept(result: Any) -> None:
            if not shiboken6.isValid(self._owner):
                return  # its window is closed; what was typed there is kept
            undoing.note(kept(result))
            undoing.end()
            done(result)

        def was_refused(told: str) -> None:
            if not shiboken6.isValid(self._owner):
                self._s.bus.failed.emit(told)
                return
            undoing.end(came_to_nothing=True)
            refused(told)

        undoing.begin()
        self._s.runner.change(save, was_kept, lane=LANE, on_error=was_refused)

    def note(self, kept: Undo) -> None:
        """Remember how to put back a change that was kept some other way."""
        self._undoing.note(kept)

    def undo(self) -> None:
        """Put back what was changed last, and say what it was; what cannot be put back any more is told and let go."""
        if self._drafts is not None and self._last_let_go() is not None:
            self._drafts.take_back(self._owner)
        else:
            self._undoing.undo()

    def _put_back(self, last: Undo) -> None:
        def end(tell: Callable[[str], None], told: str) -> None:
            tell(told)
            self._refresh()

        self._s.runner.change(
            last.put_back, lambda _: end(self._said, tr("Put back: {told}", told=last.told)), lane=LANE,
            on_error=lambda told: end(self._failed, told),
        )  # fmt: skip


def tell_parts(name: str, before: dict[str, Any], after: dict[str, Any]) -> str:
    """Return what of a named part was changed, such as “Post: language”."""
    changed = [part.replace("_", " ") for part in after if before.get(part) != after[part]]
    return f"{name}: {', '.join(changed)}"
