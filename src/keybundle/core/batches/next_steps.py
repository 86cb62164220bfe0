"""What is to be done next with a batch: a plain function of what the database says of it."""

from __future__ import annotations

from collections.abc import Sequence

from keybundle.core.base.records import dataclass
from keybundle.core.batches.model import KEPT, Page, Stage


@dataclass(frozen=True)
class Work:
    """What of a batch is unfinished.

    ``unfinished`` are pages in the order they were captured, ``waiting`` the first two of those that separation has not
    decided about, ``first_pages`` those of them that begin a document, ``due`` documents to propose for, in order.
    """

    unfinished: Sequence[Page]
    waiting: Sequence[Page]
    first_pages: frozenset[str]
    due: Sequence[str]
    two_sided: bool
    is_capturing: bool


@dataclass(frozen=True)
class Look:
    """Measure a side and look for marks on it."""

    page: Page


@dataclass(frozen=True)
class Read:
    """Read a page."""

    page: Page
    is_first: bool


@dataclass(frozen=True)
class Place:
    """Let separation decide about the sides of a sheet."""

    pages: tuple[str, ...]


@dataclass(frozen=True)
class Propose:
    """Propose type and values for a document."""

    document: str


Step = Look | Read | Place | Propose


def next_steps(work: Work, *, needs_text: bool) -> list[Step]:
    """Return all that can be done now; ``needs_text`` says that the rules read a page before they place it."""
    steps: list[Step] = []
    for page in work.unfinished:
        if page.stage is Stage.CAPTURED:
            steps.append(Look(page))
        elif page.facts is None or page.is_read:
            continue
        elif page.stage is Stage.PLACED and page.disposition == KEPT:
            steps.append(Read(page, page.id in work.first_pages))
        elif page.stage is Stage.LOOKED_AT and needs_text and has_words(page):
            steps.append(Read(page, is_first=True))
    sheet = next_sheet(work, needs_text=needs_text)
    if sheet:
        steps.append(Place(tuple(p.id for p in sheet)))
    return [*steps, *(Propose(d) for d in work.due)]


def next_sheet(work: Work, *, needs_text: bool) -> Sequence[Page]:
    """Return the sides of the next sheet once all of them came and all that the rules need of them is known."""
    if not work.waiting:
        return ()
    first = work.waiting[0]
    sheet = [p for p in work.waiting if p is first or is_same_sheet(first, p)] if work.two_sided else [first]
    is_complete = not work.two_sided or len(sheet) == 2 or len(work.waiting) > 1 or not work.is_capturing
    return sheet if is_complete and all(_is_known(p, needs_text) for p in sheet) else ()


def is_same_sheet(first: Page, other: Page) -> bool:
    """Whether two pages are front and back of one sheet."""
    return first.sheet == other.sheet and {first.side, other.side} == {"front", "back"}


def has_words(page: Page) -> bool:
    """Whether it is worth reading a measured page before it has a place."""
    return page.facts is not None and not (page.facts.is_blank or page.facts.separator)


def _is_known(page: Page, needs_text: bool) -> bool:
    if page.facts is None:
        return bool(page.trouble)
    return not needs_text or page.is_read or not has_words(page)
