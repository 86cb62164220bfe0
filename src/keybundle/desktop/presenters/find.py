"""The find place: one line, what it was understood as, the hits, and the open hit's page."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.workflows import find
from keybundle.core.workflows.find import Found, FoundDocument
from keybundle.desktop.presenters.cabinets import DocumentPages
from keybundle.desktop.presenters.session import Session
from keybundle.desktop.presenters.texts import count


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
class FindState:
    """All that the find place shows."""

    line: str = ""
    said: str = ""
    told: str = ""
    hits: tuple[HitRow, ...] = ()
    types: tuple[tuple[str, int], ...] = ()
    cabinets: tuple[tuple[str, int], ...] = ()
    months: tuple[tuple[str, int], ...] = ()
    tags: tuple[tuple[str, int], ...] = ()


class FindPresenter(QObject):
    """State and verbs of the find place."""

    changed = Signal(object)
    names_changed = Signal(object)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = session
        self.state = FindState()
        self.pages = DocumentPages(session, self)
        session.bus.changed.connect(self._on_changes)

    def _on_changes(self, changes: Changes) -> None:
        if changes.setup:
            self.names_changed.emit(self.field_names())

    def field_names(self) -> list[str]:
        """Return what can stand before ``=``."""
        return ["type", "cabinet", "filed", "tag", *find.field_names(self._s.workspace)]

    def search(self, line: str) -> None:
        """Answer a query line."""
        if not line.strip():
            self.state = FindState()
            self.changed.emit(self.state)
            return
        ws = self._s.workspace
        self._s.runner.query(
            lambda: find.find(ws, line), lambda found: self._found(line, found), key="find", owner=self
        )

    def _found(self, line: str, found: Found) -> None:
        waiting = sum(not h.is_filed for h in found.hits)
        first = "The first " if found.is_cut else ""
        told = first + count(len(found.hits), "document") + (f", {waiting} of them not filed yet" if waiting else "")
        if found.unread_pages:
            told += f"; {count(found.unread_pages, 'page')} still to be read"
        self.state = FindState(
            line,
            found.said,
            told,
            tuple(_hit(h) for h in found.hits),
            found.types,
            found.cabinets,
            found.months,
            found.tags,
        )
        self.changed.emit(self.state)

    def open(self, document_id: str) -> None:
        """Show a filed hit's page with the words marked."""
        query = find.understand(self._s.workspace, self.state.line)
        self.pages.show_document(document_id, query)


def _hit(hit: FoundDocument) -> HitRow:
    place = " / ".join((hit.cabinet, *hit.folder)) if hit.is_filed else "Not filed yet, on the bench"
    pieces: list[tuple[str, bool]] = []
    for i, part in enumerate(hit.snippet.split(find.MARK_START)):
        if i == 0:
            pieces.append((part, False))
            continue
        marked, _, rest = part.partition(find.MARK_END)
        pieces += [(marked, True), (rest, False)]
    return HitRow(hit.id, hit.caption, place, tuple(p for p in pieces if p[0]), hit.is_filed, hit.batch or "")
