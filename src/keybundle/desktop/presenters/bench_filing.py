"""Filing from the bench, and taking back."""

from __future__ import annotations

from dataclasses import replace

from keybundle.core.base.changes import Changes
from keybundle.core.base.ids import DocumentId
from keybundle.core.base.progress import CancelToken, Progress, Step
from keybundle.core.batches.model import State
from keybundle.core.workflows.file import filing
from keybundle.desktop.presenters.bench_going import BenchGoing
from keybundle.desktop.presenters.desk import Desk
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr, trn

MOST_TOLD = 3


class BenchFiling:
    """Verbs that file the documents of a bench."""

    def __init__(self, at: Desk, seat: Seat, going: BenchGoing) -> None:
        self._at, self._going = at, going
        self._s = seat
        self._files_all = False

    def file_current(self) -> None:
        """File the current document and go to the next one to check."""
        at = self._at
        at.flush()
        slip = at.state.slip
        if slip is None:
            return
        if not slip.can_file:
            at.failed.emit(slip.why_not or tr("This document is filed already."))
            self._going.go_to_unsure()
            return
        self._file([slip.document])
        self._go_on_after(slip.document)

    def _go_on_after(self, document_id: str) -> None:
        at = self._at
        order = [d.id for d in at.state.documents]
        states = {d.id: d.state for d in at.state.documents}
        here = order.index(document_id)
        rest = [*order[here + 1 :], *order[:here]]
        for wanted in (State.TO_CHECK.value, State.READY.value):
            found = next((d for d in rest if states[d] == wanted), None)
            if found is not None:
                self._going.go_to_document(found)
                self._going.go_to_unsure() if wanted == State.TO_CHECK.value else at.focus_requested.emit("")
                return

    def filed_here(self) -> tuple[str, ...]:
        """Return the current document as it lies in the repository; none, and why is told, before it is filed."""
        document = self._at.current_document()
        if document is not None and document.filed_id:
            return (document.filed_id,)
        self._at.failed.emit(tr("This document is not filed yet; it can be sent once it is."))
        return ()

    def file_all(self) -> None:
        """File every ready document; pressed again while that is under way it does nothing more."""
        self._at.flush()
        if not self._files_all:
            self._files_all = True
            self._file(None)

    def _file(self, documents: list[str] | None) -> None:
        """File after all that was done to the batch before: claimed in its turn, the PDFs are made behind."""
        s, at = self._s, self._at

        def failed(told: str) -> None:
            self._files_all = self._files_all and documents is not None
            at.failed.emit(told)

        def begun(found: filing.Filing) -> None:
            s.bus.tell(Changes(frozenset([at.batch_id])))
            at.doing.begin(tr("Filing"), lambda tell, cancel: finish(found, tell, cancel), done, failed)

        def finish(found: filing.Filing, tell: Progress, cancel: CancelToken) -> filing.Filed:
            def show(step: Step) -> None:
                tell(step)
                s.bus.tell(Changes(frozenset([at.batch_id])))

            return filing.finish_filing(s.session, s.pool, found, progress=show, cancel=cancel)

        def done(result: filing.Filed) -> None:
            self._files_all = self._files_all and documents is not None
            s.bus.tell(replace(result.changes(), text=""))
            if s.behind is not None:
                s.behind.wake()
            if documents is None:
                self._tell_all(result)
            elif result.entries:
                at.said.emit(tr("Filed: {caption}", caption=result.entries[0].caption))
            else:
                at.failed.emit("; ".join(f"{name}: {why}" for name, why in result.left) or tr("It is filed already."))
            if result.record is not None and documents is None:
                at.record_made.emit(result.record)

        revision = at.revision

        def as_seen() -> filing.Filing:
            # By now the lane has kept or refused what was typed before.
            with at.seen_at(revision):
                return filing.begin_filing(s.session, at.batch_id, chosen, unkept=at.list_unkept())

        chosen = [DocumentId(i) for i in documents] if documents is not None else None
        s.runner.change(
            as_seen, begun, lane=at.lane,
            on_error=failed,
        )  # fmt: skip

    def _tell_all(self, result: filing.Filed) -> None:
        if not result.entries:
            why = "; ".join(f"{name}: {why}" for name, why in result.left[:MOST_TOLD])
            self._at.failed.emit(tr("Nothing was filed. {why}", why=why))
            return
        filed = trn("{n:,} document filed.", "{n:,} documents filed.", len(result.entries))
        stay = tr(" {n} stay here; the filing record says why.", n=len(result.left)) if result.left else ""
        self._at.said.emit(f"{filed}{stay}")

    def take_back(self, document: str) -> None:
        """Take a document back from the repository."""
        at, s = self._at, self._s
        at.change(lambda: filing.take_back(s.session, at.batch_id, DocumentId(document)))
