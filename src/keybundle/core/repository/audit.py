"""The audit trail: rows chained by hash, so that a changed, removed or swapped row shows.

Row n's hash is SHA-256 over the hash of row n-1, a line feed, and row n's line; the first row follows 64 zeros. The
line is its fields joined by tabs: number, time, who (id), what (a code), subject (id), the names of that time, and the
digest of the details; tabs, line feeds and backslashes in them are escaped. A cut tail shows against the head printed on
a filing record.

What changed, in detail, lies beside the row with a salt of its own; the digest is SHA-256 over salt, a line feed, and
the details. Where the law asks for it details can be purged: the chain still holds, and what is left of them is a digest
that says nothing without its salt.
"""

from __future__ import annotations

import hashlib
import json
import secrets
from collections.abc import Iterator, Sequence
from typing import Any

from sqlalchemy import Connection, Row, delete, insert, select

from keybundle.core.store import schema as t
from keybundle.core.store.setup_parts import person_name

START = "0" * 64


def _escape(text: str) -> str:
    return text.replace("\\", "\\\\").replace("\t", "\\t").replace("\n", "\\n").replace("\r", "\\r")


def make_line(row: Any) -> str:
    """Return the line of a row (its columns by name) that its hash covers."""
    parts = (str(row.seq), row.at, row.who, row.what, row.subject, row.names, row.digest)
    return "\t".join(_escape(part) for part in parts)


def chain(previous: str, line: str) -> str:
    """Return the hash of a line that follows ``previous``."""
    return hashlib.sha256(f"{previous}\n{line}".encode()).hexdigest()


def digest_of(salt: str, data: str) -> str:
    """Return the digest of details under their salt."""
    return hashlib.sha256(f"{salt}\n{data}".encode()).hexdigest()


def append(c: Connection, at: str, who: str, what: str, subject: str, detail: dict[str, Any]) -> str:
    """Add a row inside the caller's transaction and return its hash, the new head."""
    return append_all(c, at, who, what, [(subject, detail)])


def append_all(c: Connection, at: str, who: str, what: str, told: Sequence[tuple[str, dict[str, Any]]]) -> str:
    """Add a row for each (subject, detail) inside the caller's transaction and return the new head.

    ``who`` is a person's id; what they are called now is noted with it.
    """
    last = c.execute(select(t.audit.c.seq, t.audit.c.hash).order_by(t.audit.c.seq.desc()).limit(1)).first()
    first, previous = (last.seq + 1, last.hash) if last else (1, START)
    names = _plain({"who": person_name(c, who)})
    rows, details = [], []
    for seq, (subject, detail) in enumerate(told, first):
        salt, data = secrets.token_hex(16), _plain(detail)
        line = _Line(seq, at, who, what, subject, names, digest_of(salt, data))
        previous = chain(previous, make_line(line))
        rows.append({**vars(line), "hash": previous})
        details.append({"seq": seq, "salt": salt, "data": data})
    if rows:
        c.execute(insert(t.audit), rows)
        c.execute(insert(t.audit_detail), details)
    return previous


class _Line:
    """The columns of a row before it has its hash."""

    def __init__(self, seq: int, at: str, who: str, what: str, subject: str, names: str, digest: str) -> None:
        self.seq, self.at, self.who, self.what = seq, at, who, what
        self.subject, self.names, self.digest = subject, names, digest


def _plain(data: dict[str, Any]) -> str:
    return json.dumps(data, ensure_ascii=False, sort_keys=True, separators=(",", ":"))


def head(c: Connection) -> str:
    """Return the hash of the last row."""
    found: str | None = c.execute(select(t.audit.c.hash).order_by(t.audit.c.seq.desc()).limit(1)).scalar()
    return found or START


def _rows(c: Connection) -> Iterator[Row[Any]]:
    a, d = t.audit, t.audit_detail
    chosen = select(a, d.c.salt, d.c.data).outerjoin(d, d.c.seq == a.c.seq).order_by(a.c.seq)
    yield from c.execution_options(yield_per=1000).execute(chosen)


def verify(c: Connection) -> str:
    """Return ``whole``, or ``broken at row n`` for the first row whose number, hash or details do not follow."""
    previous = START
    for expected, row in enumerate(_rows(c), 1):
        is_same = row.data is None or row.digest == digest_of(row.salt, row.data)
        if row.seq != expected or row.hash != chain(previous, make_line(row)) or not is_same:
            return f"broken at row {expected}"
        previous = row.hash
    return "whole"


def export(c: Connection) -> Iterator[str]:
    """Yield ``line<TAB>hash`` for each row, for a check outside the program."""
    for row in _rows(c):
        yield make_line(row) + "\t" + row.hash


def purge(c: Connection, subject: str) -> int:
    """Forget the details of all rows about a subject, and return of how many; the chain still holds."""
    own = select(t.audit.c.seq).where(t.audit.c.subject == subject)
    return int(c.execute(delete(t.audit_detail).where(t.audit_detail.c.seq.in_(own))).rowcount)
