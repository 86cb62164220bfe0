"""The bench: one batch being worked. Holds where the operator is; everything else comes from the workflows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.batches.model import Document, Page, State
from keybundle.core.fields.values import Origin
from keybundle.core.reading.text import PageText, Word
from keybundle.core.workflows import bench, filing, rescan, separating, slip
from keybundle.core.workflows.capture import Captured, scan_options
from keybundle.desktop.presenters.bench_state import BenchState, PageShown, SlipRow, StripDocument, StripPage
from keybundle.desktop.presenters.bench_wording import make_plates, make_slip, make_strip, say_balance, say_reading
from keybundle.desktop.presenters.session import Session
from keybundle.desktop.presenters.texts import count

REFRESH_MS = 120


class BenchPresenter(QObject):
    """State and verbs of the bench."""

    changed = Signal(object)
    page_changed = Signal(object)
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
        self.shown: PageShown | None = None
        self._data: bench.BenchData | None = None
        self._strip: tuple[tuple[StripPage, ...], tuple[StripDocument, ...]] = ((), ())
        self._text: PageText | None = None
        self._page: str | None = None
        self._field: str | None = None
        self._selected: set[str] = set()
        self._in_hand: set[str] = set()
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
        ready = sum(d.state is State.READY for d in batch.documents.values())
        known = {p.id for p in batch.pages}
        self._selected &= known
        self._in_hand &= known
        reading, stop_reading = say_reading(batch, stopped=self.batch_id in self._s.line.stopped)
        balance, balance_told = say_balance(data.balance)
        self.state = BenchState(
            batch=self.batch_id, title=f"{batch.routine}: {batch.origin}",
            pages=self._strip[0], documents=self._strip[1], page=self._page,
            document=document.id if document else None, selected=frozenset(self._selected),
            in_hand=frozenset(self._in_hand),
            slip=make_slip(data, document, self._s.workspace.setup) if document else None,
            balance=balance, balance_told=balance_told, undo=data.undo or "", redo=data.redo or "",
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
        row = self._row_named(name)
        if row is not None and row.place is not None and row.place[0] != self._page:
            self._page = row.place[0]
            self._publish()
            self._show_page()
        else:
            self._emit_page()

    def _row_named(self, name: str | None) -> SlipRow | None:
        rows = self.state.slip.rows if self.state.slip else ()
        return next((r for r in rows if r.name == name), None)

    def _page_now(self) -> Page | None:
        if self._data is None or self._page is None:
            return None
        return next((p for p in self._data.batch.pages if p.id == self._page), None)

    def _show_page(self) -> None:
        page = self._page_now()
        if page is None or page.facts is None:
            return
        ws, pool = self._s.workspace, self._s.pool
        self._s.line.look_at([page.id])

        def load() -> tuple[str, str, PageText | None]:
            text = bench.page_text(ws, page.id)
            path = bench.preview(ws, pool, page.id, page.picture, page.frame)
            return page.id, str(path), text

        self._s.runner.query(load, self._page_loaded, key=f"page {self.batch_id}")

    def _page_loaded(self, found: tuple[str, str, PageText | None]) -> None:
        page = self._page_now()
        if page is None or page.id != found[0]:
            return
        self._text = found[2] if found[2] is not None and found[2].frame == page.frame else None
        width, height = page.frame.upright_size
        told = page.trouble or ("" if self._text else self._wait_told() if page.kept else f"Left out: {page.reason}")
        self.shown = PageShown(page.id, found[1], width, height, self._text.words if self._text else (), told=told)
        self._emit_page()

    def _wait_told(self) -> str:
        return "Reading is stopped; Ctrl+R reads on" if self.batch_id in self._s.line.stopped else "Being read"

    def _emit_page(self) -> None:
        if self.shown is None:
            return
        row = self._row_named(self._field)
        frame = row.place[1] if row is not None and row.place is not None and row.place[0] == self.shown.page else None
        self.shown = replace(self.shown, frame=frame)
        self.page_changed.emit(self.shown)

    # -- verbs ---------------------------------------------------------------------------------------------------

    def _change(self, work: Callable[[], Changes], after: Callable[[], None] | None = None) -> None:
        def done(changes: Changes) -> None:
            self._after = after
            self._s.bus.tell(changes)
            self._timer.stop()
            self.refresh()

        self._s.runner.change(work, done, on_error=self.failed.emit)

    def act_on_page(self, name: str) -> None:
        """Run a strip command on the selected pages, else on the current one."""
        if self._page is None:
            return
        s, chosen = self._s, self.chosen_pages()
        label, command = bench.page_command(name, chosen, s.workspace.clock.new_id)
        self._change(lambda: bench.run_command(s.workspace, s.line, self.batch_id, s.who, label, command))

    def cut(self) -> None:
        """Take the chosen pages in hand, to be pasted elsewhere; they stay where they are until then."""
        self._in_hand = set(self.chosen_pages())
        self._selected.clear()
        self.said.emit(
            f"{count(len(self._in_hand), 'page')} in hand; paste before a page with Ctrl+V, after it with Ctrl+Shift+V"
        )
        self._publish()

    def paste(self, *, after: bool = False) -> None:
        """Put the pages in hand before the current page, or after it."""
        if not self._in_hand:
            self.failed.emit("No pages are in hand; choose some and cut them with Ctrl+X.")
        elif self._page is not None:
            self.move_pages(sorted(self._in_hand), self._page, after=after)
            self._in_hand = set()

    def move_pages(self, page_ids: list[str], target: str, *, after: bool = False) -> None:
        """Put pages before a page, or after it, and into its document."""
        s = self._s
        command = bench.move_command(page_ids, target, after=after)
        self._selected.clear()
        self._change(lambda: bench.run_command(s.workspace, s.line, self.batch_id, s.who, "move pages", command))

    def separate_again(self) -> None:
        """Cut the batch by its routine's present rules; what people did to it stays."""
        s = self._s
        self.said.emit("Separating again...")

        def done(found: separating.Separated) -> None:
            s.bus.tell(found.changes)
            self.conflicts_found.emit(found.conflicts)
            self.refresh()

        work = lambda: separating.separate_batch_again(s.workspace, s.line, s.pool, self.batch_id, s.who)  # noqa: E731
        s.runner.long(work, done, on_error=self.failed.emit)

    def scan_in(self, *, replaces: bool) -> None:
        """Scan to the place after the current page, or one page in its stead (from the glass where there is one)."""
        s, target = self._s, self._page
        routine = s.workspace.setup.routine(self._data.batch.routine) if self._data else None
        scanner = s.devices.scanner_for(routine)
        if routine is None or scanner is None or target is None:
            self.failed.emit("There is no scanner to scan from. Plug one in and look for scanners on the work list.")
            return
        options = scan_options(routine)
        if replaces:
            options = replace(options, source="glass", duplex=False)
        self.said.emit("Scanning...")
        s.runner.long(
            lambda: rescan.scan_at(s.workspace, s.line, scanner, self.batch_id, target, s.who, replaces=replaces,
                                   options=options),
            self._scanned_in, on_error=self.failed.emit,
        )  # fmt: skip

    def _scanned_in(self, found: Captured) -> None:
        if found.halt:
            self.failed.emit(found.halt)
        else:
            self.said.emit(f"{count(found.sides, 'side')} scanned in")
        self.refresh()

    def close_batch(self) -> None:
        """Close the batch; what is still open is named and stays."""
        s = self._s
        s.runner.change(
            lambda: s.workspace.batches.close(self.batch_id), lambda _: self.closed.emit(), on_error=self.failed.emit
        )

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
        self._change(lambda: bench.undo(s.workspace, s.line, self.batch_id, s.who))

    def redo(self) -> None:
        """Do again what was undone."""
        s = self._s
        self._change(lambda: bench.redo(s.workspace, s.line, self.batch_id, s.who))

    def confirm(self, name: str, text: str) -> None:
        """Take a field's text as it stands, then go to the next unsure value."""
        row, document, s = self._row_named(name), self.state.document, self._s
        if row is None or document is None or (self.state.slip and self.state.slip.is_filed):
            return
        after = lambda: self._go_to_next_unsure(name)  # noqa: E731
        if text.strip() != row.text:
            self._change(
                lambda: slip.enter_value(s.workspace, s.line, self.batch_id, document, name, text, s.who), after
            )
        elif row.unsure and row.text:
            self._change(lambda: slip.confirm_value(s.workspace, s.line, self.batch_id, document, name, s.who), after)
        else:
            self._go_to_next_unsure(name)

    def enter(self, name: str, text: str) -> None:
        """Take a field's text without going anywhere."""
        row, document, s = self._row_named(name), self.state.document, self._s
        if row is not None and document is not None and text.strip() != row.text:
            self._change(lambda: slip.enter_value(s.workspace, s.line, self.batch_id, document, name, text, s.who))

    def lift(self, name: str, words: list[Word]) -> None:
        """Take a field's value from words on the page."""
        document, page, text, s = self.state.document, self._page, self._text, self._s
        if document is None or not words:
            return
        said = " ".join(w.text for w in words)
        self._change(
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
            self._change(lambda: slip.choose_type(s.workspace, s.line, self.batch_id, document, type_name, s.who))

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
            self._change(lambda: slip.bring_back(s.workspace, s.line, self.batch_id, document, s.who))
        else:
            self._change(lambda: slip.set_aside(s.workspace, s.line, self.batch_id, document, reason, s.who))

    def file_current(self) -> None:
        """File the current document and go to the next one to check."""
        slip_now = self.state.slip
        if slip_now is None:
            return
        if not slip_now.can_file:
            self.failed.emit(slip_now.why_not or "This document is filed already.")
            self._go_to_next_unsure(None)
            return
        self._file([slip_now.document])
        self._go_on_after(slip_now.document)

    def _go_on_after(self, document_id: str) -> None:
        order = [d.id for d in self.state.documents]
        states = {d.id: d.state for d in self.state.documents}
        here = order.index(document_id)
        rest = [*order[here + 1 :], *order[:here]]
        for wanted in (State.TO_CHECK.value, State.READY.value):
            found = next((d for d in rest if states[d] == wanted), None)
            if found is not None:
                self.go_to_document(found)
                self.go_to_unsure() if wanted == State.TO_CHECK.value else self.focus_requested.emit("")
                return

    def file_all(self) -> None:
        """File every ready document."""
        self._file(None)

    def _file(self, documents: list[str] | None) -> None:
        s = self._s
        self.said.emit("Filing...")

        def done(result: filing.Filed) -> None:
            s.bus.tell(result.changes())
            if documents is None:
                left = f", {count(len(result.left), 'document')} left" if result.left else ""
                self.said.emit(f"{count(len(result.entries), 'document')} filed{left}")
            else:
                self.said.emit(f"Filed: {result.entries[0].caption}" if result.entries else result.left[0][1])
            if result.record is not None and documents is None:
                self.record_made.emit(result.record)
            self.refresh()

        work: Any = lambda: filing.file_documents(s.workspace, s.pool, self.batch_id, s.who, documents)  # noqa: E731
        s.runner.long(work, done, on_error=self.failed.emit)

    def take_back_filed(self) -> None:
        """Take the current document back from the repository."""
        document, s = self.state.document, self._s
        if document is not None:
            self._change(lambda: filing.take_back(s.workspace, self.batch_id, document, s.who))
