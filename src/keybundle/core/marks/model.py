"""The marks of a page as plain data: which to look for, and what was found."""

from __future__ import annotations

from typing import Any

from keybundle.core.base.boxes import Box
from keybundle.core.base.records import dataclass

BARCODE, PATCH = "barcode", "patch code"


@dataclass(frozen=True)
class Mark:
    """A mark found on a page: its kind, its format or symbol, its text, and its box in px of the captured picture."""

    kind: str
    format: str
    text: str
    box: Box

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> Mark:
        """Return a mark from plain data."""
        return cls(data["kind"], data["format"], data["text"], tuple(data["box"]))


@dataclass(frozen=True)
class Wanted:
    """What to look for on a page: separator sheets, barcode formats (``any``: all), patch codes with their table."""

    separator: bool = False
    formats: tuple[str, ...] = ()
    patches: tuple[tuple[str, str], ...] = ()

    @property
    def names(self) -> tuple[str, ...]:
        """What is looked for, as kept with a page."""
        patch = ("patch code",) if self.patches else ()
        return (*(("separator",) if self.separator else ()), *patch, *self.formats)
