"""What helps an operator fill slips: defaults, carried values, starters, folders, tags, many slips, registers, texts."""

from __future__ import annotations

import time
from typing import Any
from unittest import mock

from hypothesis import given, settings
from hypothesis import strategies as st

from keybundle.core.base.boxes import Frame
from keybundle.core.base.errors import InputProblem
from keybundle.core.batches.model import Facts, Page
from keybundle.core.fields.kinds import Kind, Refusal, Rule, normalise
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.reading.text import PageText, Word
from keybundle.core.registers.book import Book
from keybundle.core.separation.facts import Placing
from keybundle.core.setup.model import FieldSpec, Register, Setup
from keybundle.core.workflows.arrange.bench import load_bench
from keybundle.core.workflows.find.find import find
from keybundle.core.workflows.index import page_texts, slip_help, tags
from keybundle.core.workflows.index.slip import choose_type, complete, enter_value
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.prepare.registers.register_files import import_register, read_register
from keybundle.core.workflows.propose.defaults import count_up
from keybundle.core.workflows.propose.indexing import index_document
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.demo.trials import draw_page
from tests.support import DataTest, acting, add_page, filed_ids, place, scanned_template, shared_pool

NOTE = "Delivery note"


class Slips(DataTest):
    """Works on a batch of three delivery notes that were put into the store without a scan."""

    def setUp(self) -> None:
        super().setUp()
        self.ws: Workspace = self.demo_workspace()
        self.line = Line(self.ws, shared_pool())
        self.addCleanup(self.line.close)
        self.who = self.ws.person(None).id
        self.batch_id = self.ws.batches.create("Post", "test", self.who)
        sha = self.ws.place.files.put(b"a page")
        for i in range(3):
            page = Page(f"page{i}", i, f"note-{i}.tif", 0, i + 1, "front", sha)
            add_page(self.ws.batches, self.batch_id, page)
            self.ws.batches.set_facts(page.id, Facts(800, 1100, 100, "grey", 0, 0.0, 50.0, False))
            words = (Word("Holmelock", (100, 900, 200, 920), 0.4 + 0.3 * i, 0, 0),) if i else ()
            text = PageText(words, Frame(800, 1100))
            self.ws.batches.set_text(page.id, text.to_bytes(), 0, quality=text.quality)
            place(self.ws, self.batch_id, Placing(page.id, True, "", True, "test", NOTE))
        self.ws.batches.end_capture(self.batch_id)
        self.ids = [d.id for d in self.ws.batches.load(self.batch_id).in_order()]

    def change_field(self, name: str, **changes: Any) -> None:
        setup = self.ws.setup
        kinds = []
        for kind in setup.document_types:
            fields = tuple(
                f.model_copy(update=changes) if kind.name == NOTE and f.name == name else f for f in kind.fields
            )
            kinds.append(kind.model_copy(update={"fields": fields}))
        self.ws.put_setup(setup.model_copy(update={"document_types": tuple(kinds)}), self.who)

    def values(self, number: int) -> dict[str, FieldValue]:
        return dict(self.ws.batches.load(self.batch_id).documents[self.ids[number]].values)

    def enter(self, number: int, name: str, text: str) -> None:
        enter_value(acting(self.ws, self.who), self.line, self.batch_id, self.ids[number], name, text)

    def propose(self, number: int) -> dict[str, FieldValue]:
        batch = self.ws.batches.load(self.batch_id)
        return dict(index_document(self.ws, batch, batch.documents[self.ids[number]]).values)

    def test_defaults_and_carried_values_stay_unsure_until_confirmed(self) -> None:
        self.change_field("Delivery date", default="{received}")
        self.change_field("Order number", default="{counter orders}", pattern="")
        self.change_field("Supplier", carry=True)
        self.enter(0, "Supplier", "Quillfeather Lock Gates")
        self.assertTrue(self.line.wait(60))
        found = self.propose(1)
        day = self.ws.batches.load(self.batch_id).created_at[:10]
        self.assertEqual((found["Delivery date"].text, found["Delivery date"].origin), (day, Origin.DEFAULT))
        self.assertEqual(
            (found["Supplier"].text, found["Supplier"].origin), ("Quillfeather Lock Gates", Origin.CARRIED)
        )
        self.assertFalse(any(found[n].sure for n in ("Delivery date", "Supplier", "Order number")))
        first = int(found["Order number"].text)
        self.assertNotIn(str(first), [self.values(i)["Order number"].text for i in (0, 2)], "no number is given twice")
        self.assertGreater(count_up(self.ws, "orders"), first)
        slip_help.clear_assumed(acting(self.ws, self.who), self.line, self.batch_id, self.ids[1])
        self.assertEqual([n for n, v in self.values(1).items() if v.items], [])
        with self.assertRaisesRegex(InputProblem, "Nothing on this slip"):
            slip_help.clear_assumed(acting(self.ws, self.who), self.line, self.batch_id, self.ids[1])

    def test_today_and_the_whole_slip_emptied(self) -> None:
        slip_help.set_today(acting(self.ws, self.who), self.line, self.batch_id, self.ids[0], "Delivery date")
        value = self.values(0)["Delivery date"]
        self.assertEqual((value.text, value.origin), (self.ws.clock.stamp()[:10], Origin.TODAY))
        with self.assertRaisesRegex(InputProblem, "holds no date"):
            slip_help.set_today(acting(self.ws, self.who), self.line, self.batch_id, self.ids[0], "Supplier")
        slip_help.empty_slip(acting(self.ws, self.who), self.line, self.batch_id, self.ids[0])
        self.assertFalse(any(v.items for v in self.values(0).values()))
        self.ws.batches.undo(self.batch_id)
        self.assertIn("Delivery date", self.values(0))

    def test_starters(self) -> None:
        self.enter(0, "Supplier", "Quillfeather Lock Gates")
        self.enter(1, "Order number", "PO-11111")
        me = acting(self.ws, self.who)
        with self.assertRaisesRegex(InputProblem, "Delivery date.*someday"):
            slip_help.keep_starter(
                me, NOTE, "gates", {"Supplier": "Quillfeather Lock Gates", "Delivery date": "someday"}
            )
        slip_help.keep_starter(
            me, NOTE, "lock gates", {"Supplier": "quillfeather lock gates", "Nothing": "of its type"}
        )
        slip_help.keep_starter(me, NOTE, "gates", {"Supplier": "quillfeather lock gates"}, before="lock gates")
        (starter,) = slip_help.list_starters(acting(self.ws), NOTE)
        self.assertEqual((starter.name, starter.values), ("gates", {"Supplier": "Quillfeather Lock Gates"}))
        slip_help.start_from(me, self.line, self.batch_id, self.ids[1], starter)
        found = self.values(1)
        self.assertEqual((found["Supplier"].text, found["Supplier"].sure), ("Quillfeather Lock Gates", False))
        self.assertEqual(found["Order number"].text, "PO-11111", "what is there stays")
        slip_help.drop_starter(acting(self.ws, self.who), NOTE, "gates")
        self.assertEqual(slip_help.list_starters(acting(self.ws), NOTE), [])

    def test_a_folder_by_hand_sets_its_fields(self) -> None:
        me = acting(self.ws, self.who)
        recent, folders = slip_help.list_folders(me, "Purchasing", "")
        self.assertTrue(recent and set(recent) <= set(folders))
        path = folders[0]
        slip_help.choose_folder(acting(self.ws, self.who), self.line, self.batch_id, self.ids[0], path)
        value = self.values(0)["Supplier"]
        self.assertEqual((value.text, value.origin, value.confirmed_by), (path[1], Origin.FOLDER, self.who))
        self.assertNotIn("Delivery date", self.values(0), "a year is no date")
        self.assertEqual(slip_help.list_folders(me, "Purchasing", "nobody at all"), (recent, ()))

    def test_many_slips_at_once_is_one_step(self) -> None:
        changes = [(d, "Delivery date", "31 March 2026") for d in self.ids] + [
            (self.ids[2], "Delivery date", "30 Feb 2026")
        ]
        slip_help.set_for_many(acting(self.ws, self.who), self.line, self.batch_id, changes)
        self.assertEqual([self.values(i)["Delivery date"].text for i in range(2)], ["2026-03-31"] * 2)
        self.assertIn("is not a date", self.values(2)["Delivery date"].problem)
        self.assertFalse(self.values(2)["Delivery date"].sure)
        self.ws.batches.undo(self.batch_id)
        self.assertEqual([self.values(i).get("Delivery date") for i in range(3)], [None] * 3)

    def test_tags_and_the_warning_of_one_filed_already(self) -> None:
        setup = self.ws.setup
        kinds = tuple(
            t.model_copy(update={"key": ("Order number",)}) if t.name == NOTE else t for t in setup.document_types
        )
        self.ws.put_setup(setup.model_copy(update={"document_types": kinds}), self.who)
        filed = next(
            d for d in self.ws.repository.load_many(filed_ids(self.ws, "Purchasing")).values() if d.type == NOTE
        )
        self.enter(0, "Order number", filed.values["Order number"].text)
        self.assertEqual(
            load_bench(acting(self.ws), self.batch_id).facts[self.ids[0]].same, ((filed.id, filed.caption),)
        )
        self.assertEqual(load_bench(acting(self.ws), self.batch_id).facts[self.ids[1]].same, ())
        tags.set_tags(acting(self.ws, self.who), self.line, self.batch_id, self.ids[0], " urgent,  to  sign ,urgent")
        self.assertEqual(self.ws.batches.load(self.batch_id).documents[self.ids[0]].tags, ("urgent", "to sign"))

    def test_type_ahead_from_what_was_filed_and_the_register(self) -> None:
        filed = [d for d in self.ws.repository.load_many(filed_ids(self.ws, "Structures")).values()]
        inspector = filed[0].values["Inspector"].text
        found = complete(acting(self.ws), "Inspection sheet", "Inspector", inspector[:3])
        self.assertIn(inspector, [c.value for c in found])
        self.assertTrue(all(c.value.casefold().startswith(inspector[:3].casefold()) for c in found))

    def test_a_new_register_entry_for_those_who_may(self) -> None:
        entry = {"Name": "Oxlip Sail Loft", "Supplier number": "S9999", "IBAN": "", "Town": "Reedmouth"}
        supervisor = next(p.name for p in self.ws.setup.people if "supervisor" in p.roles)
        operator = next(p.name for p in self.ws.setup.people if "operator" in p.roles)
        with self.assertRaisesRegex(InputProblem, "may not add"):
            slip_help.add_entry(acting(self.ws, operator), "suppliers", entry)
        slip_help.add_entry(acting(self.ws, supervisor), "suppliers", entry)
        self.assertEqual(slip_help.search_register(acting(self.ws), "suppliers", "sail REED")[1], [entry])
        for wrong, said in ((entry, "already"), ({"Name": " "}, "needs its Name")):
            with self.assertRaisesRegex(InputProblem, said):
                slip_help.add_entry(acting(self.ws, supervisor), "suppliers", wrong)

    def test_typed_words_are_found_and_never_read_over(self) -> None:
        batch = self.ws.batches.load(self.batch_id)
        poor = page_texts.poor_pages(batch)
        self.assertEqual([(p.id, p.quality) for p in poor], [("page0", None), ("page1", 0.7)])
        page_texts.type_words(
            acting(self.ws, self.who),
            self.line,
            self.batch_id,
            "page0",
            "Order number PO-77777\nQuillfeather Lock Gates",
        )
        self.assertTrue(self.line.wait(60))
        page = self.ws.batches.load(self.batch_id).page("page0")
        self.assertEqual((page.text_origin, page.is_read), ("typed", True))
        self.assertEqual(self.values(0)["Order number"].text, "PO-77777", "values are proposed from typed words too")
        self.assertEqual(
            [h.id for h in find(acting(self.ws), "quillfeather 77777").hits if not h.is_filed], [self.ids[0]]
        )
        self.assertEqual([p.id for p in page_texts.poor_pages(self.ws.batches.load(self.batch_id))], ["page1"])

    def test_a_missing_language_names_its_package(self) -> None:
        with self.assertRaisesRegex(InputProblem, "Install the package tesseract-ocr-deu"):
            page_texts.set_language(acting(self.ws, self.who), self.line, self.batch_id, ["page1"], "deu+eng")
        with mock.patch.object(page_texts, "list_languages", return_value=["deu", "eng"]):
            page_texts.set_language(acting(self.ws, self.who), self.line, self.batch_id, ["page1"], "deu")
        page = self.ws.batches.load(self.batch_id).page("page1")
        self.assertEqual((page.language, page.is_read), ("deu", False))
        self.ws.batches.undo(self.batch_id)
        self.assertTrue(self.ws.batches.load(self.batch_id).page("page1").is_read)


class Areas(DataTest):
    def test_an_area_is_read_closely(self) -> None:
        from keybundle.core.imaging.picture import from_pil
        from keybundle.core.reading.engine import get_engine, read_box

        page = draw_page(5, 300)
        picture = from_pil(page.sheet.image, 300)
        word = next(w for w in page.words if len(w.text) > 7)
        left, top, right, bottom = word.box
        found = read_box(
            picture,
            Frame(picture.width, picture.height),
            (left - 12, top - 10, right + 12, bottom + 10),
            get_engine("eng"),
        )
        self.assertEqual([w.text for w in found.words], [word.text])
        self.assertTrue(all(abs(a - b) < 16 for a, b in zip(found.words[0].box, word.box, strict=True)))
        nothing = read_box(picture, Frame(picture.width, picture.height), (5, 5, 60, 40), get_engine("eng"))
        self.assertEqual(nothing.words, ())


class Ranges(DataTest):
    def test_ranges_speak_in_a_sentence(self) -> None:
        self.assertIn("over the greatest", str(normalise("120.00", Rule(Kind.MONEY, high="100.00"))))
        self.assertIn("under the least", str(normalise("2019-12-31", Rule(Kind.DATE, low="2020-01-01"))))
        self.assertEqual(normalise("9", Rule(Kind.WHOLE, low="5", high="10")), "9")
        with self.assertRaisesRegex(ValueError, "has no order"):
            FieldSpec(name="x", low="a")

    @given(st.text(max_size=60))
    @settings(max_examples=150, deadline=None)
    def test_any_text_is_a_value_or_a_sentence(self, text: str) -> None:
        for kind in (Kind.TEXT, Kind.DATE, Kind.MONEY, Kind.DECIMAL, Kind.WHOLE, Kind.YES_NO):
            value = normalise(text, Rule(kind))
            self.assertIsInstance(value, str | Refusal)

    def test_hostile_values(self) -> None:
        self.assertIn("characters long", str(normalise("x" * 10_000, Rule(Kind.TEXT))))
        self.assertEqual(normalise("שלום é", Rule(Kind.TEXT)), "שלום é", "right-to-left and combining text stays")
        self.assertIn("is not a date", str(normalise("2026-02-30", Rule(Kind.DATE))))


class Registers(DataTest):
    FISH = Register(name="fish", key="Name", columns=("Name", "Pond"))

    def test_faults_are_told_by_line_and_change_nothing(self) -> None:
        text = 'Pond;Name;More\r\nmill;"pike; old"\r\n;\r\nreed;\r\nreed;pike; old\r\nfen;"pike; old"\r\n'
        entries, report = read_register(text, self.FISH)
        self.assertEqual(entries, [{"Name": "pike; old", "Pond": "mill"}, {"Name": "pike", "Pond": "reed"}])
        self.assertEqual([str(f) for f in report.findings],
                         ["line 4: the key “Name” is empty", "line 6: the key “pike; old” stands in line 2 already"])  # fmt: skip
        self.assertIn("no column “Pond”", str(read_register("Name\npike\n", self.FISH)[1].findings[0]))

    def test_a_csv_file_takes_the_place_of_a_register(self) -> None:
        # Source: RFC 4180, sections 2.5 to 2.7 (quotes, line breaks and doubled quotes within them).
        ws = self.demo_workspace()
        who, path = ws.person(None).id, self.folder / "s.csv"
        path.write_bytes(b'Name,Supplier number,IBAN,Town\r\n"Reed ""and"" Rope, Ltd",S1,,"Two\r\nlines"\r\n')
        self.assertEqual(import_register(acting(ws, who), "suppliers", path), 1)
        self.assertEqual(ws.entries("suppliers")[0]["Name"], 'Reed "and" Rope, Ltd')
        self.assertIsNotNone(ws.books()["suppliers"].find('reed "AND" rope, ltd'))
        for data, said in (
            (b"Name\xff\n", "not UTF-8 text \\(line 1\\)"),
            (b"Name,Town\n", "no column"),
            (b"", "no column"),
        ):
            path.write_bytes(data)
            with self.assertRaisesRegex(InputProblem, said):
                import_register(acting(ws, who), "suppliers", path)
        self.assertEqual(len(ws.entries("suppliers")), 1)
        self.assertIsInstance(ws.full_setup(), Setup)

    def test_near_matches_in_a_long_column_are_those_of_a_plain_scan(self) -> None:
        # Source: rapidfuzz.process.extract over the whole column, without a shortlist.
        from rapidfuzz import fuzz, process

        heads, tails = ("Reed", "Oak", "Mill", "Fen", "Rope", "Lock"), ("mouth", "way", "gate", "ford", "quay", "wick")
        names = [f"{a}{b} {c} {ord(a[0]) * c}" for a in heads for b in tails for c in range(100)]
        book = Book("Name", [{"Name": n} for n in names])
        start = time.perf_counter()
        for name in names[::240]:
            slipped = name[:3] + "x" + name[4:]
            best = process.extractOne(slipped.lower(), [n.lower() for n in names], scorer=fuzz.ratio)
            near = book.nearest(slipped, "Name")
            assert near is not None
            self.assertAlmostEqual(near.likeness, best[1] / 100, places=6)
        self.assertLess(time.perf_counter() - start, 30)


class AtOnce(DataTest):
    def test_what_is_still_being_proposed_is_emptied_with_the_slip(self) -> None:
        data, batch_id = self.demo_data(scanned=True), scanned_template()[1]
        ws = open_workspace(data)
        self.addCleanup(ws.close)
        line, me = Line(ws, shared_pool()), acting(ws)
        self.addCleanup(line.close)
        document = ws.batches.load(batch_id).in_order()[1].id
        choose_type(me, line, batch_id, document, "Bill")
        slip_help.empty_slip(me, line, batch_id, document)
        self.assertTrue(line.wait(60))
        values = ws.batches.load(batch_id).document(document).values
        self.assertEqual(
            {n: v.text for n, v in values.items() if v.items}, {}, "nothing fills by itself what was emptied"
        )
        self.assertIn("Bill number", values)
