"""The cabinets place: path columns, the documents below, a preview."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.base.ids import FiledId
from keybundle.core.base.records import dataclass
from keybundle.core.repository.model import FiledDocument
from keybundle.core.rights.model import Right
from keybundle.core.workflows.index import tags
from keybundle.core.workflows.keep.documents import browsing
from keybundle.core.workflows.keep.documents.browsing import Browsed, CabinetRow, Column, Page, Sorted
from keybundle.core.workflows.session.access import Spot
from keybundle.desktop.presenters.cabinet_changes import CabinetChanges
from keybundle.desktop.presenters.remembered import Remembered
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.viewer import ViewerPresenter
from keybundle.desktop.words import number, tr, trn


@dataclass(frozen=True)
class ColumnState:
    """A path column ready to show: its field by id and name, (value, count) pairs, the choice, the filter typed into it."""

    field: str
    label: str
    entries: tuple[tuple[str, int], ...]
    chosen: str | None
    typed: str
    told: str
    tags: tuple[tuple[str, tuple[str, ...]], ...] = ()
    gives: tuple[tuple[str, tuple[str, ...]], ...] = ()


@dataclass(frozen=True)
class CabinetsState:
    """All that the cabinets place shows; cabinets are (id, name, number of documents in words).

    ``documents`` are those loaded so far of the ``total`` below the choices.
    """

    cabinets: tuple[tuple[str, str, str], ...] = ()
    cabinet: str = ""
    columns: tuple[ColumnState, ...] = ()
    fields: tuple[str, ...] = ()
    documents: tuple[str, ...] = ()
    total: int = 0
    conditions: str = ""
    is_flat: bool = False
    chosen: tuple[str, ...] = ()
    tags: tuple[str, ...] = ()
    sort: tuple[str, bool] = ("", False)


class CabinetsPresenter(QObject):
    """State and verbs of the cabinets place."""

    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._wanted = ""
        self._s = seat
        self.state = CabinetsState()
        self.pages = ViewerPresenter(seat, self, beside_list=True)
        self.pages.failed.connect(self.failed)
        self._chosen: dict[str, str] = {}
        self._typed: dict[str, str] = {}
        self._order: list[str] = []
        self._rows: list[CabinetRow] = []
        self._after: int | None = None
        self._narrowed: dict[str, str] = {}
        self.changes = CabinetChanges(seat, self)
        self.changes.said.connect(self.said)
        self.changes.failed.connect(self.failed)
        self.changes.gone.connect(self._let_go)
        self.changes.was_put_back.connect(lambda: self.choose_documents(self.state.chosen))
        self.changes.tags_kept.connect(lambda: self.choose_documents(self.state.chosen))
        self.changes.changed.connect(lambda: self.changed.emit(self.state))
        seat.bus.changed.connect(self._on_changes)

    def may(self, right: Right) -> bool:
        """Whether who is at work here has a right."""
        return self._s.may(right)

    @property
    def may_work(self) -> bool:
        """Whether who is at work here may change anything."""
        return self._s.may_work

    def _on_changes(self, changes: Changes) -> None:
        if changes.repository or changes.setup:
            self.refresh()

    def refresh(self) -> None:
        """Ask for the cabinets and the open one's columns again."""
        self._s.runner.query(lambda: browsing.list_cabinets(self._s.session), self._listed, key="cabinets", owner=self)

    def _listed(self, rows: list[CabinetRow]) -> None:
        self._rows = rows
        told = tuple((r.id, r.name, trn("{n:,} document", "{n:,} documents", r.documents)) for r in rows)
        self.state = replace(self.state, cabinets=told)
        if not self.state.cabinet and rows:
            wanted = self._wanted or str(self._s.remembered.get("cabinet"))
            self.open(next((r.id for r in rows if r.id == wanted), rows[0].id))
        else:
            self._load()

    def show_cabinet(self, cabinet: str) -> None:
        """Open a cabinet, once it is known which there are."""
        self._wanted = cabinet
        if any(r.id == cabinet for r in self._rows):
            self.open(cabinet)

    def open(self, cabinet: str) -> None:
        """Open a cabinet with its columns in their own order."""
        row = next(r for r in self._rows if r.id == cabinet)
        self._s.remembered.put("cabinet", cabinet)
        self._chosen, self._typed, self._order = {}, {}, [f.id for f in row.levels]
        self.state = replace(self.state, cabinet=cabinet, is_flat=False, sort=("", False),
                             fields=tuple(browsing.document_fields(self._s.session, cabinet)))  # fmt: skip
        self._load()

    def choose(self, field: str, value: str | None) -> None:
        """Choose a value in a column; None takes the choice away."""
        self._chosen.pop(field, None)
        if value is not None:
            self._chosen[field] = value
        self._load()

    def type_into(self, field: str, text: str) -> None:
        """Filter a column by what its values hold."""
        self._typed[field] = text
        self._load()

    def swap(self) -> None:
        """Put the first column last."""
        if self._order:
            self._order = [*self._order[1:], self._order[0]]
            self._load()

    def toggle_flat(self) -> None:
        """Close all columns, or open them again."""
        self.state = replace(self.state, is_flat=not self.state.is_flat)
        self._load()

    def clear(self) -> None:
        """Take all choices and filters away."""
        self._chosen, self._typed = {}, {}
        self._load()

    def _load(self) -> None:
        cabinet = self.state.cabinet
        order = [] if self.state.is_flat else list(self._order)
        chosen = {} if self.state.is_flat else dict(self._chosen)
        typed = dict(self._typed)
        self._s.runner.query(
            lambda: browsing.load_columns(self._s.session, cabinet, order, chosen, typed),
            self._loaded,
            key="columns",
            owner=self,
        )

    def _loaded(self, found: Browsed) -> None:
        columns, documents = found.columns, found.documents
        self._after, self._narrowed = found.after, {c.field: c.chosen for c in columns if c.chosen is not None}
        total = next((r.documents for r in self._rows if r.id == self.state.cabinet), 0)
        said = ", ".join(tr("{label} is {chosen}", label=c.label, chosen=c.chosen) for c in columns if c.chosen)
        conditions = tr(
            "{n:,} of {documents} shown", n=found.total, documents=trn("{n:,} document", "{n:,} documents", total)
        ) + (f": {said}" if said else "")
        is_sorted = bool(self.state.sort[0])
        self.state = replace(
            self.state, columns=tuple(_column(self._typed, c) for c in columns), conditions=conditions,
            documents=self.state.documents if is_sorted else documents,
            total=self.state.total if is_sorted else found.total,
        )  # fmt: skip
        self.changed.emit(self.state)
        if is_sorted:
            self._sort(self.state.cabinet, dict(self._narrowed))

    def sort(self, by: str, *, descending: bool) -> None:
        """List the documents by what they have in a column (``caption``, ``type``, ``tag``, ``field NAME``; empty: newest)."""
        self.state = replace(self.state, sort=(by, descending))
        self._load()

    def _sort(self, cabinet: str, narrowed: dict[str, str]) -> None:
        """Put the list in the order that was asked for; what is in sight stays until it is there."""
        by, descending = self.state.sort
        self._after = None

        def done(found: Sorted) -> None:
            if (cabinet, narrowed, (by, descending)) != (self.state.cabinet, self._narrowed, self.state.sort):
                return
            self.state = replace(self.state, documents=found.ids, total=len(found.ids))
            if found.is_cut:
                self.said.emit(
                    tr("Only the newest {n:,} are sorted; choose values above to have fewer.", n=len(found.ids))
                )
            self.changed.emit(self.state)

        self._s.runner.query(
            lambda: browsing.load_sorted(self._s.session, cabinet, narrowed, by, descending=descending), done, key="sorted",
            owner=self, on_error=self.failed.emit,
        )  # fmt: skip

    def load_more(self) -> None:
        """Ask for the documents that follow the last ones shown."""
        cabinet, narrowed, after = self.state.cabinet, dict(self._narrowed), self._after
        if after is None:
            return
        self._after = None  # asked for once

        def done(found: Page) -> None:
            if (cabinet, narrowed) == (self.state.cabinet, self._narrowed):
                self._after = found.after
                self.state = replace(self.state, documents=(*self.state.documents, *found.ids))
                self.changed.emit(self.state)

        self._s.runner.query(
            lambda: browsing.load_more(self._s.session, cabinet, narrowed, after),
            done,
            key="more documents",
            owner=self,
        )

    def load_all(self, then: Callable[[], None]) -> None:
        """Have all documents of the list that is shown, not its first ones alone: all of them are meant."""
        cabinet, narrowed = self.state.cabinet, dict(self._narrowed)
        if len(self.state.documents) >= self.state.total or self.state.sort[0]:
            then()
            return

        def done(ids: tuple[str, ...]) -> None:
            if (cabinet, narrowed) != (self.state.cabinet, self._narrowed):
                return
            if len(ids) < self.state.total:
                self.said.emit(tr("Only the newest {n:,} can be chosen at once.", n=len(ids)))
            self._after = None
            self.state = replace(self.state, documents=ids, total=len(ids))
            self.changed.emit(self.state)
            then()

        self._s.runner.query(
            lambda: browsing.list_all(self._s.session, cabinet, narrowed), done, key="more documents", owner=self,
            on_error=self.failed.emit,
        )  # fmt: skip

    def _let_go(self, ids: list[str]) -> None:
        """Show nothing any more of what was deleted here."""
        if self.pages.document is not None and self.pages.document.id in ids:
            self.pages.clear()

    def choose_documents(self, ids: tuple[str, ...]) -> None:
        """Take other documents of the table, and show the tags that all of them have."""
        if ids == self.state.chosen == ():
            return
        if ids != self.state.chosen:
            self.state = replace(self.state, chosen=ids, tags=())
            self.changed.emit(self.state)

        def done(found: tuple[str, ...]) -> None:
            if ids == self.state.chosen:
                self.state = replace(self.state, tags=found)
                self.changed.emit(self.state)

        self._s.runner.query(
            lambda: tags.common_tags(self._s.session, [FiledId(i) for i in ids]),
            done,
            key="tags",
            owner=self,
            on_error=self.failed.emit,
        )

    def type_tags(self, ids: tuple[str, ...], before: tuple[str, ...], text: str) -> None:
        """Take what stands in the line of tags after a key, for these documents, which all had some before."""
        told = trn("{n:,} document", "{n:,} documents", len(ids))
        self.changes.tags.type(ids, before, text, told)

    @property
    def remembered(self) -> Remembered:
        """What is remembered of how this place was left."""
        return self._s.remembered

    @property
    def tag_colours(self) -> Mapping[str, str]:
        """The colours of tags."""
        return self._s.workspace.setup.tag_colours

    @property
    def delete_reasons(self) -> tuple[str, ...]:
        """The reasons that are offered for deleting."""
        return self._s.workspace.setup.delete_reasons

    @property
    def undo_told(self) -> str:
        """What ``undo`` would put back, in words; empty where nothing was changed here."""
        return self.changes.undo_told

    def undo(self) -> None:
        """Take back what was typed last here, else what was kept last; what others have changed since stays."""
        self.changes.undo()

    def editable(self) -> Mapping[str, frozenset[str]]:
        """Return the fields that can be corrected, by the name of their type; none for who may not."""
        if not self.may(Right.CORRECT):
            return {}
        kinds = self._s.workspace.setup.document_types
        return {k.name: frozenset(f.name for f in k.fields) for k in kinds if k.cabinet == self.state.cabinet}

    def values_at(self, field: str = "", value: str = "") -> dict[str, str]:
        """Return what a stack brought in here takes over: the chosen values, and the one pointed at."""
        chosen = {**self._chosen, **({field: value} if field and value else {})}
        return browsing.values_given(self._s.session, self.state.cabinet, chosen)

    def spot(self, document: str = "") -> Spot:
        """Return what is chosen: a document, else the folder that the chosen values lead to, else the cabinet."""
        if document:
            return Spot(document=document)
        row = next((r for r in self._rows if r.id == self.state.cabinet), None)
        levels = [f.id for f in row.levels] if row is not None else []
        path: list[str] = []
        for level in levels:
            if level not in self._chosen:
                break
            path.append(self._chosen[level])
        return Spot(self.state.cabinet, tuple(path))

    def load_rows(self, ids: list[str], came: Callable[[Mapping[str, FiledDocument]], None]) -> None:
        """Read documents for the table; asked by its model for the rows in sight."""
        self.changes.load_rows(ids, came)


def _column(typed_in: Mapping[str, str], column: Column) -> ColumnState:
    typed = typed_in.get(column.field, "")
    entries = tuple((e.value, e.count) for e in column.entries)
    told = tr("the first {n:,}", n=len(entries)) if column.is_more else number(len(entries))
    return ColumnState(column.field, column.label, entries, column.chosen, typed, told, column.tags, column.gives)
