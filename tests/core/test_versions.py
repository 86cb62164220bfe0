"""What is filed changes by further versions alone; the trash gives back whole; what is erased is gone from every corner."""

from __future__ import annotations

import shutil
import sqlite3
from collections import Counter
from pathlib import Path
from typing import Any, cast
from unittest.mock import patch

from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule
from sqlalchemy import text

from keybundle.core.base.errors import InputProblem
from keybundle.core.batches.model import balance
from keybundle.core.finding.columns import count_in
from keybundle.core.reading.text import PageText
from keybundle.core.rights.model import Right
from keybundle.core.store import pieces
from keybundle.core.workflows.file.filing import file_documents
from keybundle.core.workflows.file.throwing_away import bring_batch_back, list_thrown, throw_batch_away
from keybundle.core.workflows.find.find import find
from keybundle.core.workflows.index import tags
from keybundle.core.workflows.keep.documents import browsing, correcting, many
from keybundle.core.workflows.keep.documents.story import load_story
from keybundle.core.workflows.keep.trash import deleting
from keybundle.core.workflows.keep.trash.erasing import finish_erasing
from keybundle.core.workflows.oversee.forgetting import forget_closed, forget_orphans
from keybundle.core.workflows.oversee.verify import verify
from keybundle.core.workflows.pages.preview_files import tiles_folder
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.session import NotAllowed
from keybundle.core.workflows.session.workspace import Workspace
from tests.support import DataTest, acting, demo_template, filed_ids, sampled, scanned_template, shared_pool

ADMIN, SUPERVISOR, OPERATOR = "Oswinna Reedmace", "Tarvin Windlass", "Elspra Towpath"


def index_words(ws: Workspace) -> Counter[tuple[str, int]]:
    """Return how often each word stands for each row in the index, as the index itself tells it (fts5vocab)."""
    with ws.place.database.read() as c:
        c.execute(text("CREATE VIRTUAL TABLE IF NOT EXISTS temp.words USING fts5vocab(main, search_text, instance)"))
        return Counter((r.term, r.doc) for r in c.execute(text("SELECT term, doc FROM temp.words")))


def index_anew(ws: Workspace) -> Counter[tuple[str, int]]:
    """Return the same for an index that is built from the rows as they are now."""
    with sqlite3.connect(":memory:") as c, ws.place.database.read() as own:
        c.execute("CREATE VIRTUAL TABLE t USING fts5(caption, vals, body, content = '', "
                  "tokenize = 'unicode61 remove_diacritics 2')")  # fmt: skip
        from keybundle.core.search.index import body_of

        for r in own.execute(text("SELECT id, caption, vals, texts FROM search_row")).all():
            import json

            row = (r.id, r.caption, r.vals, body_of(own, json.loads(r.texts)))
            c.execute("INSERT INTO t(rowid, caption, vals, body) VALUES (?, ?, ?, ?)", row)
        c.execute("CREATE VIRTUAL TABLE words USING fts5vocab(t, instance)")
        return Counter(c.execute("SELECT term, doc FROM words").fetchall())


class Correcting(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.me = acting(self.ws, ADMIN)
        self.bill = next(i for i in filed_ids(self.ws, "Purchasing") if self.ws.repository.load(i).type == "Bill")

    def value(self, field: str) -> str:
        return self.ws.repository.load(self.bill).values[field].text

    def test_a_correction_is_a_version_that_is_found_told_and_taken_back(self) -> None:
        before = self.ws.repository.load(self.bill)
        base = {self.bill: before.revision}
        done = correcting.correct(self.me, {self.bill: {"Bill number": "R-999999"}}, follow=False, base=base)
        after = self.ws.repository.load(self.bill)
        self.assertEqual((after.version, after.values["Bill number"].text), (2, "R-999999"))
        self.assertIn("R-999999", after.caption, "the caption follows")
        self.assertEqual((after.folder, after.pages, after.pdf_sha), (before.folder, before.pages, before.pdf_sha))
        self.assertEqual([h.id for h in find(self.me, "R-999999").hits], [self.bill])
        old = before.values["Bill number"].text
        self.assertNotIn(self.bill, [h.id for h in find(self.me, f'"Bill number" = {old}').hits])
        told = load_story(self.me, self.bill)[-1]
        self.assertEqual(told.detail["values"], {"Bill number": [[old], ["R-999999"]]})
        with self.assertRaisesRegex(InputProblem, "changed by Oswinna Reedmace meanwhile"):
            correcting.correct(self.me, {self.bill: {"Bill number": "R-1111"}}, follow=False, base=base)
        with self.assertRaisesRegex(InputProblem, "meanwhile", msg="the same field stood otherwise"):
            correct = {self.bill: {"Bill number": "R-1111"}}
            correcting.correct(self.me, correct, follow=False, base=base, stood={self.bill: {"Bill number": old}})
        order = before.values["Order number"].text
        beside = correcting.correct(
            self.me, {self.bill: {"Order number": "PO-77777"}}, follow=False, base=base,
            stood={self.bill: {"Order number": order}},
        )  # fmt: skip
        self.assertEqual((self.value("Bill number"), self.value("Order number")), ("R-999999", "PO-77777"))
        self.assertEqual(correcting.take_back_correction(self.me, beside), 1)
        self.assertEqual(correcting.take_back_correction(self.me, done), 1)
        back = self.ws.repository.load(self.bill)
        self.assertEqual((back.version, dict(back.values), back.caption), (5, dict(before.values), before.caption))
        self.assertEqual([v.number for v in correcting.list_versions(self.me, self.bill)], [5, 4, 3, 2, 1])
        self.assertEqual(correcting.take_back_correction(self.me, done), 0, "it was changed again since")
        self.assertEqual(index_words(self.ws), index_anew(self.ws))

    def test_a_folder_follows_where_that_is_wanted_and_may_be(self) -> None:
        before = self.ws.repository.load(self.bill)
        given = {self.bill: {"Bill date": "3 March 1987"}}
        moves = correcting.preview_moves(self.me, given)
        self.assertEqual((moves.number, moves.before[0], moves.after[0]), (1, before.folder[0][1], "1987"))
        correcting.correct(self.me, given, follow=False)
        self.assertEqual(self.ws.repository.load(self.bill).folder, before.folder, "it stays")
        operator = acting(self.ws, OPERATOR)
        self.assertFalse(operator.may(Right.MOVE))
        with self.assertRaisesRegex(NotAllowed, "may not move"):  # not for values that somebody else has corrected
            correcting.correct(operator, {self.bill: {"Bill number": "R-4711"}}, follow=True)
        mine = correcting.correct(operator, {self.bill: {"Bill date": "1988-03-04"}}, follow=True)
        self.assertEqual(
            self.ws.repository.load(self.bill).folder[0][1], "1988", "an operator's own correction is followed"
        )
        self.assertEqual(correcting.take_back_correction(operator, mine), 1)
        correcting.correct(self.me, {self.bill: {"Bill date": "4 March 1987"}}, follow=True)
        after = self.ws.repository.load(self.bill)
        self.assertEqual([v for _, v in after.folder], ["1987", before.folder[1][1]])
        self.assertEqual(after.values["Year"].text, "1987")
        self.assertEqual(filed_ids(self.ws, "Purchasing", {"Year": "1987"}), [self.bill])
        columns = browsing.load_columns(self.me, "Purchasing", ("Year",), {}).columns
        self.assertIn(("1987", 1), [(e.value, e.count) for e in columns[0].entries])

    def test_many_are_corrected_in_pieces_and_somebody_else_gets_a_turn_in_between(self) -> None:
        bills = [i for i in filed_ids(self.ws, "Purchasing") if self.ws.repository.load(i).type == "Bill"]
        other, given = acting(self.ws, SUPERVISOR), {i: {"Bill number": f"R-{n}"} for n, i in enumerate(bills, 90_001)}
        real, turns = pieces.in_pieces, list[int]()

        def with_a_turn(database: Any, items: Any, work: Any) -> Any:
            if turns:
                return real(database, items, work)
            turns.append(1)
            first = real(database, items[:1], work)
            correcting.correct(other, {bills[-1]: {"Bill number": "R-10001"}}, follow=False)
            return pieces.Partly((*first.done, *real(database, items[1:], work).done))

        self.assertGreater(len(bills), 1)
        with patch.object(many, "in_pieces", with_a_turn):
            done = correcting.correct(self.me, given, follow=False)
        self.assertEqual([i for i, *_ in done.versions], bills[:-1])
        self.assertEqual(
            [i for i, _ in done.left], bills[-1:], "what somebody else changed meanwhile stays, and is told"
        )
        self.assertEqual(self.ws.repository.load(bills[-1]).values["Bill number"].text, "R-10001")
        self.assertEqual(correcting.take_back_correction(self.me, done), len(bills) - 1, "one undo for all pieces")
        # A piece ends once it has lasted long enough, and never before its first item.
        seconds, lengths = iter(range(100)), list[int]()
        with patch.object(pieces.time, "monotonic", lambda: next(seconds) * 0.02):
            real(self.ws.place.database, list(range(7)), lambda c, n: lengths.append(n))
        self.assertEqual(lengths, list(range(7)))

    def test_what_is_no_value_changes_nothing_of_all(self) -> None:
        other = next(i for i in filed_ids(self.ws, "Purchasing") if i != self.bill)
        for wrong, said in (
            ({"Bill date": "31 February 2026"}, "Nothing was changed"), ({"Bill number": ""}, "must not be empty"),
            ({"Colour": "blue"}, "has no field Colour"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InputProblem, said):
                correcting.correct(self.me, {other: {}, self.bill: wrong}, follow=False)
        self.assertEqual({self.ws.repository.load(i).version for i in (self.bill, other)}, {1})
        reader = acting(self.ws, "Hollin Waterhen")
        with self.assertRaises(NotAllowed):
            correcting.correct(reader, {self.bill: {"Bill number": "R-1234"}}, follow=False)


class Trash(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.me = acting(self.ws, ADMIN)

    def test_what_is_deleted_comes_back_whole(self) -> None:
        ids = filed_ids(self.ws, "Letters")[:2]
        before = [self.ws.repository.load(i) for i in ids]
        counted = {c.id: c.documents for c in browsing.list_cabinets(self.me)}
        words = index_words(self.ws)
        for why, said in (("  ", "Say why"),):
            with self.assertRaisesRegex(InputProblem, said):
                deleting.delete_documents(self.me, ids, why)
        with self.assertRaises(NotAllowed):
            deleting.delete_documents(acting(self.ws, OPERATOR), ids, "sent twice")
        deleting.delete_documents(self.me, ids, "sent twice")
        lies = deleting.list_trash(self.me)
        self.assertEqual(({d.id for d in lies}, {(d.who, d.why) for d in lies}), (set(ids), {(ADMIN, "sent twice")}))
        self.assertEqual(browsing.list_cabinets(self.me)[3].documents, counted["Letters"] - 2)
        self.assertNotIn(ids[0], [h.id for h in find(self.me, before[0].caption.split()[0]).hits])
        deleting.restore_documents(self.me, ids)
        self.assertEqual([self.ws.repository.load(i) for i in ids], before)
        self.assertEqual({c.id: c.documents for c in browsing.list_cabinets(self.me)}, counted)
        self.assertEqual(
            Counter(w for w, _ in words.elements()), Counter(w for w, _ in index_words(self.ws).elements())
        )
        with self.assertRaisesRegex(InputProblem, "does not lie in the trash"):
            deleting.restore_documents(self.me, ids)

    def test_what_is_erased_is_nowhere(self) -> None:
        """Source: a search through all bytes of the data directory, the database and its log among them."""
        ws, me = self.ws, self.me
        gone = next(i for i in filed_ids(ws, "Letters") if len(ws.repository.load(i).pages) == 1)
        correcting.correct(me, {gone: {"Subject": "Quexolombrax zymurgia"}}, follow=False)
        document = ws.repository.load(gone)
        root, word = ws.place.root, b"uexolombrax"
        self.assertTrue(any(word in p.read_bytes() for p in root.rglob("*") if p.is_file()))
        batch = document and self.batch_of(gone)
        deleting.delete_documents(me, [gone], "asked for by the sender")
        if batch and ws.batches.load(batch).closed_at is None:
            erased = deleting.empty_trash(me, [gone])
            self.assertEqual((erased.documents, len(erased.left)), (0, 1))
            with ws.place.database.atomic() as c:
                c.execute(text("UPDATE batch SET closed_at = '2026-01-01' WHERE id = :b"), {"b": batch})
        erased = deleting.empty_trash(me, [gone])
        self.assertEqual((erased.documents, erased.left), (1, ()))
        self.assertGreater(erased.files, 0)
        self.assertEqual(deleting.list_trash(me), [])
        holders = [p for p in root.rglob("*") if p.is_file() and word in p.read_bytes().lower()]
        self.assertEqual(holders, [])
        self.assertFalse(any(ws.place.files.path(p.file_sha).exists() for p in document.pages))
        self.assertEqual(verify(me).trail, "whole")
        self.assertEqual(index_words(ws), index_anew(ws))

    def test_a_stop_in_the_midst_of_erasing_leaves_nothing_behind_for_good(self) -> None:
        """What was only begun is finished at the next start; what somebody brings in again just then stays."""
        ws, me, files, cache = self.ws, self.me, self.ws.place.files, self.ws.place.cache
        with ws.place.database.atomic() as c:
            c.execute(text("UPDATE batch SET closed_at = '2026-01-01'"))
        gone, again = [i for i in filed_ids(ws, "Letters") if len(ws.repository.load(i).pages) == 1][:2]
        pages = [ws.repository.load(i).pages[0] for i in (gone, again)]
        tile = tiles_folder(cache, pages[0].page_id, 0) / "0-0.jpg"
        tile.parent.mkdir(parents=True)
        tile.write_bytes(b"a part of the page")
        dragged = cache / "dragged-x" / "its caption.pdf"  # what was dragged out is named by captions
        dragged.parent.mkdir()
        dragged.write_bytes(b"a copy of it")
        deleting.delete_documents(me, [gone, again], "asked for by the sender")
        with (
            patch.object(deleting, "finish_erasing", side_effect=KeyboardInterrupt),
            self.assertRaises(KeyboardInterrupt),
        ):
            deleting.empty_trash(me, [gone, again])
        self.assertEqual(files.put(files.get(pages[1].file_sha)), pages[1].file_sha)
        self.assertEqual((finish_erasing(ws), tile.exists(), dragged.exists()), (1, False, False))
        self.assertEqual([files.path(p.file_sha).exists() for p in pages], [False, True])
        with patch("keybundle.core.store.files.MAY_BE_SOMEBODYS", 0.0):
            self.assertEqual((finish_erasing(ws), finish_erasing(ws)), (0, 0))
        self.assertFalse(files.path(pages[1].file_sha).exists(), "nobody needed it after all")

    def batch_of(self, document_id: str) -> str | None:
        with self.ws.place.database.read() as c:
            found: str | None = c.execute(
                text("SELECT batch_id FROM document WHERE id = :d"), {"d": document_id}
            ).scalar()
            return found


class Closed(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = open_workspace(self.demo_data(scanned=True))
        self.addCleanup(self.ws.close)
        self.me, self.batch = acting(self.ws, ADMIN), scanned_template()[1]
        self.filed = [e.id for e in file_documents(self.me, shared_pool(), self.batch).entries]
        with self.ws.place.database.atomic() as c:
            c.execute(text("UPDATE batch SET closed_at = :at"), {"at": self.ws.clock.stamp()})

    def test_what_it_no_longer_needs_goes_after_its_time_and_its_account_stays(self) -> None:
        ws, before = self.ws, balance(self.ws.batches.load(self.batch))
        self.assertEqual(forget_closed(ws), 0, "not before its time")
        self.assertEqual(forget_closed(ws, days=-1), 1)
        with ws.place.database.read() as c:
            asked = "SELECT (SELECT COUNT(*) FROM step), (SELECT COUNT(*) FROM page WHERE facts IS NOT NULL)"
            self.assertEqual(tuple(c.execute(text(asked)).one()), (0, 0))
        self.assertEqual(forget_closed(ws, days=-1), 0)
        self.assertEqual(balance(ws.batches.load(self.batch)), before, "each side has its end still")
        pages = [p for i in self.filed for p in ws.repository.load(i).pages]
        self.assertTrue(
            pages and all(PageText.from_bytes(p.text).words for p in pages), "what is filed keeps its words"
        )
        self.assertEqual(index_words(ws), index_anew(ws))
        self.assertEqual(verify(self.me).trail, "whole")

    def test_what_was_thrown_away_goes_for_good_after_its_time_and_no_word_of_it_stays(self) -> None:
        template, _ = scanned_template()
        shutil.copytree(template, self.folder / "thrown")
        ws = open_workspace(self.folder / "thrown")
        self.addCleanup(ws.close)
        me, (batch_id,) = acting(ws, ADMIN), ws.batches.ids()
        sides = len(ws.batches.load(batch_id).pages)
        files = {ws.place.files.path(p.file_sha) for p in ws.batches.load(batch_id).pages}
        self.assertTrue(index_words(ws) and all(f.exists() for f in files))
        throw_batch_away(me, batch_id)
        self.assertEqual([(t.id, t.sides) for t in list_thrown(me)], [(batch_id, sides)])
        self.assertEqual(forget_closed(ws), 0, "not before its time")
        self.assertEqual(forget_closed(ws, days=-1), 1)
        with patch("keybundle.core.store.files.MAY_BE_SOMEBODYS", 0.0):
            self.assertEqual(finish_erasing(ws), 0)
        self.assertEqual((list_thrown(me), [f for f in files if f.exists()]), ([], []))
        self.assertEqual(index_words(ws), index_anew(ws))
        with ws.place.database.read() as c:
            self.assertEqual(
                c.execute(
                    text("SELECT COUNT(*) FROM page_text WHERE id NOT IN (SELECT text_id FROM version_page)")
                ).scalar(),
                0,
            )
        self.assertEqual(balance(ws.batches.load(batch_id)).left_out, sides, "its account stays")
        self.assertEqual(verify(me).trail, "whole")
        with self.assertRaises(InputProblem):
            bring_batch_back(me, cast(Any, None), batch_id)

    def test_files_that_nothing_ever_named_go_once_they_are_nobodys(self) -> None:
        files = self.ws.place.files
        lone, known = (
            files.put(b"stored, and then the plug was pulled"),
            self.ws.repository.load(self.filed[0]).pages[0].file_sha,
        )
        self.assertEqual(
            [forget_orphans(self.ws, sha[:2]) for sha in (lone, known)], [0, 0], "they may be somebody's yet"
        )
        with patch("keybundle.core.store.files.MAY_BE_SOMEBODYS", 0.0):
            self.assertEqual([forget_orphans(self.ws, sha[:2]) for sha in (lone, known)], [1, 0])
        self.assertTrue(verify(self.me).is_whole)

    def test_tags_are_a_part_of_the_version_and_a_correction_taken_back_leaves_them(self) -> None:
        chosen = self.filed[0]
        number = self.ws.repository.load(chosen).values["Agreement number"].text
        done = correcting.correct(self.me, {chosen: {"Agreement number": number[:-1] + "7"}}, follow=False)
        tags.retag(self.me, [chosen], (), "urgent")
        correcting.take_back_correction(self.me, done)
        self.assertEqual(self.ws.repository.load(chosen).tags, ("urgent",))
        deleting.delete_documents(self.me, [chosen], "a mistake")
        deleting.restore_documents(self.me, [chosen])
        self.assertEqual(self.ws.repository.load(chosen).tags, ("urgent",), "it comes back whole")

    def test_what_came_with_a_batch_is_erased_there_too(self) -> None:
        ws, gone = self.ws, self.filed[0]
        document = ws.repository.load(gone)
        word = max(document.values["Agreement number"].items).encode()
        files = [ws.place.files.path(sha) for p in document.pages for sha in (p.file_sha,)]
        self.assertTrue(all(f.exists() for f in files))
        deleting.delete_documents(self.me, [gone], "asked for by the keeper")
        erased = deleting.empty_trash(self.me, [gone])
        self.assertEqual((erased.documents, erased.left), (1, ()))
        self.assertFalse(any(f.exists() for f in files))
        holders = [
            p for p in ws.place.root.rglob("*") if p.is_file() and "feeder" not in p.parts and word in p.read_bytes()
        ]
        self.assertEqual(holders, [])
        self.assertEqual(len(ws.batches.load(self.batch).pages), 16, "the account of sides stays")


class Course(RuleBasedStateMachine):
    """Corrections, takings back of them, deletions and restorings in any order."""

    folder: Path

    def __init__(self) -> None:
        super().__init__()
        self.data = Course.folder / f"run-{len(list(Course.folder.iterdir()))}"
        shutil.copytree(demo_template(), self.data)
        self.ws: Workspace = open_workspace(self.data)
        self.me = acting(self.ws, ADMIN)
        self.ids = [i for i in filed_ids(self.ws) if self.ws.repository.load(i).type in ("Bill", "Letter")][:4]
        self.there = dict.fromkeys(self.ids, True)
        self.values = {i: self.texts(i) for i in self.ids}
        self.done: list[tuple[correcting.Corrected, dict[str, dict[str, str]]]] = []
        self.all = len(filed_ids(self.ws))

    def texts(self, document_id: str) -> dict[str, str]:
        return {k: v.text for k, v in self.ws.repository.load(document_id).values.items()}

    @rule(n=st.integers(0, 3), year=st.integers(1990, 1994), follow=st.booleans())
    def correct(self, n: int, year: int, follow: bool) -> None:
        chosen = self.ids[n % len(self.ids)]
        kind = self.ws.repository.load(chosen).type if self.there[chosen] else ""
        field = "Bill date" if kind == "Bill" else "Letter date"
        given: dict[str, Any] = {chosen: {field: f"{year}-02-03"}}
        if not self.there[chosen]:
            try:
                correcting.correct(self.me, given, follow=follow)
            except NotAllowed:
                return
            raise AssertionError("a document of the trash was corrected")
        before = {chosen: self.values[chosen]}
        self.done.append((correcting.correct(self.me, given, follow=follow), before))
        self.values[chosen] = self.texts(chosen)
        assert self.values[chosen][field] == f"{year}-02-03"

    @precondition(lambda self: self.done)
    @rule()
    def take_back(self) -> None:
        corrected, before = self.done.pop()
        if correcting.take_back_correction(self.me, corrected):
            for document_id, values in before.items():
                self.values[document_id] = values

    @rule(n=st.integers(0, 3))
    def delete_or_restore(self, n: int) -> None:
        chosen = self.ids[n % len(self.ids)]
        if self.there[chosen]:
            deleting.delete_documents(self.me, [chosen], "a course of things")
        else:
            deleting.restore_documents(self.me, [chosen])
        self.there[chosen] = not self.there[chosen]

    @invariant()
    def all_agree(self) -> None:
        ws = self.ws
        seen = set(filed_ids(ws))
        assert {i for i in self.ids if self.there[i]} == seen & set(self.ids)
        assert len(seen) == self.all - sum(not there for there in self.there.values())
        for document_id in (i for i in self.ids if self.there[i]):
            assert self.texts(document_id) == self.values[document_id]
        with ws.place.database.read() as c:
            plain = Counter(r[0] for r in c.execute(text("SELECT cabinet FROM document WHERE removed_at IS NULL")))
            assert all(count_in(c, cabinet.id) == plain[cabinet.id] for cabinet in ws.setup.cabinets)
            counts = c.execute(text(
                "SELECT COUNT(*) FROM folder f WHERE documents != (SELECT COUNT(*) FROM document d WHERE d.folder_id = f.id "
                "AND d.removed_at IS NULL AND d.access_id IS NULL)")).scalar()  # fmt: skip
            assert counts == 0
        assert Right.CORRECT in self.me.holder.rights

    def teardown(self) -> None:
        assert index_words(self.ws) == index_anew(self.ws)
        assert verify(self.me).trail == "whole"
        self.ws.close()
        shutil.rmtree(self.data)


class Courses(DataTest):
    def test_any_course_of_corrections_and_deletions(self) -> None:
        from hypothesis.stateful import run_state_machine_as_test

        Course.folder = self.folder
        run_state_machine_as_test(
            Course, settings=settings(max_examples=sampled(12, 4), stateful_step_count=14, deadline=None)
        )
