"""Real scanned pages from Debian's source package of leptonica, fetched and checked by ``scripts/test``."""

from __future__ import annotations

import os
from pathlib import Path


def page_path(name: str) -> Path:
    """Where a page lies; a missing one fails the test that asks for it."""
    folder = Path(os.environ.get("KEYBUNDLE_REFERENCE", Path(__file__).parent.parent / "build" / "reference"))
    path = folder / name
    if not path.exists():
        raise FileNotFoundError(f"{path} is missing; scripts/test fetches it")
    return path
