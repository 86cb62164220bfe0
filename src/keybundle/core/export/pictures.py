"""Pages as pictures: upright and straight, in the colours they were captured in, at their own resolution."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from PIL import Image

from keybundle.core.export.forms import JPEG, PNG
from keybundle.core.export.pdfa import SourcePage, sheets_of
from keybundle.core.formats.pages import decode_page
from keybundle.core.imaging.render import straighten

JPEG_QUALITY = 90
HALF = 128


def draw_page(page: SourcePage) -> tuple[Image.Image, float]:
    """Return the upright picture of a page and its resolution in dpi; raises InputProblem for a damaged one."""
    picture = decode_page(page.path, page.index, kind=page.kind)
    pixels = straighten(picture, page.text.frame, grey=picture.pixels.ndim == 2)
    image = Image.fromarray(pixels)
    if picture.mode == "1-bit":
        image = image.point(lambda v: 255 if v >= HALF else 0).convert("1", dither=Image.Dither.NONE)
    return image, picture.dpi


def save_tiff(pages: Sequence[SourcePage], target: Path) -> None:
    """Write pages as one TIFF: group 4 for 1-bit pages, else Deflate; raises OSError, InputProblem."""
    drawn = (draw_page(p) for p in sheets_of(pages))
    first, dpi = next(drawn)
    with target.open("w+b") as out:  # further pages are linked to the one before, which is read again
        first.save(out, "TIFF", compression=_packing(first), dpi=(dpi, dpi), save_all=True, append_images=_told(drawn))


def _told(drawn: Iterator[tuple[Image.Image, float]]) -> Iterator[Image.Image]:
    for image, dpi in drawn:
        image.encoderinfo = {"compression": _packing(image), "dpi": (dpi, dpi)}
        yield image


def _packing(image: Image.Image) -> str:
    return "group4" if image.mode == "1" else "tiff_adobe_deflate"


def save_page(page: SourcePage, target: Path, form: str) -> None:
    """Write a page as PNG or JPEG; raises OSError, InputProblem."""
    image, dpi = draw_page(page)
    with target.open("wb") as out:
        if form == JPEG:
            grey = image.convert("L") if image.mode == "1" else image
            grey.save(out, "JPEG", quality=JPEG_QUALITY, dpi=(dpi, dpi))
        elif form == PNG:
            image.save(out, "PNG", dpi=(dpi, dpi), compress_level=3)
        else:
            raise ValueError(f"{form} is no form of single pages")
