"""Arrivals: whatever comes in has one end, told and counted; native files go all the way, and containers are opened."""

from __future__ import annotations

import io
import zipfile
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from keybundle.core.base.ids import FiledId
from keybundle.core.base.page_kind import PageKind
from keybundle.core.batches.arrivals import load_told
from keybundle.core.store import schema as t
from keybundle.core.workflows.file.filing import file_documents
from keybundle.core.workflows.find.find import find
from keybundle.core.workflows.keep.documents import received
from keybundle.core.workflows.line import page_work
from keybundle.core.workflows.take_in.capture import find_routine, import_files
from tests.core.test_course import Course
from tests.standin import answer
from tests.support import acting

LETTER = b"Dear Ms Reedmace,\n\nthe lower gate at Holmelock leaks.\n\nTamsin Quillfeather\n"


def packed(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name, data in files.items():
            made.writestr(name, data)
    return out.getvalue()


def work(what: str, args: tuple[Any, ...]) -> Any:
    """Answer as workers do, but for what would take long."""
    return getattr(page_work, what)(*args) if what in ("look_at", "take_out", "examine", "read") else answer(what, args)


class Arrivals(Course):
    def setUp(self) -> None:
        super().setUp()
        self.pool.answer = work
        self.routine = find_routine(acting(self.ws), "Files")

    def bring(self, files: dict[str, bytes], into: str | None = None) -> Any:
        tree = self.folder / "in"
        for name, data in files.items():
            (tree / name).parent.mkdir(parents=True, exist_ok=True)
            (tree / name).write_bytes(data)
        paths = [tree / name for name in files]
        found = import_files(acting(self.ws, self.who), self.line, self.pool, self.routine, paths, into=into)  # type: ignore[arg-type]
        self.settle_down()
        return found

    def rows(self) -> list[Any]:
        with self.ws.place.database.read() as c:
            return list(c.execute(t.arrival.select().order_by(t.arrival.c.received_at, t.arrival.c.id)))

    def test_a_native_file_is_one_piece_kept_as_it_came_and_found_by_its_words(self) -> None:
        found = self.bring(
            {
                "letter.txt": LETTER,
                "prices.csv": b"Part,Price\nSluice,12.50\n",
                "page.html": b"<html><p>A weir</p></html>",
            }
        )
        batch = self.load(str(found.batch))
        self.assertEqual([p.kind for p in batch.pages], [PageKind.TEXT, PageKind.CSV, PageKind.HTML])
        self.assertEqual([len(batch.pages_of(d.id)) for d in batch.in_order()], [1, 1, 1])
        self.assertEqual(self.ws.place.files.get(batch.pages[0].file_sha), LETTER)
        self.assertEqual([h.batch for h in find(acting(self.ws, self.who), "holmelock").hits], [batch.id])
        self.make_letters(batch.id)
        filed = file_documents(acting(self.ws, self.who), self.pool, batch.id).entries  # type: ignore[arg-type]
        self.assertEqual(len(filed), 3)
        kept = self.ws.repository.load(filed[0].id).pages[0]
        self.assertEqual((kept.kind, self.ws.place.files.get(kept.file_sha)), (PageKind.TEXT, LETTER))
        self.assertEqual([h.id for h in find(acting(self.ws, self.who), "sluice").hits], [filed[1].id])
        # Handed out to its own program, which is the browser: nothing in it runs or is fetched.
        copies = [received.copy_filed(acting(self.ws, self.who), FiledId(e.id), 0).read_bytes() for e in filed]
        self.assertEqual(copies[0], LETTER)
        self.assertTrue(
            copies[2].startswith(b'<meta http-equiv="Content-Security-Policy" content="default-src \'none\'')
        )
        self.assertTrue(copies[2].endswith(b"<html><p>A weir</p></html>"))

    def test_files_inside_a_file_are_arrivals_of_their_own(self) -> None:
        inner = packed({"b.txt": b"two", "scan.exe": b"no", ".hidden.txt": b"no"})
        found = self.bring({"post.zip": packed({"a.txt": b"one", "more/deep.zip": inner, "bad.tif": b"no picture"})})
        batch = self.load(str(found.batch))
        self.assertEqual([p.source for p in batch.pages], ["post.zip/a.txt", "post.zip/more/deep.zip/b.txt"])
        self.assertEqual(
            (batch.came.arrived, batch.came.taken, batch.came.refused, batch.came.passed_over), (5, 2, 1, 2)
        )
        by_name = {r.name: r for r in self.rows()}
        self.assertEqual(by_name["post.zip/more/deep.zip/b.txt"].parent_id, by_name["post.zip/more/deep.zip"].id)
        self.assertEqual(by_name["post.zip/more/deep.zip"].parent_id, by_name["post.zip"].id)
        with self.ws.place.database.read() as c:
            told = {a.name: str(a.why) for a in load_told(c, batch.id)}
        self.assertRegex(told["post.zip/bad.tif"], "is neither TIFF")
        self.assertRegex(told["post.zip/more/deep.zip/scan.exe"], "passed over")
        # The container itself is not kept, nor anything of what was not taken.
        stored = {p.name for p in self.ws.place.files.root.rglob("*") if p.is_file()}
        self.assertEqual(stored, {p.file_sha for p in batch.pages})

    def test_a_text_that_is_too_long_is_taken_and_that_is_told(self) -> None:
        words = b"a weir\n" * 40_000
        found = self.bring({"long.txt": words})
        self.assertEqual([n.source for n in found.noted], ["long.txt"])
        batch = self.load(str(found.batch))
        with self.ws.place.database.read() as c:
            self.assertIn("first 400 sheets", load_told(c, batch.id)[0].why)
        self.assertEqual((batch.came.taken, self.ws.place.files.get(batch.pages[0].file_sha)), (1, words))

    def test_files_too_deep_inside_others_are_refused_and_the_rest_goes_on(self) -> None:
        data = b"the bottom"
        for name in ("5.txt", "4.zip", "3.zip", "2.zip", "1.zip"):
            data = packed({name: data, f"beside-{name}.txt": name.encode()})
        found = self.bring({"0.zip": data})
        self.assertEqual([r.source for r in found.refused], ["0.zip/1.zip/2.zip/3.zip"])
        self.assertIn("more than 3 files deep", found.refused[0].why)
        self.assertEqual(found.sides, 3)

    def test_what_was_refused_before_anything_was_taken_belongs_to_the_batch_that_follows(self) -> None:
        found = self.bring({"bad.tif": b"no picture", "good.txt": b"words"})
        self.assertEqual(self.load(str(found.batch)).came.refused, 1)
        found = self.bring({"worse.tif": b"no picture either"})
        self.assertIsNone(found.batch)
        self.assertEqual(
            [(r.name, r.batch_id, r.state) for r in self.rows() if r.name == "worse.tif"],
            [("worse.tif", None, "refused")],
        )

    def test_what_two_hands_bring_at_once_stays_whole(self) -> None:
        # One brings in what another has refused in the same moment: the bytes are of the store for whoever took them.
        batch = str(self.bring({"a.txt": b"words"}).batch)
        real, other = self.ws.place.files.keep, iter([True])

        def keep_late(received: Any) -> None:
            if next(other, False):
                self.bring({"again/a.txt": b"words twice", "again/bad.tif": b"words twice"}, batch)
            real(received)

        self.ws.place.files.keep = keep_late  # type: ignore[method-assign]
        self.bring({"third.txt": b"words twice"}, batch)
        pages = self.load(batch).pages
        self.assertEqual(len(pages), 3)
        for page in pages:
            self.assertEqual(self.ws.place.files.check(page.file_sha), "")

    @given(st.recursive(
        st.sampled_from(["good.txt", "bad.tif", "no.exe"]).map(lambda n: {n: None}),
        lambda inner: st.dictionaries(
            st.sampled_from(["a.zip", "b.zip", "x.txt", "y.tif", "z.exe"]), inner, min_size=1, max_size=4
        ),
        max_leaves=8,
    ))  # fmt: skip
    @settings(max_examples=25, deadline=None)
    def test_everything_that_comes_has_one_end(self, tree: dict[str, Any]) -> None:
        ends: list[str] = []

        def build(part: dict[str, Any], depth: int) -> dict[str, bytes]:
            made = {}
            for name, inner in part.items():
                is_zip = name.endswith(".zip") and inner is not None
                made[name] = packed(build(inner, depth + 1)) if is_zip else f"{depth} {name} {len(ends)}".encode()
                ends.extend([] if is_zip else [name])
            return made

        batches = set(self.ws.batches.ids())
        files = build(tree, 0)
        found = self.bring(files)
        made = [i for i in self.ws.batches.ids() if i not in batches]
        self.assertEqual(made, [found.batch] if found.batch else [])
        came = self.load(found.batch).came if found.batch else None
        refused, taken = len(found.refused), found.sides
        self.assertEqual(taken + refused, len(ends) if came is None else came.arrived)
        if came is not None:
            self.assertTrue(came.is_even)
            self.assertEqual((came.taken, came.refused + came.passed_over), (taken, refused))
