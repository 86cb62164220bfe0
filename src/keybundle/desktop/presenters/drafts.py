"""What is being typed: owned from its first key until it is kept or refused, whatever else happens meanwhile."""

from __future__ import annotations

import time
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import field, replace

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.records import dataclass

TAGS = "\ntags"  # no name of a field
WORDS = "\nwords"
MOST_STEPS = 500
Key = tuple[str, str]


@dataclass(frozen=True)
class Draft:
    """The text of one field, cell, line or page.

    ``subject`` is the document, page or part it was typed for: it goes there, wherever the operator is by then. ``stood`` is
    what was there when its first key came, ``seen`` the revision of what it was typed over; ``told`` is what the subject
    was called then, ``within`` the cabinet or part where it lay, ``by`` the window where it was typed last. ``confirms``
    only confirms what stands there. ``is_open`` while it was not given to be kept yet, ``is_kept`` once the store has it;
    ``problem`` says what is in the way.
    """

    subject: str
    name: str
    text: str
    seen: int = 0
    stood: str = ""
    told: str = ""
    within: str = ""
    confirms: bool = False
    is_open: bool = True
    is_kept: bool = False
    problem: str = ""
    by: object = None

    @property
    def key(self) -> Key:
        """What tells it from all others at its place."""
        return self.subject, self.name


# A draft as it stands, or that there is none; the number tells each state from all others, also from equal ones.
Slot = tuple[int, Draft | None]
EMPTY: Slot = (0, None)


@dataclass
class Step:
    """What was typed or let go of at once: in words, by which window, and the slots that it changed, before and after."""

    told: str
    by: object
    at: float = field(default_factory=time.monotonic)
    before: dict[Key, Slot] = field(default_factory=dict)
    after: dict[Key, Slot] = field(default_factory=dict)


Save = Callable[[Draft, Callable[[], None], Callable[[str], None]], None]


class Drafts(QObject):
    """The drafts of one place, for one person: every window of theirs shows the same.

    ``save`` keeps one and calls back: once it is in the store, or with why it is not; without it they are given to be kept
    together. ``noted`` hears of every key that changed, with what stands there now (None: nothing). A step is taken back as
    long as what it left stands.
    """

    changed = Signal()

    def __init__(
        self, save: Save | None = None, parent: QObject | None = None, *,
        noted: Callable[[Key, Draft | None], None] = lambda key, draft: None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._save, self._noted = save, noted
        self._slots: dict[Key, Slot] = {}
        self._steps: list[Step] = []
        self._step: Step | None = None
        self._in_hand: dict[Key, int] = {}
        self._own: dict[tuple[str, int], int] = {}  # the revision that one's own keeping made of another one
        self._numbers = 0

    # -- what there is ------------------------------------------------------------------------------------------

    def find(self, subject: str | None, name: str) -> Draft | None:
        """Return what is being typed there."""
        return self._slots.get((subject or "", name), EMPTY)[1]

    def all(self) -> list[Draft]:
        """Return all drafts, as they were typed first."""
        return [draft for _, draft in self._slots.values() if draft is not None]

    def of(self, subject: str) -> dict[str, Draft]:
        """Return the drafts of one subject, by name."""
        return {d.name: d for d in self.all() if d.subject == subject}

    def texts(self) -> dict[str, dict[str, str]]:
        """Return the texts by subject and name."""
        found: dict[str, dict[str, str]] = {}
        for draft in self.all():
            found.setdefault(draft.subject, {})[draft.name] = draft.text
        return found

    @property
    def is_saving(self) -> bool:
        """Whether something is typed that the store does not have yet."""
        return any(not d.is_kept and not d.problem for d in self.all())

    @property
    def is_in_hand(self) -> bool:
        """Whether some of them are being kept together."""
        return bool(self._in_hand)

    # -- typing -------------------------------------------------------------------------------------------------

    def put(
        self, subject: str, name: str, text: str, *, seen: int, confirms: bool = False, stood: str = "", told: str = "",
        within: str = "",
    ) -> Draft:  # fmt: skip
        """Take what stands in a field after a key, with what was seen there then; that of the first key stays."""
        while (subject, seen) in self._own:
            seen = self._own[subject, seen]
        before = self.find(subject, name)
        if before is not None and (before.is_open or self._save is None):
            seen, stood = before.seen, before.stood
        by = self._step.by if self._step is not None else None
        draft = Draft(subject, name, text, seen, stood, told, within, confirms, by=by)
        self._set(draft.key, draft)
        return draft

    def drop(self, subject: str, name: str) -> None:
        """Forget what was typed: it was taken back with the key for that."""
        if self.find(subject, name) is not None:
            self._set((subject, name), None)
            self.changed.emit()

    def take_out(self, subject: str, name: str) -> None:
        """Forget what was typed there, without a word: what stands there was typed again."""
        self._set((subject, name), None)

    def let_go(self, keys: Iterable[Key]) -> None:
        """Let go of several drafts."""
        for key in list(keys):
            if self._slots.get(key, EMPTY)[1] is not None:
                self._set(key, None)
        self.changed.emit()

    def restore(self, draft: Draft) -> None:
        """Take up what was noted earlier, unless something was typed there since."""
        if draft.key not in self._slots:
            self._numbers += 1
            self._slots[draft.key] = self._numbers, draft

    def mark(self, problems: Mapping[Key, str]) -> None:
        """Say what is in the way of drafts."""
        for key, problem in problems.items():
            number, draft = self._slots.get(key, EMPTY)
            if draft is not None and draft.problem != problem:
                self._slots[key] = number, replace(draft, problem=problem)
        self.changed.emit()

    def _set(self, key: Key, draft: Draft | None) -> None:
        self._numbers += 1
        before, after = (
            self._slots.pop(key, EMPTY) if draft is None else self._slots.get(key, EMPTY),
            (self._numbers, draft),
        )
        self._slots[key] = after
        if self._step is not None:
            self._step.before.setdefault(key, before)
            self._step.after[key] = after
        self._noted(key, draft)

    # -- steps --------------------------------------------------------------------------------------------------

    @contextmanager
    def step(self, told: str, by: object) -> Iterator[None]:
        """Let what is typed or let go of in here be one step of a window."""
        step = self._step = Step(told, by)
        try:
            yield
        finally:
            self._step = None
            changed = {k for k in step.after if _text(step.after[k]) != _text(step.before[k])}
            del self._steps[:-MOST_STEPS]
            if changed:
                step.before = {k: s for k, s in step.before.items() if k in changed}
                step.after = {k: s for k, s in step.after.items() if k in changed}
                self._steps.append(step)

    def last_step(self, by: object) -> Step | None:
        """Return the last step of a window of which something still stands as it left it, and is not being kept."""
        return next((s for s in reversed(self._steps) if s.by == by and self._standing(s)), None)

    def _standing(self, step: Step) -> list[Key]:
        return [
            key for key, (number, left) in step.after.items()
            if self._slots.get(key, EMPTY)[0] == number and (left is None or self._is_free(key))
        ]  # fmt: skip

    def _is_free(self, key: Key) -> bool:
        """Whether what stands there is not being kept just now."""
        number, draft = self._slots.get(key, EMPTY)
        if self._save is None:
            return self._in_hand.get(key) != number
        return draft is None or draft.is_open or bool(draft.problem)

    def take_back(self, by: object) -> Step | None:
        """Take back the last step of a window, as far as it stands; return it, None where there is none."""
        step = self.last_step(by)
        if step is not None:
            for key in self._standing(step):
                number, draft = step.before[key]
                self._slots.pop(key, None)
                self._slots[key] = number, draft
                self._noted(key, draft)
            self._steps.remove(step)
            self.changed.emit()
        return step

    # -- keeping ------------------------------------------------------------------------------------------------

    def keep(self, subject: str | None, name: str) -> None:
        """Give a draft to be kept, if there is one that was not yet."""
        draft, save = self.find(subject, name), self._save
        if draft is None or not draft.is_open or save is None:
            return
        key, (number, _) = draft.key, self._slots[draft.key]
        self._slots[key] = number, replace(draft, is_open=False)

        def settle(*, is_kept: bool = False, problem: str = "") -> None:
            now, given = self._slots.get(key, EMPTY)
            if now == number and given is not None:
                self._slots[key] = number, replace(given, is_kept=is_kept, problem=problem)
                self._noted(key, None if is_kept else self._slots[key][1])

        def kept() -> None:
            settle(is_kept=True)

        def refused(told: str) -> None:
            settle(problem=told)
            self.changed.emit()

        save(draft, kept, refused)

    def flush(self) -> None:
        """Give all that is being typed to be kept."""
        for subject, name in list(self._slots):
            self.keep(subject, name)

    def loaded(self) -> None:
        """Let go of what the store has by now: it is shown from there."""
        self._slots = {key: s for key, s in self._slots.items() if s[1] is None or not s[1].is_kept}

    def give(self, keys: Collection[Key]) -> dict[Key, Slot]:
        """Take these drafts in hand to be kept together, as far as they are there; nothing else may be in hand."""
        given = {k: self._slots[k] for k in keys if self._slots.get(k, EMPTY)[1] is not None}
        self._in_hand |= {key: number for key, (number, _) in given.items()}
        return given

    def were_kept(self, given: Mapping[Key, Slot], now: Mapping[str, tuple[int, int]]) -> None:
        """Let go of what was given and is kept: ``now`` are the subjects, with the revision it was typed over and the new one.

        What was typed over it since, and for other names of the same subject, stands on what is kept.
        """
        for key in given:
            self._in_hand.pop(key, None)
        self._own |= {(subject, base): revision for subject, (base, revision) in now.items() if base != revision}
        for key, (number, draft) in given.items():
            if key[0] in now and draft is not None:
                self._forget_before(key, number)
                if self._slots.get(key, EMPTY)[0] == number:
                    self._slots[key] = EMPTY
                    self._noted(key, None)
        for key, (number, draft) in list(self._slots.items()):
            base, revision = now.get(key[0], (0, 0))
            if draft is not None and key[0] in now and draft.seen >= base:
                kept = given.get(key, EMPTY)[1]
                changed = replace(draft, seen=revision, stood=kept.text if kept is not None else draft.stood)
                self._slots[key] = number, changed
                self._noted(key, changed)
        self._slots = {key: slot for key, slot in self._slots.items() if slot != EMPTY}
        self.changed.emit()

    def _forget_before(self, key: Key, number: int) -> None:
        for step in self._steps:
            if key in step.before and step.before[key][0] == number:
                step.before[key] = EMPTY

    def were_not_kept(
        self, given: Mapping[Key, Slot], problems: Mapping[Key, str], seen: Mapping[Key, tuple[int, str]] | None = None
    ) -> None:
        """Hear that what was given is not kept, and why; ``seen``: what is known now to stand there, at which revision."""
        for key in given:
            self._in_hand.pop(key, None)
            number, draft = self._slots.get(key, EMPTY)
            if draft is None or number != given[key][0]:
                continue
            at, stood = (seen or {}).get(key, (draft.seen, draft.stood))
            changed = replace(draft, problem=problems.get(key, ""), seen=at, stood=stood)
            self._slots[key] = number, changed
            self._noted(key, changed)
        self.changed.emit()


def _text(slot: Slot) -> str | None:
    return slot[1].text if slot[1] is not None else None
