"""The work on one page, described once: what every worker call takes, and the one place where it is put together."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from keybundle.core.base.boxes import Frame
from keybundle.core.base.page_kind import PageKind
from keybundle.core.base.records import dataclass
from keybundle.core.marks.model import Wanted

if TYPE_CHECKING:
    from keybundle.core.batches.model import Page
    from keybundle.core.repository.model import FiledPage
    from keybundle.core.setup.model import Setup
    from keybundle.core.setup.routines import Routine
    from keybundle.core.store.files import FileStore

WORK = "keybundle.core.workflows.line.page_work"
PICTURE_WORK = "keybundle.core.workflows.pages.picture_work"
PDF_WORK = "keybundle.core.workflows.pages.pdf_work"
AS_CAPTURED = (False, False, False, False)
PLAIN_DPI = 300.0


@dataclass(frozen=True, kw_only=True)
class PageJob:
    """One page for a worker: its stored file, how it lies there, how it is to be cleaned and read.

    ``frame`` is None before it was measured. ``steps`` are crop, holes, specks, paper; ``colour`` is what it is filed
    in (empty: as captured); ``text`` are the bytes of its ``PageText``.
    """

    path: str
    name: str
    index: int = 0
    kind: PageKind = PageKind.PICTURE
    page_id: str = ""
    frame: Frame | None = None
    dpi: float = PLAIN_DPI
    language: str = "eng"
    force_ocr: bool = False
    steps: tuple[bool, bool, bool, bool] = AS_CAPTURED
    upright: bool = True
    deskew: bool = True
    flatten_photographs: bool = False
    colour: str = ""
    text: bytes = b""

    @property
    def measured_frame(self) -> Frame:
        """The frame; raises ValueError for a page that was not measured."""
        if self.frame is None:
            raise ValueError(f"page {self.page_id} was not examined yet")
        return self.frame


def page_job(files: FileStore, page: Page, routine: Routine, text: bytes = b"") -> PageJob:
    """Return the work on a page of a batch under a routine; the page may not have been measured yet."""
    sha, index, kind = page.picture
    c = routine.cleaning
    return PageJob(
        path=str(files.path(sha)), name=page.source, index=index, kind=kind, page_id=page.id,
        frame=page.frame if page.facts else None, dpi=page.facts.dpi if page.facts else PLAIN_DPI,
        language=page.language or routine.language, force_ocr=routine.force_ocr,
        steps=(c.crop, c.fill_holes, c.despeckle, c.flatten), upright=c.upright, deskew=c.deskew,
        flatten_photographs=c.photographs, colour=_filed_colour(page, routine), text=text,
    )  # fmt: skip


def cleaned_by(routine: Routine) -> Callable[[Page], tuple[str, tuple[bool, ...]]]:
    """Return what tells of a page under a routine in what it is filed: its colour, and the steps that clean it."""
    c = routine.cleaning
    return lambda page: (_filed_colour(page, routine), (c.crop, c.fill_holes, c.despeckle, c.flatten))


def filed_job(files: FileStore, page: FiledPage) -> PageJob:
    """Return the work on a page of a filed version, as it was filed."""
    sha, index, kind = page.picture
    steps = page.steps if len(page.steps) == len(AS_CAPTURED) else AS_CAPTURED
    return PageJob(
        path=str(files.path(sha)), name=page.source, index=index, kind=kind, page_id=page.page_id, frame=page.frame,
        dpi=page.dpi, steps=(steps[0], steps[1], steps[2], steps[3]), colour=page.colour, text=page.text,
    )  # fmt: skip


def picture_job(files: FileStore, page_id: str, picture: tuple[str, int, PageKind], frame: Frame) -> PageJob:
    """Return the work of drawing a page of which only the stored picture and its frame are known."""
    sha, index, kind = picture
    return PageJob(path=str(files.path(sha)), name=page_id, index=index, kind=kind, page_id=page_id, frame=frame)


def _filed_colour(page: Page, routine: Routine) -> str:
    """Return what a page is filed in (colour, grey or 1-bit; empty: as captured). What is no picture stays as it is."""
    chosen = routine.cleaning.colour
    if page.kind is not PageKind.PICTURE or page.facts is None or chosen == "as captured":
        return ""
    return page.facts.colour if chosen == "by content" else chosen


def wanted_marks(setup: Setup, routine: Routine) -> Wanted:
    """Return the marks that a routine's rules and halt conditions, and the rules of the types, need."""
    rules = routine.separation
    told = [r.format for k in setup.document_types for r in k.told_by if r.on == "barcode"]
    halts = ["any"] if any(h.on == "barcode" for h in routine.halts) else []
    formats = tuple(dict.fromkeys([*rules.barcode_formats, *told, *halts]))
    patches = tuple(setup.patch_codes.items()) if rules.has("patch code") else ()
    return Wanted(rules.has("separator sheet"), formats, patches)
