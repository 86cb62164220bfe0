"""Where the pictures made of pages lie in the cache. Kept apart from the page work, so that the interface loads no imaging.

Each is named by its page, so that erasing what the page was filed in takes it along.
"""

from __future__ import annotations

from pathlib import Path

CLEANED = "cleaned"  # what pages will be filed in, made ahead


def preview_path(cache: Path, page_id: str, rotation: int, kind: str) -> Path:
    """Return where a page's ``thumbnail``, ``screen`` or ``full`` picture lies in the cache."""
    return Path(preview_file(str(cache), page_id, rotation, kind))


def tiles_folder(cache: Path, page_id: str, rotation: int) -> Path:
    """Return where the tiles of a very large page lie in the cache."""
    return cache / "tiles" / page_id[-2:] / f"{page_id}-{rotation}"


def preview_file(cache: str, page_id: str, rotation: int, kind: str) -> str:
    """Return the same as text: a strip of thousands of pages asks for each."""
    return f"{cache}/previews/{page_id[-2:]}/{page_id}-{rotation}-{kind}.jpg"
