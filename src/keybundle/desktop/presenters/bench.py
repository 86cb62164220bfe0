"""The bench: one batch being worked. Holds where the operator is; everything else comes from the workflows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from keybundle.core.base.boxes import Box, upright_box
from keybundle.core.base.changes import Changes
from keybundle.core.batches.model import Batch, Document, Page, State
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.reading.text import PageText, Word
from keybundle.core.setup.model import FieldSpec
from keybundle.core.workflows import bench, filing, slip
from keybundle.core.workflows.preview_files import preview_path
from keybundle.desktop.presenters.session import Session
from keybundle.desktop.presenters.texts import count

REFRESH_MS = 120
UNSURE_WORD = 0.7


@dataclass(frozen=True)
class StripPage:
    """A page in the strip; ``hint`` is what its tip says."""

    id: str
    number: int
    kept: bool
    reason: str
    document: str | None
    starts: bool
    break_reason: str
    thumbnail: str
    is_read: bool
    attention: bool
    hint: str


@dataclass(frozen=True)
class StripDocument:
    """A document's nameplate."""

    id: str
    type: str
    caption: str
    state: str
    pages: int


@dataclass(frozen=True)
class SlipRow:
    """A field on the slip; ``place`` is the page and the box (upright px) its value came from."""

    name: str
    text: str
    origin: str
    unsure: bool
    is_required: bool
    problem: str
    place: tuple[str, Box] | None
    alternatives: tuple[str, ...]


@dataclass(frozen=True)
class SlipState:
    """The slip of the current document."""

    document: str
    type: str
    types: tuple[str, ...]
    state: str
    rows: tuple[SlipRow, ...]
    path: tuple[tuple[str, str], ...]
    why_not: str
    can_file: bool
    is_filed: bool
    parked: str


@dataclass(frozen=True)
class BenchState:
    """All that the bench shows."""

    batch: str = ""
    title: str = ""
    pages: tuple[StripPage, ...] = ()
    documents: tuple[StripDocument, ...] = ()
    page: str | None = None
    document: str | None = None
    slip: SlipState | None = None
    balance: str = ""
    balance_told: str = ""
    undo: str = ""
    redo: str = ""
    can_file_all: bool = False
    file_all: str = "File all ready"
    reading: str = ""
    stop_reading: str = ""


@dataclass(frozen=True)
class PageShown:
    """The page in the large view: its picture, its size in upright px, its words, what is framed or marked."""

    page: str
    picture: str
    width: int
    height: int
    words: tuple[Word, ...]
    frame: Box | None = None
    marks: tuple[Box, ...] = ()
    told: str = ""


class BenchPresenter(QObject):
    """State and verbs of the bench."""

    changed = Signal(object)
    page_changed = Signal(object)
    focus_requested = Signal(str)
    said = Signal(str)
    failed = Signal(str)
    completed = Signal(str, object)
    record_made = Signal(str)

    def __init__(self, session: Session, batch_id: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = session
        self.batch_id = batch_id
        self.state = BenchState(batch=batch_id)
        self.shown: PageShown | None = None
        self._data: bench.BenchData | None = None
        self._text: PageText | None = None
        self._page: str | None = None
        self._field: str | None = None
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
        self.state = BenchState(
            self.batch_id, f"{batch.routine}: {batch.origin}", tuple(self._strip(batch)),
            tuple(self._plate(d, batch) for d in batch.in_order()), self._page, document.id if document else None,
            self._slip(document) if document else None, *self._balance(), data.undo or "", data.redo or "", ready > 0,
            f"File all ready ({ready})" if ready else "File all ready", *self._reading(batch),
        )  # fmt: skip
        self.changed.emit(self.state)

    def _balance(self) -> tuple[str, str]:
        assert self._data is not None
        b = self._data.balance
        short = f"{b.captured} captured\n{b.kept} kept, {b.left_out} left out\n{b.filed} filed, {b.waiting} waiting"
        if b.set_aside:
            short += f"\n{b.set_aside} set aside"
        if b.unplaced:
            short += f"\n{b.unplaced} being separated"
        told = (
            f"Every side is accounted for: {b.captured} captured = {b.kept} kept + {b.left_out} left out"
            f"{f' + {b.unplaced} being separated' if b.unplaced else ''}; "
            f"{b.kept} kept = {b.filed} filed + {b.set_aside} set aside + {b.waiting} waiting."
        )
        return short, told if b.is_even else f"The page balance is not even: {b}."

    def _reading(self, batch: Batch) -> tuple[str, str]:
        """Return how far the reading is, and the words of the button that stops it or goes on; empty when done."""
        kept = [p for p in batch.pages if p.kept]
        read = sum(p.is_read for p in kept)
        if read == len(kept):
            return "", ""
        if self.batch_id in self._s.line.stopped:
            return f"Reading stopped: {read} of {len(kept)} pages read", "Read on"
        return f"{read} of {len(kept)} pages read", "Stop reading"

    def _strip(self, batch: Batch) -> list[StripPage]:
        firsts = {pages[0].id for pages in batch.pages_by_document().values()}
        cache = self._s.workspace.place.cache
        found = []
        for number, p in enumerate(batch.pages, 1):
            rotation = p.frame.rotation if p.facts else 0
            hint = f"Side {number}: sheet {p.sheet}, {p.side}, from {p.source}"
            if p.reason:
                hint += f". Left out: {p.reason}"
            if p.note or p.trouble:
                hint += f". {p.note or p.trouble}"
            break_reason = batch.documents[p.document_id].break_reason if p.document_id and p.id in firsts else ""
            found.append(
                StripPage(
                    p.id, number, p.disposition != "left out", p.reason or "", p.document_id, p.id in firsts,
                    break_reason, str(preview_path(cache, p.id, rotation, "thumbnail")), p.is_read,
                    bool(p.note or p.trouble), hint,
                )
            )  # fmt: skip
        return found

    def _plate(self, document: Document, batch: Batch) -> StripDocument:
        assert self._data is not None
        facts = self._data.facts[document.id]
        pages = len(batch.pages_of(document.id))
        return StripDocument(document.id, document.type or "Type unknown", facts.caption, document.state.value, pages)

    def _document(self) -> Document | None:
        if self._data is None or self._page is None:
            return None
        page = self._data.batch.page(self._page)
        return self._data.batch.documents.get(page.document_id or "")

    def _slip(self, document: Document) -> SlipState:
        assert self._data is not None
        facts = self._data.facts[document.id]
        setup = self._s.workspace.setup
        kind = setup.document_type(document.type)
        rows = tuple(self._row(f, document.values.get(f.name)) for f in kind.fields) if kind else ()
        return SlipState(
            document.id, document.type or "", tuple(t.name for t in setup.document_types), document.state.value, rows,
            tuple(zip(facts.levels, facts.path, strict=True)), facts.why_not, document.state is State.READY,
            document.filed_id is not None, document.parked or "",
        )  # fmt: skip

    def _row(self, spec: FieldSpec, value: FieldValue | None) -> SlipRow:
        if value is None:
            problem = f"{spec.name} is missing." if spec.required else ""
            return SlipRow(spec.name, "", "", spec.required, spec.required, problem, None, ())
        place = None
        if value.page and value.box and self._data is not None:
            page = next((p for p in self._data.batch.pages if p.id == value.page and p.facts), None)
            place = (page.id, upright_box(page.frame, value.box)) if page else None
        problem = value.problem
        if not problem and not value.sure:
            is_default = value.origin is Origin.DEFAULT
            read = f"Read with {value.confidence:.0%} confidence; compare it with the page."
            problem = "Only the default; confirm it or change it." if is_default else read
        return SlipRow(
            spec.name, value.text, value.origin.value, not value.sure, spec.required, problem, place, value.alternatives
        )

    # -- where the operator is ---------------------------------------------------------------------------------

    def go_to_page(self, page_id: str) -> None:
        """Show a page and its document's slip."""
        if page_id != self._page:
            self._page = page_id
            self._field = None
            self._publish()
            self._show_page()

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
            path = bench.preview(ws, pool, page.id, page.file_sha, page.source_index, page.is_pdf, page.frame)
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
        """Run a single-key command on the current page."""
        if self._page is None:
            return
        s = self._s
        label, command = bench.page_command(name, self._page, s.workspace.clock.new_id())
        self._change(lambda: bench.run_command(s.workspace, s.line, self.batch_id, s.who, label, command))

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
