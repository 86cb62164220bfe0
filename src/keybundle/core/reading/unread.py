"""Ink that a reading passed over: the engine's page layout drops whole columns of a table now and then.

Letters that stand in none of the words that were read are gathered into areas, to be read each by itself.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from keybundle.core.base.boxes import Box
from keybundle.core.imaging.letters import INK, is_letter
from keybundle.core.imaging.parts import label_parts
from keybundle.core.imaging.picture import Pixels
from keybundle.core.reading.text import Word

JOIN_MM, EDGE_MM, PAD_MM = 4.0, 5.0, 1.0
FEWEST_LETTERS, MOST_AREAS = 3, 16


def find_unread(grey: Pixels, dpi: float, words: Sequence[Word]) -> list[Box]:
    """Return the boxes of areas with letters that no word covers, in px of the picture, from top to bottom.

    ``grey`` is the upright page as it was read, ``(H, W) uint8`` with 0 = ink.
    """
    mm = dpi / 25.4
    _, labels, stats = label_parts((grey < INK).astype(np.uint8))
    letters = is_letter(stats, dpi)
    covered = np.zeros(grey.shape, dtype=np.uint8)
    for word in words:
        left, top, right, bottom = word.box
        covered[max(0, top - 2) : bottom + 2, max(0, left - 2) : right + 2] = 1
    middle = stats[:, :2] + stats[:, 2:4] // 2
    edge = round(EDGE_MM * mm)
    inside = (
        (middle >= edge).all(axis=1) & (middle[:, 0] < grey.shape[1] - edge) & (middle[:, 1] < grey.shape[0] - edge)
    )
    left_over = np.nonzero(letters & inside & (covered[middle[:, 1], middle[:, 0]] == 0))[0]
    if len(left_over) < FEWEST_LETTERS:
        return []
    is_left = np.zeros(len(stats), dtype=np.uint8)
    is_left[left_over] = 1
    reach = round(JOIN_MM * mm)
    areas, of, boxes = label_parts(
        np.asarray(cv2.dilate(is_left[labels], np.ones((reach, reach), np.uint8)), dtype=np.uint8)
    )
    held = np.bincount(of[middle[left_over, 1], middle[left_over, 0]], minlength=areas)
    shrink = (reach // 2) - round(PAD_MM * mm)
    found: list[Box] = []
    for i in np.argsort(-held):
        if i and held[i] >= FEWEST_LETTERS and len(found) < MOST_AREAS:
            left, top, width, height = (int(v) for v in boxes[i, :4])
            found.append((left + shrink, top + shrink, left + width - shrink, top + height - shrink))
    return sorted(found, key=lambda box: (box[1], box[0]))
