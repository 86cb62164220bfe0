"""The audit trail: rows chained by hash, so that a changed, removed or swapped row shows.

Row n's hash is SHA-256 over the hash of row n-1, a line feed, and row n's line; the first row follows 64 zeros. The
line is its fields joined by tabs, with tabs, line feeds and backslashes in them escaped. A cut tail shows against
the head printed on a filing record.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Sequence
from typing import Any

from sqlalchemy import Connection, Row, insert, select

from keybundle.core.store import schema as t

START = "0" * 64


def _escape(text: str) -> str:
    return text.replace("\\", "\\\\").replace("\t", "\\t").replace("\n", "\\n").replace("\r", "\\r")


def make_line(seq: int, at: str, who: str, what: str, subject: str, detail: str) -> str:
    """Return the line of a row that its hash covers."""
    return "\t".join(_escape(part) for part in (str(seq), at, who, what, subject, detail))


def chain(previous: str, line: str) -> str:
    """Return the hash of a line that follows ``previous``."""
    return hashlib.sha256(f"{previous}\n{line}".encode()).hexdigest()


def append(c: Connection, at: str, who: str, what: str, subject: str, detail: dict[str, Any]) -> str:
    """Add a row inside the caller's transaction and return its hash, the new head."""
    return append_all(c, at, who, what, [(subject, detail)])


def append_all(c: Connection, at: str, who: str, what: str, told: Sequence[tuple[str, dict[str, Any]]]) -> str:
    """Add a row for each (subject, detail) inside the caller's transaction and return the new head."""
    last = c.execute(select(t.audit.c.seq, t.audit.c.hash).order_by(t.audit.c.seq.desc()).limit(1)).first()
    first, previous = (last.seq + 1, last.hash) if last else (1, START)
    rows = []
    for seq, (subject, detail) in enumerate(told, first):
        said = json.dumps(detail, ensure_ascii=False, sort_keys=True, separators=(",", ":"))
        previous = chain(previous, make_line(seq, at, who, what, subject, said))
        rows.append(
            {"seq": seq, "at": at, "who": who, "what": what, "subject": subject, "detail": said, "hash": previous}
        )
    if rows:
        c.execute(insert(t.audit), rows)
    return previous


def head(c: Connection) -> str:
    """Return the hash of the last row."""
    found: str | None = c.execute(select(t.audit.c.hash).order_by(t.audit.c.seq.desc()).limit(1)).scalar()
    return found or START


def _rows(c: Connection) -> Iterator[Row[Any]]:
    yield from c.execution_options(yield_per=1000).execute(select(t.audit).order_by(t.audit.c.seq))


def verify(c: Connection) -> str:
    """Return ``whole``, or ``broken at row n`` for the first row whose number or hash does not follow."""
    previous = START
    for expected, row in enumerate(_rows(c), 1):
        line = make_line(row.seq, row.at, row.who, row.what, row.subject, row.detail)
        if row.seq != expected or row.hash != chain(previous, line):
            return f"broken at row {expected}"
        previous = row.hash
    return "whole"


def export(c: Connection) -> Iterator[str]:
    """Yield ``line<TAB>hash`` for each row, for a check outside the program."""
    for row in _rows(c):
        yield make_line(row.seq, row.at, row.who, row.what, row.subject, row.detail) + "\t" + row.hash
