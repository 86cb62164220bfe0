"""What is changed in the cabinets: values corrected in the table and kept together, documents deleted; one undo for all."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.base.ids import FiledId
from keybundle.core.base.records import dataclass
from keybundle.core.setup.model import called
from keybundle.core.workflows.keep.documents import correcting
from keybundle.core.workflows.keep.documents.correcting import Corrected, Moves
from keybundle.core.workflows.keep.trash import deleting
from keybundle.desktop.presenters.asking import ValueHelp, ask_named
from keybundle.desktop.presenters.partly import say_rest
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.undoing import Undo, Undoing
from keybundle.desktop.words import tr, trn, worded

__all__ = ["CabinetChanges", "Moves"]
LANE = "cabinet changes"


# What stands in a field of a document: the text, the revision that was shown, and the document's type by name.
Standing = tuple[str, int, str]
Drafted = tuple[Mapping[str, str], int | None]  # the texts by field, and the revision that they were typed over


@dataclass(frozen=True)
class Typed:
    """A step of what is not kept yet: what it was, in words, and the drafts of its documents before it."""

    told: str
    before: Mapping[str, Drafted]


class CabinetChanges(QObject):
    """Corrections are drafts until they are kept; ``follow_asked`` asks once for all of them whether folders follow.

    ``gone`` names what was deleted; ``was_put_back`` says that the last change was.
    """

    changed = Signal()
    said = Signal(str)
    failed = Signal(str)
    follow_asked = Signal(object)
    gone = Signal(object)
    was_put_back = Signal()

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.drafts: dict[str, dict[str, str]] = {}
        self.problems: dict[tuple[str, str], str] = {}
        self.help = ValueHelp(seat, self)
        self._bases: dict[str, int] = {}
        self._own: dict[tuple[str, int], int] = {}  # the revision that one's own correction made of another one
        self.undoing = Undoing(self._put_back)
        self._typed: list[Typed] = []
        self._being_kept = 0  # so many of the steps are in what is being kept
        self._is_keeping, self._keep_again = False, False

    @property
    def told(self) -> str:
        """What is not kept yet, in words; empty where all is."""
        values = sum(map(len, self.drafts.values()))
        if not values:
            return ""
        return tr(
            "{values} in {documents} corrected, not kept yet",
            values=trn("{n:,} value", "{n:,} values", values),
            documents=trn("{n:,} document", "{n:,} documents", len(self.drafts)),
        )

    def edit(self, documents: Mapping[str, Standing], field: str, text: str) -> None:
        """Draft a value of documents; what is wrong with it is told at once, and kept from being filed by ``keep``."""
        number = trn("{n:,} document", "{n:,} documents", len(documents))
        self._type(tr("{field} typed for {documents}", field=field, documents=number), [(documents, field, text)])

    def edit_many(self, edits: Sequence[tuple[Mapping[str, Standing], str, str]]) -> None:
        """Draft values as one step, each given as for ``edit``."""
        values = trn("{n:,} value", "{n:,} values", len(edits))
        self._type(tr("{values} typed", values=values), edits)

    def _type(self, told: str, edits: Sequence[tuple[Mapping[str, Standing], str, str]]) -> None:
        if not (touched := dict.fromkeys(d for documents, _, _ in edits for d in documents)):
            return
        self._note_typed(told, touched)
        for documents, field, text in edits:
            for document, (now, revision, _) in documents.items():
                self._draft(document, field, text, now, revision)
        if all(self.drafts.get(d, {}) == texts for d, (texts, _) in self._typed[-1].before.items()):
            self._typed.pop()  # nothing came of it
        self.changed.emit()
        for documents, field, text in edits:
            kinds: dict[str, list[str]] = {}
            for document, (_, _, kind) in documents.items():
                kinds.setdefault(kind, []).append(document)
            for kind, chosen in kinds.items():
                self._check(kind, chosen, field, text)

    def _draft(self, document: str, field: str, text: str, now: str, revision: int) -> None:
        mine = self.drafts.setdefault(document, {})
        mine[field] = text
        self.problems.pop((document, field), None)
        while (document, revision) in self._own:
            revision = self._own[document, revision]
        self._bases.setdefault(document, revision)
        if text == now:
            del mine[field]
        if not mine:
            del self.drafts[document], self._bases[document]

    def _check(self, type_name: str, documents: Sequence[str], field: str, text: str) -> None:
        asked = ask_named(called(self._s.workspace.setup.document_types, type_name), field)
        if asked is None:
            return

        def told(problem: str) -> None:
            meant = [d for d in documents if problem and self.drafts.get(d, {}).get(field) == text]
            if meant:
                self.problems |= {(d, field): problem for d in meant}
                self.failed.emit(problem)
                self.changed.emit()

        self.help.check(asked, text, told)

    def discard(self) -> None:
        """Let go of all drafts; a step like any, that can be taken back."""
        values = trn("{n:,} value", "{n:,} values", sum(map(len, self.drafts.values())))
        self._note_typed(tr("letting go of {values}", values=values), self.drafts)
        self.drafts, self._bases, self.problems = {}, {}, {}
        self.changed.emit()

    def keep(self) -> None:
        """Keep the drafts; where folders would change, that is asked first. What is typed meanwhile is kept after it."""
        s, given = self._s, self._given()
        if self._is_keeping:
            self._keep_again = True
            return
        if not given:
            return

        def done(moves: Moves) -> None:
            if moves.number and moves.why_not:
                stay = trn("{n:,} document stays in its folder", "{n:,} documents stay in their folders", moves.number)
                self.failed.emit(tr("{stay}: {why}", stay=stay, why=worded(moves.why_not)))
                self.keep_with(follow=False)
            elif moves.number:
                self._is_keeping, self._keep_again, self._being_kept = False, False, 0
                self.undoing.forget()  # what it was meant for is not done, but asked about
                self.follow_asked.emit(moves)
            else:
                self.keep_with(follow=False)

        self._is_keeping, self._keep_again = True, False
        self._being_kept = len(self._typed)
        self.run(lambda: correcting.preview_moves(s.session, given), done)

    def run(self, work: Callable[[], Any], done: Callable[[Any], None]) -> None:
        """Change documents after all changes before; an undo that is asked for meanwhile waits for what comes of it."""

        def ended(result: Any) -> None:
            done(result)
            self.undoing.end()

        def refused(told: str) -> None:
            self._is_keeping, self._keep_again, self._being_kept = False, False, 0
            self.undoing.end(came_to_nothing=True)
            self.failed.emit(told)

        self.undoing.begin()
        self._s.runner.change(work, ended, lane=LANE, owner=self, on_error=refused)

    def keep_with(self, *, follow: bool) -> None:
        """Keep the drafts; documents whose folder changes go there, or stay."""
        s, given, base = self._s, self._given(), dict(self._bases)

        def done(corrected: Corrected) -> None:
            left, now = dict(corrected.left), {document: revision for document, _, revision in corrected.versions}
            for document, texts in given.items():
                if document not in left:
                    self._let_go(document, texts, now.get(document))
            self._forget_typed({d: t for d, t in given.items() if d not in left}, now)
            self._own |= {(d, base[d]): revision for d, revision in now.items() if d in base}
            number = trn("{n:,} value", "{n:,} values", corrected.values)

            def put_back() -> str:
                back = correcting.take_back_correction(s.session, corrected)
                return trn("{n:,} document put back", "{n:,} documents put back", back)

            if corrected.versions:
                self.note(Undo(tr("correction of {values}", values=number), put_back))
            self.said.emit(worded(corrected.changes().text))
            if rest := say_rest(corrected):
                self.failed.emit(rest)
            self.changed.emit()
            s.bus.tell(corrected.changes())
            self._is_keeping, self._being_kept = False, 0
            if self._keep_again:
                self.keep()

        self._is_keeping, self._being_kept = True, len(self._typed)
        self.run(lambda: correcting.correct(s.session, given, follow=follow, base=base), done)

    def _let_go(self, document: str, kept: Mapping[str, str], revision: int | None) -> None:
        """Let go of the drafts of a document that are kept; what was typed over them meanwhile stands on what is kept now."""
        rest = {field: text for field, text in self.drafts.pop(document, {}).items() if kept.get(field) != text}
        base = self._bases.pop(document, None)
        if rest and base is not None:
            self.drafts[document] = rest
            self._bases[document] = revision or base

    def _given(self) -> dict[str, dict[str, str]]:
        return {document: dict(texts) for document, texts in self.drafts.items()}

    def delete(self, documents: Sequence[str], why: str) -> None:
        """Put documents into the trash."""
        s, ids = self._s, list(documents)

        def put_back() -> str:
            return worded(deleting.restore_documents(s.session, [FiledId(i) for i in ids]).text)

        def done(changes: Any) -> None:
            for document in ids:
                self.drafts.pop(document, None)
            self._forget_typed({}, {}, gone=ids)
            self.gone.emit(ids)
            self.note(
                Undo(
                    tr("deletion of {documents}", documents=trn("{n:,} document", "{n:,} documents", len(ids))),
                    put_back,
                )
            )
            self.said.emit(worded(changes.text))
            s.bus.tell(changes)

        self.run(lambda: deleting.delete_documents(s.session, [FiledId(i) for i in ids], why), done)

    # -- undo ----------------------------------------------------------------------------------------------------

    @property
    def undo_told(self) -> str:
        """What ``undo`` would take back: what was typed last and is not being kept, else what was kept last; or nothing."""
        return self._typed[-1].told if self._can_untype else self.undoing.told

    @property
    def can_undo(self) -> bool:
        """Whether there is something to take back, or will be once what is under way is through."""
        return self._can_untype or self.undoing.can_undo

    @property
    def _can_untype(self) -> bool:
        return len(self._typed) > self._being_kept

    def undo(self) -> None:
        """Take back what was typed last, before anything that was kept."""
        if not self._can_untype:
            self.undoing.undo()
            return
        for document, (texts, base) in self._typed.pop().before.items():
            self.drafts.pop(document, None)
            self._bases.pop(document, None)
            if texts and base is not None:
                self.drafts[document], self._bases[document] = dict(texts), base
        self.problems = {k: p for k, p in self.problems.items() if k[1] in self.drafts.get(k[0], {})}
        self.changed.emit()

    def _note_typed(self, told: str, documents: Iterable[str]) -> None:
        before: dict[str, Drafted] = {d: (dict(self.drafts.get(d, {})), self._bases.get(d)) for d in documents}
        if before:
            self._typed.append(Typed(told, before))

    def _forget_typed(
        self, kept: Mapping[str, Mapping[str, str]], now: Mapping[str, int], *, gone: Collection[str] = ()
    ) -> None:
        """Forget steps of drafts that are kept or gone; what was typed over them since goes back to what is kept now."""
        steps, being_kept = list[Typed](), 0
        for number, step in enumerate(self._typed):
            before = {d: drafted for d, drafted in step.before.items() if d not in kept and d not in gone}
            if number >= self._being_kept:
                for document in step.before.keys() & kept.keys():
                    texts, base = step.before[document]
                    rest = {f: t for f, t in texts.items() if kept[document].get(f) != t}
                    before[document] = rest, now.get(document, base) if rest else None
            if before:
                steps.append(replace(step, before=before))
                being_kept += number < self._being_kept
        self._typed, self._being_kept = steps, being_kept

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
