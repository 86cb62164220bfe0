"""Separator sheets: what they say, and how they are found.

The content is ``KB1;kind[;type]``, both as a QR code and as a Code 128, printed twice: upright and upside down.
"""

from __future__ import annotations

import zxingcpp

from keybundle.core.base.records import dataclass
from keybundle.core.imaging.judge import shrink
from keybundle.core.imaging.picture import Picture, Pixels, to_grey
from keybundle.core.marks.stripes import stripe_share

PREFIX = "KB1"
KINDS = ("document",)
_LOOK_DPI = (150.0, 300.0)


@dataclass(frozen=True)
class Separator:
    """A separator sheet's meaning; ``type_name`` is empty for a generic one."""

    kind: str = "document"
    type_name: str = ""

    @property
    def content(self) -> str:
        """The text in the codes."""
        return ";".join([PREFIX, self.kind, *([self.type_name] if self.type_name else [])])


def parse_content(content: str) -> Separator | None:
    """Return the separator a code's text means, or None for any other text."""
    parts = content.strip().split(";")
    if len(parts) not in (2, 3) or parts[0] != PREFIX or parts[1] not in KINDS:
        return None
    return Separator(parts[1], parts[2].strip() if len(parts) == 3 else "")


def find_separator(picture: Picture) -> Separator | None:
    """Return what a separator sheet on this page says, or None.

    The page is looked at near 150 dpi; only where a code is seen but cannot be read, once more near 300 dpi.
    """
    grey = to_grey(picture)
    for dpi in _LOOK_DPI:
        small, _ = shrink(grey, picture.dpi, dpi)
        for text in read_codes(small):
            if (found := parse_content(text)) is not None:
                return found
        if picture.dpi <= dpi * 1.2 or not _shows_a_code(small):
            break
    return None


def read_codes(grey: Pixels) -> list[str]:
    """Return the texts of QR and Code 128 symbols on a grey picture."""
    formats = (zxingcpp.BarcodeFormat.QRCode, zxingcpp.BarcodeFormat.Code128)
    found = zxingcpp.read_barcodes(grey, formats=formats, try_rotate=True, try_downscale=False, try_invert=False)
    return [code.text for code in found if code.valid]


def _shows_a_code(grey: Pixels) -> bool:
    found = zxingcpp.read_barcodes(
        grey, formats=zxingcpp.BarcodeFormat.QRCode, try_rotate=False, try_downscale=False, return_errors=True
    )
    return bool(found) or stripe_share(grey) > 0.02
