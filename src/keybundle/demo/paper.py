"""Drawing words on a sheet of paper, remembering where each one stands."""

from __future__ import annotations

import functools
from dataclasses import dataclass, field
from importlib.resources import files

from PIL import Image, ImageDraw, ImageFont

from keybundle.core.base.boxes import Box

FACES = {
    "serif": "Lora", "book": "CrimsonPro", "plain": "SourceSans3", "firm": "LibreFranklin", "typewriter": "CourierPrime",
}  # fmt: skip
A4_MM = (210.0, 297.0)
INK = (24, 24, 28)


@dataclass(frozen=True)
class PlacedWord:
    """A word and its true box in px of the sheet."""

    text: str
    box: Box


@functools.lru_cache(maxsize=256)
def load_face(face: str, size_px: int, bold: bool) -> ImageFont.FreeTypeFont:
    """Return one of the shipped faces at a size."""
    weight = "700Bold" if bold else "400Regular"
    path = files("keybundle.demo").joinpath("faces", f"{FACES[face]}_{weight}.ttf")
    return ImageFont.truetype(str(path), size_px, layout_engine=ImageFont.Layout.BASIC)


@dataclass
class Sheet:
    """An A4 sheet at a resolution; measures are in mm from the top left corner, type sizes in points."""

    dpi: int = 300
    colour: bool = False
    words: list[PlacedWord] = field(default_factory=list)

    def __post_init__(self) -> None:
        width, height = (round(mm / 25.4 * self.dpi) for mm in A4_MM)
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
        font = load_face(face, round(size_pt / 72 * self.dpi), bold)
        x, y = float(self.px(x_mm)), self.px(y_mm)
        if align != "left":
            length = font.getlength(text)
            x -= length if align == "right" else length / 2
        space = font.getlength(" ")
        for word in text.split():
            self._draw.text((x, y), word, font=font, fill=self._ink(ink), anchor="ls")
            left, top, right, bottom = font.getbbox(word, anchor="ls")
            box = (round(x + left), round(y + top), round(x + right), round(y + bottom))
            self.words.append(PlacedWord(word, box))
            x += font.getlength(word) + space
        return (x - space) / self.dpi * 25.4

    def paragraph(
        self, text: str, x_mm: float, y_mm: float, width_mm: float, face: str, size_pt: float, leading: float = 1.4
    ) -> float:
        """Put running text; return the baseline after the last line in mm."""
        font = load_face(face, round(size_pt / 72 * self.dpi), False)
        space, room = font.getlength(" "), self.px(width_mm)
        line: list[str] = []
        length = 0.0
        step = size_pt * leading / 72 * 25.4
        for word in text.split():
            width = font.getlength(word)
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
