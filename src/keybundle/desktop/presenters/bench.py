"""The bench: one batch being worked. Composes its desk with the verbs on values, pages and filing."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.ids import BatchId, DocumentId
from keybundle.core.fields.values import Origin
from keybundle.core.reading.text import Word
from keybundle.core.workflows.arrange import bench
from keybundle.core.workflows.file.closing import close_batch
from keybundle.core.workflows.index import slip
from keybundle.desktop.presenters.asking import Asked, ValueHelp, ask
from keybundle.desktop.presenters.bench_filing import BenchFiling
from keybundle.desktop.presenters.bench_going import BenchGoing
from keybundle.desktop.presenters.bench_pages import BenchPages
from keybundle.desktop.presenters.bench_slips import BenchSlips
from keybundle.desktop.presenters.bench_state import SlipTable
from keybundle.desktop.presenters.bench_wording import join_words_by_line, order_table
from keybundle.desktop.presenters.desk import Desk
from keybundle.desktop.presenters.remembered import Remembered
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import mark, tr

GONE = mark("The page that was pointed at is no longer in front, so nothing was taken. Point again.")


class BenchPresenter(Desk):
    """State and verbs of the bench."""

    completed = Signal(str, str, str, object)

    def __init__(self, seat: Seat, batch_id: BatchId, parent: QObject | None = None) -> None:
        super().__init__(seat, batch_id, parent)
        self.going = BenchGoing(self)
        self.pages = BenchPages(self, seat)
        self.filing = BenchFiling(self, seat, self.going)
        self.slips = BenchSlips(self, seat)
        self.help = ValueHelp(seat, self)

    # -- the batch -----------------------------------------------------------------------------------------------

    def close_batch(self) -> None:
        """Close the batch; what is still open is named and stays."""
        s = self._s
        self.flush()
        s.runner.change(
            lambda: close_batch(s.session, self.batch_id), lambda _: self.refresh(), lane=self.lane,
            owner=self, on_error=self.failed.emit,
        )  # fmt: skip

    def toggle_reading(self) -> None:
        """Stop the reading of the batch, or read on where it was stopped."""
        if self.state.stop_reading:
            s = self._s
            s.runner.change(
                lambda: bench.toggle_reading(s.session, s.line, self.batch_id), lane=self.lane, owner=self,
                on_error=self.failed.emit,
            )  # fmt: skip

    def undo(self) -> None:
        """Take back the last step."""
        s = self._s
        self.change(lambda: bench.undo(s.session, s.line, self.batch_id))

    def redo(self) -> None:
        """Do again what was undone."""
        s = self._s
        self.change(lambda: bench.redo(s.session, s.line, self.batch_id))

    # -- values --------------------------------------------------------------------------------------------------

    def confirm(self, document: str, name: str, text: str) -> None:
        """Take a field's text as it stands, and go to the next unsure value at once; it is kept behind."""
        self.take(document, name, text)
        if document == self.state.document:
            self.going.go_to_next_unsure(name)

    def take(self, document: str, name: str, text: str) -> None:
        """Take a field's text without going anywhere; what is right already is confirmed."""
        row = self.row_named(name) if document == self.state.document else None
        stored = self._stored(document, name)
        if text.strip() != (stored if stored is not None else ""):
            self.drafts.put(document, name, text, seen=self.revision)
        elif row is not None and row.unsure and row.text:
            self.drafts.put(document, name, text, seen=self.revision, confirms=True)
        else:
            self.drafts.drop(document, name)
        self.drafts.keep(document, name)
        self._publish()

    def lift(self, document: str, name: str, page: str, words: list[Word]) -> None:
        """Take a field's value from words on the page that was shown when they were pointed at."""
        shown, text, s = self.pictures.shown, self.pictures.text, self._s
        if not words:
            return
        if document != self.state.document or shown is None or shown.page != page or page != self.page_id:
            self.failed.emit(tr(GONE))
            return
        spec = self.slips.spec_of(name)
        said = join_words_by_line(words) if spec is not None and spec.several else " ".join(w.text for w in words)
        self.drafts.drop(document, name)
        self.change(
            lambda: slip.enter_value(
                s.session, s.line, self.batch_id, DocumentId(document), name, said, origin=Origin.LIFTED, page=page,
                words=words, page_text=text,
            )
        )  # fmt: skip
        self.focus_requested.emit(name)

    def choose_type(self, document: str, type_name: str) -> None:
        """Give a document a type."""
        s = self._s
        shown = self.state.slip
        if shown is not None and document == shown.document and type_name == shown.type:
            self.confirm_type(document)
        elif shown is not None:
            self.change(lambda: slip.choose_type(s.session, s.line, self.batch_id, DocumentId(document), type_name))

    def confirm_type(self, document: str) -> None:
        """Confirm the type that was proposed for a document and is unsure."""
        s, shown = self._s, self.state.slip
        if shown is not None and shown.document == document and shown.type_unsure:
            self.change(lambda: slip.confirm_type(s.session, s.line, self.batch_id, DocumentId(document)))

    def take_other_type(self) -> None:
        """Give the document the type that would be next; the one that it had can be taken back by the same key."""
        shown = self.state.slip
        if shown is not None and shown.type_rival and not shown.is_locked:
            self.choose_type(shown.document, shown.type_rival)

    def complete(self, document: str, name: str, typed: str) -> None:
        """Ask for a field's type-ahead list."""
        kind = self.state.slip.type_id if self.state.slip else ""
        asked = ask(self._s.workspace.setup.document_type(kind), name)
        if asked is not None:
            self.help.complete(asked, typed, lambda found: self.completed.emit(document, name, typed, found))

    def asked(self, document: str, field: str) -> Asked | None:
        """Return what an editor must know of a field of a document."""
        found = self._data.batch.documents.get(document) if self._data is not None else None
        return ask(self._s.workspace.setup.document_type(found.type), field) if found is not None else None

    def order_table(self, table: SlipTable, head: str, *, descending: bool) -> SlipTable:
        """Return the rows of the table of slips in the order of a column; empty: as the documents stand in the batch."""
        return order_table(table, head, self._s.workspace.setup.locale, descending=descending)

    @property
    def remembered(self) -> Remembered:
        """What is remembered of how the bench was left."""
        return self._s.remembered

    @property
    def aside_reasons(self) -> tuple[str, ...]:
        """The reasons that are offered for setting aside."""
        return self._s.workspace.setup.aside_reasons

    def set_aside(
        self, document: str, reason: str, done: Callable[[], None] | None = None,
        refused: Callable[[str], None] = lambda told: None,
    ) -> None:  # fmt: skip
        """Set a document aside, or bring it back where it is aside."""
        s, parked = self._s, self.state.slip is not None and self.state.slip.parked
        if document == self.state.document and parked:
            self.change(lambda: slip.bring_back(s.session, s.line, self.batch_id, DocumentId(document)))
        else:
            work = lambda: slip.set_aside(s.session, s.line, self.batch_id, DocumentId(document), reason)  # noqa: E731
            self.change(work, done, refused)
