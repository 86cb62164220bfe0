"""What worker processes do with one document: its PDF/A. Kept apart from page work, whose workers start quicker so."""

from __future__ import annotations

import time
from pathlib import Path

from keybundle.core.export.pdfa import SourcePage, build_pdf
from keybundle.core.reading.text import PageText
from keybundle.core.store.files import FileStore


def make_pdf(
    pages: list[tuple[str, int, bool, float, bytes]], title: str, made_at: str, files_root: str
) -> tuple[str, float]:
    """Build a document's PDF/A from (path, index, is PDF, dpi, text) and store it; return (SHA-256, seconds)."""
    start = time.perf_counter()
    sources = [SourcePage(Path(p), i, pdf, dpi, PageText.from_bytes(text)) for p, i, pdf, dpi, text in pages]
    sha = FileStore(Path(files_root)).put(build_pdf(sources, title, made_at))
    return sha, time.perf_counter() - start
