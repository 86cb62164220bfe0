"""Where the small pictures of pages lie. Kept apart from the page work, so that the interface loads no imaging."""

from __future__ import annotations

from pathlib import Path


def preview_path(cache: Path, page_id: str, rotation: int, kind: str) -> Path:
    """Return where a page's ``thumbnail`` or ``screen`` picture lies in the cache."""
    return cache / "previews" / page_id[-2:] / f"{page_id}-{rotation}-{kind}.jpg"
