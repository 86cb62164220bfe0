"""What is changed in the cabinets: values corrected in the table and kept together, documents deleted; one undo for all."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.setup.model import called
from keybundle.core.workflows.keep import correcting, trash
from keybundle.core.workflows.keep.correcting import Corrected, Moves
from keybundle.desktop.presenters.asking import ValueHelp, ask_named
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr, trn, worded

__all__ = ["CabinetChanges", "Moves", "Undo"]
LANE = "cabinet changes"


# What stands in a field of a document: the text, the revision that was shown, and the document's type by name.
Standing = tuple[str, int, str]


@dataclass(frozen=True)
class Undo:
    """What can be put back: in words, and how; that tells what it did."""

    told: str
    put_back: Callable[[], str]


class CabinetChanges(QObject):
    """Corrections are drafts until they are kept; ``follow_asked`` asks once for all of them whether folders follow.

    ``gone`` names what was deleted.
    """

    changed = Signal()
    said = Signal(str)
    failed = Signal(str)
    follow_asked = Signal(object)
    gone = Signal(object)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.drafts: dict[str, dict[str, str]] = {}
        self.problems: dict[tuple[str, str], str] = {}
        self.help = ValueHelp(seat, self)
        self._bases: dict[str, int] = {}
        self._undo: list[Undo] = []

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
        kinds: dict[str, list[str]] = {}
        for document, (now, revision, kind) in documents.items():
            mine = self.drafts.setdefault(document, {})
            mine[field] = text
            self.problems.pop((document, field), None)
            kinds.setdefault(kind, []).append(document)
            self._bases.setdefault(document, revision)
            if text == now:
                del mine[field]
            if not mine:
                del self.drafts[document], self._bases[document]
        self.changed.emit()
        for kind, chosen in kinds.items():
            self._check(kind, chosen, field, text)

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
        """Let go of all drafts."""
        self.drafts, self._bases, self.problems = {}, {}, {}
        self.changed.emit()

    def keep(self) -> None:
        """Keep the drafts; where folders would change, that is asked first."""
        s, given = self._s, self._given()
        if not given:
            return

        def done(moves: Moves) -> None:
            if moves.number:
                self.follow_asked.emit(moves)
            else:
                self.keep_with(follow=False)

        s.runner.query(
            lambda: correcting.preview_moves(s.session, given), done, key="moves", owner=self, on_error=self.failed.emit
        )

    def keep_with(self, *, follow: bool) -> None:
        """Keep the drafts; documents whose folder changes go there, or stay."""
        s, given, base = self._s, self._given(), dict(self._bases)

        def done(corrected: Corrected) -> None:
            left = dict(corrected.left)
            for document, texts in given.items():
                if document not in left and self.drafts.get(document) == texts:
                    self.drafts.pop(document, None)
                    self._bases.pop(document, None)
            number = trn("{n:,} value", "{n:,} values", corrected.values)

            def put_back() -> str:
                back = correcting.take_back_correction(s.session, corrected)
                return trn("{n:,} document put back", "{n:,} documents put back", back)

            if corrected.versions:
                self.note(Undo(tr("correction of {values}", values=number), put_back))
            self.said.emit(worded(corrected.changes().text))
            if left:
                stay = tr(
                    "Changed by somebody else meanwhile, so left as they are: {names}", names="; ".join(left.values())
                )
                self.failed.emit(stay)
            self.changed.emit()
            s.bus.tell(corrected.changes())

        s.runner.change(
            lambda: correcting.correct(s.session, given, follow=follow, base=base), done, lane=LANE, owner=self,
            on_error=self.failed.emit,
        )  # fmt: skip

    def _given(self) -> dict[str, dict[str, str]]:
        return {document: dict(texts) for document, texts in self.drafts.items()}

    def delete(self, documents: Sequence[str], why: str) -> None:
        """Put documents into the trash."""
        s, ids = self._s, list(documents)

        def put_back() -> str:
            return worded(trash.restore_documents(s.session, ids).text)

        def done(changes: Any) -> None:
            for document in ids:
                self.drafts.pop(document, None)
            self.gone.emit(ids)
            self.note(
                Undo(
                    tr("deletion of {documents}", documents=trn("{n:,} document", "{n:,} documents", len(ids))),
                    put_back,
                )
            )
            self.said.emit(worded(changes.text))
            s.bus.tell(changes)

        s.runner.change(
            lambda: trash.delete_documents(s.session, ids, why), done, lane=LANE, owner=self, on_error=self.failed.emit
        )

    # -- undo ----------------------------------------------------------------------------------------------------

    def note(self, undo: Undo) -> None:
        """Remember what can be put back."""
        self._undo.append(undo)
        self.changed.emit()

    @property
    def undo_told(self) -> str:
        """What ``undo`` would put back, in words; empty where nothing was changed here."""
        return self._undo[-1].told if self._undo else ""

    def undo(self, after: Callable[[], None] = lambda: None) -> None:
        """Put back what was changed last here."""
        if not self._undo:
            return
        last = self._undo.pop()

        def done(told: str) -> None:
            from keybundle.core.base.changes import Changes

            self.said.emit(told)
            self._s.bus.tell(Changes(repository=True))
            self.changed.emit()
            after()

        self._s.runner.change(last.put_back, done, lane=LANE, owner=self, on_error=self.failed.emit)
