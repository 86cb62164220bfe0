"""Looking for the marks of one page: barcodes and patch codes."""

from __future__ import annotations

import numpy as np
import zxingcpp

from keybundle.core.base.boxes import Box
from keybundle.core.imaging.judge import shrink
from keybundle.core.imaging.picture import Picture, to_grey
from keybundle.core.marks.model import BARCODE, PATCH, Mark, Wanted
from keybundle.core.marks.patches import find_patch
from keybundle.core.marks.stripes import stripe_share

FORMATS = {
    "Code 128": zxingcpp.BarcodeFormat.Code128, "Code 39": zxingcpp.BarcodeFormat.Code39,
    "EAN-13": zxingcpp.BarcodeFormat.EAN13, "EAN-8": zxingcpp.BarcodeFormat.EAN8,
    "ITF": zxingcpp.BarcodeFormat.ITF, "Codabar": zxingcpp.BarcodeFormat.Codabar,
    "QR": zxingcpp.BarcodeFormat.QRCode, "Data Matrix": zxingcpp.BarcodeFormat.DataMatrix,
    "PDF417": zxingcpp.BarcodeFormat.PDF417, "Aztec": zxingcpp.BarcodeFormat.Aztec,
}  # fmt: skip
_LOOK_DPI = (150.0, 300.0)
UNREAD_STRIPES = 0.003


def find_marks(picture: Picture, wanted: Wanted) -> tuple[Mark, ...]:
    """Return the barcodes and patch codes of a page that are asked for; separator sheets are found apart."""
    found: list[Mark] = []
    if wanted.formats:
        found += find_barcodes(picture, wanted.formats)
    if wanted.patches:
        patch = find_patch(picture, dict(wanted.patches))
        found += [Mark(PATCH, patch.symbol, patch.symbol, patch.box)] if patch else []
    return tuple(found)


def find_barcodes(picture: Picture, formats: tuple[str, ...]) -> list[Mark]:
    """Return the barcodes of these formats, in px of the captured picture.

    The page is looked at near 150 dpi, and near 300 dpi where something that looks like a code was not read there.
    """
    asked = list(FORMATS.values()) if "any" in formats else [FORMATS[f] for f in formats]
    names = {value: name for name, value in FORMATS.items()}
    grey = to_grey(picture)
    found: dict[tuple[str, str], Mark] = {}
    for dpi in _LOOK_DPI:
        small, at = shrink(grey, picture.dpi, dpi)
        for code in zxingcpp.read_barcodes(
            small, formats=asked, try_rotate=True, try_downscale=False, try_invert=False
        ):
            if code.valid:
                name = names.get(code.format, str(code.format))
                mark = Mark(BARCODE, name, code.text, _box(code.position, picture.dpi / at))
                found.setdefault((name, code.text), mark)
        known = [_scaled(m.box, at / picture.dpi) for m in found.values()]
        if picture.dpi <= dpi * 1.2 or stripe_share(small, known) < UNREAD_STRIPES:
            break
    return list(found.values())


def _scaled(box: Box, factor: float) -> Box:
    left, top, right, bottom = (round(v * factor) for v in box)
    return left, top, right, bottom


def _box(position: zxingcpp.Position, factor: float) -> Box:
    corners = np.array(
        [(p.x, p.y) for p in (position.top_left, position.top_right, position.bottom_right, position.bottom_left)]
    )
    left, top = (corners.min(axis=0) * factor).round().astype(int)
    right, bottom = (corners.max(axis=0) * factor).round().astype(int)
    return int(left), int(top), int(right), int(bottom)
