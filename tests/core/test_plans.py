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

from sqlalchemy import event

from keybundle.core.workflows.arrange.bench import load_bench
from keybundle.core.workflows.find import find
from keybundle.core.workflows.oversee import worklist
from keybundle.core.workflows.session.workspace import Workspace, open_workspace
from keybundle.demo import seed
from tests.support import DataTest, acting

DOCUMENTS = 100_000
WALK = re.compile(r"SCAN (page|document|document_value|p|d|v|version_page)\b(?! USING (COVERING )?INDEX)")
AGAINST = "no index answers this"


def fill(path: str) -> None:
    """Put 100,000 documents with two pages and four values each into a store, and one open batch."""
    c = sqlite3.connect(path)
    for name in (r[0] for r in c.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'").fetchall()):
        c.execute(f"DROP TRIGGER {name}")
    numbers = range(DOCUMENTS)
    c.execute(
        "INSERT INTO folder(id, cabinet, level, field, value, path) VALUES (1, 'Purchasing', 0, 'Year', '2026', '2026')"
    )
    c.executemany(
        "INSERT INTO batch(id, routine, origin, owner, created_at, captured_at, closed_at, given, two_sided, paper_mm, "
        "next_captured, cut, revision) VALUES (?, 'Post', 'x', 'Elspra Towpath', ?, '2026', ?, '{}', 0, '[210, 297]', 9, "
        "'{}', 0)",
        [(f"b{i}", f"2026-01-{i % 28 + 1:02d}T08:00:00+00:00", "2026" if i else None) for i in range(DOCUMENTS // 100)],
    )  # fmt: skip
    c.executemany(
        "INSERT INTO batch_document(id, batch_id, break_reason, type, state, filed_id, proposed, tags, revision, trouble) "
        "VALUES (?, ?, '', 'Bill', ?, ?, 1, '[]', 0, '')",
        [(f"x{i}", f"b{i // 100}", "ready" if i < 100 else "filed", None if i < 100 else f"d{i}") for i in numbers],
    )  # fmt: skip
    c.executemany(
        "INSERT INTO page(id, batch_id, captured, position, source, source_index, sheet, side, file_sha, is_pdf, captured_at, "
        "trouble, turn, disposition, document_id, name, language, text_origin, arrival, cut, stage, text_rotation) VALUES "
        "(?, ?, ?, ?, 's', 0, 1, 'front', 'sha', 0, '2026-01-01', 'none', 0, 'kept', ?, '', '', '', '', 1, 'failed', 0)",
        [(f"p{i}", f"b{i // 200}", i % 200, i % 200, f"x{i // 2}") for i in range(2 * DOCUMENTS)],
    )  # fmt: skip
    c.executemany(
        "INSERT INTO document(id, number, cabinet, folder_id, type, caption, filed_at, filed_by, filing_key, batch_id) VALUES "
        "(?, ?, 'Purchasing', 1, ?, 'Bill', ?, 'me', ?, ?)",
        [(f"d{i}", i + 1, "Bill" if i % 9 else "Letter", f"2026-01-{i % 28 + 1:02d}", f"k{i}", f"b{i // 100}") for i in numbers],
    )  # fmt: skip
    c.executemany("INSERT INTO version(document_id, number, at, who, comment, pdf_sha) VALUES (?, 1, '', '', '', '')",
                  [(f"d{i}",) for i in numbers])  # fmt: skip
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
        "INSERT INTO search_row(id, kind, ref) VALUES (?, 'document', ?)", [(i + 1, f"d{i}") for i in numbers]
    )
    c.executemany("INSERT INTO search_text(rowid, caption, vals, body) VALUES (?, 'bill', ?, ?)",
                  [(i + 1, f"R-{i}", "gate lock" if i % 3 else "gate") for i in numbers])  # fmt: skip
    c.commit()
    c.close()


def _value(field: str, i: int) -> str:
    return {"Bill number": f"R-{i}", "Total": f"{i % 5000}.00", "Supplier": f"Supplier {i % 80}", "Year": "2026"}[field]


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
            if statement.lstrip().startswith(("SELECT", "WITH")):
                made.append((statement, parameters))

        event.listen(engine, "before_cursor_execute", keep)
        try:
            work()
        finally:
            event.remove(engine, "before_cursor_execute", keep)
        steps: list[str] = []
        with sqlite3.connect(self.ws.place.database.path) as c:
            for statement, parameters in made:
                steps += [
                    f"{row[3]}   <- {statement[:90]}"
                    for row in c.execute(f"EXPLAIN QUERY PLAN {statement}", parameters)
                ]
        c.close()
        return steps

    def test_no_question_walks_through_everything(self) -> None:
        repository = self.ws.repository
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
            "a column": lambda: repository.column("Purchasing", "Supplier", {"Year": "2026"}),
            "filed already": lambda: repository.find_same("Bill", {"Bill number": "R-5", "Supplier": "Supplier 5"}),
            "known values": lambda: repository.known_values("Bill", "Bill number", ["R-5", "R-6"]),
            "earlier values": lambda: repository.earlier_values("Bill number", "r-77"),
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
        self.assertTrue(find.find(acting(self.ws), "lock").is_cut)
