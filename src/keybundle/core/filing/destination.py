"""Where a document goes, computed from its values: the folder's values, the caption, and what is still missing."""

from __future__ import annotations

import re
from collections.abc import Mapping

from keybundle.core.base.records import dataclass
from keybundle.core.fields.values import FieldValue
from keybundle.core.setup.formulas import fill_caption, read_level
from keybundle.core.setup.model import DocumentType, Setup


@dataclass(frozen=True)
class Destination:
    """Cabinet and folder by id; a folder value that cannot be computed yet is None.

    ``titles`` are the names of the cabinet and of its levels, ``missing`` those of the fields to fill.
    """

    cabinet: str
    folder: tuple[tuple[str, str | None], ...]
    missing: tuple[str, ...]
    titles: tuple[str, ...]

    @property
    def is_known(self) -> bool:
        """Whether every level has its value."""
        return all(value is not None for _, value in self.folder)

    @property
    def path(self) -> list[str]:
        """The cabinet's name and the folder's values; unknown ones as an empty text."""
        return [self.titles[0], *(value or "" for _, value in self.folder)]


def compute_destination(kind: DocumentType, setup: Setup, values: Mapping[str, FieldValue]) -> Destination:
    """Compute the destination of a document of this type with these values."""
    cabinet = setup.cabinet(kind.cabinet)
    levels = cabinet.levels if cabinet else ()
    folder = tuple((level, _level_value(kind.folder.get(level, level), values)) for level in levels)
    missing = [f.id for f in kind.fields if f.required and not (f.id in values and values[f.id].items)]
    for level, value in folder:
        source = read_level(kind.folder.get(level, level)).field
        if value is None and source not in missing:
            missing.append(source)
    titles = (cabinet.name, *(f.name for f in cabinet.folder_fields)) if cabinet else (kind.cabinet,)
    return Destination(kind.cabinet, folder, tuple(kind.label(f) for f in missing), titles)


def _level_value(rule: str, values: Mapping[str, FieldValue]) -> str | None:
    level = read_level(rule)
    value = values.get(level.field)
    if value is None or not value.items:
        return None
    text = value.items[0]
    if not level.part:
        return text
    iso = re.match(r"^(\d{4})-(\d{2})-\d{2}$", text)
    return (iso[1] if level.part == "year" else iso[2]) if iso else None


def make_caption(kind: DocumentType, values: Mapping[str, FieldValue]) -> str:
    """Return the caption by the type's pattern; unknown values are left out."""
    pattern = kind.caption or " ".join("{" + f.id + "}" for f in kind.fields[:2])
    return fill_caption(pattern, {name: v.text for name, v in values.items()}) or kind.name
