"""Taking leader dots out of a page before it is read: the engine makes words of them, and loses what stands at their end."""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from keybundle.core.imaging.letters import INK
from keybundle.core.imaging.parts import label_parts
from keybundle.core.imaging.picture import Pixels

WHITE = 255
DOT_MM, GAP_MM, FEWEST, UNEVEN = 0.55, 2.6, 7, 0.2


def take_out_leaders(grey: Pixels, dpi: float) -> Pixels:
    """Return an upright page, ``(H, W) uint8`` with 0 = ink, without rows of leader dots; the same array where there are none.

    A row is seven dots or more of one size, on one line and at even steps; full stops and dotted letters are none.
    """
    mm = dpi / 25.4
    count, labels, stats = label_parts((grey < INK).astype(np.uint8))
    small = np.nonzero((stats[:, 2:4].max(axis=1) <= DOT_MM * mm) & (stats[:, cv2.CC_STAT_AREA] >= 2))[0]
    small = small[small > 0]
    if len(small) < FEWEST:
        return grey
    bottoms = stats[small, 1] + stats[small, 3]
    order = np.lexsort((stats[small, 0], bottoms // 3))
    gone = np.zeros(count, dtype=np.uint8)
    run: list[int] = []
    for part in (*(int(small[i]) for i in order), 0):
        if run and part and _goes_on(stats[run[-1]], stats[part], mm):
            run.append(part)
            continue
        if len(run) >= FEWEST and _is_even(stats[run, 0]):
            gone[run] = 1
        run = [part]
    if not gone.any():
        return grey
    out = grey.copy()
    out[cv2.dilate(gone[labels], np.ones((3, 3), np.uint8)) > 0] = WHITE
    return out


def _goes_on(before: npt.NDArray[np.int32], part: npt.NDArray[np.int32], mm: float) -> bool:
    step = part[0] - before[0]
    return bool(0 < step <= GAP_MM * mm and abs((part[1] + part[3]) - (before[1] + before[3])) <= 2)


def _is_even(lefts: npt.NDArray[np.int32]) -> bool:
    steps = np.diff(lefts)
    return bool(steps.std() <= UNEVEN * steps.mean() + 1)
