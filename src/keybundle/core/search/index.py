"""The full-text index (SQLite FTS5) over filed documents and over pages still in batches: what is put in and taken out.

The index holds no texts of its own: to take something out it must be told what was put in. So ``search_row`` names the
pages' texts (``page_text``, which never change), and takes them out by these before they are let go of.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from sqlalchemy import Connection, bindparam, delete, insert, select, text, update

from keybundle.core.base.days import month_of
from keybundle.core.reading.text import plain_of
from keybundle.core.store import schema as t
from keybundle.core.store.database import Database
from keybundle.core.store.pieces import in_pieces
from keybundle.core.store.texts import load_texts

FILED, WAITING = "document", "page"


class Kept(NamedTuple):
    """What hits are counted by: ids of type and cabinet, and the month of filing (``2026-11``)."""

    type: str = ""
    cabinet: str = ""
    month: str = ""


WAITING_KEPT = Kept()
_r = t.search_row.c
_KNOWN = select(t.search_row).where(_r.ref == bindparam("wanted"))
_MAKE = insert(t.search_row).returning(_r.id)
_CHANGE = update(t.search_row).where(_r.id == bindparam("row"))
_INSERT = text("INSERT INTO search_text(rowid, caption, vals, body) VALUES (:id, :caption, :vals, :body)")
_DELETE = text(
    "INSERT INTO search_text(search_text, rowid, caption, vals, body) VALUES ('delete', :id, :caption, :vals, :body)"
)


def put(
    c: Connection, kind: str, ref: str, caption: str, values: str, texts: Sequence[int], of: Kept = WAITING_KEPT
) -> None:
    """Make something findable by its caption, its values and the texts of its pages, or replace what it was findable by.

    What is replaced keeps its place among the newest. ``of``: type, cabinet and month that hits are counted by.
    """
    new = {"caption": caption, "vals": values, "texts": list(texts), **of._asdict()}
    known = c.execute(_KNOWN, {"wanted": ref}).first()
    if known is None:
        key = c.execute(_MAKE, {"kind": kind, "ref": ref, **new}).scalar_one()
    else:
        key = known.id
        _take_out(c, known.id, known.caption, known.vals, known.texts)
        c.execute(_CHANGE.values(kind=kind, **new), {"row": key})
    c.execute(_INSERT, {"id": key, "caption": caption, "vals": values, "body": body_of(c, texts)})


def change(c: Connection, ref: str, *, caption: str | None = None, values: str | None = None) -> None:
    """Let something be found by another caption or other values (tags among them); nothing where it is not findable."""
    known = c.execute(_KNOWN, {"wanted": ref}).first()
    if known is not None:
        caption, values = (
            caption if caption is not None else known.caption,
            values if values is not None else known.vals,
        )
        put(c, known.kind, ref, caption, values, known.texts, Kept(known.type, known.cabinet, known.month))


def remove(c: Connection, refs: Iterable[str]) -> None:
    """Make things no longer findable."""
    for ref in refs:
        known = c.execute(_KNOWN, {"wanted": ref}).first()
        if known is not None:
            _take_out(c, known.id, known.caption, known.vals, known.texts)
            c.execute(delete(t.search_row).where(_r.id == known.id))


def month_anew(database: Database, zone: str) -> None:
    """Bring the months that hits are counted by to a time zone, in pieces; begun again it goes on with what is left."""
    sql = (
        "SELECT r.id, r.month, d.filed_at FROM search_row r JOIN document d ON d.id = r.ref "
        "WHERE r.kind = 'document' AND substr(d.filed_at, 9, 2) NOT BETWEEN '03' AND '26'"
    )
    with database.read() as c:
        rows = c.execute(text(sql)).all()
    due = [(r.id, month) for r in rows if (month := month_of(r.filed_at, zone)) != r.month]

    def write_one(c: Connection, one: tuple[int, str]) -> None:
        c.execute(update(t.search_row).where(_r.id == one[0]).values(month=one[1]))

    in_pieces(database, due, write_one)


def body_of(c: Connection, texts: Sequence[int]) -> str:
    """Return the words of pages as they are put into the index."""
    found = load_texts(c, texts)
    return "\n".join(plain_of(found[i]) for i in texts if i in found)


def _take_out(c: Connection, key: int, caption: str, values: str, texts: Sequence[int]) -> None:
    c.execute(_DELETE, {"id": key, "caption": caption, "vals": values, "body": body_of(c, texts)})
