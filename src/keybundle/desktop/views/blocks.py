"""Blocks of cells as programs hand them over by the clipboard: lines of cells between tabs, quoted where they hold either."""

from __future__ import annotations

import contextlib
import csv
import io
from collections.abc import Sequence

QUOTE = '"'
TO_QUOTE = frozenset('\t\n\r"')


def read_block(text: str) -> list[list[str]]:
    """Return the cells of a text, line by line; a cell of several lines is one line with spaces between them.

    Quotes count where they had to be written (RFC 4180, with tabs); all others are signs like any.
    """
    plain = text.rstrip("\r\n")
    if not plain:
        return []
    rows = [line.split("\t") for line in plain.splitlines()]
    if QUOTE in plain:
        with contextlib.suppress(csv.Error):
            told = list(csv.reader(io.StringIO(plain, newline=""), delimiter="\t", strict=True))
            if any(TO_QUOTE & set(cell) for row in told for cell in row):
                rows = told
    return [[" ".join(cell.splitlines()) for cell in row] or [""] for row in rows]


def write_block(block: Sequence[Sequence[str]]) -> str:
    """Return cells as a text that ``read_block`` and other tables read alike."""
    return "\n".join("\t".join(map(_quoted, line)) for line in block)


def _quoted(cell: str) -> str:
    return QUOTE + cell.replace(QUOTE, 2 * QUOTE) + QUOTE if TO_QUOTE & set(cell) else cell
