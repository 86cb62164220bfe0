"""The path of a folder as one text: put together and taken apart here, and nowhere else."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import ColumnElement

_SEPARATOR = "\x1f"
WORDS_SQL = "replace({path}, char(31), ' ')"
"""SQL for the words of a joined path, apart by spaces."""
_AFTER = chr(ord(_SEPARATOR) + 1)


def join_path(path: Sequence[str]) -> str:
    """Return the values of a path as one text; empty for the cabinet itself."""
    return _SEPARATOR.join(path)


def split_path(joined: str) -> tuple[str, ...]:
    """Return the values that a path was put together from."""
    return tuple(joined.split(_SEPARATOR)) if joined else ()


def say_path(path: Sequence[str]) -> str:
    """Return a path for people to read."""
    return " / ".join(path)


def clean_value(value: str) -> str:
    """Return a value that can be a folder's: what would take a path apart becomes a space."""
    return value.replace(_SEPARATOR, " ").strip() if _SEPARATOR in value else value


def is_below(column: ColumnElement[Any], path: Sequence[str]) -> ColumnElement[bool]:
    """Return the condition that a joined path lies below a path that is not empty; one range of an index."""
    low, high = bounds_below(join_path(path))
    return (column > low) & (column < high)


def bounds_below(joined: str) -> tuple[str, str]:
    """Return the bounds, both outside, of all joined paths that lie below a path that is not empty."""
    return joined + _SEPARATOR, joined + _AFTER


def is_within(column: ColumnElement[Any], path: Sequence[str]) -> ColumnElement[bool]:
    """Return the condition that a joined path is a path that is not empty, or lies below it."""
    return (column == join_path(path)) | is_below(column, path)
