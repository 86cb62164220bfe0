"""What worker processes do with one document: its PDF/A. Kept apart from page work, whose workers start quicker so."""

from __future__ import annotations

import time
from pathlib import Path

from keybundle.core.export.pdfa import SourcePage, build_pdf
from keybundle.core.imaging.clean import Steps
from keybundle.core.reading.text import PageText
from keybundle.core.store.files import FileStore

AS_CAPTURED = (False, False, False, False)


def make_pdf(
    pages: list[tuple[str, int, bool, float, bytes, str]], steps: tuple[bool, bool, bool, bool], title: str,
    made_at: str, files_root: str,
) -> tuple[str, float]:  # fmt: skip
    """Build a document's PDF/A from (path, index, is PDF, dpi, text, colour), cleaned by these steps, and store it.

    Returns (SHA-256, seconds).
    """
    start = time.perf_counter()
    sources = [
        SourcePage(Path(path), index, is_pdf, dpi, PageText.from_bytes(text), colour, Steps(*steps))
        for path, index, is_pdf, dpi, text, colour in pages
    ]
    sha = FileStore(Path(files_root)).put(build_pdf(sources, title, made_at))
    return sha, time.perf_counter() - start
