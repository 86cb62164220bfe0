"""All that the bench shows, as frozen data."""

from __future__ import annotations

from PySide6.QtGui import QImage

from keybundle.core.base.boxes import Box
from keybundle.core.base.records import dataclass
from keybundle.core.imaging.tiles import Tiles
from keybundle.core.reading.text import Word
from keybundle.desktop.presenters.asking import Asked

UNSURE_WORD = 0.7
BEING_FILED = "being filed"


@dataclass(frozen=True)
class StripPage:
    """A page in the strip; ``hint`` is what its tip says, ``native`` what kind of file it is that is no picture of a page."""

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
    native: str = ""


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
    """A field on the slip; ``name`` is its id, ``label`` what people call it.

    ``place`` is the page and the box (upright px) its value came from.
    """

    name: str
    text: str
    origin: str
    unsure: bool
    is_required: bool
    problem: str
    place: tuple[str, Box] | None
    alternatives: tuple[str, ...]
    as_read: str = ""
    note: str = ""
    is_assumed: bool = False
    has_register: bool = False
    is_date: bool = False
    label: str = ""
    asked: Asked | None = None


@dataclass(frozen=True)
class SlipState:
    """The slip of the current document; ``is_locked`` where nothing can be typed: filed, being filed, or not one's right.

    ``type_because`` says what speaks for a type that was proposed, ``type_rival`` names the one that a key takes instead.
    """

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
    received: str = ""
    tags: str = ""
    same: tuple[tuple[str, str], ...] = ()
    is_locked: bool = False
    type_because: str = ""
    type_rival: str = ""
    type_unsure: bool = False
    type_id: str = ""
    kept: str = ""


@dataclass(frozen=True)
class TableCell:
    """One value in the table of slips; ``can_edit`` is false where the type has no such field or is filed."""

    text: str = ""
    unsure: bool = False
    can_edit: bool = False
    problem: str = ""


@dataclass(frozen=True)
class TableRow:
    """One document in the table of slips."""

    document: str
    head: str
    type: str
    state: str
    cells: tuple[TableCell, ...]


@dataclass(frozen=True)
class SlipTable:
    """All slips of a batch: fields (by id) as columns; a head names one and says how many different values it holds."""

    fields: tuple[str, ...] = ()
    heads: tuple[str, ...] = ()
    rows: tuple[TableRow, ...] = ()
    labels: tuple[str, ...] = ()


@dataclass(frozen=True)
class BenchState:
    """All that the bench shows; ``in_hand`` are pages that were cut and wait to be pasted."""

    batch: str = ""
    title: str = ""
    pages: tuple[StripPage, ...] = ()
    documents: tuple[StripDocument, ...] = ()
    page: str | None = None
    document: str | None = None
    selected: frozenset[str] = frozenset()
    in_hand: frozenset[str] = frozenset()
    slip: SlipState | None = None
    table: SlipTable = SlipTable()
    balance: str = ""
    balance_told: str = ""
    undo: str = ""
    redo: str = ""
    can_file_all: bool = False
    file_all: str = ""
    reading: str = ""
    stop_reading: str = ""
    may_work: bool = True
    doing: str = ""


@dataclass(frozen=True)
class PageShown:
    """The page in the large view: its picture, its size in upright px, its words, what is framed or marked.

    ``image`` is the picture where it was fetched already, ``is_full`` in full resolution; a very large page is so by
    ``tiles``.
    """

    page: str
    picture: str
    width: int
    height: int
    words: tuple[Word, ...]
    frame: Box | None = None
    marks: tuple[Box, ...] = ()
    told: str = ""
    image: QImage | None = None
    is_full: bool = False
    tiles: Tiles | None = None
