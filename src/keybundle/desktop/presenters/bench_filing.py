"""Filing from the bench, and taking back."""

from __future__ import annotations

from keybundle.core.base.changes import Changes
from keybundle.core.base.ids import DocumentId
from keybundle.core.base.progress import CancelToken, Progress, Step
from keybundle.core.batches.model import State
from keybundle.core.workflows.file import filing
from keybundle.desktop.presenters.desk import Desk
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr, trn


class BenchFiling:
    """Verbs that file the documents of a bench."""

    def __init__(self, at: Desk, seat: Seat) -> None:
        self._at = at
        self._s = seat

    def file_current(self) -> None:
        """File the current document and go to the next one to check."""
        at = self._at
        at.flush()
        slip = at.state.slip
        if slip is None:
            return
        if not slip.can_file:
            at.failed.emit(slip.why_not or tr("This document is filed already."))
            at.go_to_unsure()
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
                at.go_to_document(found)
                at.go_to_unsure() if wanted == State.TO_CHECK.value else at.focus_requested.emit("")
                return

    def filed_here(self) -> tuple[str, ...]:
        """Return the current document as it lies in the repository; none, and why is told, before it is filed."""
        document = self._at.current_document()
        if document is not None and document.filed_id:
            return (document.filed_id,)
        self._at.failed.emit(tr("This document is not filed yet; it can be sent once it is."))
        return ()

    def file_all(self) -> None:
        """File every ready document."""
        self._at.flush()
        self._file(None)

    def _file(self, documents: list[str] | None) -> None:
        """File after all that was done to the batch before: claimed in its turn, the PDFs are made behind."""
        s, at = self._s, self._at

        def begun(found: filing.Filing) -> None:
            s.bus.tell(Changes(frozenset([at.batch_id])))
            at.doing.begin(tr("Filing"), lambda tell, cancel: finish(found, tell, cancel), done, at.failed.emit)

        def finish(found: filing.Filing, tell: Progress, cancel: CancelToken) -> filing.Filed:
            def show(step: Step) -> None:
                tell(step)
                s.bus.tell(Changes(frozenset([at.batch_id])))

            return filing.finish_filing(s.session, s.pool, found, progress=show, cancel=cancel)

        def done(result: filing.Filed) -> None:
            s.bus.tell(result.changes())
            if s.behind is not None:
                s.behind.wake()
            if documents is None:
                stay = tr(" {n} stay here; the filing record says why.", n=len(result.left)) if result.left else ""
                at.said.emit(
                    tr(
                        "{documents} filed.{stay}",
                        documents=trn("{n:,} document", "{n:,} documents", len(result.entries)),
                        stay=stay,
                    )
                )
            elif result.entries:
                at.said.emit(tr("Filed: {caption}", caption=result.entries[0].caption))
            else:
                at.failed.emit("; ".join(f"{name}: {why}" for name, why in result.left) or tr("It is filed already."))
            if result.record is not None and documents is None:
                at.record_made.emit(result.record)

        chosen = [DocumentId(i) for i in documents] if documents is not None else None
        s.runner.change(
            lambda: filing.begin_filing(s.session, at.batch_id, chosen), begun, lane=at.lane,
            on_error=at.failed.emit,
        )  # fmt: skip

    def take_back(self, document: str) -> None:
        """Take a document back from the repository."""
        at, s = self._at, self._s
        at.change(lambda: filing.take_back(s.session, at.batch_id, DocumentId(document)))
