"""The OCR engine behind a Protocol; Tesseract through tesserocr is the one that ships.

One engine object lives in each worker process, with one thread (``OMP_THREAD_LIMIT=1``, set by the worker).
"""

from __future__ import annotations

import functools
import os
from dataclasses import replace
from typing import Any, Protocol

import cv2
import numpy as np

from keybundle.core.base.boxes import Box, Frame
from keybundle.core.base.errors import Passing
from keybundle.core.imaging.clean import NONE, Steps, clean
from keybundle.core.imaging.picture import Picture, Pixels
from keybundle.core.imaging.render import straighten
from keybundle.core.reading.languages import find_language_data
from keybundle.core.reading.text import PageText, Word

CLOSE_DPI = 330.0
LINE_MM = 9.0
LEAST_INK = 40
READ_DPI = 200.0
MINIMUM_DPI = 185.0


class Engine(Protocol):
    """Reads a grey picture."""

    def read(self, grey: Pixels, dpi: float, *, layout: str = "page") -> list[Word]:
        """Return the words of ``(H, W) uint8``, 0 = ink, in px of that picture, in reading order.

        ``layout`` says what the picture holds: a whole ``page``, one ``block`` of text, or one ``line``.
        """
        ...

    def tell_rotation(self, grey: Pixels, dpi: float) -> int | None:
        """Return the clockwise turn (0, 90, 180, 270 degrees) that makes the picture upright; None when unsure."""
        ...


class TesseractEngine:
    """Tesseract with automatic page segmentation."""

    def __init__(self, language: str) -> None:
        import tesserocr

        folder = find_language_data()
        for part in language.split("+"):
            if not os.path.exists(os.path.join(folder, f"{part}.traineddata")):
                raise Passing(
                    f"The OCR language data “{part}” is missing, so its pages cannot be read. Install the package "
                    f"tesseract-ocr-{part.replace('_', '-')}; pages captured so far are safe and will be read then."
                )
        self._module = tesserocr
        self._folder = folder
        self._api = tesserocr.PyTessBaseAPI(path=folder, lang=language, psm=tesserocr.PSM.AUTO)
        self._orientation: Any = None

    def read(self, grey: Pixels, dpi: float, *, layout: str = "page") -> list[Word]:
        """Return the words in reading order; a page without words gives none."""
        t = self._module
        modes = {"page": t.PSM.AUTO, "block": t.PSM.SINGLE_BLOCK, "line": t.PSM.SINGLE_LINE}
        self._api.SetPageSegMode(modes[layout])
        height, width = grey.shape
        self._api.SetImageBytes(grey.tobytes(), width, height, 1, width)
        self._api.SetSourceResolution(round(dpi))
        self._api.Recognize()
        words: list[Word] = []
        iterator = self._api.GetIterator()
        block = line = -1
        if iterator is None:
            return words
        for item in t.iterate_level(iterator, t.RIL.WORD):
            if item.Empty(t.RIL.WORD):
                continue
            if item.IsAtBeginningOf(t.RIL.BLOCK):
                block += 1
            if item.IsAtBeginningOf(t.RIL.TEXTLINE):
                line += 1
            text = item.GetUTF8Text(t.RIL.WORD).strip()
            box = item.BoundingBox(t.RIL.WORD)
            if text and box:
                confidence = max(0.0, min(1.0, item.Confidence(t.RIL.WORD) / 100))
                words.append(Word(text, tuple(box), confidence, block, line))
        self._api.Clear()
        return words

    def tell_rotation(self, grey: Pixels, dpi: float) -> int | None:
        """Return the turn that makes the picture upright by Tesseract's own detection; None when it is unsure."""
        t = self._module
        if not os.path.exists(os.path.join(self._folder, "osd.traineddata")):
            return None
        if self._orientation is None:
            self._orientation = t.PyTessBaseAPI(path=self._folder, lang="osd", psm=t.PSM.OSD_ONLY)
        api = self._orientation
        height, width = grey.shape
        api.SetImageBytes(grey.tobytes(), width, height, 1, width)
        api.SetSourceResolution(round(dpi))
        found = api.DetectOrientationScript()
        if not found or found["orient_conf"] < 1.5:
            return None
        return (360 - int(found["orient_deg"])) % 360


@functools.lru_cache(maxsize=4)
def get_engine(language: str) -> Engine:
    """Return this process's engine for a language, such as ``eng``; raises Passing."""
    return TesseractEngine(language)


def read_page(picture: Picture, frame: Frame, engine: Engine, steps: Steps = NONE) -> PageText:
    """Read a page upright, straight and cleaned, near ``READ_DPI``; boxes come back in px of the upright picture."""
    is_near = MINIMUM_DPI <= picture.dpi <= READ_DPI * 1.15
    scale = 1.0 if is_near else READ_DPI / picture.dpi
    grey = clean(straighten(picture, frame, scale=scale), picture.dpi * scale, steps)
    words = engine.read(grey, picture.dpi * scale)
    return PageText(tuple(_scaled(w, 1 / scale) for w in words), frame)


def read_box(picture: Picture, frame: Frame, box: Box, engine: Engine) -> PageText:
    """Read one area, given in px of the upright picture, at ``CLOSE_DPI`` with some paper around it."""
    upright = straighten(picture, frame)
    left, top, right, bottom = max(0, box[0]), max(0, box[1]), box[2], box[3]
    part = upright[top:bottom, left:right]
    paper = int(np.percentile(part, 90)) if part.size else 0
    if part.size == 0 or paper - int(part.min()) < LEAST_INK:
        return PageText((), frame)
    scale = CLOSE_DPI / picture.dpi
    pad = round(3 / 25.4 * picture.dpi)
    framed = cv2.copyMakeBorder(part, pad, pad, pad, pad, cv2.BORDER_CONSTANT, value=paper)
    large = cv2.resize(framed, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC if scale > 1 else cv2.INTER_AREA)
    is_line = (bottom - top) / picture.dpi * 25.4 < LINE_MM
    words = engine.read(np.ascontiguousarray(large, dtype=np.uint8), CLOSE_DPI, layout="line" if is_line else "block")
    found = []
    for word in words:
        a, b, c, d = (round(v / scale) - pad for v in word.box)
        found.append(replace(word, box=(left + a, top + b, left + c, top + d)))
    return PageText(tuple(found), frame)


def _scaled(word: Word, factor: float) -> Word:
    left, top, right, bottom = (round(v * factor) for v in word.box)
    box: Box = (left, top, right, bottom)
    return Word(word.text, box, word.confidence, word.block, word.line)
