"""Where a page looks like a code: cells about half ink with many changes."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from keybundle.core.base.boxes import Box
from keybundle.core.imaging.picture import Pixels

CELL_PX = 32


def stripe_share(grey: Pixels, known: Sequence[Box] = ()) -> float:
    """Return the share of cells of ``CELL_PX`` that look like dense codes, those in the ``known`` boxes not counted."""
    ink = (grey < 140).astype(np.int16)
    h, w = (s // CELL_PX * CELL_PX for s in ink.shape)
    if not h or not w:
        return 0.0
    for left, top, right, bottom in known:
        ink[max(0, top - CELL_PX) : bottom + CELL_PX, max(0, left - CELL_PX) : right + CELL_PX] = 0
    cells = ink[:h, :w].reshape(h // CELL_PX, CELL_PX, w // CELL_PX, CELL_PX)
    fill = cells.mean(axis=(1, 3))
    changes = np.maximum(
        np.abs(np.diff(cells, axis=3)).mean(axis=(1, 3)), np.abs(np.diff(cells, axis=1)).mean(axis=(1, 3))
    )
    return float(np.mean((fill > 0.35) & (fill < 0.65) & (changes > 0.12)))
