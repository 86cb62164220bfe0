"""Messages that are half written: the words belong to the documents that are to go with them, not to a sheet."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from PySide6.QtCore import QObject, Signal

from keybundle.core.workflows.session.typed import LETTERS, MANY
from keybundle.desktop.presenters.drafts import Draft
from keybundle.desktop.presenters.typed import Typed


class Letters(QObject):
    """What a person typed into messages and has not sent.

    ``changed`` tells that others wait; ``left`` names the documents of a message that was let go of, and how it comes back.
    """

    changed = Signal()
    left = Signal(str, object)

    def __init__(self, typed: Typed, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._drafts = typed.at(LETTERS)
        self._open: dict[object, str] = {}
        self._drafts.changed.connect(self.changed)

    def find(self, ids: Sequence[str]) -> dict[str, str]:
        """Return what is typed for a message with these documents, by the names of its parts."""
        return {name: draft.text for name, draft in self._drafts.of(MANY.join(ids)).items()}

    def type(self, ids: Sequence[str], named: str, name: str, text: str) -> None:
        """Take what stands in a part of a message after a key."""
        self._drafts.put(MANY.join(ids), name, text, seen=0, told=named)

    def waiting(self) -> dict[tuple[str, ...], str]:
        """Return the documents of each message that is half written and open in no sheet, and what they are called."""
        return {
            tuple(d.subject.split(MANY)): d.told for d in self._drafts.all() if d.subject not in self._open.values()
        }

    def opened(self, sheet: object, ids: Sequence[str]) -> None:
        """Hear that a sheet stands open for these documents."""
        self._open[sheet] = MANY.join(ids)
        self.changed.emit()

    def closed(self, sheet: object) -> None:
        """Hear that it does no more."""
        if self._open.pop(sheet, None) is not None:
            self.changed.emit()

    def sent(self, ids: Sequence[str], typed: Mapping[str, str]) -> None:
        """Forget the words that a message went out with; what was typed since is another message."""
        found = self._drafts.of(MANY.join(ids)).values()
        self._drafts.let_go([d.key for d in found if d.text == typed.get(d.name)])

    def let_go(self, ids: Sequence[str]) -> None:
        """Let go of a message; what was typed can be brought back."""
        typed = list(self._drafts.of(MANY.join(ids)).values())
        if typed:
            self._drafts.let_go([d.key for d in typed])
            self.left.emit(typed[0].told, self._bringing_back(typed))

    def _bringing_back(self, typed: Sequence[Draft]) -> Callable[[], None]:
        def bring_back() -> None:
            for draft in typed:
                self._drafts.put(draft.subject, draft.name, draft.text, seen=0, told=draft.told)
            self._drafts.changed.emit()

        return bring_back
