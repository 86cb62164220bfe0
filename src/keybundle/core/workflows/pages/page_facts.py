"""What rules and workers need to know of a page under a routine; plain functions."""

from __future__ import annotations

from dataclasses import replace

from keybundle.core.batches.model import Page
from keybundle.core.intake.halts import Measured
from keybundle.core.marks.model import BARCODE
from keybundle.core.reading.text import PageText
from keybundle.core.separation.facts import SideFacts
from keybundle.core.setup.model import Setup, called


def side_facts(page: Page, text: PageText | None, known_first: str = "") -> SideFacts:
    """Return what separation knows of a measured page; raises ValueError for one that was not measured."""
    f = page.facts
    if f is None:
        raise ValueError(f"page {page.id} was not examined yet")
    return SideFacts(
        page.id, page.sheet, page.side, page.arrival, f.is_blank, f.separator, f.separator_type, f.marks, text, page.frame,
        known_first,
    )  # fmt: skip


def with_type(side: SideFacts, setup: Setup) -> SideFacts:
    """Return the facts of a side whose separator sheet names a type with that type's id.

    A sheet that names a type which is not there breaks all the same, and the type is proposed.
    """
    kind = called(setup.document_types, side.separator_type) if side.separator_type else None
    return replace(side, separator_type=kind.id if kind is not None else "")


def with_hands(side: SideFacts, page: Page) -> SideFacts:
    """Return the facts of a side together with what a person decided about it before it had a place."""
    return replace(
        side,
        hand_kept=page.hand_kept,
        hand_break=page.hand_break,
        hand_reason=page.reason or "" if not page.kept else "",
    )


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
