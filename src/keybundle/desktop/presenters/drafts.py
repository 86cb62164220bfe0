"""What is being typed: owned from its first key until it is kept or refused, whatever else happens meanwhile."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.records import dataclass

TAGS = "\0tags"
WORDS = "\0words"


@dataclass
class Draft:
    """The text of one field, tag line or page.

    ``subject`` is the document, or for ``WORDS`` the page, it was typed for: it goes there, wherever the operator is by
    then. ``seen`` is the batch's revision when its first key came. ``confirms`` only confirms what stands there.
    ``is_open`` while it was not given to be kept yet, ``is_kept`` once the store has it; ``problem`` says why it was
    refused.
    """

    subject: str
    name: str
    text: str
    seen: int = 0
    confirms: bool = False
    is_open: bool = True
    is_kept: bool = False
    problem: str = ""


Save = Callable[[Draft, Callable[[], None], Callable[[str], None]], None]


class Drafts(QObject):
    """The drafts of a bench. ``save`` keeps one and calls back: once it is in the store, or with why it is not."""

    changed = Signal()

    def __init__(self, save: Save, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._save = save
        self._drafts: dict[tuple[str, str], Draft] = {}

    def find(self, subject: str | None, name: str) -> Draft | None:
        """Return what is being typed there."""
        return self._drafts.get((subject or "", name))

    def put(self, subject: str, name: str, text: str, *, seen: int, confirms: bool = False) -> Draft:
        """Take what stands in a field after a key, with what was seen of the batch then."""
        before = self.find(subject, name)
        first_seen = before.seen if before is not None and before.is_open else seen
        draft = self._drafts[subject, name] = Draft(subject, name, text, first_seen, confirms)
        return draft

    def drop(self, subject: str, name: str) -> None:
        """Forget what was typed: it was taken back with the key for that."""
        if self._drafts.pop((subject, name), None) is not None:
            self.changed.emit()

    def keep(self, subject: str | None, name: str) -> None:
        """Give a draft to be kept, if there is one that was not yet."""
        draft = self.find(subject, name)
        if draft is None or not draft.is_open:
            return
        draft.is_open = False

        def kept() -> None:
            draft.is_kept = True

        def refused(told: str) -> None:
            draft.problem = told
            self.changed.emit()

        self._save(draft, kept, refused)

    def flush(self) -> None:
        """Give all that is being typed to be kept."""
        for subject, name in list(self._drafts):
            self.keep(subject, name)

    @property
    def is_saving(self) -> bool:
        """Whether something is typed that the store does not have yet."""
        return any(not d.is_kept and not d.problem for d in self._drafts.values())

    def loaded(self) -> None:
        """Let go of what the store has by now: it is shown from there."""
        self._drafts = {key: d for key, d in self._drafts.items() if not d.is_kept}
