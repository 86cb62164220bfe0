"""The words of pages as they lie in the database: each once, under a number; what lies there never changes."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from sqlalchemy import BindParameter, Connection, bindparam, delete, exists, insert, select

from keybundle.core.store import schema as t

MOST_BOUND = 500
_ID: BindParameter[int] = bindparam("text")
_IDS: BindParameter[int] = bindparam("texts", expanding=True)
_LOAD = select(t.page_text.c.id, t.page_text.c.bytes).where(t.page_text.c.id.in_(_IDS))
_PUT = insert(t.page_text).returning(t.page_text.c.id)
_DROP = delete(t.page_text).where(
    t.page_text.c.id == _ID,
    ~exists().where(t.page.c.text_id == _ID),
    ~exists().where(t.version_page.c.text_id == _ID),
)


def put_text(c: Connection, data: bytes) -> int:
    """Keep a text (bytes of ``PageText``) and return its number."""
    return int(c.execute(_PUT, {"bytes": data}).scalar_one())


def load_texts(c: Connection, ids: Iterable[int]) -> dict[int, bytes]:
    """Return texts by their numbers; those that are gone are left out."""
    wanted, found = list(ids), dict[int, bytes]()
    for start in range(0, len(wanted), MOST_BOUND):
        found |= {r.id: r.bytes for r in c.execute(_LOAD, {"texts": wanted[start : start + MOST_BOUND]})}
    return found


def drop_texts(c: Connection, ids: Sequence[int]) -> None:
    """Let go of texts that no page and no version names any more; nothing may be found by them then."""
    for text_id in ids:
        c.execute(_DROP, {"text": text_id})
