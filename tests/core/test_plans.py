"""What the database reads to answer: no question walks through all pages, documents or values that an index can answer.

The plans are SQLite's own (EXPLAIN QUERY PLAN) for the statements that the workflows really make, on 100,000 documents.
"""

from __future__ import annotations

import json
import re
import sqlite3
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, event

from keybundle.core.finding import documents
from keybundle.core.finding.query import DocumentQuery
from keybundle.core.workflows.arrange.bench import load_bench
from keybundle.core.workflows.find import find
from keybundle.core.workflows.keep.documents import browsing
from keybundle.core.workflows.oversee import worklist
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.demo import seed
from tests.support import DataTest, acting

DOCUMENTS, SUPPLIERS = 100_000, 80
WALK = re.compile(r"SCAN (page|document|document_value|p|d|v|version_page)\b(?! USING (COVERING )?INDEX)")
AGAINST = "no index answers this"


def fill(path: str) -> None:
    """Put 100,000 documents with two pages and four values each into a store, and one open batch."""
    c = sqlite3.connect(path)
    for name in (r[0] for r in c.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'").fetchall()):
        c.execute(f"DROP TRIGGER {name}")
    numbers = range(DOCUMENTS)
    c.executemany(
        "INSERT INTO folder(id, cabinet, parent_id, level, field, value, path, folded, documents, last) "
        "VALUES (?, 'Purchasing', ?, ?, ?, ?, ?, ?, ?, ?)",
        [(1, None, 0, "Year", "2026", "2026", "2026", 0, 0),
         *((10 + i, 1, 1, "Supplier", f"Supplier {i}", f"2026\x1fSupplier {i}", f"2026 supplier {i}", DOCUMENTS // SUPPLIERS,
            DOCUMENTS - SUPPLIERS + i + 1)
           for i in range(SUPPLIERS))],
    )  # fmt: skip
    c.executemany(
        "INSERT INTO folder_level(cabinet, field, sort_key, value, folder_id) VALUES ('Purchasing', ?, ?, ?, ?)",
        [("Year", b"2026", "2026", 1),
         *(("Year", b"2026", "2026", 10 + i) for i in range(SUPPLIERS)),
         *(("Supplier", f"{i:04d}".encode(), f"Supplier {i}", 10 + i) for i in range(SUPPLIERS))],
    )  # fmt: skip
    c.executemany(
        "INSERT INTO batch(id, routine, origin, owner, created_at, captured_at, closed_at, two_sided, paper_mm, "
        "next_captured, cut, revision) VALUES (?, 'Post', 'x', 'Elspra Towpath', ?, '2026', ?, 0, '[210, 297]', 9, "
        "'{}', 0)",
        [(f"b{i}", f"2026-01-{i % 28 + 1:02d}T08:00:00+00:00", "2026" if i else None) for i in range(DOCUMENTS // 100)],
    )  # fmt: skip
    c.executemany(
        "INSERT INTO batch_document(id, batch_id, break_reason, type, state, filed_id, proposed, tags, revision, trouble) "
        "VALUES (?, ?, '', 'Bill', ?, ?, 1, '[]', 0, '')",
        [(f"x{i}", f"b{i // 100}", "ready" if i < 100 else "filed", None if i < 100 else f"d{i}") for i in numbers],
    )  # fmt: skip
    c.executemany(
        "INSERT INTO page(id, batch_id, captured, position, source, source_index, sheet, side, file_sha, kind, captured_at, "
        "trouble, turn, disposition, document_id, name, language, text_origin, arrival, cut, stage, text_rotation) VALUES "
        "(?, ?, ?, ?, 's', 0, 1, 'front', 'sha', 'picture', '2026-01-01', 'none', 0, 'kept', ?, '', '', '', '', 1, 'failed', 0)",
        [(f"p{i}", f"b{i // 200}", i % 200, i % 200, f"x{i // 2}") for i in range(2 * DOCUMENTS)],
    )  # fmt: skip
    c.executemany(
        "INSERT INTO document(id, number, cabinet, folder_id, type, caption, filed_at, filed_by, filing_key, batch_id, pages, "
        "version, revision) VALUES (?, ?, 'Purchasing', ?, ?, 'Bill', ?, 'me', ?, ?, 2, 1, 0)",
        [(f"d{i}", i + 1, 10 + i % SUPPLIERS, "Bill" if i % 9 else "Letter", f"2026-01-{i % 28 + 1:02d}", f"k{i}",
          f"b{i // 100}") for i in numbers],
    )  # fmt: skip
    fields = ("Bill number", "Total", "Supplier", "Year")
    values = ((f"d{i}", f, _value(f, i)) for i in numbers for f in fields)
    c.executemany(
        "INSERT INTO document_value(document_id, field, position, value, folded, number, data) VALUES (?, ?, 0, ?, ?, ?, ?)",
        (
            (d, f, v, v.casefold(), float(v) if f in ("Total", "Year") else None, json.dumps({"items": [v], "origin": "page"}))
            for d, f, v in values
        ),
    )  # fmt: skip
    c.executemany(
        "INSERT INTO search_row(id, kind, ref, caption, vals, texts, type, cabinet, month) "
        "VALUES (?, 'document', ?, 'bill', ?, '[]', 'Bill', 'Purchasing', '2026-01')",
        [(i + 1, f"d{i}", f"R-{i}") for i in numbers],
    )
    c.executemany("INSERT INTO search_text(rowid, caption, vals, body) VALUES (?, 'bill', ?, ?)",
                  [(i + 1, f"R-{i}", "gate lock" if i % 3 else "gate") for i in numbers])  # fmt: skip
    c.commit()
    c.close()


def _value(field: str, i: int) -> str:
    return {
        "Bill number": f"R-{i}",
        "Total": f"{i % 5000}.00",
        "Supplier": f"Supplier {i % SUPPLIERS}",
        "Year": "2026",
    }[field]


class Plans(DataTest):
    ws: Workspace
    made: tempfile.TemporaryDirectory[str]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.made = tempfile.TemporaryDirectory(prefix="keybundle-plans-")
        data = Path(cls.made.name) / "data"
        made = open_workspace(data)
        seed.begin(made)
        made.close()
        fill(str(data / "keybundle.sqlite"))
        cls.ws = open_workspace(data)

    @classmethod
    def tearDownClass(cls) -> None:
        cls.ws.close()
        cls.made.cleanup()
        super().tearDownClass()

    def plans(self, work: Callable[[], Any]) -> list[str]:
        """Return the steps of the plans of all statements that some work makes."""
        engine, made = self.ws.place.database._engine, []

        def keep(conn: Any, cursor: Any, statement: str, parameters: Any, *more: Any) -> None:
            if statement.lstrip().startswith(("SELECT", "WITH", "INSERT INTO temp")):
                made.append((statement, parameters))

        event.listen(engine, "before_cursor_execute", keep)
        try:
            work()
        finally:
            event.remove(engine, "before_cursor_execute", keep)
        steps: list[str] = []
        with sqlite3.connect(self.ws.place.database.path) as c:
            c.create_function("fold", 1, str.casefold, deterministic=True)
            c.create_function("month_in", 2, lambda moment, zone: moment[:7], deterministic=True)
            c.execute("CREATE TEMP TABLE wanted(id INTEGER PRIMARY KEY)")
            c.execute("CREATE TEMP TABLE hit(rank REAL, id TEXT, kind TEXT, type TEXT, cabinet TEXT, month TEXT)")
            for statement, parameters in made:
                steps += [
                    f"{row[3]}   <- {statement[:90]}"
                    for row in c.execute(f"EXPLAIN QUERY PLAN {statement}", parameters)
                ]
        c.close()
        return steps

    def test_no_question_walks_through_everything(self) -> None:
        database, by_year = self.ws.place.database, {"Year": "2026"}

        def asking(question: Callable[[Connection], Any]) -> Callable[[], Any]:
            def ask() -> Any:
                with database.read() as c:
                    return question(c)

            return ask

        both = DocumentQuery(type="Bill", values={"Bill number": "R-5", "Supplier": "Supplier 5"})
        questions: dict[str, Callable[[], Any]] = {
            "work list": lambda: worklist.list_work(acting(self.ws)),
            "today": lambda: worklist.count_today(acting(self.ws)),
            "unread pages": lambda: find.count_unread(acting(self.ws)),
            "a bench": lambda: load_bench(acting(self.ws), "b0"),
            "a word": lambda: find.find(acting(self.ws), "lock"),
            "a range": lambda: find.find(acting(self.ws), "Total > 4990"),
            "a word and a range": lambda: find.find(acting(self.ws), "lock Total > 4000"),
            "a value": lambda: find.find(acting(self.ws), "Bill number = R-77"),
            "a type": lambda: find.find(acting(self.ws), "type = letter"),
            "a day": lambda: find.find(acting(self.ws), "filed = 2026-01-05"),
            "columns": lambda: browsing.load_columns(acting(self.ws), "Purchasing", ("Year", "Supplier"), by_year),
            "filed already": asking(lambda c: documents.find_same(c, both)),
            "known values": asking(lambda c: documents.known_values(c, "Bill", "Bill number", ["R-5", "R-6"])),
            "earlier values": asking(lambda c: documents.earlier_values(c, "Bill number", "r-77")),
            "folders": asking(lambda c: documents.list_folders(c, "Purchasing", "supplier 7")),
            "recent folders": asking(lambda c: documents.recent_folders(c, "Purchasing")),
        }  # fmt: skip
        slow = {}
        for name, work in questions.items():
            start = time.perf_counter()
            work()
            slow[name] = time.perf_counter() - start
            walked = [step for step in self.plans(work) if WALK.match(step)]
            self.assertEqual(walked, [], f"{name}: {AGAINST}")
        print("\nseconds at 100,000 documents:", {k: round(v, 3) for k, v in slow.items()})

    def test_the_answers_are_right(self) -> None:
        # Source: the numbers that the store was filled with, counted in Python.
        over = [i for i in range(DOCUMENTS) if i % 5000 > 4990]
        found = find.find(acting(self.ws), "Total > 4990", limit=10_000)
        self.assertEqual({h.id for h in found.hits}, {f"d{i}" for i in over})
        both = [i for i in range(DOCUMENTS) if i % 5000 == 12 and i % 3]
        self.assertEqual(
            {h.id for h in find.find(acting(self.ws), "lock Total = 12", limit=1000).hits}, {f"d{i}" for i in both}
        )
        self.assertEqual([h.id for h in find.find(acting(self.ws), "Bill number = R-77").hits], ["d77"])
        common = find.find(acting(self.ws), "lock")
        self.assertEqual((common.is_more, common.total, len(common.hits)), (True, 10_000, 200))
        newest = [i for i in range(DOCUMENTS) if i % 3][-10_000]
        numbers = [int(h.id[1:]) for h in common.hits]
        self.assertTrue(all(n % 3 and n >= newest for n in numbers), "the newest alone are ranked")
        opened = browsing.load_columns(acting(self.ws), "Purchasing", ("Year", "Supplier"), {"Supplier": "Supplier 7"})
        self.assertEqual([(e.value, e.count) for e in opened.columns[0].entries], [("2026", DOCUMENTS)])
        of_seven = [f"d{i}" for i in range(DOCUMENTS) if i % SUPPLIERS == 7][::-1]
        self.assertEqual((opened.total, list(opened.documents)), (len(of_seven), of_seven[:200]))
        assert opened.after is not None
        more = browsing.load_more(acting(self.ws), "Purchasing", {"Supplier": "Supplier 7"}, opened.after)
        self.assertEqual(list(more.ids), of_seven[200:400])
