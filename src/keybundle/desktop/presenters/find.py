"""The find place: one line, what it was understood as, the hits, and the open hit's page."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from datetime import date

from PySide6.QtCore import QObject, QTimer, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.base.records import dataclass
from keybundle.core.repository.model import FiledDocument
from keybundle.core.rights.model import Right
from keybundle.core.search.query import Query
from keybundle.core.workflows.find import find, suggest
from keybundle.core.workflows.find.find import Found, FoundDocument
from keybundle.desktop.presenters.cabinet_changes import CabinetChanges
from keybundle.desktop.presenters.remembered import Remembered
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.viewer import ViewerPresenter
from keybundle.desktop.words import say_day, say_month, tr, trn, worded

MOST_BARS = 12
SHOWN = 60
MOST_HITS = 10_000
AGAIN_MS = 300


@dataclass(frozen=True)
class HitRow:
    """A hit ready to draw; ``snippet`` is (text, is a hit) pieces."""

    id: str
    caption: str
    place: str
    snippet: tuple[tuple[str, bool], ...]
    is_filed: bool
    batch: str


@dataclass(frozen=True)
class TimeBar:
    """How many hits were filed in a time; ``condition`` is what finds them, ``told`` says it in words."""

    label: str
    condition: str
    number: int
    told: str


@dataclass(frozen=True)
class FindState:
    """All that the find place shows."""

    line: str = ""
    said: str = ""
    told: str = ""
    hits: tuple[HitRow, ...] = ()
    types: tuple[tuple[str, int], ...] = ()
    cabinets: tuple[tuple[str, int], ...] = ()
    bars: tuple[TimeBar, ...] = ()
    tags: tuple[tuple[str, int], ...] = ()


class FindPresenter(QObject):
    """State and verbs of the find place."""

    changed = Signal(object)
    names_changed = Signal(object)
    ways_found = Signal(str, object)
    said = Signal(str)
    failed = Signal(str)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.state = FindState()
        self._wanted = ""
        self._loaded, self._has_next = 0, False
        self.pages = ViewerPresenter(seat, self, beside_list=True)
        self.pages.failed.connect(self.failed)
        self.changes = CabinetChanges(seat, self)
        self.changes.said.connect(self.said)
        self.changes.failed.connect(self.failed)
        self.changes.changed.connect(lambda: self.changed.emit(self.state))
        self._again = QTimer(self)
        self._again.setSingleShot(True)
        self._again.setInterval(AGAIN_MS)
        self._again.timeout.connect(self._search_again)
        seat.bus.changed.connect(self._on_changes)

    def may(self, right: Right) -> bool:
        """Whether who is at work here has a right."""
        return self._s.may(right)

    @property
    def remembered(self) -> Remembered:
        """What is remembered of how this place was left."""
        return self._s.remembered

    @property
    def may_work(self) -> bool:
        """Whether who is at work here may change anything."""
        return self._s.may_work

    def _on_changes(self, changes: Changes) -> None:
        if changes.setup:
            self.names_changed.emit(self.field_names())
        if (changes.repository or changes.batches) and self.state.line and not self._again.isActive():
            self._again.start()

    def _search_again(self) -> None:
        """Look again for what is shown: as many hits as were loaded, wherever they stand by now."""
        line, many = self.state.line, max(SHOWN, self._loaded)
        if line and line == self._wanted:
            self._s.runner.query(
                lambda: find.find(self._s.session, line, limit=many), lambda found: self._found(line, found, many),
                key="find", owner=self,
            )  # fmt: skip

    def load_rows(self, ids: list[str], came: Callable[[Mapping[str, FiledDocument]], None]) -> None:
        """Read hits for the table."""
        self.changes.load_rows(ids, came)

    def editable(self) -> Mapping[str, frozenset[str]]:
        """Return the fields that can be corrected, by the name of their type; none for who may not."""
        if not self.may(Right.CORRECT):
            return {}
        return {k.name: frozenset(f.name for f in k.fields) for k in self._s.workspace.setup.document_types}

    def field_heads(self) -> tuple[str, ...]:
        """Return the fields of the types of all hits, by name, those that the query asks for first."""
        kinds = [k for k in self._s.workspace.setup.document_types if k.name in dict(self.state.types)]
        names = dict.fromkeys(f.name for k in kinds for f in k.fields)
        asked = [n for n in names if n.casefold() in self.state.line.casefold()]
        return tuple(dict.fromkeys([*asked, *names]))

    @property
    def tag_colours(self) -> Mapping[str, str]:
        """The colours of tags."""
        return self._s.workspace.setup.tag_colours

    def field_names(self) -> list[str]:
        """Return what can stand before ``=``."""
        return ["type", "cabinet", "filed", "tag", *find.field_names(self._s.session)]

    def search(self, line: str) -> None:
        """Answer a query line; what was asked before it is answered no more."""
        self._wanted = line
        if not line.strip():
            self.state = FindState()
            self.changed.emit(self.state)
            return
        self._s.runner.query(
            lambda: find.find(self._s.session, line, limit=SHOWN), lambda found: self._found(line, found), key="find",
            owner=self,
        )  # fmt: skip

    def load_more(self) -> None:
        """Ask for the hits that follow the last ones shown."""
        line, offset = self.state.line, self._loaded
        if not self._has_next:
            return
        self._has_next = False  # asked for once

        def done(found: Found) -> None:
            if line == self._wanted == self.state.line and offset == self._loaded:
                self._loaded, self._has_next = offset + SHOWN, found.has_next
                self.state = replace(self.state, hits=(*self.state.hits, *map(_hit, found.hits)))
                self.changed.emit(self.state)

        session = self._s.session
        self._s.runner.query(
            lambda: find.find(session, line, limit=SHOWN, offset=offset), done, key="more hits", owner=self
        )

    def ask_ways(self) -> None:
        """Ask what can be looked for, as examples from here; where nothing was found, what would find something."""
        line, session = self.state.line, self._s.session

        def load() -> tuple[tuple[str, int], ...]:
            if line:
                return tuple((way.line, way.total) for way in suggest.list_ways(session, line))
            return tuple((example, 0) for example in suggest.list_examples(session))

        def done(found: tuple[tuple[str, int], ...]) -> None:
            if line == self.state.line:
                self.ways_found.emit(line, found)

        self._s.runner.query(load, done, key="ways", owner=self, on_error=lambda told: None)

    def load_all(self, then: Callable[[], None]) -> None:
        """Have all hits, not the first ones alone: all of them are meant."""
        line = self.state.line
        if not self._has_next or not line:
            then()
            return

        def done(found: Found) -> None:
            if line == self._wanted:
                if found.has_next:
                    self.said.emit(tr("Only the first {n:,} can be chosen at once.", n=len(found.hits)))
                self._found(line, found, MOST_HITS)
                then()

        self._s.runner.query(
            lambda: find.find(self._s.session, line, limit=MOST_HITS), done, key="find", owner=self,
            on_error=self.failed.emit,
        )  # fmt: skip

    def _found(self, line: str, found: Found, many: int = SHOWN) -> None:
        if line != self._wanted:
            return
        self._loaded, self._has_next = many, found.has_next
        waiting = sum(not h.is_filed for h in found.hits)
        if found.is_more:
            told = tr("More than {n:,} documents; ranked and counted are the newest of them", n=found.total)
        else:
            told = trn("{n:,} document", "{n:,} documents", max(found.total, len(found.hits)))
        told += tr(", {waiting} of them not filed yet", waiting=waiting) if waiting else ""
        if found.unread_pages:
            told += tr("; {pages} still to be read", pages=trn("{n:,} page", "{n:,} pages", found.unread_pages))
        self.state = FindState(
            line,
            found.said,
            told,
            tuple(_hit(h) for h in found.hits),
            found.types,
            found.cabinets,
            make_bars(found.months),
            found.tags,
        )
        self.changed.emit(self.state)

    def open(self, document_id: str) -> None:
        """Show a filed hit's page with the words marked."""
        self.pages.show_document(document_id, self.query)

    @property
    def query(self) -> Query:
        """The query that was answered last."""
        return find.understand(self._s.session, self.state.line)


def make_bars(months: Sequence[tuple[str, int]]) -> tuple[TimeBar, ...]:
    """Return bars by month (``2026-11``), by year where there are more months; the earliest years share one bar."""
    if len(months) <= MOST_BARS:
        return tuple(_month_bar(month, number) for month, number in months)
    years: Counter[str] = Counter()
    for month, number in months:
        years[month[:4]] += number
    order = sorted(years)
    early, late = (order[: 1 - MOST_BARS], order[1 - MOST_BARS :]) if len(order) > MOST_BARS else ([], order)
    bars = [
        TimeBar(y, f"filed = {y}", years[y], f"{y}: {trn('{n:,} document', '{n:,} documents', years[y])}") for y in late
    ]
    if early:
        number, first = sum(years[y] for y in early), late[0]
        told = tr(
            "before {first}: {documents}", first=first, documents=trn("{n:,} document", "{n:,} documents", number)
        )
        bars.insert(0, TimeBar("before", f"filed < {first}", number, told))
    return tuple(bars)


def _month_bar(stamp: str, number: int) -> TimeBar:
    year, month = stamp.split("-")
    long, short = say_month(int(month)), say_month(int(month), short=True)
    told = f"{long} {year}: {trn('{n:,} document', '{n:,} documents', number)}"
    return TimeBar(f"{short} {year[2:]}", f"filed = {year}-{month}", number, told)


def _hit(hit: FoundDocument) -> HitRow:
    place = " / ".join((hit.cabinet, *hit.folder))
    if not hit.is_filed:
        day = say_day(date.fromisoformat(hit.begun_on))
        place = (
            tr("Not filed yet: batch {routine} of {day}", routine=hit.routine, day=day)
            if hit.begun_on
            else tr("Not filed yet")
        )
    pieces: list[tuple[str, bool]] = []
    for i, part in enumerate(hit.snippet.split(find.MARK_START)):
        if i == 0:
            pieces.append((part, False))
            continue
        marked, _, rest = part.partition(find.MARK_END)
        pieces += [(marked, True), (rest, False)]
    return HitRow(hit.id, worded(hit.caption), place, tuple(p for p in pieces if p[0]), hit.is_filed, hit.batch or "")
