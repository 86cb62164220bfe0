"""A page in full resolution as a window takes it: one picture, or of a very large page the tiles that are read as they show."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtGui import QImage

from keybundle.core.imaging.tiles import Tiles
from keybundle.desktop.presenters.bench_state import PageShown

Sharp = QImage | Tiles


def load_sharp(found: Path | Tiles) -> Sharp:
    """Read the picture; tiles are read when they are in sight. Called off the interface thread."""
    return found if isinstance(found, Tiles) else QImage(str(found))


def with_sharp(shown: PageShown, found: Sharp) -> PageShown:
    """Return the shown page in full resolution."""
    if isinstance(found, Tiles):
        return replace(shown, tiles=found, is_full=True)
    return replace(shown, image=found, is_full=True)
