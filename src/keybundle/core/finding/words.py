"""Hits of words: filed documents and pages still in batches, ranked by the index; and the words around a hit.

A word that stands in very many texts is ranked among the newest ``MOST_RANKED`` hits alone, and that is said: ranking all of
a million costs seconds, and nobody leafs through them.
"""

from __future__ import annotations

import json
import re
from collections.abc import Collection, Iterable, Sequence
from typing import Any

from sqlalchemy import Connection, text

from keybundle.core.base.folding import fold
from keybundle.core.base.records import dataclass
from keybundle.core.finding.documents import Facets, facets_of
from keybundle.core.finding.query import MOST_COUNTED, Asked, DocumentQuery, ask
from keybundle.core.search.index import FILED
from keybundle.core.search.query import Query
from keybundle.core.store.setup_parts import time_zone
from keybundle.core.store.texts import load_texts

NO_FACETS = Facets()
MARK_START, MARK_END = "\x02", "\x03"
MOST_RANKED = 10_000
MOST_WANTED = 50_000
MOST_WAITING = 2_000
SNIPPET_WORDS = 18
WEIGHTS = "4.0, 2.0, 1.0"


@dataclass(frozen=True)
class Hit:
    """A filed document or waiting page that answers."""

    ref: str
    is_filed: bool


@dataclass(frozen=True)
class Hits:
    """The best hits from ``offset`` on, how many there are in all, and whether only the newest were ranked and counted."""

    hits: tuple[Hit, ...]
    total: int
    is_more: bool
    facets: Facets = NO_FACETS


@dataclass(frozen=True)
class Work:
    """Which work not filed yet may be found: pages (None: all), batches (None: all), but not these documents."""

    pages: Collection[str] | None = None
    batches: Collection[str] | None = None
    but: Collection[str] = ()


def find_hits(
    c: Connection, query: DocumentQuery, work: Work, *, limit: int = 200, offset: int = 0, counted: bool = False
) -> Hits:
    """Return the best hits of a query: by its words, without words the newest documents that meet its conditions.

    What is filed meets the conditions too where there are words. ``counted``: with their facets.
    """
    match = query.asked.match_expression()
    asked = ask(c, query, most=MOST_WANTED if match else MOST_COUNTED)
    # The hits lie in a table of this connection while they are counted and the best of them are picked.
    c.execute(
        text("CREATE TEMP TABLE IF NOT EXISTS hit(rank REAL, id TEXT, kind TEXT, type TEXT, cabinet TEXT, month TEXT)")
    )
    c.execute(text("DELETE FROM temp.hit"))
    if not match:
        is_more = _gather_by_conditions(c, asked)
    elif asked.leads is not None:
        is_more = False
        _gather_among_few(c, match, asked, work)
    else:
        is_more = _gather_newest(c, match, asked, query, work)
    total = int(c.execute(text("SELECT COUNT(*) FROM temp.hit")).scalar() or 0)
    best = text("SELECT id, kind FROM temp.hit ORDER BY rank, id LIMIT :limit OFFSET :offset")
    rows = c.execute(best, {"limit": limit, "offset": offset}).all()
    facets = (
        facets_of(c, "SELECT id, type, cabinet, month FROM temp.hit WHERE kind = 'document'", {})
        if counted
        else NO_FACETS
    )
    return Hits(tuple(Hit(r.id, r.kind == FILED) for r in rows), total, is_more, facets)


def _gather_by_conditions(c: Connection, asked: Asked) -> bool:
    """Gather the newest documents that meet all conditions; return whether there are more."""
    # Away from a month's ends it is that of UTC in every time zone, and nothing is to be reckoned.
    month = (
        "CASE WHEN substr(d.filed_at, 9, 2) BETWEEN '03' AND '26' THEN substr(d.filed_at, 1, 7) "
        "ELSE month_in(d.filed_at, :zone) END"
    )
    sql = (
        f"INSERT INTO temp.hit SELECT -d.number, d.id, 'document', d.type, d.cabinet, {month} "
        f"{asked.sql} ORDER BY d.number DESC LIMIT :most"
    )
    c.execute(text(sql), {**asked.bound, "most": MOST_RANKED + 1, "zone": time_zone(c)})
    return _drop_the_last(c)


def _gather_newest(c: Connection, match: str, asked: Asked, query: DocumentQuery, work: Work) -> bool:
    """Gather the newest hits that may be found and meet the conditions; return whether there are more."""
    allowed, bound = _allowed(asked, query, work)
    sql = (
        f"INSERT INTO temp.hit SELECT bm25(search_text, {WEIGHTS}), r.ref, r.kind, r.type, r.cabinet, r.month FROM search_text "
        f"CROSS JOIN search_row r ON r.id = search_text.rowid WHERE search_text MATCH :match {allowed} "
        "ORDER BY search_text.rowid DESC LIMIT :most"
    )
    c.execute(text(sql), {**bound, "match": match, "most": MOST_RANKED + 1})
    return _drop_the_last(c)


def _drop_the_last(c: Connection) -> bool:
    """Leave no more than ``MOST_RANKED`` hits; return whether there was one more, the one gathered last."""
    is_more = int(c.execute(text("SELECT COUNT(*) FROM temp.hit")).scalar() or 0) > MOST_RANKED
    if is_more:
        c.execute(text("DELETE FROM temp.hit WHERE rowid = (SELECT MAX(rowid) FROM temp.hit)"))
    return is_more


def waiting_documents(c: Connection, match: str) -> set[str] | None:
    """Return the documents not filed yet that have a hit of these words; None where hits are too many to be looked through."""
    counted = text("SELECT COUNT(*) FROM (SELECT 1 FROM search_text WHERE search_text MATCH :match LIMIT :most)")
    if int(c.execute(counted, {"match": match, "most": MOST_WAITING}).scalar() or 0) >= MOST_WAITING:
        return None
    sql = (
        "SELECT DISTINCT p.document_id FROM search_text CROSS JOIN search_row r ON r.id = search_text.rowid "
        "JOIN page p ON p.id = r.ref WHERE search_text MATCH :match AND r.kind = 'page' AND p.document_id IS NOT NULL"
    )
    return set(c.execute(text(sql), {"match": match}).scalars())


def list_filed(c: Connection, query: DocumentQuery, most: int = MOST_RANKED) -> list[str]:
    """Return the filed documents among the hits, the best first, no more than ``most``."""
    found = find_hits(c, query, Work(pages=()), limit=most)
    return [hit.ref for hit in found.hits if hit.is_filed]


def _newest(c: Connection, match: str, most: int) -> list[int]:
    sql = text("SELECT rowid FROM search_text WHERE search_text MATCH :match ORDER BY rowid DESC LIMIT :most")
    return list(c.execute(sql, {"match": match, "most": most}).scalars())


def _allowed(asked: Asked, query: DocumentQuery, work: Work) -> tuple[str, dict[str, Any]]:
    """Return SQL over ``search_row r`` that a hit must meet, empty where nothing is left out, and what is bound in it."""
    bound: dict[str, Any] = dict(asked.bound)
    filed, pages = "r.kind = 'document'", "r.kind = 'page'"
    is_narrow = bool(query.view.hidden or query.cabinet or query.type or query.values or query.asked.conditions)
    if is_narrow:
        filed += f" AND EXISTS (SELECT 1 FROM document d WHERE d.id = r.ref AND {asked.probes})"
    if work.pages is not None:
        bound["pages"] = json.dumps(sorted(work.pages))
        pages += " AND r.ref IN (SELECT value FROM json_each(:pages))"
    if work.batches is not None:
        bound["batches"] = json.dumps(sorted(work.batches))
        pages += " AND r.ref IN (SELECT id FROM page WHERE batch_id IN (SELECT value FROM json_each(:batches)))"
    if work.but:
        bound["but"] = json.dumps(sorted(work.but))
        pages += " AND r.ref NOT IN (SELECT id FROM page WHERE document_id IN (SELECT value FROM json_each(:but)))"
    is_open = work.pages is None and work.batches is None and not work.but
    return ("" if not is_narrow and is_open else f"AND (({filed}) OR ({pages}))"), bound


def _gather_among_few(c: Connection, match: str, asked: Asked, work: Work) -> None:
    """Gather the hits where a condition leaves few documents: of all hits of the words those that are among them.

    The plus lets the index be walked once, between the first and the last of these documents; asked for each of them by
    itself it would begin anew every time.
    """
    bound, ids = dict(asked.bound), f"SELECT d.id {asked.sql}"
    if work.pages:
        bound["pages"] = json.dumps(sorted(work.pages))
        ids += " UNION ALL SELECT value FROM json_each(:pages)"
    c.execute(text("CREATE TEMP TABLE IF NOT EXISTS wanted(id INTEGER PRIMARY KEY)"))
    c.execute(text("DELETE FROM temp.wanted"))
    c.execute(text(f"INSERT INTO temp.wanted SELECT r.id FROM search_row r WHERE r.ref IN ({ids})"), bound)
    ends = c.execute(text("SELECT MIN(id) AS low, MAX(id) AS high FROM temp.wanted")).one()
    sql = (
        f"INSERT INTO temp.hit SELECT bm25(search_text, {WEIGHTS}), r.ref, r.kind, r.type, r.cabinet, r.month FROM search_text "
        "CROSS JOIN search_row r ON r.id = search_text.rowid WHERE search_text MATCH :match "
        "AND search_text.rowid >= :low AND search_text.rowid <= :high AND +search_text.rowid IN (SELECT id FROM temp.wanted)"
    )
    c.execute(text(sql), {"match": match, "low": ends.low or 0, "high": ends.high or 0})


def make_snippets(c: Connection, refs: Iterable[str], query: Query) -> dict[str, str]:
    """Return the words around the first place that answers, for each ref; they stand between MARK_START and MARK_END."""
    from keybundle.core.reading.text import plain_of

    sql = text("SELECT caption, vals, texts FROM search_row WHERE ref = :ref")
    wanted = [fold(w) for w in (*query.words, *(w for p in query.phrases for w in p.split()))]
    found: dict[str, str] = {}
    for ref in refs:
        row = c.execute(sql, {"ref": ref}).first()
        if row is None:
            continue
        ids = json.loads(row.texts)
        for text_id in ids:
            data = load_texts(c, [text_id]).get(text_id)
            if data is not None and (snippet := cut_snippet(plain_of(data), wanted)):
                found[ref] = snippet
                break
        else:
            found[ref] = cut_snippet(row.vals, wanted) or cut_snippet(row.caption, wanted) or row.vals[:120]
    return found


def cut_snippet(plain: str, wanted: Sequence[str]) -> str:
    """Return the words around the first that begins like one of the wanted (folded) ones; empty where none does."""
    words = plain.split()
    # Folded in one go, unless that parts words otherwise.
    folded = fold(plain).split()
    folded = folded if len(folded) == len(words) else [fold(word) for word in words]
    hits = [i for i, word in enumerate(folded) if _answers(word, wanted)]
    if not hits:
        return ""
    first = max(0, hits[0] - SNIPPET_WORDS // 3)
    last = min(len(words), first + SNIPPET_WORDS)
    said = " ".join(
        f"{MARK_START}{word}{MARK_END}" if i in hits else word for i, word in enumerate(words[first:last], first)
    )
    return ("… " if first else "") + said + (" …" if last < len(words) else "")


def _answers(folded: str, wanted: Sequence[str]) -> bool:
    if not any(w in folded for w in wanted):
        return False
    return any(part.startswith(w) for part in re.findall(r"\w+", folded) for w in wanted)
