"""Tags of filed documents, typed in one line for all that are chosen: a draft of these documents until it is kept."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject

from keybundle.core.base.changes import Changes
from keybundle.core.base.ids import FiledId
from keybundle.core.workflows.index import tags
from keybundle.core.workflows.session.typed import DOCUMENTS, MANY
from keybundle.desktop.presenters.drafts import TAGS, Draft
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.undoing import Undo
from keybundle.desktop.words import tr, trn

# Changes documents: the work, what its result is for, and what why it was not done is for.
Run = Callable[[Callable[[], tags.Retagged], Callable[[tags.Retagged], None], Callable[[str], None]], None]


class TagChanges(QObject):
    """Drafts and keeps lines of tags; ``run`` changes, ``note`` hears how it is put back, ``said`` what was done."""

    def __init__(
        self, seat: Seat, run: Run, note: Callable[[Undo], None], said: Callable[[str], None], parent: QObject
    ) -> None:
        super().__init__(parent)
        self._s, self._run, self._note, self._said = seat, run, note, said
        self._drafts = seat.typed.at(DOCUMENTS)

    def find(self, ids: tuple[str, ...]) -> Draft | None:
        """Return what is typed as the tags of these documents and not kept yet."""
        return self._drafts.find(MANY.join(ids), TAGS)

    def type(self, ids: tuple[str, ...], before: tuple[str, ...], text: str, told: str) -> None:
        """Take what stands in the line after a key, over the tags that all of these documents had when it began."""
        if tags.read_tags(text) == before:
            self._drafts.take_out(MANY.join(ids), TAGS)
        else:
            self._drafts.put(MANY.join(ids), TAGS, text, seen=0, stood=", ".join(before), told=told)

    def let_go(self, ids: tuple[str, ...], by: object) -> None:
        """Let go of what was typed, as a step."""
        with self._drafts.step(tr("letting go of tags"), by):
            self._drafts.let_go([(MANY.join(ids), TAGS)])

    def keep(self, ids: tuple[str, ...]) -> None:
        """Keep what was typed as the tags of these documents; what is refused stays typed, and says why."""
        if self._drafts.is_in_hand and self.find(ids) is not None:
            return  # what is under way keeps the rest after it
        given = self._drafts.give([(MANY.join(ids), TAGS)])
        draft = next((d for _, d in given.values() if d is not None), None)
        if draft is None:
            return
        s, before, text = self._s, tags.read_tags(draft.stood), draft.text

        def done(changed: tags.Retagged) -> None:
            self._drafts.were_kept(given, {draft.subject: (draft.seen, draft.seen)})
            if changed:
                documents = trn("{n:,} document", "{n:,} documents", len(changed))
                told = tr("tags of {documents}", documents=documents)
                self._note(Undo(told, lambda: self._put_back(changed)))
                self._said(tr("Tags of {documents} changed", documents=documents))
                s.bus.tell(Changes(repository=True))

        self._run(
            lambda: tags.retag(s.session, [FiledId(i) for i in ids], before, text), done,
            lambda told: self._drafts.were_not_kept(given, dict.fromkeys(given, told)),
        )  # fmt: skip

    def _put_back(self, last: tags.Retagged) -> str:
        changed = tags.put_back(self._s.session, last)
        stay, left = "", len(last) - changed
        if left:
            documents = trn("{n:,} document", "{n:,} documents", left)
            stay = tr("; {documents} changed again since, so left", documents=documents)
        documents = trn("{n:,} document", "{n:,} documents", changed)
        return tr("Tags of {documents} put back{stay}", documents=documents, stay=stay)
