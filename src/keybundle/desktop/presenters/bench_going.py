"""Where the operator goes on a bench, and what is chosen on the way."""

from __future__ import annotations

from keybundle.core.batches.model import State
from keybundle.core.workflows.session.access import Spot
from keybundle.desktop.presenters.desk import Desk


class BenchGoing:
    """Steps over the pages and documents of a bench, and to what still has to be looked at."""

    def __init__(self, at: Desk) -> None:
        self._at = at

    def step_page(self, offset: int) -> None:
        """Go to the next or previous page in the strip."""
        ids = [p.id for p in self._at.state.pages]
        if self._at.page_id in ids:
            self._at.go_to_page(ids[max(0, min(len(ids) - 1, ids.index(self._at.page_id) + offset))])

    def go_to_document(self, document_id: str) -> None:
        """Go to the first page of a document."""
        first = next((p.id for p in self._at.state.pages if p.document == document_id), None)
        if first is not None:
            self._at.go_to_page(first)

    def step_document(self, offset: int) -> None:
        """Go to the first page of the next or previous document."""
        order = [d.id for d in self._at.state.documents]
        if not order:
            return
        here = order.index(self._at.state.document) if self._at.state.document in order else 0
        self.go_to_document(order[max(0, min(len(order) - 1, here + offset))])

    def go_to_unsure(self) -> None:
        """Go to the first unsure value from here on."""
        self.go_to_next_unsure(None)

    def go_to_next_unsure(self, after: str | None) -> None:
        """Go to the next unsure value after a field, in the document or the next one; by what is known here, at once."""
        rows = self._at.state.slip.rows if self._at.state.slip else ()
        names = [r.name for r in rows]
        start = names.index(after) + 1 if after in names else 0
        unsure = [r.name for r in (*rows[start:], *rows[:start]) if r.unsure and r.name != after]
        if unsure:
            self._at.focus_requested.emit(unsure[0])
            return
        slip = self._at.state.slip
        if slip is not None and (slip.type_unsure or (slip.can_file and after is not None)):
            self._at.focus_requested.emit("")
            return
        order = list(self._at.state.documents)
        here = next((i for i, d in enumerate(order) if d.id == self._at.state.document), -1)
        for document in (*order[here + 1 :], *order[: here + 1]):
            if document.state == State.TO_CHECK.value:
                self.go_to_document(document.id)
                rows = self._at.state.slip.rows if self._at.state.slip else ()
                of_type = (
                    "" if self._at.state.slip and self._at.state.slip.type_unsure else rows[0].name if rows else ""
                )
                first = next((r.name for r in rows if r.unsure), of_type)
                self._at.focus_requested.emit(first)
                return
        self._at.focus_requested.emit("")

    def select_step(self, offset: int) -> None:
        """Reach one page further with the selection."""
        ids = [p.id for p in self._at.state.pages]
        if self._at.page_id in ids:
            self._at.select(ids[max(0, min(len(ids) - 1, ids.index(self._at.page_id) + offset))], reach=True)

    def select_document(self) -> None:
        """Select the pages of the current document; all pages when they are selected already."""
        state = self._at.state
        own = {p.id for p in state.pages if p.document is not None and p.document == state.document}
        self._at.select_all({p.id for p in state.pages} if own <= state.selected or not own else own)

    def spot(self) -> Spot | None:
        """Return what is asked about when somebody asks whom the current document is kept to; None for none."""
        slip_now = self._at.state.slip
        if slip_now is None:
            return None
        document = self._at.batch.document(slip_now.document) if self._at.batch is not None else None
        if document is not None and document.filed_id:
            return Spot(document=document.filed_id)
        return Spot(document=slip_now.document, batch=self._at.batch_id)
