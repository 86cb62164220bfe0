"""All that one person types, in every window of theirs: noted in the store once it is a second old, until it is kept."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QObject, QTimer, Signal

from keybundle.core.workflows.session.session import Session
from keybundle.core.workflows.session.typed import DOCUMENTS, Key, Noted, list_noted, note_typed
from keybundle.desktop.jobs.runner import JobRunner
from keybundle.desktop.presenters import drafts as d
from keybundle.desktop.presenters.drafts import Draft, Drafts, Save
from keybundle.desktop.words import mark, tr

NOTE_MS = 1000
LANE = "typed"
EARLIER = mark("Typed earlier and not kept yet; Enter keeps it, Esc lets go of it.")


class Typed(QObject):
    """The drafts of all places of a person.

    ``changed`` tells that there are more or fewer; ``gone_found`` names a place that is gone, with what was typed there: what
    it was typed for, and the texts.

    Most places are the same in every window. Where each draft is kept by itself (``save``), as on a bench, a window has its
    own; what it leaves behind is taken up by the next one that is opened there.
    """

    changed = Signal()
    gone_found = Signal(str, object)

    def __init__(self, session: Session, runner: JobRunner, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._runner = session, runner
        self._places: dict[str, Drafts] = {}
        self._known: dict[Key, Noted] = {}
        self._left: set[Key] = set()
        self._due: set[Key] = set()
        self._is_ended = False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(NOTE_MS)
        self._timer.timeout.connect(self.note)

    def load(self) -> None:
        """Take up what was typed earlier and is not kept."""
        self._runner.query(lambda: list_noted(self._session), self._take_up, owner=self)

    def _take_up(self, noted: tuple[Noted, ...]) -> None:
        earlier = {n.key: n for n in noted if n.key not in self._known and n.key not in self._due}
        self._known |= earlier
        self._left |= set(earlier)
        for place, drafts in self._places.items():
            self._restore(place, drafts)
        for place in {n.place: None for n in earlier.values() if n.is_gone}:
            self.gone_found.emit(place, [(n.told, n.text) for n in noted if n.place == place])
        self.changed.emit()

    def _restore(self, place: str, drafts: Drafts, problem: str = "") -> None:
        mine = [key for key in self._known if key[0] == place and key in self._left]
        for n in (self._known[key] for key in mine):
            draft = Draft(n.subject, n.name, n.text, n.seen, n.stood, n.told, n.within)
            told = problem or (tr(EARLIER) if n.name == d.TAGS or place != DOCUMENTS else "")
            drafts.restore(replace(draft, is_open=not told, problem=told))
        self._left.difference_update(mine)
        if mine:
            drafts.changed.emit()

    def at(self, place: str) -> Drafts:
        """Return the drafts of a place, the same for all windows."""
        if place not in self._places:
            self._places[place] = drafts = Drafts(None, self, noted=lambda key, draft: self._hear(place, key, draft))
            self._restore(place, drafts)
        return self._places[place]

    def own(self, place: str, save: Save, parent: QObject) -> Drafts:
        """Return the drafts that a window has at a place, each kept by ``save``; with what another one left there."""
        drafts = Drafts(save, parent, noted=lambda key, draft: self._hear(place, key, draft))
        self._restore(place, drafts, tr(EARLIER))
        return drafts

    def leave(self, place: str) -> None:
        """Let what a window leaves at a place be taken up by the next one."""
        self._left |= {key for key in self._known if key[0] == place}
        self.changed.emit()

    def forget(self, place: str) -> None:
        """Forget all that was typed at a place that is gone."""
        mine = [key for key in self._known if key[0] == place]
        for key in mine:
            del self._known[key]
        self._due.update(mine)
        self._left.difference_update(mine)
        if not self._is_ended:
            self._timer.start()
        self.changed.emit()

    def count(self, place: str) -> int:
        """Return how much is typed at the places that begin so and stays there until it is kept or let go of."""
        return sum(key[0].startswith(place) and (key[0] in self._places or key in self._left) for key in self._known)

    def _hear(self, place: str, key: d.Key, draft: Draft | None) -> None:
        whole, before = (place, *key), len(self._known)
        self._known.pop(whole, None)
        if draft is not None and not draft.confirms:
            self._known[whole] = Noted(place, *key, draft.text, draft.stood, draft.seen, draft.told, draft.within)
        self._due.add(whole)
        if not self._timer.isActive() and not self._is_ended:
            self._timer.start()
        if len(self._known) != before:
            self.changed.emit()

    def end(self) -> None:
        """Note what is not noted yet; what is typed after this belongs to no window any more."""
        self._is_ended = True
        self.note()

    def note(self) -> None:
        """Note what changed, behind; what was kept within the second is never written."""
        self._timer.stop()
        due, self._due = self._due, set()
        if not due:
            return
        noted = [self._known[key] for key in due if key in self._known]
        gone = [key for key in due if key not in self._known]
        self._runner.change(lambda: note_typed(self._session, noted, gone), lane=LANE, on_error=lambda told: None)
