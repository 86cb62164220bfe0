"""The OCR engine behind a Protocol; Tesseract through tesserocr is the one that ships.

One engine object lives in each worker process, with one thread (``OMP_THREAD_LIMIT=1``, set by the worker).
"""

from __future__ import annotations

import functools
import os
from collections.abc import Sequence
from dataclasses import replace
from typing import Any, Protocol

import cv2
import numpy as np

from keybundle.core.base.boxes import Box, Frame
from keybundle.core.base.errors import Passing
from keybundle.core.base.messages import message
from keybundle.core.imaging.clean import NONE, Steps, clean
from keybundle.core.imaging.leaders import take_out_leaders
from keybundle.core.imaging.letters import measure_print
from keybundle.core.imaging.light import turn_light_on_dark
from keybundle.core.imaging.picture import Picture, Pixels, to_grey
from keybundle.core.imaging.render import straighten, straighten_part
from keybundle.core.imaging.scale import scale_by
from keybundle.core.reading.languages import find_language_data
from keybundle.core.reading.text import PageText, Word
from keybundle.core.reading.unread import find_unread

CLOSE_DPI = 330.0
LINE_MM = 9.0
LEAST_INK = 40
READ_DPI, LARGEST_DPI, MINIMUM_DPI = 200.0, 300.0, 185.0
SMALL_MM, MANY_ROWS, POOR = 1.45, 12, 0.85
PAPER_MM, TRUSTED = 3.0, 0.6


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
    """Tesseract with automatic page segmentation; ``by_lists`` says whether it loads the language's lists of words."""

    def __init__(self, language: str, *, by_lists: bool = True) -> None:
        import tesserocr

        folder = find_language_data()
        for part in language.split("+"):
            if not os.path.exists(os.path.join(folder, f"{part}.traineddata")):
                raise Passing(message("engine.ocr-language-data-missing-so", part=part, replace=part.replace("_", "-")))
        self._module = tesserocr
        self._folder = folder
        variables = {} if by_lists else {"load_system_dawg": "0", "load_freq_dawg": "0"}
        self._api = tesserocr.PyTessBaseAPI(path=folder, lang=language, psm=tesserocr.PSM.AUTO, variables=variables)
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
    """Read a page upright, straight and cleaned; boxes come back in px of the upright picture.

    What comes out poor is read again at full size, and the reading that is surer of itself is kept.
    """
    scale, largest = choose_scale(picture, frame), min(1.0, LARGEST_DPI / picture.dpi)
    words = _read_at(scale, picture, frame, engine, steps)
    if scale < largest and 0 < measure_confidence(words) < POOR:
        again = _read_at(largest, picture, frame, engine, steps)
        words = max(words, again, key=measure_confidence)
    return PageText(tuple(words), frame)


def _read_at(scale: float, picture: Picture, frame: Frame, engine: Engine, steps: Steps) -> list[Word]:
    """Read a page at a share of its captured size.

    What has letters and was passed over is read again by itself: the engine's page layout drops columns of tables.
    """
    dpi = picture.dpi * scale
    straight = turn_light_on_dark(clean(straighten(picture, frame, scale=scale), dpi, steps), dpi)
    grey = take_out_leaders(straight, dpi)
    words = engine.read(grey, dpi)
    for box in find_unread(grey, dpi, words):
        words += _read_area(grey, dpi, box, engine, words[-1] if words else None)
    return [_scaled(w, 1 / scale) for w in words]


def measure_confidence(words: Sequence[Word]) -> float:
    """Return the mean confidence of the letters of words, 0 to 1; 0 for none."""
    letters = sum(len(w.text) for w in words)
    return sum(w.confidence * len(w.text) for w in words) / letters if letters else 0.0


def choose_scale(picture: Picture, frame: Frame) -> float:
    """Return at which share of its captured size a page is read: near ``READ_DPI``, small print and long tables at full size.

    At two thirds of 300 dpi large print loses no words and takes half the time; letters under ``SMALL_MM`` do lose some,
    and so do the single figures in the columns of a long table. Sizes between the two lose more than either.
    """
    if MINIMUM_DPI <= picture.dpi <= READ_DPI * 1.15:
        return 1.0
    if picture.dpi < MINIMUM_DPI:
        return READ_DPI / picture.dpi
    look = scale_by(to_grey(picture), READ_DPI / picture.dpi)
    found = measure_print(np.ascontiguousarray(np.rot90(look, -(frame.rotation // 90))), READ_DPI, frame.skew_degrees)
    is_hard = found.rows >= MANY_ROWS or (found.small_mm is not None and found.small_mm < SMALL_MM)
    return min(1.0, (LARGEST_DPI if is_hard else READ_DPI) / picture.dpi)


def _read_area(grey: Pixels, dpi: float, box: Box, engine: Engine, last: Word | None) -> list[Word]:
    """Read one area of a page with paper around it; its blocks and lines are counted on after the ``last`` word's."""
    left, top, right, bottom = box
    pad = round(PAPER_MM / 25.4 * dpi)
    part = cv2.copyMakeBorder(grey[top:bottom, left:right], pad, pad, pad, pad, cv2.BORDER_CONSTANT, value=255)
    is_line = (bottom - top) / dpi * 25.4 < LINE_MM
    found = engine.read(np.ascontiguousarray(part, dtype=np.uint8), dpi, layout="line" if is_line else "block")
    if not _is_text(found):
        return []
    block, line = (last.block + 1, last.line + 1) if last is not None else (0, 0)
    by = (left - pad, top - pad)
    return [
        replace(w, box=(w.box[0] + by[0], w.box[1] + by[1], w.box[2] + by[0], w.box[3] + by[1]), block=w.block + block,
                line=w.line + line)
        for w in found
    ]  # fmt: skip


def read_box(picture: Picture, frame: Frame, box: Box, engine: Engine) -> PageText:
    """Read one area, given in px of the upright picture, at ``CLOSE_DPI`` with some paper around it."""
    left, top, right, bottom = max(0, box[0]), max(0, box[1]), box[2], box[3]
    part = straighten_part(picture, frame, (left, top, right, bottom))
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


def _is_text(words: Sequence[Word]) -> bool:
    """Whether what was read of an area is text: not what is guessed of a drawing or a scribble, doubtful or in bits."""
    if not words or sum(w.confidence for w in words) / len(words) < TRUSTED:
        return False
    return any(w.text.isdigit() or sum(c.isalnum() for c in w.text) > 1 for w in words)


def _scaled(word: Word, factor: float) -> Word:
    left, top, right, bottom = (round(v * factor) for v in word.box)
    box: Box = (left, top, right, bottom)
    return Word(word.text, box, word.confidence, word.block, word.line)
