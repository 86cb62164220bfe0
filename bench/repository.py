"""A repository of a million documents: made once from a seed and kept, then asked what a window asks, beside the bare query.

The store is written by SQL, as filing would have written it (folders with their counts, texts once, the index by the same
statements), because filing a million one by one would take days. How long a question takes is told as the 95th percentile
of ``ROUNDS`` rounds, each with other words, values and places; the bare query fetches the same rows with sqlite3 alone.
"""

from __future__ import annotations

import json
import random
import shutil
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import time
import zlib
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from bench.yardstick import CACHE, SHAPE
from keybundle.core.base.folding import fold
from keybundle.core.base.sorting import sort_key
from keybundle.core.finding import documents
from keybundle.core.finding.query import DocumentQuery
from keybundle.core.rights.model import Grantee, Right
from keybundle.core.workflows.find.find import find
from keybundle.core.workflows.index import slip_help
from keybundle.core.workflows.keep.documents import browsing
from keybundle.core.workflows.oversee import worklist
from keybundle.core.workflows.session import access
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.session import Session
from keybundle.core.workflows.session.signing_in import choose_person
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.demo import seed
from keybundle.demo.names import PEOPLE

DOCUMENTS, PAGES, ROUNDS, SEED = 1_000_000, 2, 20, 20261126
SUPPLIERS, YEARS = 2_000, range(2016, 2026)
OPEN_BATCHES, PAGES_OF_BATCH = 40, 100
WORDS_OF_PAGE, VOCABULARY = 20, 40_000
COMMON, MIDDLING = "gate", "sluice"
CHUNK = 20_000
AIM_MS, AIM_COMMON_MS, AIM_RATIO, GAP_MS = 50, 150, 1.5, 60
SYLLABLES = (
    "ba",
    "dro",
    "fen",
    "gil",
    "hum",
    "jor",
    "kel",
    "lim",
    "mor",
    "nat",
    "pel",
    "quo",
    "rus",
    "sil",
    "tam",
    "ulv",
)


@dataclass(frozen=True)
class Made:
    """What the store was filled with, as the questions need it."""

    words: Sequence[str]
    suppliers: Sequence[str]


def vocabulary() -> list[str]:
    """Return invented words, the same each time."""
    rng = random.Random(SEED)
    found: dict[str, None] = {}
    while len(found) < VOCABULARY:
        found["".join(rng.choice(SYLLABLES) for _ in range(rng.randint(2, 4)))] = None
    return list(found)


def million() -> Path:
    """Return a data directory with a million documents; it is kept between runs."""
    data = CACHE / f"million-{SHAPE}-{SEED}"
    if not (data / "made").exists():
        shutil.rmtree(data, ignore_errors=True)
        made = open_workspace(data)
        seed.begin(made)
        locale = made.setup.locale
        made.close()
        _fill(data / "keybundle.sqlite", locale)
        (data / "made").touch()
    return data


def _fill(path: Path, locale: str) -> None:
    c = sqlite3.connect(path)
    c.executescript(
        "PRAGMA journal_mode = WAL; PRAGMA synchronous = OFF; PRAGMA temp_store = MEMORY; PRAGMA cache_size = -400000"
    )
    suppliers = [f"{a.title()} {b.title()} {i}" for i, (a, b) in enumerate(_pairs(SUPPLIERS))]
    folders = _fill_folders(c, suppliers, locale)
    words, rng = vocabulary(), random.Random(SEED)
    weights = [1 / (rank + 10) for rank in range(len(words))]
    for start in range(0, DOCUMENTS, CHUNK):
        drawn = iter(rng.choices(words, weights, k=CHUNK * PAGES * WORDS_OF_PAGE))
        _fill_documents(c, range(start, start + CHUNK), suppliers, folders, drawn, rng)
        c.commit()
        print(f"  {start + CHUNK:,} documents", flush=True)
    _fill_open(c)
    c.execute("UPDATE folder SET documents = (SELECT COUNT(*) FROM document d WHERE d.folder_id = folder.id "
              "AND d.removed_at IS NULL), last = COALESCE((SELECT MAX(number) FROM document d WHERE d.folder_id = folder.id "
              "AND d.removed_at IS NULL), 0)")  # fmt: skip
    c.commit()
    c.execute("INSERT INTO search_text(search_text) VALUES ('optimize')")
    c.executescript("PRAGMA analysis_limit = 1000; ANALYZE; PRAGMA wal_checkpoint(TRUNCATE)")
    c.commit()
    c.close()


def _pairs(number: int) -> Iterator[tuple[str, str]]:
    rng, words = random.Random(SEED + 1), vocabulary()
    for _ in range(number):
        yield rng.choice(words), rng.choice(words)


def _fill_folders(c: sqlite3.Connection, suppliers: Sequence[str], locale: str) -> dict[tuple[str, str], int]:
    """Make a folder for each year and supplier, and return their numbers."""
    rows: list[tuple[Any, ...]] = [(1, "Purchasing", None, -1, "", "", "", "")]
    levels: list[tuple[Any, ...]] = []
    found: dict[tuple[str, str], int] = {}
    keys = {s: sort_key(s, locale) for s in (*suppliers, *map(str, YEARS))}
    number = 1
    for year in map(str, YEARS):
        number += 1
        top = number
        rows.append((top, "Purchasing", 1, 0, "Year", year, year, fold(year)))
        levels.append(("Purchasing", "Year", keys[year], year, top))
        for supplier in suppliers:
            number += 1
            path = f"{year}\x1f{supplier}"
            rows.append((number, "Purchasing", top, 1, "Supplier", supplier, path, fold(f"{year} {supplier}")))
            levels += [
                ("Purchasing", "Year", keys[year], year, number),
                ("Purchasing", "Supplier", keys[supplier], supplier, number),
            ]
            found[year, supplier] = number
    c.executemany(
        "INSERT INTO folder(id, cabinet, parent_id, level, field, value, path, folded, documents, last) "
        "VALUES (?,?,?,?,?,?,?,?,0,0)",
        rows,
    )
    c.executemany("INSERT INTO folder_level(cabinet, field, sort_key, value, folder_id) VALUES (?,?,?,?,?)", levels)
    return found


def _fill_documents(
    c: sqlite3.Connection, numbers: range, suppliers: Sequence[str], folders: dict[tuple[str, str], int],
    drawn: Iterator[str], rng: random.Random,
) -> None:  # fmt: skip
    rows: dict[str, list[tuple[Any, ...]]] = {
        n: [] for n in ("text", "document", "version", "page", "value", "row", "index")
    }
    for i in numbers:
        year, supplier = str(YEARS[0] + i * len(YEARS) // DOCUMENTS), suppliers[int(len(suppliers) * rng.random() ** 2)]
        key, day = f"d{i:07d}", f"{year}-{i % 12 + 1:02d}-{i % 28 + 1:02d}"
        total = f"{rng.randrange(1, 500_000) / 100:.2f}"
        caption = f"{supplier} R-{i:07d}"
        texts = []
        for page in range(PAGES):
            words = [next(drawn) for _ in range(WORDS_OF_PAGE)]
            words += [COMMON] * (page == 0 and rng.random() < 0.3) + [MIDDLING] * (page == 1 and rng.random() < 0.01)
            text_id = i * PAGES + page + 1
            texts.append(" ".join(words))
            plain = {"frame": [1653, 2338, 0, 0.0],
                     "words": [[w, 100, 100 + 30 * n, 300, 120 + 30 * n, 0.9, 0, n] for n, w in enumerate(words)]}  # fmt: skip
            rows["text"].append((text_id, zlib.compress(json.dumps(plain, separators=(",", ":")).encode(), 1)))
            rows["page"].append((key, 1, page, f"{text_id:064x}", 0, "picture", f"p{text_id}", "[1653, 2338, 0, 0.0]", 200.0,
                                 text_id, "", "scan", ""))  # fmt: skip
        kind = "Delivery note" if i % 5 == 0 else "Bill"
        rows["document"].append((key, i + 1, "Purchasing", folders[year, supplier], kind, caption, f"{day}T08:00:00+00:00",
                                 "person-3", f"k{i}", f"b{i // 100}", PAGES))  # fmt: skip
        values = {"Supplier": supplier, "Bill number": f"R-{i:07d}", "Bill date": day, "Total": total, "Year": year}
        for name, value in values.items():
            number = float(value) if name in ("Total", "Year") else None
            data = json.dumps({"items": [value], "confidence": 1.0, "origin": "page"})
            rows["value"].append((key, name, value, fold(value), number, data))
        rows["version"].append((key, day, "Bill", folders[year, supplier], caption))
        said = " ".join((*values.values(), year, supplier))
        rows["row"].append((i + 1, key, caption, said, json.dumps([i * PAGES + 1, i * PAGES + 2]), kind, day[:7]))
        rows["index"].append((i + 1, caption, said, "\n".join(texts)))
    for name, statement in STATEMENTS.items():
        c.executemany(statement, rows[name])


STATEMENTS = {
    "text": "INSERT INTO page_text(id, bytes) VALUES (?,?)",
    "document": "INSERT INTO document(id, number, cabinet, folder_id, type, caption, filed_at, filed_by, filing_key, batch_id, "
    "pages, version, revision) VALUES (?,?,?,?,?,?,?,?,?,?,?,1,0)",
    "version": "INSERT INTO version(document_id, number, at, who, comment, type, folder_id, caption, data, tags) "
    "VALUES (?, 1, ?, 'person-3', 'as filed', ?, ?, ?, '{}', '[]')",
    "page": "INSERT INTO version_page(document_id, version, position, file_sha, source_index, kind, page_id, frame, dpi, "
    "text_id, flat_sha, source, name, colour, steps) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,'','[]')",
    "value": "INSERT INTO document_value(document_id, field, position, value, folded, number, data) VALUES (?,?,0,?,?,?,?)",
    "row": "INSERT INTO search_row(id, kind, ref, caption, vals, texts, type, cabinet, month) "
    "VALUES (?, 'document', ?, ?, ?, ?, ?, 'Purchasing', ?)",
    "index": "INSERT INTO search_text(rowid, caption, vals, body) VALUES (?,?,?,?)",
}  # fmt: skip


def _fill_open(c: sqlite3.Connection) -> None:
    """Make open batches with pages that wait, beside as many closed ones as the documents came in."""
    closed = DOCUMENTS // 100
    c.executemany(
        "INSERT INTO batch(id, routine, origin, owner, created_at, captured_at, closed_at, two_sided, paper_mm, "
        "next_captured, cut, revision) VALUES (?, 'Post', 'Scanner', 'person-3', ?, ?, ?, 0, '[210.0, 297.0]', 9, '{}', 0)",
        [(f"b{i}", f"2025-01-{i % 28 + 1:02d}T08:00:00+00:00", "2025", "2025" if i < closed else None)
         for i in range(closed + OPEN_BATCHES)],
    )  # fmt: skip
    c.executemany(
        "INSERT INTO batch_document(id, batch_id, break_reason, type, state, proposed, tags, revision, trouble) "
        "VALUES (?, ?, '', 'Bill', ?, 1, '[]', 0, '')",
        [(f"x{b}-{n}", f"b{closed + b}", "ready" if n % 2 else "to check")
         for b in range(OPEN_BATCHES) for n in range(PAGES_OF_BATCH // 2)],
    )  # fmt: skip
    # Pages of closed batches lie there too: two million that no question may walk through.
    page = (
        "INSERT INTO page(id, batch_id, captured, position, source, source_index, sheet, side, file_sha, kind, captured_at, "
        "trouble, turn, disposition, document_id, name, language, text_origin, arrival, cut, stage, text_rotation) "
        "VALUES (?, ?, ?, ?, 's', 0, 1, 'front', 'sha', 'picture', '2025-01-01', '', 0, 'kept', ?, '', '', '', '', 1, 'read', 0)"
    )
    c.executemany(
        page, ((f"p{i + 1}", f"b{i // 200}", i % 200, i % 200, f"c{i // 2}") for i in range(DOCUMENTS * PAGES))
    )
    c.executemany(
        page,
        (
            (f"w{b}-{n}", f"b{closed + b}", n, n, f"x{b}-{n // 2}")
            for b in range(OPEN_BATCHES)
            for n in range(PAGES_OF_BATCH)
        ),
    )


@dataclass(frozen=True)
class Question:
    """Something the window asks: by the product (a round's number in), and bare (SQL and what is bound); what is aimed at."""

    name: str
    ask: Callable[[int], object]
    bare: Callable[[int], tuple[str, Sequence[Any]]]
    aim_ms: int = AIM_MS


def _questions(me: Session, words: Sequence[str], suppliers: Sequence[str]) -> list[Question]:
    ws = me.workspace

    def reading(work: Callable[[Any, int], object]) -> Callable[[int], object]:
        def ask(i: int) -> object:
            with ws.place.database.read() as c:
                return work(c, i)

        return ask

    def of(i: int) -> str:
        return suppliers[(i * 97) % 400]

    number = lambda i: f"R-{(i * 48_611) % DOCUMENTS:07d}"  # noqa: E731
    order = ("Year", "Supplier")
    level = "FROM folder_level l CROSS JOIN folder f ON f.id = l.folder_id WHERE l.cabinet = 'Purchasing'"
    newest = (
        "SELECT id FROM document WHERE cabinet = 'Purchasing' AND removed_at IS NULL ORDER BY number DESC LIMIT 200"
    )
    fts = (
        "SELECT r.ref, bm25(search_text, 4.0, 2.0, 1.0) AS k FROM search_text CROSS JOIN search_row r ON "
        "r.id = search_text.rowid WHERE search_text MATCH ? AND search_text.rowid > {floor} ORDER BY k LIMIT 60"
    )
    common_floor = int(DOCUMENTS - 10_000 / 0.3)
    value = "SELECT document_id FROM document_value WHERE field = ? AND folded = ?"
    return [
        Question("Cabinets, two columns, nothing chosen", lambda _: browsing.load_columns(me, "Purchasing", order, {}),
                 lambda _: (f"SELECT l.value, SUM(f.documents) {level} AND l.field = 'Supplier' GROUP BY l.sort_key, l.value "
                            "LIMIT 500", ())),
        Question("Cabinets, a year chosen",
                 lambda i: browsing.load_columns(me, "Purchasing", order, {"Year": str(YEARS[i % 10])}),
                 lambda i: (f"SELECT l.value, SUM(f.documents) {level} AND l.field = 'Supplier' AND l.folder_id IN (SELECT "
                            "folder_id FROM folder_level WHERE cabinet = 'Purchasing' AND field = 'Year' AND value = ?) "
                            "GROUP BY l.sort_key, l.value LIMIT 500", (str(YEARS[i % 10]),))),
        Question("Cabinets, a supplier chosen",
                 lambda i: browsing.load_columns(me, "Purchasing", order, {"Supplier": of(i)}),
                 lambda i: ("SELECT id FROM document WHERE removed_at IS NULL AND folder_id IN (SELECT folder_id FROM "
                            "folder_level WHERE cabinet = 'Purchasing' AND field = 'Supplier' AND value = ?) "
                            "ORDER BY number DESC LIMIT 200", (of(i),))),
        Question("Cabinets, first rows",
                 reading(lambda c, _: documents.load_page(c, DocumentQuery(cabinet="Purchasing"))),
                 lambda _: (newest, ())),
        Question("Find, a common word", lambda _: find(me, COMMON, limit=60),
                 lambda _: (fts.format(floor=common_floor), (COMMON,)), AIM_COMMON_MS),
        Question("Find, a middling word", lambda _: find(me, MIDDLING, limit=60),
                 lambda _: (fts.format(floor=0), (MIDDLING,)), AIM_COMMON_MS),
        Question("Find, a rare word", lambda i: find(me, number(i), limit=60),
                 lambda i: (fts.format(floor=0), (f'"{number(i)}"',))),
        Question("Find, two words", lambda i: find(me, f"{COMMON} {words[1_000 + i * 50]}", limit=60),
                 lambda i: (fts.format(floor=0), (f"{COMMON} AND {words[1_000 + i * 50]}",))),
        Question("Find, a word and a condition", lambda i: find(me, f'{COMMON} Supplier = "{of(i)}"', limit=60),
                 lambda i: (f"SELECT r.ref FROM search_row r WHERE r.ref IN ({value}) AND EXISTS (SELECT 1 FROM search_text "
                            "WHERE search_text MATCH ? AND rowid = r.id) LIMIT 60", ("Supplier", fold(of(i)), COMMON)),
                 AIM_COMMON_MS),
        Question("Find, a range", lambda i: find(me, f"Total > {4_990 - i}", limit=60),
                 lambda i: ("SELECT d.id FROM document d WHERE d.id IN (SELECT document_id FROM document_value WHERE field = "
                            "'Total' AND number > ?) ORDER BY d.number DESC LIMIT 60", (4_990.0 - i,))),
        Question("Find, a wide range", lambda i: find(me, f"Total > {1_000 + i}", limit=60),
                 lambda i: ("SELECT d.id FROM document d WHERE d.removed_at IS NULL AND EXISTS (SELECT 1 FROM document_value p "
                            "WHERE p.document_id = d.id AND p.field = 'Total' AND +p.number > ?) "
                            "ORDER BY d.number DESC LIMIT 60", (1_000.0 + i,)), AIM_COMMON_MS),
        Question("work list", lambda _: worklist.list_work(me),
                 lambda _: ("SELECT p.batch_id, p.document_id, MIN(p.position), COUNT(*) FROM page p WHERE p.batch_id IN (SELECT "
                            "id FROM batch WHERE closed_at IS NULL) AND p.document_id IS NOT NULL GROUP BY 1, 2", ())),
        Question("today", lambda _: worklist.count_today(me),
                 lambda _: ("SELECT SUM(documents) FROM folder", ())),
        Question("type-ahead, a letter", reading(lambda c, i: documents.earlier_values(c, "Supplier", "bdfg"[i % 4])),
                 lambda i: ("SELECT DISTINCT value FROM document_value WHERE field = 'Supplier' AND folded >= ? LIMIT 8",
                            ("bdfg"[i % 4],))),
        Question("type-ahead, a number", reading(lambda c, i: documents.earlier_values(c, "Bill number", f"r-{i:02d}")),
                 lambda i: ("SELECT value FROM document_value WHERE field = 'Bill number' AND folded >= ? LIMIT 64",
                            (f"r-{i:02d}",))),
        Question("filed already", reading(lambda c, i: documents.find_same(
                     c, DocumentQuery(type="Bill", values={"Supplier": of(i), "Bill number": number(i)}))),
                 lambda i: (f"{value} LIMIT 3", ("Bill number", number(i).casefold()))),
        Question("folders to choose", lambda i: slip_help.list_folders(me, "Purchasing", of(i).split()[0]),
                 lambda i: ("SELECT path FROM folder WHERE cabinet = 'Purchasing' AND folded LIKE ? LIMIT 200",
                            (f"%{fold(of(i).split()[0])}%",))),
    ]  # fmt: skip


def _times(work: Callable[[int], object]) -> list[float]:
    work(0)
    found = []
    for i in range(1, ROUNDS + 1):
        start = time.perf_counter()
        work(i)
        found.append((time.perf_counter() - start) * 1000)
    return sorted(found)


def _percentile(times: Sequence[float]) -> float:
    return times[int(0.95 * (len(times) - 1))]


def _keep_folders(ws: Workspace, suppliers: Sequence[str]) -> None:
    """Keep one supplier in twenty, in one year, from who asks."""
    admin = choose_person(ws, PEOPLE[0][0])
    for supplier in suppliers[:400:20]:
        access.keep_to(
            admin, access.Spot("Purchasing", ("2020", supplier)),
            {Grantee("role", "administrator"): list(Right), Grantee("role", "supervisor"): [Right.LOOK]},
        )  # fmt: skip


def measure_repository() -> list[str]:
    """Ask the million: as somebody who sees all, then as a junior from whom twenty folders are kept."""
    source, words = million(), vocabulary()
    suppliers = [f"{a.title()} {b.title()} {i}" for i, (a, b) in enumerate(_pairs(SUPPLIERS))]
    with tempfile.TemporaryDirectory(prefix="keybundle-million-", dir=CACHE) as folder:
        data = Path(folder) / "data"
        shutil.copytree(source, data)
        ws = open_workspace(data)
        me = choose_person(ws, PEOPLE[2][0])
        rows = []
        with sqlite3.connect(data / "keybundle.sqlite") as bare:
            for q in _questions(me, words, suppliers):
                ours = _times(q.ask)
                theirs = _times(lambda i, q=q: bare.execute(*q.bare(i)).fetchall())  # type: ignore[misc]
                rows.append(_row(q.name, ours, theirs, q.aim_ms))
                print(rows[-1], flush=True)
        bare.close()
        _keep_folders(ws, suppliers)
        rows += _in_the_window(data)
        for q in _questions(me, words, suppliers)[:11]:
            rows.append(_row(f"a junior: {q.name}", _times(q.ask), None, q.aim_ms))
            print(rows[-1], flush=True)
        ws.close()
    return rows


def _in_the_window(data: Path) -> list[str]:
    """Return the longest gaps of the event loop while the window is worked in on a store like this."""
    shutil.copytree(data, data.with_name("window"))
    child = [sys.executable, "-m", "bench.window_child", str(data.with_name("window")), "million"]
    out = subprocess.run(child, check=True, capture_output=True, text=True).stdout.split()
    *gaps, memory = (float(x) for x in out[-8:])
    what = ("the cabinet's table scrolls, 200 rows a step", "years are chosen", "a search is typed", "searches are answered",
            "hits are scrolled", "a batch of 100 pages is opened", "a document is filed")  # fmt: skip
    rows = [
        f"| million: longest event-loop gap while {name} | {'**' * (gap > GAP_MS)}{gap:.0f} ms{'**' * (gap > GAP_MS)} | | | "
        f"{GAP_MS} ms |"
        for name, gap in zip(what, gaps, strict=True)
    ]
    rows.append(f"| million: memory of the interface process afterwards | {memory:.0f} MB | | | |")
    print(*rows, sep="\n", flush=True)
    return rows


def _row(name: str, ours: Sequence[float], theirs: Sequence[float] | None, aim_ms: int) -> str:
    ratio = f"{statistics.median(ours) / max(0.01, statistics.median(theirs)):.1f}" if theirs else ""
    beside = f"bare query {_percentile(theirs):.1f} ms" if theirs else ""
    told = f"{_percentile(ours):.0f} ms at the 95th percentile"
    told = f"**{told}**" if _percentile(ours) > aim_ms else told
    return f"| million: {name} | {told} | {beside} | {ratio} | {aim_ms} ms, {AIM_RATIO} |"
