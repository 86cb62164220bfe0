"""Sheets on which the words of a native file are shown: laid out once, the same each time, so that every word has a place.

A native file has no pages of its own. Its first sheet stands for it in strip and viewer; its PDF has all of them.
"""

from __future__ import annotations

import functools
import re
from collections.abc import Iterable, Iterator
from importlib.resources import as_file, files
from itertools import islice

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from keybundle.core.base.boxes import Frame
from keybundle.core.base.records import dataclass
from keybundle.core.imaging.picture import Picture
from keybundle.core.reading.text import PageText, Word

DPI = 200.0
WIDTH, HEIGHT, MARGIN = 1654, 2339, 118
NARROW, WIDE = 88, 150
SIGN_RATIO, LINE_RATIO = 0.632, 1.35  # of the face: the width of a sign, the height of a line
TOP_RATIO, FOOT_RATIO = 0.12, 1.2  # where its signs begin and end below the top of a line
MOST_SHEETS, SAMPLE = 400, 200
INK, PAPER, QUIET = 24, 255, 120
_WORD = re.compile(r"\S+")


@dataclass(frozen=True)
class Sheets:
    """Lines of a native file on sheets: how many signs a line has, the lines of each sheet, whether more were left out."""

    signs: int
    sheets: tuple[tuple[str, ...], ...]
    is_cut: bool = False

    @property
    def step_px(self) -> float:
        """The width of a sign in px."""
        return (WIDTH - 2 * MARGIN) / self.signs

    @property
    def line_px(self) -> float:
        """The height of a line in px."""
        return self.size_px * LINE_RATIO

    @property
    def size_px(self) -> float:
        """The size of the face in px."""
        return self.step_px / SIGN_RATIO

    def words(self, number: int, *, top: int = 0, first_line: int = 0) -> Iterator[Word]:
        """Yield the words of a sheet, in px of a page on which it begins at ``top``."""
        for i, line in enumerate(self.sheets[number]):
            y = top + MARGIN + i * self.line_px
            for found in _WORD.finditer(line):
                left, right = (round(MARGIN + at * self.step_px) for at in found.span())
                box = (left, round(y + TOP_RATIO * self.size_px), right, round(y + FOOT_RATIO * self.size_px))
                yield Word(found.group(), box, 1.0, 0, first_line + i)


def lay_out_sheets(lines: Iterable[str]) -> Sheets:
    """Put lines on sheets; long ones are broken at blanks. What goes beyond ``MOST_SHEETS`` is left out."""
    told = iter(lines)
    sample = list(islice(told, SAMPLE))
    signs = WIDE if sum(len(line) > NARROW for line in sample) > len(sample) // 4 else NARROW
    empty = Sheets(signs, ())
    per_sheet = int((HEIGHT - 2 * MARGIN) / empty.line_px)
    broken = (part for source in (sample, told) for line in source for part in _break(line, signs))
    found: list[tuple[str, ...]] = []
    while len(found) < MOST_SHEETS and (sheet := tuple(islice(broken, per_sheet))):
        found.append(sheet)
    return Sheets(signs, tuple(found) or ((),), next(broken, None) is not None)


def _break(line: str, signs: int) -> Iterator[str]:
    start = 0
    while len(line) - start > signs:
        at = line.rfind(" ", start + signs // 2, start + signs + 1)
        at = at if at > 0 else start + signs
        yield line[start:at]
        start = at
        while start < len(line) and line[start].isspace():
            start += 1
    yield line[start:]


def text_of(sheets: Sheets) -> PageText:
    """Return the words of all sheets as the text of one page: those of the first where they are seen, the others below it."""
    words: list[Word] = []
    lines = 0
    for number, sheet in enumerate(sheets.sheets):
        words += sheets.words(number, top=number * HEIGHT, first_line=lines)
        lines += len(sheet)
    return PageText(tuple(words), Frame(WIDTH, HEIGHT))


def text_of_sheet(sheets: Sheets, number: int) -> PageText:
    """Return the words of one sheet."""
    return PageText(tuple(sheets.words(number)), Frame(WIDTH, HEIGHT))


def draw_sheet(sheets: Sheets, number: int) -> Picture:
    """Draw one sheet, its number and how many there are at its foot; raises IndexError for one that is not there."""
    image = Image.new("L", (WIDTH, HEIGHT), PAPER)
    draw = ImageDraw.Draw(image)
    face = _face(sheets.size_px)
    for i, line in enumerate(sheets.sheets[number]):
        for found in _WORD.finditer(line):
            at = MARGIN + found.start() * sheets.step_px, MARGIN + i * sheets.line_px
            draw.text(at, found.group(), fill=INK, font=face)
    if len(sheets.sheets) > 1:
        foot = f"{number + 1} / {len(sheets.sheets)}"
        draw.text((WIDTH - MARGIN, HEIGHT - MARGIN // 2), foot, fill=QUIET, font=face, anchor="rm")
    return Picture(np.asarray(image, dtype=np.uint8), DPI, "grey")


@functools.cache
def _face(size_px: float) -> ImageFont.FreeTypeFont:
    with as_file(files("keybundle.core.formats") / "faces" / "AtkinsonHyperlegibleMono_400Regular.ttf") as path:
        return ImageFont.truetype(str(path), size_px)
