"""A filed document being looked at: its pages one at a time, the words of a query on them, its values and its story."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import replace

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from keybundle.core.base.boxes import Box
from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import AppError
from keybundle.core.base.ids import FiledId
from keybundle.core.base.records import dataclass
from keybundle.core.reading.text import PageText
from keybundle.core.repository.model import FiledDocument
from keybundle.core.rights.model import Right
from keybundle.core.search.query import Query
from keybundle.core.setup.model import called
from keybundle.core.workflows.arrange import bench
from keybundle.core.workflows.keep.documents import browsing, received
from keybundle.core.workflows.keep.documents.story import load_story
from keybundle.core.workflows.keep.trash import deleting
from keybundle.core.workflows.keep.trash.deleting import Deleted
from keybundle.desktop.presenters.asking import Asked, ask_named
from keybundle.desktop.presenters.bench_state import PageShown
from keybundle.desktop.presenters.cabinet_changes import CabinetChanges, Standing, standing_of
from keybundle.desktop.presenters.own_program import open_outside
from keybundle.desktop.presenters.picture_cache import Fetched, Key
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.sharp import Sharp, load_sharp, with_sharp
from keybundle.desktop.presenters.story_wording import StoryLine, word_story
from keybundle.desktop.presenters.viewer_values import ValueLine, list_lines
from keybundle.desktop.words import tr, trn

SOON = 12  # so many pages are searched before the first one is shown; what is longer is searched behind it
AHEAD = (1, -1, 2)


@dataclass(frozen=True)
class ViewerState:
    """All that the viewer shows besides the page itself; ``marks`` says where the words of a query stand.

    ``gone`` says what became of a document that is no longer there.
    """

    document: str = ""
    caption: str = ""
    place: str = ""
    pages: int = 0
    position: int = 0
    values: tuple[ValueLine, ...] = ()
    tags: tuple[str, ...] = ()
    story: tuple[StoryLine, ...] = ()
    marks: str = ""
    has_marks: bool = False
    gone: str = ""
    can_bring_back: bool = False


@dataclass(frozen=True)
class _Opened:
    document: FiledDocument
    marks: tuple[tuple[int, Box], ...] | None
    story: tuple[StoryLine, ...]
    position: int = 0
    first: Fetched | None = None


class ViewerPresenter(QObject):
    """State and verbs of one viewer. Pages lie in the seat's cache; the neighbours are fetched ahead.

    ``beside_list`` says that a list shows what is there: a document that is gone is told by its row, and by no message.
    """

    changed = Signal(object)
    page_changed = Signal(object)
    thumbnail_made = Signal(int, str)
    said = Signal(str)
    failed = Signal(str)

    def __init__(self, seat: Seat, parent: QObject | None = None, *, beside_list: bool = False) -> None:
        super().__init__(parent)
        self._s, self._beside_list = seat, beside_list
        self.state = ViewerState()
        self.shown: PageShown | None = None
        self.text: PageText | None = None
        self.document: FiledDocument | None = None
        self._query = Query()
        self._marks: tuple[tuple[int, Box], ...] = ()
        self._mark = -1
        self._has_moved = False
        self._thumbnails: dict[int, str] = {}
        self._asked, self._missing = "", ""
        self.changes = CabinetChanges(seat, self)
        self.changes.said.connect(self.said)
        self.changes.failed.connect(self.failed)
        self.changes.changed.connect(self._show_typed)
        seat.bus.changed.connect(self._on_changes)

    def _on_changes(self, changes: Changes) -> None:
        if changes.repository:
            self.refresh()

    def open_received(self) -> None:
        """Open the file that the page in front came with in its own program."""
        seat, document, position = self._s, self.state.document, self.state.position
        if document:
            open_outside(
                seat, lambda: received.copy_filed(seat.session, FiledId(document), position), self, self.failed.emit
            )

    # -- the document ----------------------------------------------------------------------------------------------

    def show_document(self, document_id: str, query: Query | None = None, position: int = 0) -> None:
        """Show a document: its first page that answers the query, else the one at ``position``."""
        asked, seat = query or Query(), self._s
        self._asked = document_id

        def load() -> _Opened:
            document = browsing.load_document(seat.session, FiledId(document_id))
            is_short = len(document.pages) <= SOON
            marks = browsing.list_marks(document, asked) if is_short else None
            here = marks[0][0] if marks else max(0, min(position, len(document.pages) - 1))
            # In one go with its page: another way through the threads would cost as much as the page itself.
            first = None
            with contextlib.suppress(AppError):  # what is wrong with the page is told in its place
                first = self._read(document, here) if document.pages else None
            return _Opened(document, marks, self._load_story(document_id), here, first)

        def done(found: _Opened) -> None:
            self._opened(found, asked)

        seat.runner.query(load, done, key="filed document", owner=self, on_error=self._gone)

    def _load_story(self, document_id: str) -> tuple[StoryLine, ...]:
        return word_story(load_story(self._s.session, FiledId(document_id)), self._s.say_time)

    def _opened(self, found: _Opened, query: Query) -> None:
        self._missing = ""
        self.document, self._query = found.document, query
        self._thumbnails, self._marks, self._mark, self._has_moved = {}, (), -1, False
        self.state = replace(
            _describe(found, list_lines(self._s, self.changes, found.document)), position=found.position
        )
        if found.first is not None:
            self._s.pictures.keep(self._key(found.position), found.first)
        if found.marks is None:
            self._find_marks()
        else:
            self._take_marks(found.marks)
        self._show()

    def _gone(self, told: str) -> None:
        gone, is_known = self._asked, self._asked == self._missing
        self.clear()
        if self._beside_list:
            return
        self._missing, s = gone, self._s
        if not is_known:
            self.failed.emit(told)

        def done(found: Deleted | None) -> None:
            if self._missing != gone:
                return
            text = told if found is None else tr(
                "“{caption}” lies in the trash: deleted by {who}, {at}: {why}", caption=found.caption, who=found.who,
                at=s.say_time(found.at), why=found.why,
            )  # fmt: skip
            self.state = ViewerState(gone=text, can_bring_back=found is not None and s.may(Right.DELETE))
            self.changed.emit(self.state)

        s.runner.query(lambda: deleting.find_deleted(s.session, FiledId(gone)), done, key="became of it", owner=self)

    def bring_back(self) -> None:
        """Bring the document back out of the trash; it is shown again."""
        s, gone = self._s, FiledId(self._missing)
        if gone:
            s.runner.change(
                lambda: deleting.restore_documents(s.session, [gone]), s.bus.tell, owner=self, on_error=self.failed.emit
            )

    def clear(self) -> None:
        """Show no document any more."""
        self.document, self.shown, self.text = None, None, None
        self.state = ViewerState()
        self.changed.emit(self.state)
        self.page_changed.emit(None)

    def refresh(self) -> None:
        """Show what happened to the document meanwhile."""
        if self.document is not None:
            self._reload(self.document.id)
        elif self._missing:
            self.show_document(self._missing)

    def _reload(self, document_id: str) -> None:
        """Show what changed of the document that is shown, at the page where it stands."""
        seat = self._s

        def load() -> _Opened:
            return _Opened(
                browsing.load_document(seat.session, FiledId(document_id)), None, self._load_story(document_id)
            )

        def done(found: _Opened) -> None:
            if self.document is not None and self.document.id == document_id:
                before, self.document = self.state, found.document
                fresh = _describe(found, list_lines(self._s, self.changes, found.document))
                position = min(before.position, max(0, fresh.pages - 1))
                self.state = replace(fresh, position=position, marks=before.marks, has_marks=before.has_marks)
                self.changed.emit(self.state)

        seat.runner.query(load, done, key="filed document again", owner=self, on_error=self._gone)

    def asked(self, name: str) -> Asked | None:
        """Return what an editor must know of a field of the document, by name."""
        kinds = self._s.workspace.setup.document_types
        return ask_named(called(kinds, self.document.type), name) if self.document is not None else None

    def standing(self, field: str) -> Standing | None:
        """Return what stands in a field of the document now."""
        return standing_of(self.document, field) if self.document is not None else None

    def correct(self, document: str, field: str, text: str, seen: Standing) -> None:
        """Correct a value of a document, typed over what was seen there; it is kept at once."""
        self.changes.edit({document: seen}, field, text)
        if self.changes.find(document, field) is not None:
            self.changes.keep([(document, field)])

    def keep(self) -> None:
        """Keep what was typed for this document and could not be kept."""
        self.changes.keep(self.changes.keys_of(self.state.document))

    def let_go(self) -> None:
        """Let go of what was typed for this document and could not be kept."""
        self.changes.discard(self.changes.keys_of(self.state.document))

    def _show_typed(self) -> None:
        """Show what is typed and not kept, and what is in its way."""
        if self.document is not None:
            self.state = replace(self.state, values=list_lines(self._s, self.changes, self.document))
            self.changed.emit(self.state)

    # -- its pages ---------------------------------------------------------------------------------------------------

    def step(self, offset: int) -> None:
        """Turn to another page, so many on or back."""
        self.go_to(self.state.position + offset)

    def go_to(self, position: int) -> None:
        """Turn to a page by its place, from 0; beyond the ends to the last or the first one."""
        if self.document is None or not self.document.pages:
            return
        self._has_moved = True
        bounded = max(0, min(len(self.document.pages) - 1, position))
        if bounded != self.state.position:
            self._mark = -1
            self._turn_to(bounded)

    def _turn_to(self, position: int) -> None:
        self.state = replace(self.state, position=position)
        self._show()

    def _show(self) -> None:
        self.changed.emit(self.state)
        if self.document is None or not self.document.pages:
            self.page_changed.emit(None)
            return
        here = self.state.position
        kept = self._s.pictures.find(self._key(here))
        if kept is not None:
            self._show_page(here, kept)
        else:
            self._fetch(here, then_show=True)
        for offset in AHEAD:
            other = here + offset
            if 0 <= other < len(self.document.pages) and self._s.pictures.find(self._key(other)) is None:
                self._fetch(other, then_show=False)

    def _key(self, position: int) -> Key:
        document = self.document
        assert document is not None
        page = document.pages[position]
        return page.page_id, page.frame.rotation, page.text_id, "filed", None

    def _fetch(self, position: int, *, then_show: bool) -> None:
        document, key, s = self.document, self._key(position), self._s
        assert document is not None
        page = document.pages[position]

        def done(found: Fetched) -> None:
            s.pictures.keep(key, found)
            if then_show and self.document is document and self.state.position == position:
                self._show_page(position, found)

        def failed(told: str) -> None:
            if then_show and self.document is document and self.state.position == position:
                self.shown, self.text = PageShown(page.page_id, "", 1, 1, (), told=told), None
                self.page_changed.emit(self.shown)

        name = "page" if then_show else f"ahead {position % 4}"
        s.runner.query(
            lambda: self._read(document, position), done, key=name, owner=self, on_error=failed,
            kind="page" if then_show else "pages ahead",
        )  # fmt: skip

    def _read(self, document: FiledDocument, position: int) -> Fetched:
        """Read a page with its picture, made where it is missing. Called off the interface thread."""
        s, page = self._s, document.pages[position]
        path = str(bench.filed_preview(s.session, s.pool, page))
        return Fetched(path, QImage(path), PageText.from_bytes(page.text))

    def _show_page(self, position: int, found: Fetched) -> None:
        assert self.document is not None
        width, height = self.document.pages[position].frame.upright_size
        own = [box for at, box in self._marks if at == position]
        frame = self._marks[self._mark][1] if self._mark >= 0 and self._marks[self._mark][0] == position else None
        self.text = found.text
        words = found.text.words if found.text else ()
        before, is_same = self.shown, self.shown is not None and self.shown.picture == found.path
        sharp = is_same and before is not None and before.is_full
        image = before.image if sharp and before is not None else found.image
        tiles = before.tiles if sharp and before is not None else None
        self.shown = PageShown(
            self.document.pages[position].page_id,
            found.path,
            width,
            height,
            words,
            frame,
            tuple(own),
            "",
            image,
            sharp,
            tiles,
        )
        self.page_changed.emit(self.shown)

    def sharpen(self) -> None:
        """Fetch the shown page in full resolution."""
        document, position, s = self.document, self.state.position, self._s
        if document is None or self.shown is None or self.shown.is_full or not self.shown.picture:
            return
        page, shown = document.pages[position], self.shown

        def done(found: Sharp) -> None:
            if self.shown is not None and self.shown.picture == shown.picture:
                self.shown = with_sharp(self.shown, found)
                self.page_changed.emit(self.shown)

        s.runner.query(
            lambda: load_sharp(bench.filed_sharp(s.session, s.pool, page)), done, key="full",
            owner=self, kind="page",
        )  # fmt: skip

    def thumbnail(self, position: int) -> str:
        """Return the small picture of a page; empty until it is made, which ``thumbnail_made`` tells."""
        if position in self._thumbnails or self.document is None:
            return self._thumbnails.get(position, "")
        self._thumbnails[position] = ""
        document, s = self.document, self._s
        page = document.pages[position]

        def done(path: str) -> None:
            if self.document is document:
                self._thumbnails[position] = path
                self.thumbnail_made.emit(position, path)

        s.runner.query(
            lambda: str(bench.filed_preview(s.session, s.pool, page, "thumbnail")), done,
            owner=self, kind="pages ahead", on_error=lambda told: None,
        )  # fmt: skip
        return ""

    # -- the words of a query ------------------------------------------------------------------------------------------

    def _find_marks(self) -> None:
        document, query = self.document, self._query
        if document is None or not (query.words or query.phrases):
            return

        def done(found: Sequence[tuple[int, Box]]) -> None:
            if self.document is document:
                self._take_marks(tuple(found))
                self._show()

        self._s.runner.query(lambda: browsing.list_marks(document, query), done, key="marks", owner=self)

    def _take_marks(self, marks: tuple[tuple[int, Box], ...]) -> None:
        self._marks = marks
        pages = {at for at, _ in marks}
        told = (
            tr(
                "{places} on {pages}",
                places=trn("{n:,} place", "{n:,} places", len(marks)),
                pages=trn("{n:,} page", "{n:,} pages", len(pages)),
            )
            if marks
            else ""
        )
        position = marks[0][0] if marks and not self._has_moved else self.state.position
        self.state = replace(self.state, marks=told, has_marks=bool(marks), position=position)

    def next_mark(self, offset: int) -> None:
        """Go to the next or the previous place that answers the query, on whichever page, round the end."""
        if not self._marks:
            return
        here = self.state.position
        if self._mark < 0:
            after = [i for i, (at, _) in enumerate(self._marks) if at >= here]
            before = [i for i, (at, _) in enumerate(self._marks) if at <= here]
            self._mark = (after[0] if after else 0) if offset > 0 else (before[-1] if before else len(self._marks) - 1)
        else:
            self._mark = (self._mark + offset) % len(self._marks)
        self._has_moved = True
        told = tr(
            "{mark} of {places}", mark=self._mark + 1, places=trn("{n:,} place", "{n:,} places", len(self._marks))
        )
        self.state = replace(self.state, position=self._marks[self._mark][0], marks=told)
        self._show()


def _describe(found: _Opened, values: tuple[ValueLine, ...]) -> ViewerState:
    d = found.document
    place = " / ".join((d.cabinet, *(value for _, value in d.folder)))
    return ViewerState(d.id, d.caption, place, len(d.pages), 0, values, d.tags, found.story)
