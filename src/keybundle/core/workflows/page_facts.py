"""What rules and workers need to know of a page under a routine; plain functions."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from keybundle.core.batches.model import Page
from keybundle.core.intake.halts import Measured
from keybundle.core.marks.model import BARCODE, Wanted
from keybundle.core.reading.text import PageText
from keybundle.core.separation.cut import CutState, place_sheet
from keybundle.core.separation.facts import SideFacts
from keybundle.core.setup.model import Setup
from keybundle.core.setup.routines import Routine


def side_facts(page: Page, text: PageText | None, known_first: str = "") -> SideFacts:
    """Return what separation knows of a measured page; raises ValueError for one that was not measured."""
    f = page.facts
    if f is None:
        raise ValueError(f"page {page.id} was not examined yet")
    return SideFacts(
        page.id,
        page.sheet,
        page.side,
        page.source,
        f.is_blank,
        f.separator,
        f.separator_type,
        f.marks,
        text,
        page.frame,
        known_first,
    )


def cleaning_steps(routine: Routine) -> tuple[bool, bool, bool, bool]:
    """Return which steps clean a page for reading: crop, holes, specks, paper."""
    c = routine.cleaning
    return c.crop, c.fill_holes, c.despeckle, c.flatten


def filed_colour(page: Page, routine: Routine) -> str:
    """Return what a page is filed in (colour, grey or 1-bit; empty: as captured). Pages of a PDF stay as they are."""
    chosen = routine.cleaning.colour
    if page.is_pdf or page.facts is None or chosen == "as captured":
        return ""
    return page.facts.colour if chosen == "by content" else chosen


def measured(page: Page, paper_mm: tuple[float, float], document_sheets: int) -> Measured:
    """Return what halt conditions look at; raises ValueError for a page that was not measured."""
    f = page.facts
    if f is None:
        raise ValueError(f"page {page.id} was not examined yet")
    codes = tuple(m.text for m in f.marks if m.kind == BARCODE)
    return Measured(
        page.captured, page.sheet, page.side, f.width_mm, f.height_mm, paper_mm, f.is_blank, f.darkness, f.contrast,
        f.skew_degrees, codes, document_sheets,
    )  # fmt: skip


def wanted_marks(setup: Setup, routine: Routine) -> Wanted:
    """Return the marks that a routine's rules and halt conditions, and the rules of the types, need."""
    rules = routine.separation
    told = [r.format for k in setup.document_types for r in k.told_by if r.on == "barcode"]
    halts = ["any"] if any(h.on == "barcode" for h in routine.halts) else []
    formats = tuple(dict.fromkeys([*rules.barcode_formats, *told, *halts]))
    patches = tuple(setup.patch_codes.items()) if rules.has("patch code") else ()
    return Wanted(rules.has("separator sheet"), formats, patches)


def is_same_sheet(first: Page, other: Page) -> bool:
    """Whether two pages are front and back of one sheet."""
    return first.sheet == other.sheet and {first.side, other.side} == {"front", "back"}


def replay(
    placed: list[Page],
    routine: Routine,
    two_sided: bool,
    texts: Mapping[str, PageText],
    known: Callable[[PageText], str],
) -> CutState:
    """Return where separation stands after the pages that were placed already; ``known`` tells known first pages."""
    state = CutState()
    i = 0
    while i < len(placed):
        pair = two_sided and i + 1 < len(placed) and is_same_sheet(placed[i], placed[i + 1])
        sheet = placed[i : i + (2 if pair else 1)]
        _, state = place_sheet(
            [side_facts(p, texts.get(p.id), known(texts[p.id]) if p.id in texts else "") for p in sheet], routine, state
        )
        i += len(sheet)
    return state
