"""Tables as text (RFC 4180, and with semicolons or tabs)."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator
from pathlib import Path, PurePath

from keybundle.core.base.page_kind import PageKind
from keybundle.core.formats import names
from keybundle.core.formats.encoding import MOST_BYTES, encoding_of, load_text
from keybundle.core.formats.opened import Opened

MARKS = ",;\t"
WIDEST, SAMPLE_ROWS = 32, 200
csv.field_size_limit(1 << 24)


def recognises(head: bytes, name: str) -> bool:
    """Whether a text is a table by its name: two columns and commas look like sentences otherwise."""
    return PurePath(name).suffix.lower() in names.TABLES and bool(encoding_of(head))


def open(path: Path, name: str) -> Opened:
    """Take it as one piece."""
    return Opened("text/csv", PageKind.CSV, 1)


def read_lines(path: Path) -> Iterator[str]:
    """Yield its rows, the columns below each other as far as they are no wider than ``WIDEST`` signs."""
    told = load_text(path, MOST_BYTES)
    rows = [[" ".join(cell.split()) for cell in row] for row in csv.reader(io.StringIO(told), delimiter=_mark_of(told))]
    widths: list[int] = []
    for row in rows[:SAMPLE_ROWS]:
        widths += [0] * (len(row) - len(widths))
        widths[: len(row)] = [max(w, min(WIDEST, len(cell))) for w, cell in zip(widths, row, strict=False)]
    for row in rows:
        yield "  ".join(cell.ljust(widths[i] if i < len(widths) else 0) for i, cell in enumerate(row)).rstrip()


def _mark_of(told: str) -> str:
    """Return what stands between the columns: the sign that the first line has most of, outside of quotes."""
    first = told.splitlines()[0] if told else ""
    bare = "".join(first.split('"')[::2])
    return max(MARKS, key=bare.count)
