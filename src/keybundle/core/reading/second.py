"""Second, independent readers for the places of values, never for pages. Only workers load them, when first needed.

For figures a small line-recognition network: it reads numbers, codes and dates where the first reader slips, runs words of
prose together, drops signs of currency and knows no accents. For words Tesseract with the data of the whole Latin script,
which knows the accents that a page's one language does not: too slow for pages, right for names.

The network is the recognition model of the wheel ``rapidocr-onnxruntime`` (a convolutional one with connectionist temporal
classification: A. Graves et al., Connectionist temporal classification, ICML 2006); nothing else of that wheel is used.
"""

from __future__ import annotations

import functools
import importlib.util
import unicodedata
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Protocol

import cv2
import numpy as np
import numpy.typing as npt

from keybundle.core.base.boxes import Box, Frame
from keybundle.core.base.errors import Passing
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.imaging.picture import Picture, Pixels
from keybundle.core.imaging.render import straighten_part
from keybundle.core.reading.engine import TesseractEngine

PACKAGE, MODEL = "rapidocr_onnxruntime", "models/ch_PP-OCRv4_rec_infer.onnx"
SCRIPT = "Latin"
HIGH_PX, WIDEST_PX, NARROWEST_PX, LINE_DPI = 48, 2000, 24, 300.0
ABOVE, BESIDE = 0.25, 0.4  # paper around a line, in its heights


@dataclass(frozen=True)
class LineRead:
    """What stands on a line, and the mean confidence of its characters from 0 to 1; nothing read is empty at 0."""

    text: str
    confidence: float


class LineReader:
    """Reads pictures of single lines."""

    def __init__(self) -> None:
        import onnxruntime

        found = importlib.util.find_spec(PACKAGE)
        folders = list(found.submodule_search_locations or ()) if found else []
        path = Path(folders[0], MODEL) if folders else Path(MODEL)
        if not path.is_file():
            raise Passing(message("second.second-reader-s-model-missing"))
        options = onnxruntime.SessionOptions()
        options.intra_op_num_threads = options.inter_op_num_threads = 1
        options.log_severity_level = 3
        self._session: Any = onnxruntime.InferenceSession(str(path), options, providers=["CPUExecutionProvider"])
        self._input = self._session.get_inputs()[0].name
        signs = self._session.get_modelmeta().custom_metadata_map["character"].splitlines()
        self._signs = ["", *signs, " "]  # class 0 is the pause between characters, the last one the space

    def read(self, grey: Pixels) -> LineRead:
        """Return what a line says, given as ``(H, W) uint8`` with 0 = ink and little paper around it."""
        scale = HIGH_PX / grey.shape[0]
        width = min(WIDEST_PX, max(NARROWEST_PX, round(grey.shape[1] * scale)))
        small = cv2.resize(grey, (width, HIGH_PX), interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC)
        plane = small.astype(np.float32) / 127.5 - 1
        (said,) = self._session.run(None, {self._input: np.broadcast_to(plane, (1, 3, HIGH_PX, width)).copy()})
        return decode_path(said[0], self._signs)


def decode_path(said: npt.NDArray[np.float32], signs: Sequence[str]) -> LineRead:
    """Return the best path of ``(steps, classes)`` probabilities: repeated classes are one, class 0 is a pause."""
    best = said.argmax(axis=1)
    starts = np.flatnonzero((best > 0) & (best != np.concatenate(([0], best[:-1]))))
    if not len(starts):
        return LineRead("", 0.0)
    text = unicodedata.normalize("NFKC", "".join(signs[i] for i in best[starts]))  # it knows figures of full width too
    return LineRead(text.strip(), float(said[starts, best[starts]].mean()))


class WordReader:
    """Reads pictures of single lines of words in any language of the Latin script."""

    def __init__(self) -> None:
        # Its lists of words change nothing of a line that is read by itself, and take 84 MB and a third of a second.
        self._engine = TesseractEngine(SCRIPT, by_lists=False)

    def read(self, grey: Pixels) -> LineRead:
        """Return what a line says, given as ``(H, W) uint8`` with 0 = ink; its confidence is that of its poorest word."""
        words = self._engine.read(grey, LINE_DPI, layout="line")
        return LineRead(" ".join(w.text for w in words), min((w.confidence for w in words), default=0.0))


class SecondReader(Protocol):
    """Reads the picture of a single line."""

    def read(self, grey: Pixels) -> LineRead:
        """Return what a line says, given as ``(H, W) uint8`` with 0 = ink and little paper around it."""
        ...


@functools.lru_cache(maxsize=1)
def get_line_reader() -> LineReader:
    """Return this process's second reader for figures; raises Passing where its model is missing."""
    return LineReader()


@functools.lru_cache(maxsize=1)
def get_word_reader() -> WordReader:
    """Return this process's second reader for words; raises Passing where its data is missing."""
    return WordReader()


def read_lines(picture: Picture, frame: Frame, boxes: Sequence[Box], reader: SecondReader) -> list[LineRead]:
    """Read lines of a page again, each box in px of the upright picture; an empty or far-off box reads as nothing."""
    found = []
    for left, top, right, bottom in boxes:
        high = bottom - top
        above, beside = round(ABOVE * high), round(BESIDE * high)
        part = straighten_part(picture, frame, (left - beside, top - above, right + beside, bottom + above))
        is_whole = right > left and bottom > top and bool(part.size)
        found.append(reader.read(part) if is_whole else LineRead("", 0.0))
    return found
