"""What a file says about itself: the document information of a PDF, the tags of a picture.

Sources of the names: ISO 32000-1, table 317 (PDF); TIFF 6.0 and Exif 2.3 tags; the PNG specification's text keywords.
"""

from __future__ import annotations

import re
import warnings
from collections.abc import Callable, Mapping
from datetime import date
from pathlib import Path
from typing import Any

from PIL import Image

from keybundle.core.fields.kinds import FILE_PROPERTIES
from keybundle.core.imaging.picture import FORMATS

LONGEST = 500
EXIF_IFD = 0x8769
PDF_NAMES = {
    "title": ("Title",), "author": ("Author",), "subject": ("Subject",), "keywords": ("Keywords",),
    "created": ("CreationDate",),
}  # fmt: skip
PNG_NAMES = {
    "title": ("Title",), "author": ("Author",), "description": ("Description", "Comment"),
    "created": ("Creation Time",),
}  # fmt: skip
TAGS = {"title": (0x010D,), "author": (0x013B,), "description": (0x010E,), "created": (0x9003, 0x0132)}
_DAY = re.compile(r"(?:D:)?(\d{4})[-:/]?(\d{2})[-:/]?(\d{2})")


def read_properties(path: Path, *, is_pdf: bool) -> dict[str, str]:
    """Return the properties a file tells, by their names in ``FILE_PROPERTIES``; empty for a file that tells none.

    ``created`` is a day in ISO form; a day that is none is left out. A file that cannot be opened tells nothing here:
    decoding it says why.
    """
    told = _pdf_properties(path) if is_pdf else _picture_properties(path)
    found = {name: " ".join(told[name].split())[:LONGEST] for name in FILE_PROPERTIES if told.get(name)}
    if "created" in found:
        found["created"] = _iso_day(found["created"])
    return {name: text for name, text in found.items() if text}


def _iso_day(told: str) -> str:
    """Return the day that a moment in one of the formats' own forms begins with; empty where it is none."""
    parts = _DAY.match(told)
    try:
        return date(*map(int, parts.groups())).isoformat() if parts else ""
    except ValueError:
        return ""


def _pdf_properties(path: Path) -> dict[str, str]:
    import pypdfium2 as pdfium

    try:
        document = pdfium.PdfDocument(path)
    except pdfium.PdfiumError:
        return {}
    try:
        return _named(PDF_NAMES, document.get_metadata_dict().get)
    finally:
        document.close()


def _picture_properties(path: Path) -> dict[str, str]:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(path, formats=FORMATS) as image:
                told = _named(PNG_NAMES, image.info.get)
                if image.format == "PNG" and "exif" not in image.info:
                    return told  # asking for tags would decode the whole picture to look behind it
                exif = image.getexif()
                tags = {**dict(exif), **exif.get_ifd(EXIF_IFD)}
                return {**_named(TAGS, tags.get), **told}
    except (OSError, SyntaxError, ValueError, TypeError, KeyError):
        return {}


def _named(names: Mapping[str, tuple[Any, ...]], get: Callable[[Any], Any]) -> dict[str, str]:
    """Return the first told text for each property."""
    told = {
        name: next((t for key in keys if isinstance(t := get(key), str) and t.strip()), "")
        for name, keys in names.items()
    }
    return {name: text.strip("\0 ") for name, text in told.items() if text}
