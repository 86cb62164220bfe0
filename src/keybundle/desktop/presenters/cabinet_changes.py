"""What is changed in the cabinets: values corrected in the table and kept together, documents deleted; one undo for all."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

import shiboken6
from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import FiledId
from keybundle.core.base.records import dataclass
from keybundle.core.repository.model import FiledDocument
from keybundle.core.setup.model import called
from keybundle.core.workflows.keep.documents import browsing, correcting
from keybundle.core.workflows.keep.documents.correcting import Corrected, Moves
from keybundle.core.workflows.keep.trash import deleting
from keybundle.core.workflows.session.typed import DOCUMENTS, MANY
from keybundle.desktop.presenters.asking import Asked, ValueHelp, ask_named
from keybundle.desktop.presenters.drafts import TAGS, Draft, Key, Slot, Step
from keybundle.desktop.presenters.partly import say_rest
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.tag_changes import TagChanges
from keybundle.desktop.presenters.undoing import Undo, Undoing
from keybundle.desktop.words import tr, trn, worded

__all__ = ["CabinetChanges", "Moves"]
LANE = "cabinet changes"


@dataclass(frozen=True)
class Standing:
    """What stands in a field of a document: the text, the revision that was shown, and the document's type, by name.

    ``caption`` and ``cabinet`` (by name) tell people which document it is.
    """

    text: str
    revision: int
    type: str
    caption: str = ""
    cabinet: str = ""


def standing_of(document: FiledDocument, field: str) -> Standing:
    """Return what stands in a field of a document that is told by names."""
    value = document.values.get(field)
    text = value.text if value is not None else ""
    return Standing(text, document.revision, document.type, document.caption, document.cabinet)


@dataclass(frozen=True)
class FollowAsked:
    """What a correction would move, and the drafts (document and field) that it is about."""

    moves: Moves
    keys: frozenset[Key]


@dataclass(frozen=True)
class _Outcome:
    """What became of a correction: what was done, why nothing was, and what stands by now in documents that were left."""

    corrected: Corrected
    refused: str
    now: Mapping[str, FiledDocument]


class CabinetChanges(QObject):
    """Changes of filed documents from one place of a window.

    Corrections are drafts until they are kept, the same for all places and windows of a person; ``follow_asked`` asks once
    for all of them whether folders follow. ``gone`` names what was deleted; ``was_put_back`` says that the last change was.
    """

    changed = Signal()
    said = Signal(str)
    failed = Signal(str)
    follow_asked = Signal(object)
    gone = Signal(object)
    was_put_back = Signal()
    tags_kept = Signal()

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self._drafts = seat.typed.at(DOCUMENTS)
        self._drafts.changed.connect(self._hear)
        self.help = ValueHelp(seat, self)
        self.undoing = Undoing(self._put_back)
        self.tags = TagChanges(seat, self.run, self._note_tags, self.said.emit, self)
        self._keep_again: set[Key] | None = None

    # -- what is typed ---------------------------------------------------------------------------------------------

    @property
    def drafts(self) -> dict[str, dict[str, str]]:
        """The texts that are not kept yet, by document and field."""
        return self._drafts.texts()

    @property
    def problems(self) -> dict[Key, str]:
        """What is in the way of keeping them, by document and field."""
        return {d.key: d.problem for d in self._drafts.all() if d.problem}

    def keys_of(self, document: str) -> list[Key]:
        """Return what tells the drafts of a document from all others."""
        return [d.key for d in self.list_drafts() if d.subject == document]

    def list_drafts(self) -> list[Draft]:
        """Return all that is not kept yet; tags while they are typed are no more than that."""
        return [d for d in self._drafts.all() if d.name != TAGS or d.problem]

    def find(self, document: str, field: str) -> Draft | None:
        """Return what is typed for a field of a document and not kept yet."""
        return self._drafts.find(document, field)

    @property
    def told(self) -> str:
        """What is not kept yet, in words; empty where all is."""
        drafts = self.list_drafts()
        if not drafts:
            return ""
        told = tr(
            "{values} in {documents} corrected, not kept yet",
            values=trn("{n:,} value", "{n:,} values", len(drafts)),
            documents=trn("{n:,} document", "{n:,} documents", len({d.subject for d in drafts})),
        )
        within = dict.fromkeys(d.within for d in drafts if d.within)
        return f"{told} ({', '.join(within)})" if len(within) > 1 else told

    def edit(self, documents: Mapping[str, Standing], field: str, text: str) -> None:
        """Draft a value of documents; what is wrong with it is told at once, and kept from being filed by ``keep``."""
        number = trn("{n:,} document", "{n:,} documents", len(documents))
        self._type(tr("{field} typed for {documents}", field=field, documents=number), [(documents, field, text)])

    def edit_many(self, edits: Sequence[tuple[Mapping[str, Standing], str, str]]) -> None:
        """Draft values as one step, each given as for ``edit``."""
        values = trn("{n:,} value", "{n:,} values", len(edits))
        self._type(tr("{values} typed", values=values), edits)

    def _type(self, told: str, edits: Sequence[tuple[Mapping[str, Standing], str, str]]) -> None:
        elsewhere = [
            draft for documents, field, text in edits for document in documents
            if (draft := self._drafts.find(document, field)) is not None and draft.by not in (None, self)
            and draft.text != text
        ]  # fmt: skip
        with self._drafts.step(told, self):
            for documents, field, text in edits:
                for document, now in documents.items():
                    self._draft(document, field, text, now)
        self._drafts.changed.emit()
        if elsewhere:
            first = elsewhere[0]
            said = tr("“{typed}”, typed elsewhere for {caption} and not kept, was typed over; Ctrl+Z brings it back.",
                      typed=first.text, caption=first.told)  # fmt: skip
            self.said.emit(said)
        asked: dict[tuple[str, str, str], list[str]] = {}
        for documents, field, text in edits:
            for document, now in documents.items():
                asked.setdefault((now.type, field, text), []).append(document)
        for (kind, field, text), chosen in asked.items():
            self._check(kind, chosen, field, text)

    def _draft(self, document: str, field: str, text: str, now: Standing) -> None:
        if text == now.text:
            if self._drafts.find(document, field) is not None:
                self._drafts.take_out(document, field)
            return
        self._drafts.put(document, field, text, seen=now.revision, stood=now.text, told=now.caption, within=now.cabinet)

    def _check(self, type_name: str, documents: Sequence[str], field: str, text: str) -> None:
        asked = ask_named(called(self._s.workspace.setup.document_types, type_name), field)
        if asked is None:
            return

        def told(problem: str) -> None:
            found = ((d, self._drafts.find(d, field)) for d in documents)
            meant = [d for d, draft in found if problem and draft is not None and draft.text == text]
            if meant:
                self._drafts.mark({(d, field): problem for d in meant})
                self.failed.emit(problem)

        self.help.check(asked, text, told)

    def discard(self, keys: Iterable[Key] | None = None) -> None:
        """Let go of drafts, all of them where it is not said which; a step like any, that can be taken back."""
        wanted = [d.key for d in self._drafts.all() if keys is None or d.key in keys]
        values = trn("{n:,} value", "{n:,} values", len(wanted))
        with self._drafts.step(tr("letting go of {values}", values=values), self):
            self._drafts.let_go(wanted)

    def asked(self, type_name: str, name: str) -> Asked | None:
        """Return what an editor must know of a field of a type, both by name."""
        return ask_named(called(self._s.workspace.setup.document_types, type_name), name)

    def load_rows(self, ids: list[str], came: Callable[[Mapping[str, FiledDocument]], None]) -> None:
        """Read documents, told by names."""
        self._s.runner.query(lambda: browsing.load_rows(self._s.session, [FiledId(i) for i in ids]), came, owner=self)

    # -- keeping ---------------------------------------------------------------------------------------------------

    def keep(self, keys: Iterable[Key] | None = None) -> None:
        """Keep drafts, all where it is not said which; where folders would change, that is asked first.

        What is typed meanwhile is kept after it.
        """
        wanted = {d.key for d in self._drafts.all()} if keys is None else set(keys)
        for subject, name in list(wanted):
            if name == TAGS and not self._drafts.is_in_hand:
                self.tags.keep(tuple(subject.split(MANY)))
                wanted.discard((subject, name))
        if not wanted:
            return
        if self._drafts.is_in_hand:
            self._keep_again = (self._keep_again or set()) | wanted
            return
        given = self._drafts.give(wanted)
        if not given:
            return
        s, texts = self._s, _texts(given)

        def done(moves: Moves) -> None:
            if not shiboken6.isValid(self):
                self._drafts.were_not_kept(given, {})
            elif moves.number and moves.why_not:
                stay = trn("{n:,} document stays in its folder", "{n:,} documents stay in their folders", moves.number)
                self.failed.emit(tr("{stay}: {why}", stay=stay, why=worded(moves.why_not)))
                self._correct(given, follow=False)
            elif moves.number:
                self._keep_again = None
                self._drafts.were_not_kept(given, {})
                self.undoing.forget()  # what it was meant for is not done, but asked about
                self.follow_asked.emit(FollowAsked(moves, frozenset(given)))
            else:
                self._correct(given, follow=False)

        def refused(told: str) -> None:
            self._drafts.were_not_kept(given, {})

        self.run(lambda: correcting.preview_moves(s.session, texts), done, refused)

    def keep_with(self, asked: FollowAsked, *, follow: bool) -> None:
        """Keep what was asked about, as far as it is not kept by now; documents whose folder changes go there, or stay."""
        if given := self._drafts.give(asked.keys):
            self._correct(given, follow=follow)

    def _correct(self, given: Mapping[Key, Slot], *, follow: bool) -> None:
        s, texts, base = self._s, _texts(given), _bases(given)
        stood = _texts(given, "stood")

        def work() -> _Outcome:
            try:
                corrected = correcting.correct(s.session, texts, follow=follow, base=base, stood=stood)
            except InputProblem as error:
                left, refused = tuple((i, "") for i in texts), worded(error)
                corrected = Corrected((), 0, left, said=tuple((i, str(error)) for i in texts))
            else:
                refused = ""
            now = browsing.load_rows(s.session, [FiledId(i) for i, _ in corrected.left])
            return _Outcome(corrected, refused, now)

        def done(found: _Outcome) -> None:
            problems = self._settle(given, base, found)
            corrected = found.corrected
            if not shiboken6.isValid(self):  # the window is gone; what it kept is kept
                s.bus.tell(corrected.changes())
                return
            if corrected.versions:
                number = trn("{n:,} value", "{n:,} values", corrected.values)

                def put_back() -> str:
                    back = correcting.take_back_correction(s.session, corrected)
                    return trn("{n:,} document put back", "{n:,} documents put back", back)

                self.note(Undo(tr("correction of {values}", values=number), put_back))
            else:
                self.undoing.forget()
            if corrected.versions or not corrected.left:
                s.bus.tell(corrected.changes())
            told = set(problems.values()) if len(given) == len(problems) else set[str]()
            if rest := next(iter(told)) if len(told) == 1 else found.refused or say_rest(_named(corrected, given)):
                self.failed.emit(rest)

        def refused(told: str) -> None:
            self._drafts.were_not_kept(given, {})

        self.run(work, done, refused)

    def _settle(self, given: Mapping[Key, Slot], base: Mapping[str, int], found: _Outcome) -> dict[Key, str]:
        """Let go of what is kept; what was left stays typed, with what stands there by now and why it was left.

        Returns what the store did not say: which are gone, or hold something else by now.
        """
        corrected = found.corrected
        left, why = {i for i, _ in corrected.left}, dict(corrected.said)
        now = {i: (base[i], base[i]) for i in base if i not in left and not corrected.stopped}
        now |= {i: (base[i], revision) for i, _, revision in corrected.versions}
        self._drafts.were_kept({k: s for k, s in given.items() if k[0] in now}, now)
        rest = {k: s for k, s in given.items() if k[0] not in now}
        said, own, seen = dict[Key, str](), dict[Key, str](), dict[Key, tuple[int, str]]()
        for key, (_, draft) in rest.items():
            if draft is None or key[0] not in left:
                continue
            said[key] = worded(why.get(key[0], "")) or draft.problem
            document = found.now.get(key[0])
            if document is None:
                own[key] = tr("{caption} is gone, or may not be corrected any more.", caption=draft.told or key[0])
                continue
            stands = standing_of(document, key[1]).text
            seen[key] = document.revision, stands
            if stands != draft.stood:
                both = tr("“{stood}” stood here when it was typed, “{stands}” stands here now.",
                          stood=draft.stood, stands=stands)  # fmt: skip
                own[key] = f"{said[key]} {both}".strip()
        self._drafts.were_not_kept(rest, said | own, seen)
        return own

    def _hear(self) -> None:
        """Show what is typed by now; what waited for what was being kept is kept in its turn."""
        if self._keep_again is not None and not self._drafts.is_in_hand:
            wanted, self._keep_again = self._keep_again, None
            self.keep(wanted)
        self.changed.emit()

    def run(
        self, work: Callable[[], Any], done: Callable[[Any], None], on_error: Callable[[str], None] = lambda told: None
    ) -> None:
        """Change documents after all changes before; an undo that is asked for meanwhile waits for what comes of it."""

        def ended(result: Any) -> None:
            done(result)
            self.undoing.end()

        def refused(told: str) -> None:
            self._keep_again = None
            self.undoing.end(came_to_nothing=True)
            on_error(told)
            if shiboken6.isValid(self):
                self.failed.emit(told)

        self.undoing.begin()
        self._s.runner.change(work, ended, lane=LANE, on_error=refused)

    def delete(
        self, documents: Sequence[str], why: str, then: Callable[[], None] = lambda: None,
        on_error: Callable[[str], None] = lambda told: None,
    ) -> None:  # fmt: skip
        """Put documents into the trash; ``then`` hears that it is done, ``on_error`` why it is not."""
        s, ids = self._s, list(documents)

        def put_back() -> str:
            return worded(deleting.restore_documents(s.session, [FiledId(i) for i in ids]).text)

        def done(changes: Any) -> None:
            then()
            self.gone.emit(ids)
            self.note(
                Undo(
                    tr("deletion of {documents}", documents=trn("{n:,} document", "{n:,} documents", len(ids))),
                    put_back,
                )
            )
            s.bus.tell(changes)

        self.run(lambda: deleting.delete_documents(s.session, [FiledId(i) for i in ids], why), done, on_error)

    # -- undo ----------------------------------------------------------------------------------------------------

    @property
    def undo_told(self) -> str:
        """What ``undo`` would take back: what was typed or kept last; or nothing."""
        step = self._last_typed()
        return step.told if step is not None else self.undoing.told

    def _last_typed(self) -> Step | None:
        """Return what was typed last and is not being kept, unless something was changed after that."""
        step = self._drafts.last_step(self)
        return step if step is not None and step.at > self.undoing.at else None

    @property
    def can_undo(self) -> bool:
        """Whether there is something to take back, or will be once what is under way is through."""
        return self._last_typed() is not None or self.undoing.can_undo

    def undo(self) -> None:
        """Take back what was typed last, before anything that was kept before it."""
        if self._last_typed() is not None:
            self._drafts.take_back(self)
        else:
            self.undoing.undo()

    def _note_tags(self, undo: Undo) -> None:
        self.note(undo)
        self.tags_kept.emit()

    def note(self, undo: Undo) -> None:
        """Remember what can be put back."""
        self.undoing.note(undo)
        self.changed.emit()

    def _put_back(self, last: Undo) -> None:
        def done(told: str) -> None:
            self.said.emit(told)
            self._s.bus.tell(Changes(repository=True))
            self.changed.emit()
            self.was_put_back.emit()

        self._s.runner.change(last.put_back, done, lane=LANE, owner=self, on_error=self.failed.emit)


def _texts(given: Mapping[Key, Slot], what: str = "text") -> dict[str, dict[str, str]]:
    found: dict[str, dict[str, str]] = {}
    for _, draft in given.values():
        if draft is not None:
            found.setdefault(draft.subject, {})[draft.name] = getattr(draft, what)
    return found


def _named(corrected: Corrected, given: Mapping[Key, Slot]) -> Corrected:
    """Return what was done, with what is left called as it was when something was typed for it."""
    told = {draft.subject: draft.told for _, draft in given.values() if draft is not None}
    return replace(corrected, left=tuple((i, caption or told.get(i, i)) for i, caption in corrected.left))


def _bases(given: Mapping[Key, Slot]) -> dict[str, int]:
    """Return, by document, the oldest revision that something was typed over."""
    found: dict[str, int] = {}
    for _, draft in given.values():
        if draft is not None:
            found[draft.subject] = min(draft.seen, found.get(draft.subject, draft.seen))
    return found
