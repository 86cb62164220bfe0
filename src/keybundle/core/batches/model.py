"""A batch as plain data: its pages in order, and its documents."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field
from enum import StrEnum
from typing import Any

from keybundle.core.base.boxes import Frame
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import BatchId
from keybundle.core.base.messages import message
from keybundle.core.base.page_kind import PageKind
from keybundle.core.base.records import dataclass
from keybundle.core.fields.values import FieldValue
from keybundle.core.marks.model import Mark

KEPT = "kept"
LEFT_OUT = "left out"
TYPED = "typed"


class Stage(StrEnum):
    """How far the machine is with a page; what it still has to do follows from this alone."""

    CAPTURED = "captured"
    LOOKED_AT = "looked at"
    PLACED = "placed"
    LEFT_OUT = "left out"
    READ = "read"
    FAILED = "failed"


class State(StrEnum):
    """Where a document of a batch stands."""

    READING = "reading"
    TO_CHECK = "to check"
    READY = "ready"
    FILED = "filed"
    SET_ASIDE = "set aside"


@dataclass(frozen=True)
class Facts:
    """What was measured of a captured side; sizes in px, ``ink_mm2`` the ink that speaks of content.

    ``colour`` is what the page needs (colour, grey, 1-bit), ``darkness`` that of its paper (0 white, 1 black),
    ``contrast`` that of its darkest ink against the paper.
    ``properties`` is what the file tells of itself, kept with its first page.
    ``flat_sha`` names the stored flat picture of a photograph of paper, to which all of this refers then.
    ``looked_for`` names the marks that were looked for, so that a later rule knows whether it must look again.
    """

    width: int
    height: int
    dpi: float
    mode: str
    rotation: int
    skew_degrees: float
    ink_mm2: float
    is_blank: bool
    separator: bool = False
    separator_type: str = ""
    marks: tuple[Mark, ...] = ()
    looked_for: tuple[str, ...] = ("separator",)
    colour: str = ""
    width_mm: float = 0.0
    height_mm: float = 0.0
    darkness: float = 0.0
    contrast: float = 1.0
    flat_sha: str = ""
    properties: Mapping[str, str] = field(default_factory=dict)

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> Facts:
        """Return the facts from plain data, those of earlier versions too."""
        marks = tuple(Mark.from_json(m) for m in data.get("marks", ()))
        looked = tuple(data.get("looked_for", ("separator",)))
        return cls(**{**data, "marks": marks, "looked_for": looked})


@dataclass(frozen=True)
class Page:
    """A captured side.

    ``disposition`` is None until separation has placed the page; ``turn`` is a clockwise turn in degrees given by
    hand on top of the measured one; ``text_rotation`` is the turn in which it was read; ``hand_break`` and
    ``hand_kept`` say what a person decided about a break at this page and about keeping it (None: nobody did).
    ``language`` was chosen for it (empty: the routine's), ``text_origin`` says whether a person ``typed`` its words,
    ``quality`` is the mean confidence of its words.
    ``source`` is the name of its file as received, ``name`` the one it was given on the way in (empty: the same);
    ``arrival`` names what it came with, and tells files of one name apart. ``cut`` says that separation has decided about
    the page; ``hand_kept`` and ``hand_break`` of a page without a place yet are what it will have to heed.
    """

    id: str
    captured: int
    source: str
    source_index: int
    sheet: int
    side: str
    file_sha: str
    kind: PageKind = PageKind.PICTURE
    facts: Facts | None = None
    trouble: str = ""
    turn: int = 0
    disposition: str | None = None
    reason: str | None = None
    note: str | None = None
    document_id: str | None = None
    text_rotation: int | None = None
    hand_break: bool | None = None
    hand_kept: bool | None = None
    name: str = ""
    language: str = ""
    text_origin: str = ""
    quality: float | None = None
    arrival: str = ""
    cut: bool = False
    stage: Stage = Stage.CAPTURED

    @property
    def is_damaged(self) -> bool:
        """Whether the page could not be decoded, so that it can be neither shown nor read."""
        return self.facts is None and bool(self.trouble)

    @property
    def kept(self) -> bool:
        """Whether the page belongs to a document."""
        return self.disposition == KEPT

    @property
    def picture(self) -> tuple[str, int, PageKind]:
        """The stored file that shows the page, its place in that, and its kind.

        The file as captured, or the flat picture of a photograph of paper.
        """
        if self.facts is not None and self.facts.flat_sha:
            return self.facts.flat_sha, 0, PageKind.PICTURE
        return self.file_sha, self.source_index, self.kind

    @property
    def frame(self) -> Frame:
        """How the captured picture becomes upright; raises ValueError before it was examined."""
        if self.facts is None:
            raise ValueError(f"page {self.id} was not examined yet")
        f = self.facts
        return Frame(f.width, f.height, (f.rotation + self.turn) % 360, f.skew_degrees)

    @property
    def is_read(self) -> bool:
        """Whether its text was read in its present turn and language, or will never be (trouble)."""
        if self.trouble:
            return True
        is_in_language = self.text_origin in (self.language, TYPED)
        return self.facts is not None and self.text_rotation == self.frame.rotation and is_in_language


def stage_of(page: Page) -> Stage:
    """Return how far the machine is with a page, from what is known of it."""
    if page.facts is None and not page.trouble:
        return Stage.CAPTURED
    if not page.cut and page.document_id is None:
        return Stage.LOOKED_AT
    if page.disposition == LEFT_OUT:
        return Stage.LEFT_OUT
    if page.trouble:
        return Stage.FAILED
    return Stage.READ if page.is_read else Stage.PLACED


SURE_TYPE = 0.8


@dataclass(frozen=True)
class Document:
    """A document of a batch; ``filed_id`` names it in the repository once filed.

    ``claim`` names the filing that has it in hand just now: until that is over it is not changed. ``revision`` counts
    its changes, those of its pages and their texts among them. ``trouble`` says why its values could not be proposed.
    ``type_because`` says what speaks for a proposed type, ``type_rival`` names the one that would be next.
    ``kept_to`` is whom it is to be kept to once it is filed, as JSON (None: as its folder is).
    """

    id: str
    break_reason: str
    type: str | None = None
    type_confidence: float | None = None
    type_origin: str | None = None
    state: State = State.READING
    parked: str | None = None
    filed_id: str | None = None
    proposed: bool = False
    tags: tuple[str, ...] = ()
    values: Mapping[str, FieldValue] = field(default_factory=dict)
    claim: str | None = None
    revision: int = 0
    trouble: str = ""
    type_because: str | None = None
    type_rival: str | None = None
    kept_to: str | None = None

    @property
    def has_sure_type(self) -> bool:
        """Whether its type needs no look: nothing proposed it by little, or a person saw it when confirming a value."""
        is_clear = self.type_origin != "page" or (self.type_confidence or 0.0) >= SURE_TYPE
        return is_clear or any(v.confirmed_by for v in self.values.values())

    @property
    def is_shut(self) -> bool:
        """Whether nothing can be changed in it: it is filed, or being filed."""
        return bool(self.filed_id or self.claim)

    @property
    def is_open_for_pages(self) -> bool:
        """Whether pages that come late may join it."""
        return not (self.is_shut or self.parked)


@dataclass(frozen=True)
class Came:
    """How many things came in, and what became of them; of what holds other files only these are counted."""

    arrived: int = 0
    taken: int = 0
    refused: int = 0
    passed_over: int = 0

    @property
    def is_even(self) -> bool:
        """Whether each has its end."""
        return self.arrived == self.taken + self.refused + self.passed_over


@dataclass(frozen=True)
class Batch:
    """A batch: pages in the order of the work, documents by id.

    ``growing`` is the document that the feeder may still add to. ``given`` holds values that came with the pages, by
    arrival and field, ``came`` counts the arrivals. ``held`` are
    the pages that the repository holds, each with the filed document it was filed with. ``revision`` counts changes.
    ``is_whole`` is False where one document is shown alone.
    """

    id: BatchId
    routine: str
    origin: str
    owner: str
    created_at: str
    captured_at: str | None
    closed_at: str | None
    pages: tuple[Page, ...]
    documents: Mapping[str, Document]
    growing: str | None = None
    given: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    held: Mapping[str, str] = field(default_factory=dict)
    two_sided: bool = False
    paper_mm: tuple[float, float] = (210.0, 297.0)
    revision: int = 0
    is_whole: bool = True
    came: Came = Came()

    def given_for(self, page: Page) -> dict[str, str]:
        """Return the values that came with a page, by field."""
        return dict(self.given.get(page.arrival, {}))

    def page(self, page_id: str) -> Page:
        """Return a page; raises InputProblem for an unknown id."""
        for page in self.pages:
            if page.id == page_id:
                return page
        raise InputProblem(message("model.page-no-longer-batch-look"))

    def document(self, document_id: str) -> Document:
        """Return a document; raises InputProblem for an unknown id."""
        if document_id not in self.documents:
            raise InputProblem(message("model.document-no-longer-batch-look"))
        return self.documents[document_id]

    def pages_of(self, document_id: str) -> tuple[Page, ...]:
        """Return the kept pages of a document in order."""
        return tuple(p for p in self.pages if p.document_id == document_id)

    def in_order(self) -> tuple[Document, ...]:
        """Return the documents in the order of their first pages."""
        seen = dict.fromkeys(p.document_id for p in self.pages if p.document_id is not None)
        return tuple(self.documents[d] for d in seen)

    def pages_by_document(self) -> dict[str, list[Page]]:
        """Return the kept pages of every document, in order."""
        found: dict[str, list[Page]] = {}
        for page in self.pages:
            if page.document_id is not None:
                found.setdefault(page.document_id, []).append(page)
        return found


@dataclass(frozen=True)
class Balance:
    """The page balance: captured = kept + left out + not yet placed; kept = filed + set aside + waiting."""

    captured: int
    kept: int
    left_out: int
    filed: int
    set_aside: int
    waiting: int
    unplaced: int = 0

    @property
    def is_even(self) -> bool:
        """Whether every side is accounted for."""
        return (
            self.captured == self.kept + self.left_out + self.unplaced
            and self.kept == self.filed + self.set_aside + self.waiting
        )


def balance(batch: Batch) -> Balance:
    """Count every side of the batch; filed are those that the repository holds, whatever the batch believes."""
    filed = aside = waiting = 0
    for page in (p for p in batch.pages if p.document_id):
        document = batch.documents[str(page.document_id)]
        if document.filed_id and batch.held.get(page.id) == document.filed_id:
            filed += 1
        elif document.parked and not document.filed_id:
            aside += 1
        else:
            waiting += 1
    left_out = sum(p.disposition == LEFT_OUT for p in batch.pages)
    unplaced = sum(p.disposition is None for p in batch.pages)
    return Balance(len(batch.pages), sum(p.kept for p in batch.pages), left_out, filed, aside, waiting, unplaced)
