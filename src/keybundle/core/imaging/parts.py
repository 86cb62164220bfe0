"""The connected parts of a mask."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from keybundle.core.imaging.picture import Pixels

MOST_SMALL_LABELS = 65_000


def label_parts(mask: Pixels) -> tuple[int, npt.NDArray[Any], npt.NDArray[np.int32]]:
    """Return (labels, the ``(H, W)`` label of each px, OpenCV's stats by label); 0 is the ground, parts touch by corners too.

    With labels of 16 bits OpenCV takes a third of the time. It gives out no more labels on its way than there are
    beginnings of rows of ink, so these say beforehand whether 16 bits are enough; it does not look itself.
    """
    beginnings = int(np.count_nonzero(mask[:, 1:] > mask[:, :-1])) + int(np.count_nonzero(mask[:, 0]))
    kind = cv2.CV_16U if beginnings < MOST_SMALL_LABELS else cv2.CV_32S
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask, connectivity=8, ltype=kind)
    return count, labels, np.asarray(stats, dtype=np.int32)
