"""What worker processes do with one document: its PDF/A. Kept apart from page work, whose workers start quicker so."""

from __future__ import annotations

import time
from collections.abc import Sequence
from pathlib import Path

from keybundle.core.export.pdfa import SourcePage, build_pdf
from keybundle.core.imaging.clean import Steps
from keybundle.core.reading.text import PageText
from keybundle.core.store.files import FolderStore
from keybundle.core.workflows.pages.page_jobs import PageJob


def make_pdf(pages: Sequence[PageJob], title: str, made_at: str, files_root: str) -> tuple[str, float]:
    """Build a document's PDF/A from its pages with their texts and store it; return (SHA-256, seconds)."""
    start = time.perf_counter()
    sources = [
        SourcePage(Path(p.path), p.index, p.kind, p.dpi, PageText.from_bytes(p.text), p.colour, Steps(*p.steps))
        for p in pages
    ]
    sha = FolderStore(Path(files_root)).put(build_pdf(sources, title, made_at))
    return sha, time.perf_counter() - start
