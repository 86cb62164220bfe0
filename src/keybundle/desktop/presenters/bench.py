"""The bench: one batch being worked. Holds where the operator is; everything else comes from the workflows."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer, Signal

from keybundle.core.base.boxes import Box
from keybundle.core.base.changes import Changes
from keybundle.core.batches.model import Batch, Document, Page, State
from keybundle.core.fields.values import Origin
from keybundle.core.reading.text import Word
from keybundle.core.setup.model import FieldSpec
from keybundle.core.workflows import bench, slip
from keybundle.core.workflows.closing import close_batch
from keybundle.desktop.presenters.bench_filing import BenchFiling
from keybundle.desktop.presenters.bench_pages import BenchPages
from keybundle.desktop.presenters.bench_slips import BenchSlips
from keybundle.desktop.presenters.bench_state import BenchState, SlipRow, SlipTable, StripDocument, StripPage
from keybundle.desktop.presenters.bench_wording import (
    join_words_by_line,
    make_plates,
    make_slip,
    make_strip,
    make_table,
    say_balance,
    say_reading,
)
from keybundle.desktop.presenters.page_pictures import PagePictures
from keybundle.desktop.presenters.session import Session

REFRESH_MS = 120


class BenchPresenter(QObject):
    """State and verbs of the bench."""

    changed = Signal(object)
    focus_requested = Signal(str)
    said = Signal(str)
    failed = Signal(str)
    completed = Signal(str, object)
    record_made = Signal(str)
    conflicts_found = Signal(object)
    closed = Signal()

    def __init__(self, session: Session, batch_id: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = session
        self.batch_id = batch_id
        self.state = BenchState(batch=batch_id)
        self.pictures = PagePictures(session, self)
        self.pages = BenchPages(self, session)
        self.filing = BenchFiling(self, session)
        self.slips = BenchSlips(self, session)
        self._data: bench.BenchData | None = None
        self._strip: tuple[tuple[StripPage, ...], tuple[StripDocument, ...]] = ((), ())
        self._page: str | None = None
        self._field: str | None = None
        self._table, self._shows_table = SlipTable(), False
        self._selected: set[str] = set()
        self._anchor: str | None = None
        self._after: Callable[[], None] | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(REFRESH_MS)
        self._timer.timeout.connect(self.refresh)
        session.bus.changed.connect(self._on_changes)

    # -- loading -----------------------------------------------------------------------------------------------

    def _on_changes(self, changes: Changes) -> None:
        if self.batch_id in changes.batches and not self._timer.isActive():
            self._timer.start()

    def refresh(self) -> None:
        """Ask for the batch again."""
        ws, batch_id = self._s.workspace, self.batch_id
        self._s.runner.query(lambda: bench.load_bench(ws, batch_id), self._loaded, key=f"bench {batch_id}")

    def _loaded(self, data: bench.BenchData) -> None:
        self._data = data
        self._strip = make_strip(data.batch, self._s.workspace.place.cache), make_plates(data)
        if self._shows_table:
            self._table = make_table(data, self._s.workspace.setup)
        pages = data.batch.pages
        if self._page is None or all(p.id != self._page for p in pages):
            first = next((d for d in data.batch.in_order() if d.state is State.TO_CHECK), None)
            start = data.batch.pages_of(first.id)[0] if first else next((p for p in pages if p.kept), None)
            self._page = start.id if start else (pages[0].id if pages else None)
        self._publish()
        self._show_page()
        after, self._after = self._after, None
        if after is not None:
            after()

    def _publish(self) -> None:
        if self._data is None:
            return
        data, batch = self._data, self._data.batch
        document = self._document()
        ready = sum(d.state is State.READY and not d.claim for d in batch.documents.values())
        known = {p.id for p in batch.pages}
        self._selected &= known
        reading, stop_reading = say_reading(batch, stopped=self.batch_id in self._s.line.stopped)
        balance, balance_told = say_balance(data.balance)
        self.state = BenchState(
            batch=self.batch_id, title=f"{batch.routine}: {batch.origin}",
            pages=self._strip[0], documents=self._strip[1], page=self._page,
            document=document.id if document else None, selected=frozenset(self._selected),
            in_hand=frozenset(self._s.hand.pages) & known,
            slip=make_slip(data, document, self._s.workspace.setup, self._s.workspace.calibration()) if document else None,
            balance=balance, balance_told=balance_told, undo=data.undo or "", redo=data.redo or "",
            table=self._table,
            can_file_all=ready > 0, file_all=f"File all ready ({ready})" if ready else "File all ready",
            reading=reading, stop_reading=stop_reading,
        )  # fmt: skip
        self.changed.emit(self.state)

    def _document(self) -> Document | None:
        if self._data is None or self._page is None:
            return None
        page = self._data.batch.page(self._page)
        return self._data.batch.documents.get(page.document_id or "")

    # -- where the operator is ---------------------------------------------------------------------------------

    def go_to_page(self, page_id: str) -> None:
        """Show a page and its document's slip; nothing stays selected."""
        changed = page_id != self._page
        if changed or self._selected:
            self._page, self._field, self._anchor = page_id, None, page_id
            self._selected.clear()
            self._publish()
        if changed:
            self._show_page()

    def select(self, page_id: str, *, reach: bool = False) -> None:
        """Select a page more (or less); with ``reach`` all from the page that was chosen first to this one."""
        ids = [p.id for p in self.state.pages]
        if page_id not in ids:
            return
        self._anchor = self._anchor if self._anchor in ids else self._page
        if reach and self._anchor in ids:
            first, last = sorted((ids.index(self._anchor), ids.index(page_id)))
            self._selected = set(ids[first : last + 1])
        else:
            self._selected = (self._selected or {self._page or page_id}) ^ {page_id}
            self._anchor = page_id
        moved, self._page = self._page != page_id, page_id
        self._publish()
        if moved:
            self._show_page()

    def show_table(self, shows: bool) -> None:
        """Keep the table of slips up to date from now on, or no longer."""
        self._shows_table = shows
        if shows and self._data is not None:
            self._table = make_table(self._data, self._s.workspace.setup)
            self._publish()

    def select_none(self) -> None:
        """Let nothing be selected."""
        self._selected.clear()
        self._publish()

    @property
    def batch(self) -> Batch | None:
        """The batch as loaded last."""
        return self._data.batch if self._data else None

    @property
    def page_id(self) -> str | None:
        """The current page."""
        return self._page

    def spec_of(self, field: str) -> FieldSpec | None:
        """Return what the current document's type says of a field."""
        kind = self._s.workspace.setup.document_type(self.state.slip.type) if self.state.slip else None
        return kind.field(field) if kind else None

    def select_step(self, offset: int) -> None:
        """Reach one page further with the selection."""
        ids = [p.id for p in self.state.pages]
        if self._page in ids:
            self.select(ids[max(0, min(len(ids) - 1, ids.index(self._page) + offset))], reach=True)

    def select_document(self) -> None:
        """Select the pages of the current document; all pages when they are selected already."""
        own = {p.id for p in self.state.pages if p.document is not None and p.document == self.state.document}
        self._selected = {p.id for p in self.state.pages} if own <= self._selected or not own else own
        self._publish()

    def chosen_pages(self) -> list[str]:
        """Return what commands act on: the selected pages in order, else the current one."""
        return [p.id for p in self.state.pages if p.id in self._selected or (not self._selected and p.id == self._page)]

    def step_page(self, offset: int) -> None:
        """Go to the next or previous page in the strip."""
        ids = [p.id for p in self.state.pages]
        if self._page in ids:
            self.go_to_page(ids[max(0, min(len(ids) - 1, ids.index(self._page) + offset))])

    def step_document(self, offset: int) -> None:
        """Go to the first page of the next or previous document."""
        order = [d.id for d in self.state.documents]
        if not order:
            return
        here = order.index(self.state.document) if self.state.document in order else 0
        self.go_to_document(order[max(0, min(len(order) - 1, here + offset))])

    def go_to_document(self, document_id: str) -> None:
        """Go to the first page of a document."""
        first = next((p.id for p in self.state.pages if p.document == document_id), None)
        if first is not None:
            self.go_to_page(first)

    def focus_field(self, name: str) -> None:
        """Frame the place that a field's value came from, turning to its page."""
        self._field = name
        row = self.row_named(name)
        if row is not None and row.place is not None and row.place[0] != self._page:
            self._page = row.place[0]
            self._publish()
            self._show_page()
        else:
            self.pictures.frame(self._place_of(self._page))

    def row_named(self, name: str | None) -> SlipRow | None:
        """Return a row of the slip."""
        rows = self.state.slip.rows if self.state.slip else ()
        return next((r for r in rows if r.name == name), None)

    def _page_now(self) -> Page | None:
        if self._data is None or self._page is None:
            return None
        return next((p for p in self._data.batch.pages if p.id == self._page), None)

    def _show_page(self) -> None:
        page = self._page_now()
        if page is None or page.facts is None or self._data is None:
            return
        self._s.line.look_at([page.id])
        ids = [p.id for p in self._data.batch.pages]
        here = ids.index(page.id)
        near = [
            p for p in self._data.batch.pages[max(0, here - 1) : here + 3] if p.facts is not None and p.id != page.id
        ]
        told = self._wait_told() if page.kept else f"Left out: {page.reason}"
        self.pictures.show_page(page, told, self._place_of(page.id), near)

    def _wait_told(self) -> str:
        return "Reading is stopped; Ctrl+R reads on" if self.batch_id in self._s.line.stopped else "Being read"

    def _place_of(self, page_id: str | None) -> Box | None:
        """Return the place on a page that the chosen field's value came from."""
        row = self.row_named(self._field)
        return row.place[1] if row is not None and row.place is not None and row.place[0] == page_id else None

    # -- verbs ---------------------------------------------------------------------------------------------------

    def change(self, work: Callable[[], Changes], after: Callable[[], None] | None = None) -> None:
        def done(changes: Changes) -> None:
            self._after = after
            self._s.bus.tell(changes)
            self._timer.stop()
            self.refresh()

        self._s.runner.change(work, done, on_error=self.failed.emit)

    def close_batch(self) -> None:
        """Close the batch; what is still open is named and stays."""
        s = self._s
        s.runner.change(
            lambda: close_batch(s.workspace, self.batch_id, s.who), lambda _: self.closed.emit(),
            on_error=self.failed.emit,
        )  # fmt: skip

    def toggle_reading(self) -> None:
        """Stop the reading of the batch, or read on where it was stopped."""
        if self.state.stop_reading:
            s = self._s
            s.runner.change(
                lambda: bench.toggle_reading(s.workspace, s.line, self.batch_id, s.who), on_error=self.failed.emit
            )

    def undo(self) -> None:
        """Take back the last step."""
        s = self._s
        self.change(lambda: bench.undo(s.workspace, s.line, self.batch_id, s.who))

    def redo(self) -> None:
        """Do again what was undone."""
        s = self._s
        self.change(lambda: bench.redo(s.workspace, s.line, self.batch_id, s.who))

    def confirm(self, name: str, text: str) -> None:
        """Take a field's text as it stands, then go to the next unsure value."""
        row, document, s = self.row_named(name), self.state.document, self._s
        if row is None or document is None or (self.state.slip and self.state.slip.is_filed):
            return
        after = lambda: self._go_to_next_unsure(name)  # noqa: E731
        if text.strip() != row.text:
            self.change(
                lambda: slip.enter_value(s.workspace, s.line, self.batch_id, document, name, text, s.who), after
            )
        elif row.unsure and row.text:
            self.change(lambda: slip.confirm_value(s.workspace, s.line, self.batch_id, document, name, s.who), after)
        else:
            self._go_to_next_unsure(name)

    def enter(self, name: str, text: str) -> None:
        """Take a field's text without going anywhere."""
        row, document, s = self.row_named(name), self.state.document, self._s
        if row is not None and document is not None and text.strip() != row.text:
            self.change(lambda: slip.enter_value(s.workspace, s.line, self.batch_id, document, name, text, s.who))

    def lift(self, name: str, words: list[Word]) -> None:
        """Take a field's value from words on the page."""
        document, page, text, s = self.state.document, self._page, self.pictures.text, self._s
        if document is None or not words:
            return
        spec = self.spec_of(name)
        said = join_words_by_line(words) if spec is not None and spec.several else " ".join(w.text for w in words)
        self.change(
            lambda: slip.enter_value(
                s.workspace, s.line, self.batch_id, document, name, said, s.who, origin=Origin.LIFTED, page=page,
                words=words, page_text=text,
            ),
            lambda: self.focus_requested.emit(name),
        )  # fmt: skip

    def choose_type(self, type_name: str) -> None:
        """Give the current document a type."""
        document, s = self.state.document, self._s
        if document is not None and self.state.slip is not None and type_name != self.state.slip.type:
            self.change(lambda: slip.choose_type(s.workspace, s.line, self.batch_id, document, type_name, s.who))

    def go_to_unsure(self) -> None:
        """Go to the first unsure value from here on."""
        self._go_to_next_unsure(None)

    def _go_to_next_unsure(self, after: str | None) -> None:
        rows = self.state.slip.rows if self.state.slip else ()
        names = [r.name for r in rows]
        start = names.index(after) + 1 if after in names else 0
        unsure = [r.name for r in (*rows[start:], *rows[:start]) if r.unsure]
        if unsure:
            self.focus_requested.emit(unsure[0])
            return
        if self.state.slip is not None and self.state.slip.can_file and after is not None:
            self.focus_requested.emit("")
            return
        order = list(self.state.documents)
        here = next((i for i, d in enumerate(order) if d.id == self.state.document), -1)
        for document in (*order[here + 1 :], *order[: here + 1]):
            if document.state == State.TO_CHECK.value:
                self.go_to_document(document.id)
                rows = self.state.slip.rows if self.state.slip else ()
                first = next((r.name for r in rows if r.unsure), rows[0].name if rows else "")
                self.focus_requested.emit(first)
                return
        self.focus_requested.emit("")

    def complete(self, name: str, typed: str) -> None:
        """Ask for a field's type-ahead list."""
        ws, kind = self._s.workspace, self.state.slip.type if self.state.slip else ""
        self._s.runner.query(
            lambda: slip.complete(ws, kind, name, typed), lambda found: self.completed.emit(name, found), key="complete"
        )

    def set_aside(self, reason: str) -> None:
        """Set the current document aside, or bring it back where it is aside."""
        document, s = self.state.document, self._s
        if document is None or self.state.slip is None:
            return
        if self.state.slip.parked:
            self.change(lambda: slip.bring_back(s.workspace, s.line, self.batch_id, document, s.who))
        else:
            self.change(lambda: slip.set_aside(s.workspace, s.line, self.batch_id, document, reason, s.who))
