"""What helps with slips on the bench: today, starters, folders by hand, tags, registers, many slips at once, areas."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from itertools import combinations

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.boxes import Box
from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import AppError
from keybundle.core.base.ids import BatchId, DocumentId, PageId
from keybundle.core.base.records import dataclass
from keybundle.core.batches.model import Batch
from keybundle.core.fields.values import Origin
from keybundle.core.reading.languages import list_languages
from keybundle.core.reading.text import PageText
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import FieldSpec, name_of
from keybundle.core.workflows.arrange import bench
from keybundle.core.workflows.index import history, page_texts, slip, slip_help
from keybundle.core.workflows.index.page_texts import PoorPage
from keybundle.core.workflows.index.slip_help import Starter
from keybundle.core.workflows.prepare.registers import proposals
from keybundle.desktop.presenters.asking import Asked, ask
from keybundle.desktop.presenters.desk import Desk
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import say_language, tr, trn, worded

__all__ = ["BenchSlips", "FoldersShown", "PoorPage", "RegisterShown", "Starter"]
SHOWN_ENTRIES = 200
PAIRED_LANGUAGES = 4


@dataclass(frozen=True)
class RegisterShown:
    """Entries of a register (its id, its name) for its look-up window; ``column`` is the one whose value the field takes."""

    register: str
    name: str
    columns: tuple[str, ...]
    column: str
    entries: tuple[dict[str, str], ...]
    can_add: bool
    can_propose: bool = False

    @property
    def told(self) -> str:
        """How many entries stand there."""
        found = len(self.entries)
        return (
            tr("The first {found}; type words to narrow", found=found)
            if found >= SHOWN_ENTRIES
            else trn("{n:,} entry", "{n:,} entries", found)
        )


@dataclass(frozen=True)
class FoldersShown:
    """Folders to choose from: the ones used last, and those that hold what was typed."""

    cabinet: str
    levels: tuple[str, ...]
    recent: tuple[tuple[str, ...], ...]
    found: tuple[tuple[str, ...], ...]


Done = Callable[[], None]
Refused = Callable[[str], None]
NOTHING: Done = lambda: None  # noqa: E731
NOBODY: Refused = lambda told: None  # noqa: E731


class BenchSlips(QObject):
    """Verbs on the current document's slip, and on many slips."""

    register_found = Signal(str, str, object)
    starters_found = Signal(object)
    folders_found = Signal(object)
    changes_found = Signal(object)

    def __init__(self, at: Desk, seat: Seat) -> None:
        super().__init__(at)
        self._at = at
        self._s = seat

    def _run(self, document: str, work: Callable[[Seat, str, str], Changes]) -> None:
        """Run a change on a document."""
        s, at = self._s, self._at
        at.change(lambda: work(s, at.batch_id, document))

    def spec_of(self, field: str) -> FieldSpec | None:
        """Return what the current document's type says of a field."""
        slip_now = self._at.state.slip
        kind = self._s.workspace.setup.document_type(slip_now.type_id) if slip_now is not None else None
        return kind.field(field) if kind is not None else None

    def today(self, document: str, field: str) -> None:
        """Give a date field today's date."""
        self._at.drafts.drop(document, field)
        self._run(document, lambda s, b, d: slip_help.set_today(s.session, s.line, BatchId(b), DocumentId(d), field))
        self._at.focus_requested.emit(field)

    def take_from_before(self, document: str) -> None:
        """Fill what is empty or only assumed from the document of this type before it."""
        self._run(document, lambda s, b, d: slip_help.take_from_before(s.session, s.line, BatchId(b), DocumentId(d)))

    def list_changes(self) -> None:
        """Ask for the changes of values in this batch, each in words, the newest first."""
        s, at = self._s, self._at

        def load() -> list[str]:
            batch = bench.load_bench(s.session, at.batch_id).batch
            return [_say_change(s, batch, c) for c in history.list_value_changes(s.session, at.batch_id)]

        s.runner.query(load, self.changes_found.emit, key="changes", owner=self, on_error=at.failed.emit)

    def clear_assumed(self, document: str) -> None:
        """Empty what was only carried over, defaulted or prefilled."""
        self._run(document, lambda s, b, d: slip_help.clear_assumed(s.session, s.line, BatchId(b), DocumentId(d)))

    def empty(self, document: str) -> None:
        """Empty the whole slip."""
        self._run(document, lambda s, b, d: slip_help.empty_slip(s.session, s.line, BatchId(b), DocumentId(d)))

    def set_many(self, changes: list[tuple[str, str, str]]) -> None:
        """Set fields of many slips: (document, field, text)."""
        s, at = self._s, self._at
        if changes:
            at.change(lambda: slip_help.set_for_many(s.session, s.line, at.batch_id, changes))

    # -- registers -------------------------------------------------------------------------------------------------

    def look_up(self, document: str, field: str, typed: str = "") -> None:
        """Ask for the entries of the register behind a field."""
        s, spec = self._s, self.spec_of(field)
        if spec is None or not spec.register_name:
            self._at.failed.emit(
                tr("{more} has no register to look into.", more=spec.name if spec is not None else field)
            )
            return

        def load() -> RegisterShown:
            columns, entries = slip_help.search_register(s.session, spec.register_name, typed, SHOWN_ENTRIES)
            column = spec.column or columns[0]
            can_add = s.may(Right.ADD_ENTRIES)
            name = name_of(s.workspace.setup.registers, spec.register_name)
            can_propose = not can_add and s.may(Right.INDEX)
            return RegisterShown(spec.register_name, name, columns, column, tuple(entries), can_add, can_propose)

        s.runner.query(
            load, lambda found: self.register_found.emit(document, field, found), key="register", owner=self,
            on_error=self._at.failed.emit,
        )  # fmt: skip

    def add_entry(self, document: str, field: str, register: str, entry: dict[str, str]) -> None:
        """Add an entry to a register, or propose it, and take it for the field of the document it was looked up for."""
        s, at, spec = self._s, self._at, self.spec_of(field)
        value = entry.get(spec.column if spec is not None else "", "") or next(iter(entry.values()))

        def work() -> Changes:
            if s.may(Right.ADD_ENTRIES):
                slip_help.add_entry(s.session, register, entry)
            else:
                proposals.propose_entry(s.session, register, entry)
            return slip.enter_value(s.session, s.line, at.batch_id, DocumentId(document), field, value)

        at.drafts.drop(document, field)
        at.change(work)

    # -- proposals -------------------------------------------------------------------------------------------------

    def propose_choice(self, field: str, choice: str, done: Done = NOTHING, refused: Refused = NOBODY) -> None:
        """Propose another choice for a field of the document's type, to be taken or not by who prepares."""
        s, kind = self._s, self._at.state.slip.type_id if self._at.state.slip else ""
        self._propose(lambda: proposals.propose_choice(s.session, kind, field, choice), done, refused)

    def propose_type(self, name: str, why: str, done: Done = NOTHING, refused: Refused = NOBODY) -> None:
        """Propose a document type."""
        self._propose(lambda: proposals.propose_type(self._s.session, name, why), done, refused)

    def _propose(self, work: Callable[[], object], done: Done, refused: Refused) -> None:
        told = tr("Proposed; it waits under Prepare until somebody who may says yes.")

        def proposed(_: object) -> None:
            done()
            self._at.said.emit(told)

        def failed(why: str) -> None:
            refused(why)
            self._at.failed.emit(why)

        self._s.runner.change(work, proposed, lane="setup", owner=self, on_error=failed)

    # -- starters and folders --------------------------------------------------------------------------------------

    def list_starters(self) -> None:
        """Ask for the starters of the document's type."""
        s, kind = self._s, self._at.state.slip.type_id if self._at.state.slip else ""
        s.runner.query(
            lambda: slip_help.list_starters(s.session, kind), self.starters_found.emit, key="starters", owner=self
        )

    def start_from(self, document: str, starter: Starter) -> None:
        """Fill a slip from a starter."""
        self._run(document, lambda s, b, d: slip_help.start_from(s.session, s.line, BatchId(b), DocumentId(d), starter))

    def asked_of(self, kind: str) -> list[Asked]:
        """Return what editors must know of the fields of a type."""
        found = self._s.workspace.setup.document_type(kind)
        return [a for f in found.fields if (a := ask(found, f.id)) is not None] if found is not None else []

    def keep_starter(
        self, kind: str, name: str, values: Mapping[str, str], before: str, kept: Callable[[], None]
    ) -> None:
        """Keep values as a starter of a type, in place of the one that was changed; ``kept`` is told once it is."""
        s, at = self._s, self._at

        def done(_: object) -> None:
            kept()
            at.said.emit(tr("Kept as a starter: {name}", name=name))

        s.runner.change(
            lambda: slip_help.keep_starter(s.session, kind, name, values, before=before), done, lane=at.lane, owner=self,
            on_error=at.failed.emit,
        )  # fmt: skip

    def drop_starter(self, kind: str, name: str) -> None:
        """Forget a starter of a type."""
        s = self._s
        s.runner.change(
            lambda: slip_help.drop_starter(s.session, kind, name), lambda _: self.list_starters(), owner=self,
            on_error=self._at.failed.emit,
        )  # fmt: skip

    def list_folders(self, typed: str = "") -> None:
        """Ask for folders to file the document in."""
        s, slip_now = self._s, self._at.state.slip
        kind = s.workspace.setup.document_type(slip_now.type_id) if slip_now else None
        if kind is None:
            self._at.failed.emit(tr("Choose the document's type first; it says which cabinet it goes to."))
            return
        cabinet = s.workspace.setup.cabinet(kind.cabinet)
        name, levels = (cabinet.name, tuple(f.name for f in cabinet.folder_fields)) if cabinet else (kind.cabinet, ())

        def load() -> FoldersShown:
            recent, found = slip_help.list_folders(s.session, kind.cabinet, typed)
            return FoldersShown(name, levels, recent, found)

        s.runner.query(load, self.folders_found.emit, key="folders", owner=self)

    def choose_folder(self, document: str, path: tuple[str, ...]) -> None:
        """Set the folder fields of a document from a folder."""
        self._run(document, lambda s, b, d: slip_help.choose_folder(s.session, s.line, BatchId(b), DocumentId(d), path))

    # -- text ------------------------------------------------------------------------------------------------------

    def read_area(self, document: str, field: str, page: str, box: Box) -> None:
        """Read a framed area of a page anew and lift what it says into a field of a document."""
        s, at = self._s, self._at
        at.said.emit(tr("Reading the area..."))

        def done(text: PageText) -> None:
            if not text.words:
                at.failed.emit(tr("Nothing could be read there. Frame it more closely, or type the value."))
                return
            said, words = "\n".join(" ".join(w.text for w in row) for row in text.lines()), list(text.words)
            at.drafts.drop(document, field)
            at.change(
                lambda: slip.enter_value(s.session, s.line, at.batch_id, DocumentId(document), field, said,
                                         origin=Origin.LIFTED, page=page, words=words, page_text=text),
            )  # fmt: skip
            if at.state.document == document:
                at.focus_requested.emit(field)

        s.runner.long(
            lambda: page_texts.read_area(s.session, s.pool, at.batch_id, PageId(page), box), done, owner=self,
            on_error=at.failed.emit,
        )  # fmt: skip

    def chosen_pages(self) -> list[str]:
        """Return the pages that are chosen in the strip, else the one in front."""
        return list(self._at.chosen_pages())

    def set_language(self, pages: list[str], language: str) -> None:
        """Read pages in another language."""
        s, at = self._s, self._at
        at.change(lambda: page_texts.set_language(s.session, s.line, at.batch_id, [PageId(i) for i in pages], language))

    def languages(self) -> list[tuple[str, str]]:
        """Return (what to read in, its name): the routine's, each installed language, and pairs of few ones."""
        try:
            known = list_languages()
        except AppError as error:
            self._at.failed.emit(worded(error))
            return []
        pairs = [f"{a}+{b}" for a, b in combinations(known, 2)] if len(known) <= PAIRED_LANGUAGES else []
        return [("", tr("As the routine has it")), *((code, _name_languages(code)) for code in (*known, *pairs))]

    def poor_pages(self) -> list[PoorPage]:
        """Return the pages that read badly or hold no words."""
        return page_texts.poor_pages(self._at.batch) if self._at.batch else []

    def parked(self) -> list[tuple[str, str]]:
        """Return (document, what it is and why) of what is set aside in this batch."""
        batch, plates = self._at.batch, {d.id: d for d in self._at.state.documents}
        if batch is None:
            return []
        return [
            (d, f"{plates[d].type}, {plates[d].caption}: {why}")
            for d, why in slip_help.list_parked(batch)
            if d in plates
        ]


def _name_languages(codes: str) -> str:
    """Return the names of languages, joined where a page is read in several."""
    return tr(" and ").join(say_language(code) for code in codes.split("+"))


def _say_change(seat: Seat, batch: Batch, change: history.ValueChange) -> str:
    order = [d.id for d in batch.in_order()]
    which = (
        tr("document {document}", document=order.index(change.document) + 1)
        if change.document in order
        else tr("a document that is gone")
    )
    undone = tr("   (undone since)") if change.is_undone else ""
    at = seat.say_time(change.at)
    return tr(
        "{at}   {who}   {field} of {which}: {before} → {after}{undone}",
        at=at,
        who=change.who,
        field=change.field,
        which=which,
        before=change.before or "empty",
        after=change.after or "empty",
        undone=undone,
    )
