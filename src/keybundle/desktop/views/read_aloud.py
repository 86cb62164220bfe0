"""What painted surfaces tell a screen reader: what they show, and what of it is current and chosen."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QWidget

from keybundle.desktop.words import tr, trn

if TYPE_CHECKING:
    from keybundle.desktop.presenters.bench_state import BenchState, PageShown
    from keybundle.desktop.presenters.find import TimeBar

MOST_WORDS = 60


def tell(widget: QWidget, told: str) -> None:
    """Let a screen reader say something of a widget; it hears of it where that changed."""
    if widget.accessibleDescription() != told:
        widget.setAccessibleDescription(told)


def say_strip(state: BenchState) -> str:
    """Return which page and document is current, and how many pages are chosen."""
    page = next((p for p in state.pages if p.id == state.page), None)
    if page is None:
        return tr("No page")
    document = next((d for d in state.documents if d.id == page.document), None)
    said = [tr("Page {number} of {n:,}", number=page.number, n=len(state.pages))]
    if not page.kept:
        said.append(tr("left out: {reason}", reason=page.reason))
    if document is not None:
        said.append(f"{document.type} {document.caption}, {tr(document.state)}")
    if state.selected:
        said.append(trn("{n:,} page chosen", "{n:,} pages chosen", len(state.selected)))
    return "; ".join(said)


def say_page(shown: PageShown | None) -> str:
    """Return what is said of a page, and its first words as they were read."""
    if shown is None:
        return tr("No page")
    words = " ".join(word.text for word in shown.words[:MOST_WORDS])
    marks = trn("{n:,} marked place", "{n:,} marked places", len(shown.marks)) if shown.marks else ""
    return ". ".join(filter(None, (shown.told, marks, words)))


def say_bars(bars: tuple[TimeBar, ...], chosen: int) -> str:
    """Return all bars of a chart in words, the chosen one first."""
    told = [bar.told for bar in bars]
    return "; ".join([*told[chosen : chosen + 1], *told[:chosen], *told[chosen + 1 :]])
