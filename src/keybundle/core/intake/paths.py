"""The path of an imported file: its levels, and which fields they are mapped to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import PurePath

from keybundle.core.base.records import dataclass

EXAMPLES = 4
WHOLE = -1


@dataclass(frozen=True)
class Level:
    """One level of an imported tree, from 0 at the top: how many folders it has, and some of their names."""

    number: int
    folders: int
    examples: tuple[str, ...]


def list_levels(names: Sequence[str]) -> tuple[Level, ...]:
    """Return the levels of folders above these files; names are relative paths."""
    found: list[dict[str, None]] = []
    for name in names:
        for i, part in enumerate(PurePath(name).parts[:-1]):
            if i == len(found):
                found.append({})
            found[i][part] = None
    return tuple(Level(i, len(parts), tuple(parts)[:EXAMPLES]) for i, parts in enumerate(found))


def map_path(name: str, fields: Mapping[int, str]) -> dict[str, str]:
    """Return the values that a file's path gives, by field; the level ``WHOLE`` stands for its whole folder path."""
    parts = PurePath(name).parts[:-1]
    found = {field: parts[level] for level, field in fields.items() if field and 0 <= level < len(parts)}
    if fields.get(WHOLE) and parts:
        found[fields[WHOLE]] = "/".join(parts)
    return found
