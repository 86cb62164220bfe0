"""Drawing words on a sheet of paper, remembering where each one stands."""

from __future__ import annotations

import functools
from dataclasses import field
from importlib.resources import files

from PIL import Image, ImageDraw, ImageFont

from keybundle.core.base.boxes import Box
from keybundle.core.base.records import dataclass

FACES = {
    "serif": "Lora", "book": "CrimsonPro", "plain": "SourceSans3", "firm": "LibreFranklin", "typewriter": "CourierPrime",
    "hand": "Caveat",
}  # fmt: skip
A4_MM = (210.0, 297.0)
INK = (24, 24, 28)


@dataclass(frozen=True)
class PlacedWord:
    """A word and its true box in px of the sheet."""

    text: str
    box: Box


@dataclass(frozen=True)
class Run:
    """A line of print as it was put: where it begins on its baseline in mm, its face, its size and weight."""

    text: str
    x_mm: float
    y_mm: float
    face: str
    size_pt: float
    bold: bool


@functools.lru_cache(maxsize=256)
def load_face(face: str, size_px: int, bold: bool) -> ImageFont.FreeTypeFont:
    """Return one of the shipped faces at a size."""
    return ImageFont.truetype(face_file(face, bold), size_px, layout_engine=ImageFont.Layout.BASIC)


def face_file(face: str, bold: bool) -> str:
    """Return the file of one of the shipped faces."""
    weight = "700Bold" if bold else "400Regular"
    return str(files("keybundle.demo").joinpath("faces", f"{FACES[face]}_{weight}.ttf"))


@dataclass(frozen=True)
class _Stamp:
    """A word as drawn once: its coverage, where it lies from the pen on the baseline, and how far the pen moves on."""

    mask: Image.Image
    box: Box
    advance: float


@functools.lru_cache(maxsize=20_000)
def _stamp(word: str, face: str, size_px: int, bold: bool) -> _Stamp:
    """Draw a word; the demo's words recur, and drawing one costs a millisecond in some faces."""
    font = load_face(face, size_px, bold)
    left, top, right, bottom = (round(v) for v in font.getbbox(word, anchor="ls"))
    mask = Image.new("L", (max(1, right - left), max(1, bottom - top)), 0)
    ImageDraw.Draw(mask).text((-left, -top), word, font=font, fill=255, anchor="ls")
    return _Stamp(mask, (left, top, right, bottom), font.getlength(word))


@functools.cache
def _space(face: str, size_px: int, bold: bool) -> float:
    return load_face(face, size_px, bold).getlength(" ")


@dataclass
class Sheet:
    """A sheet (A4 unless told) at a resolution; measures are in mm from the top left corner, type sizes in points."""

    dpi: int = 300
    colour: bool = False
    words: list[PlacedWord] = field(default_factory=list)
    size_mm: tuple[float, float] = A4_MM
    runs: list[Run] = field(default_factory=list)

    def __post_init__(self) -> None:
        width, height = (round(mm / 25.4 * self.dpi) for mm in self.size_mm)
        self.image = Image.new("RGB" if self.colour else "L", (width, height), "white")
        self._draw = ImageDraw.Draw(self.image)

    def px(self, mm: float) -> int:
        """Return mm as px."""
        return round(mm / 25.4 * self.dpi)

    def _ink(self, ink: tuple[int, int, int]) -> tuple[int, int, int] | int:
        return ink if self.colour else sum(ink) // 3

    def put(
        self, text: str, x_mm: float, y_mm: float, face: str = "plain", size_pt: float = 10.5, *, bold: bool = False,
        ink: tuple[int, int, int] = INK, align: str = "left",
    ) -> float:  # fmt: skip
        """Put a line with its baseline at ``y_mm``; return where it ends in mm."""
        size_px = round(size_pt / 72 * self.dpi)
        stamps = [(word, _stamp(word, face, size_px, bold)) for word in text.split()]
        space = _space(face, size_px, bold)
        x, y = float(self.px(x_mm)), self.px(y_mm)
        if align != "left":
            length = sum(stamp.advance for _, stamp in stamps) + space * (len(stamps) - 1)
            x -= length if align == "right" else length / 2
        self.runs.append(Run(text, x / self.dpi * 25.4, y_mm, face, size_pt, bold))
        for word, stamp in stamps:
            left, top, right, bottom = stamp.box
            at = (round(x) + left, y + top)
            self.image.paste(self._ink(ink), (*at, at[0] + stamp.mask.width, at[1] + stamp.mask.height), stamp.mask)
            self.words.append(PlacedWord(word, (at[0], at[1], round(x) + right, y + bottom)))
            x += stamp.advance + space
        return (x - space) / self.dpi * 25.4

    def paragraph(
        self, text: str, x_mm: float, y_mm: float, width_mm: float, face: str, size_pt: float, leading: float = 1.4
    ) -> float:
        """Put running text; return the baseline after the last line in mm."""
        size_px = round(size_pt / 72 * self.dpi)
        space, room = _space(face, size_px, False), self.px(width_mm)
        line: list[str] = []
        length = 0.0
        step = size_pt * leading / 72 * 25.4
        for word in text.split():
            width = _stamp(word, face, size_px, False).advance
            if line and length + width > room:
                self.put(" ".join(line), x_mm, y_mm, face, size_pt)
                y_mm += step
                line, length = [], 0.0
            line.append(word)
            length += width + space
        self.put(" ".join(line), x_mm, y_mm, face, size_pt)
        return y_mm + step

    def rule(self, x0: float, y0: float, x1: float, y1: float, width_mm: float = 0.25) -> None:
        """Draw a line."""
        ends = (self.px(x0), self.px(y0), self.px(x1), self.px(y1))
        self._draw.line(ends, fill=self._ink((60, 60, 66)), width=max(1, self.px(width_mm)))

    def block(self, x0: float, y0: float, x1: float, y1: float, fill: tuple[int, int, int]) -> None:
        """Fill a rectangle."""
        self._draw.rectangle((self.px(x0), self.px(y0), self.px(x1), self.px(y1)), fill=self._ink(fill))
