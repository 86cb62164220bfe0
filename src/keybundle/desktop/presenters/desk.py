"""The desk of a batch: what is loaded of it, where the operator is in it, what is being typed, and the way to change it.

Everything else of the bench builds on this; it builds on none of that.
"""

from __future__ import annotations

import secrets
from collections import deque
from collections.abc import Callable, Iterable
from contextlib import AbstractContextManager
from dataclasses import replace

from PySide6.QtCore import QObject, QTimer, Signal

from keybundle.core.base.boxes import Box
from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import AppError
from keybundle.core.base.ids import BatchId, DocumentId, PageId
from keybundle.core.batches.model import Batch, Document, State
from keybundle.core.batches.seen import seen
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import name_of
from keybundle.core.workflows.arrange import bench
from keybundle.core.workflows.index import page_texts, slip, tags
from keybundle.core.workflows.session.typed import bench_of
from keybundle.desktop.actions.registry import MAY_LOOK
from keybundle.desktop.presenters.bench_state import (
    BenchState,
    SlipRow,
    SlipState,
    SlipTable,
    StripDocument,
    StripPage,
)
from keybundle.desktop.presenters.bench_wording import (
    make_plates,
    make_slip,
    make_strip,
    make_table,
    say_balance,
    say_reading,
    with_drafts,
)
from keybundle.desktop.presenters.doing import Doing
from keybundle.desktop.presenters.drafts import TAGS, WORDS, Draft
from keybundle.desktop.presenters.page_pictures import PagePictures
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr, worded

REFRESH_MS = 120
MOST_REFUSED = 200

Strip = tuple[tuple[StripPage, ...], tuple[StripDocument, ...]]
Loaded = tuple[bench.BenchData, Strip, SlipTable | None]


class Desk(QObject):
    """One batch being worked: its state, and moving about in it."""

    changed = Signal(object)
    focus_requested = Signal(str)
    said = Signal(str)
    failed = Signal(str)
    record_made = Signal(str)
    conflicts_found = Signal(object)
    not_taken_found = Signal(list)
    closed = Signal()
    typed_left = Signal(object)

    def __init__(self, seat: Seat, batch_id: BatchId, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.batch_id = batch_id
        self.lane, self.place = f"batch {batch_id}", bench_of(batch_id)
        self.state = BenchState(batch=batch_id)
        self.pictures = PagePictures(seat, self)
        self.drafts = seat.typed.own(self.place, self._save_draft, self)
        self._window = secrets.token_hex(4)  # two windows of one person have not seen each other's changes
        self._refused: deque[Draft] = deque(maxlen=MOST_REFUSED)
        self.doing = Doing(seat.runner, self)
        self._data: bench.BenchData | None = None
        self._strip: Strip = ((), ())
        self._slip: SlipState | None = None
        self._page: str | None = None
        self._field: str | None = None
        self._table, self._shows_table = SlipTable(), False
        self._selected: set[str] = set()
        self._under_way, self._is_asking = 0, False
        self._anchor: str | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(REFRESH_MS)
        self._timer.timeout.connect(self.refresh)
        self.drafts.changed.connect(self._publish)
        self.doing.changed.connect(self._publish)
        seat.bus.changed.connect(self._on_changes)

    # -- loading -----------------------------------------------------------------------------------------------

    def _on_changes(self, changes: Changes) -> None:
        if (changes.setup or self.batch_id in changes.batches) and not self._timer.isActive():
            self._timer.start()

    def refresh(self) -> None:
        """Ask for the batch again."""
        ws, batch_id, shows_table = self._s.workspace, self.batch_id, self._shows_table

        def load() -> Loaded:
            with self.seen_at(self.revision):  # what undo would take back here
                data = bench.load_bench(self._s.session, batch_id)
            strip = make_strip(data.batch, ws.place.cache), make_plates(data, ws.setup)
            return data, strip, make_table(data, ws.setup) if shows_table else None

        def failed(told: str) -> None:
            self._is_asking = False
            self.failed.emit(told)

        self._is_asking = True
        self._s.runner.query(load, self._loaded, key="bench", owner=self, on_error=failed)

    def end(self) -> None:
        """Hear and show nothing more; the batch is closed or the bench was let go."""
        self.flush()
        s = self._s
        s.typed.leave(self.place)
        s.runner.change(
            lambda: bench.forget_window(s.session, self.batch_id, self._window),
            lane=self.lane,
            on_error=lambda told: None,
        )
        self._timer.stop()
        self._s.bus.changed.disconnect(self._on_changes)
        self.pictures.end()

    def _loaded(self, found: Loaded) -> None:
        self._is_asking = False
        was_open = self._data is not None and self._data.batch.closed_at is None
        data, strip, table = found
        self._data = data
        if was_open and data.batch.closed_at is not None:
            if left := [d for d in self.drafts.all() if not (d.is_kept or d.confirms)]:
                plates = {d.id: d.caption for d in self._strip[1]}
                self.typed_left.emit([(plates.get(d.subject, ""), d.text) for d in left])
            self.closed.emit()
            return
        self.drafts.loaded()
        self._strip = strip
        if table is not None:
            self._table = table
        pages = data.batch.pages
        if self._page is None or all(p.id != self._page for p in pages):
            first = next((d for d in data.batch.in_order() if d.state is State.TO_CHECK), None)
            start = data.batch.pages_of(first.id)[0] if first else next((p for p in pages if p.kept), None)
            self._page = start.id if start else (pages[0].id if pages else None)
        self._publish()
        self._show_page()

    def _publish(self) -> None:
        if self._data is None:
            return
        data, batch = self._data, self._data.batch
        document, setup = self.current_document(), self._s.workspace.setup
        ready = sum(d.state is State.READY and not d.claim for d in batch.documents.values())
        known = {p.id for p in batch.pages}
        self._selected &= known
        reading, stop_reading = say_reading(batch, stopped=self.batch_id in self._s.line.stopped)
        balance, balance_told = say_balance(data.balance, batch.came)
        may_work = self.may_work
        types = slip.list_types(self._s.session, batch.routine)
        self._slip = make_slip(data, document, setup, self._s.workspace.calibration(), types) if document else None
        if self._slip is not None and not may_work:
            self._slip = replace(self._slip, is_locked=True, can_file=False, why_not=self._slip.why_not or tr(MAY_LOOK))
        self.state = BenchState(
            batch=self.batch_id, title=f"{name_of(setup.routines, batch.routine)}: {batch.origin}",
            pages=self._strip[0], documents=self._strip[1], page=self._page,
            document=document.id if document else None, selected=frozenset(self._selected),
            in_hand=frozenset(self._s.hand.pages) & known, slip=with_drafts(self._slip, self.drafts.find),
            balance=balance, balance_told=balance_told, undo=worded(data.undo or ""), redo=worded(data.redo or ""),
            table=self._table,
            can_file_all=ready > 0 and self.may(Right.FILE), may_work=may_work,
            file_all=tr("File all ready ({ready})", ready=ready) if ready else tr("File all ready"),
            reading=reading, stop_reading=stop_reading, doing=self.doing.told,
        )  # fmt: skip
        self.changed.emit(self.state)

    def current_document(self) -> Document | None:
        """Return the document of the current page."""
        if self._data is None or self._page is None:
            return None
        page = next((p for p in self._data.batch.pages if p.id == self._page), None)
        return self._data.batch.documents.get(page.document_id or "") if page is not None else None

    # -- what is being typed -----------------------------------------------------------------------------------

    def typed(self, subject: str, name: str, text: str) -> None:
        """Take what stands in a field, tag line or page text after a key: it is this subject's from now on."""
        if (
            name not in (TAGS, WORDS)
            and self.drafts.find(subject, name) is None
            and text == self._stored(subject, name)
        ):
            return
        self.drafts.put(subject, name, text, seen=self.revision)
        self.state = replace(self.state, slip=with_drafts(self._slip, self.drafts.find))

    def _stored(self, document: str, name: str) -> str | None:
        if self._slip is None or self._slip.document != document:
            return None
        return next((r.text for r in self._slip.rows if r.name == name), None)

    def leave(self, subject: str, name: str) -> None:
        """Keep what was typed there: the operator goes on."""
        self.drafts.keep(subject, name)

    def flush(self) -> None:
        """Keep all that is being typed, before what follows."""
        self.drafts.flush()

    def _save_draft(self, draft: Draft, kept: Callable[[], None], refused: Callable[[str], None]) -> None:
        s = self._s
        args = s.session, s.line, self.batch_id
        document, page = DocumentId(draft.subject), PageId(draft.subject)  # which of them it is says its name
        work: Callable[[], Changes]
        if draft.name == TAGS:
            work = lambda: tags.set_tags(*args, document, draft.text)  # noqa: E731
        elif draft.name == WORDS:
            self.pictures.forget(draft.subject)
            work = lambda: page_texts.type_words(*args, page, draft.text)  # noqa: E731
        elif draft.confirms:
            work = lambda: slip.confirm_value(*args, document, draft.name)  # noqa: E731
        else:
            work = lambda: slip.enter_value(*args, document, draft.name, draft.text)  # noqa: E731

        def keep() -> Changes:
            try:
                return work()
            except AppError:
                self._refused.append(draft)  # before what comes next in the lane is asked for
                raise

        def not_kept(told: str) -> None:
            refused(told)
            self.failed.emit(told)

        self._run(keep, kept, not_kept, draft.seen)

    # -- changing ----------------------------------------------------------------------------------------------

    def change(
        self, work: Callable[[], Changes], then: Callable[[], None] | None = None,
        on_error: Callable[[str], None] = lambda told: None,
    ) -> None:  # fmt: skip
        """Change the batch, after all that was asked for before, and after what is being typed is kept."""

        def refused(told: str) -> None:
            on_error(told)
            self.failed.emit(told)

        self.flush()
        self._run(work, then, refused, self.revision)

    def _run(
        self,
        work: Callable[[], Changes],
        then: Callable[[], None] | None,
        on_error: Callable[[str], None],
        seen_at: int,
    ) -> None:
        """Change the batch for somebody who saw it at a revision: what others did to the same since stands."""

        def as_seen() -> Changes:
            with self.seen_at(seen_at):
                return work()

        def done(changes: Changes) -> None:
            self._under_way -= 1
            if then is not None:
                then()
            self._s.bus.tell(changes)
            self._timer.stop()
            self.refresh()

        def refused(told: str) -> None:
            self._under_way -= 1
            on_error(told)

        self._under_way += 1
        self._s.runner.change(as_seen, done, lane=self.lane, owner=self, on_error=refused)

    def seen_at(self, revision: int) -> AbstractContextManager[None]:
        """Let commands act for somebody who saw the batch at a revision, in this window."""
        return seen(self.batch_id, revision, self._window)

    def list_unkept(self) -> frozenset[str]:
        """Return the documents for which something is typed that was refused. Asked in the batch's lane too."""
        found = ((d, self.drafts.find(d.subject, d.name)) for d in tuple(self._refused))
        return frozenset(d.subject for d, now in found if now is not None and now.text == d.text and not now.is_kept)

    @property
    def is_settled(self) -> bool:
        """Whether what is shown is all that was done: nothing is under way, being typed or about to be asked again."""
        return not (self._under_way or self._is_asking or self._timer.isActive() or self.drafts.is_saving)

    # -- where the operator is ---------------------------------------------------------------------------------

    def go_to_page(self, page_id: str) -> None:
        """Show a page and its document's slip; nothing stays selected."""
        if self._data is None or all(p.id != page_id for p in self._data.batch.pages):
            self.failed.emit(tr("That page is no longer in this batch."))
            return
        self.flush()
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
        self.flush()
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

    def select_all(self, pages: Iterable[str]) -> None:
        """Let just these pages be selected."""
        self._selected = set(pages)
        self._publish()

    def show_table(self, shows: bool) -> None:
        """Keep the table of slips up to date from now on, or no longer."""
        self._shows_table = shows
        if shows and self._data is not None:
            self._table = make_table(self._data, self._s.workspace.setup)
            self._publish()

    @property
    def batch(self) -> Batch | None:
        """The batch as loaded last."""
        return self._data.batch if self._data else None

    def may(self, right: Right) -> bool:
        """Whether who is at work here has a right."""
        return self._s.may(right)

    @property
    def may_work(self) -> bool:
        """Whether who is at work here may change what stands on this bench."""
        return self._s.may(Right.INDEX)

    @property
    def revision(self) -> int:
        """The revision of the batch as loaded last."""
        return self._data.batch.revision if self._data else 0

    @property
    def page_id(self) -> str | None:
        """The current page."""
        return self._page

    def chosen_pages(self) -> list[str]:
        """Return what commands act on: the selected pages in order, else the current one."""
        return [p.id for p in self.state.pages if p.id in self._selected or (not self._selected and p.id == self._page)]

    def focus_field(self, name: str) -> None:
        """Frame the place that a field's value came from, turning to its page."""
        self._field = name
        row = self.row_named(name)
        own = {p.id for p in self.state.pages if p.document == self.state.document}
        if row is not None and row.place is not None and row.place[0] != self._page and row.place[0] in own:
            self._page = row.place[0]
            self._publish()
            self._show_page()
        else:
            self.pictures.frame(_place_on(self.row_named(self._field), self._page))

    def row_named(self, name: str | None) -> SlipRow | None:
        """Return a row of the slip."""
        rows = self.state.slip.rows if self.state.slip else ()
        return next((r for r in rows if r.name == name), None)

    def _show_page(self) -> None:
        data = self._data
        page = next((p for p in data.batch.pages if p.id == self._page), None) if data is not None else None
        if page is None or data is None:
            return
        if page.facts is None:
            self.pictures.show_nothing(page, worded(page.trouble) or tr("Not looked at yet; its picture comes then."))
            return
        self._s.line.look_at([page.id])
        ids = [p.id for p in data.batch.pages]
        here = ids.index(page.id)
        near = [p for p in data.batch.pages[max(0, here - 1) : here + 3] if p.facts is not None and p.id != page.id]
        waits = tr("Reading is stopped; Ctrl+R reads on") if self.batch_id in self._s.line.stopped else tr("Being read")
        told = waits if page.kept else tr("Left out: {reason}", reason=page.reason)
        self.pictures.show_page(page, told, _place_on(self.row_named(self._field), page.id), near)


def _place_on(row: SlipRow | None, page_id: str | None) -> Box | None:
    """Return the place on a page that a field's value came from."""
    return row.place[1] if row is not None and row.place is not None and row.place[0] == page_id else None
