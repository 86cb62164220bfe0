"""What worker processes do with one document: its PDF/A. Kept apart from page work, whose workers start quicker so."""

from __future__ import annotations

import time
from collections.abc import Sequence
from pathlib import Path

from keybundle.core.base.files import write_atomic
from keybundle.core.export.pdfa import SourcePage, build_pdf
from keybundle.core.imaging.clean import Steps
from keybundle.core.reading.text import PageText
from keybundle.core.workflows.pages.cleaned import drop_cleaned, take_cleaned
from keybundle.core.workflows.pages.page_jobs import PageJob


def make_pdf(pages: Sequence[PageJob], made_at: str, target: str, cache: str = "") -> float:
    """Build a document's PDF/A from its pages with their texts, without a title, and write it; return the seconds it took.

    Cleaned pictures that lie in the ``cache`` are taken from there, and let go of.

    What it is called is said where it leaves: a caption can be corrected, and the file that is kept stays the same.
    """
    start = time.perf_counter()
    sources = [
        SourcePage(
            Path(p.path), p.index, p.kind, p.dpi, PageText.from_bytes(p.text), p.colour, Steps(*p.steps),
            take_cleaned(cache, p) if cache else None,
        )
        for p in pages
    ]  # fmt: skip
    write_atomic(Path(target), build_pdf(sources, "", made_at), durable=False)
    for page in pages if cache else ():
        drop_cleaned(cache, page)
    return time.perf_counter() - start
