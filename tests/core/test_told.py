"""What goes before all guesses, and what files tell: type rules, file properties."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pikepdf
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from keybundle.core.base.boxes import Frame
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.page_kind import PageKind
from keybundle.core.batches.model import Facts, Page
from keybundle.core.fields.kinds import Kind
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.imaging.properties import read_properties
from keybundle.core.marks.model import BARCODE, Mark
from keybundle.core.proposing.propose import Hints, ReadPage, propose_values
from keybundle.core.reading.text import PageText, Word
from keybundle.core.setup.model import DocumentType, FieldSpec
from keybundle.core.setup.routines import Routine, TypeRule, Zone
from keybundle.core.setup.text import read_setup, write_setup
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.pages.page_jobs import wanted_marks
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.prepare.types import types
from keybundle.core.workflows.propose.type_rules import told_type
from keybundle.core.workflows.take_in.capture import find_routine, import_files
from tests.support import DataTest, acting, shared_pool


def page_of(*words: str) -> PageText:
    return PageText(
        tuple(Word(w, (100 + 120 * i, 100, 210 + 120 * i, 120), 0.95, 0, 0) for i, w in enumerate(words)),
        Frame(800, 1100),
    )


class Properties(DataTest):
    def write_pdf(self, **told: str) -> Path:
        path = self.folder / "told.pdf"
        with pikepdf.new() as pdf:
            pdf.add_blank_page(page_size=(595, 842))
            for name, text in told.items():
                pdf.docinfo[f"/{name}"] = text
            pdf.save(path)
        return path

    def test_properties_as_independent_writers_put_them(self) -> None:
        # Source: document information written by pikepdf (ISO 32000-1), Exif and PNG text by Pillow.
        path = self.write_pdf(Title="Sluice 7", Author="Elspra Towpath", CreationDate="D:20260331120000+02'00'")
        told = {"title": "Sluice 7", "author": "Elspra Towpath", "created": "2026-03-31"}
        self.assertEqual(read_properties(path, is_pdf=True), told)
        exif = Image.Exif()
        exif[0x010E], exif[0x0132] = "West quay,  wet", "2026:02:03 10:11:12"
        image = Image.new("L", (30, 30), 255)
        image.save(self.folder / "a.jpg", exif=exif)
        told = {"description": "West quay, wet", "created": "2026-02-03"}
        self.assertEqual(read_properties(self.folder / "a.jpg", is_pdf=False), told)
        text = PngInfo()
        text.add_text("Title", "Lock " * 400)
        image.save(self.folder / "b.png", pnginfo=text)
        self.assertEqual(len(read_properties(self.folder / "b.png", is_pdf=False)["title"]), 500, "cut, not refused")
        for no_day in ("yesterday", "D:20260231", "D:20261301", "2026"):
            self.assertEqual(read_properties(self.write_pdf(CreationDate=no_day), is_pdf=True), {}, no_day)
        (self.folder / "c.tif").write_bytes(b"II*\0 nothing")
        self.assertEqual(read_properties(self.folder / "c.tif", is_pdf=False), {})

    def test_a_property_fills_the_gap_agrees_or_is_offered(self) -> None:
        field = FieldSpec(name="Author", labels=("Author",), file_property="author")
        kind = DocumentType(name="Note", cabinet="Letters", fields=(field,))
        hints = Hints(properties={"author": "Elspra Towpath"})

        def propose(*words: str) -> FieldValue:
            return propose_values([ReadPage("p", page_of(*words))], kind, {}, 0.8, lambda f: f.rule(), hints)["Author"]

        missing, same, other = propose("Nothing"), propose("Author", "Elspra", "Towpath"), propose("Author", "Bren")
        self.assertEqual((missing.text, missing.origin, missing.sure), ("Elspra Towpath", Origin.PROPERTY, False))
        self.assertEqual((same.origin, same.confidence), (Origin.PAGE, 0.97))
        self.assertEqual((other.text, other.alternatives), ("Bren", ("Elspra Towpath",)))

    def test_an_imported_pdf_brings_its_properties_to_the_slip(self) -> None:
        ws = self.demo_workspace()
        who, line = ws.person(None).id, Line(ws, shared_pool())
        self.addCleanup(line.close)
        kind = ws.setup.document_type("Letter")
        assert kind is not None
        kind = types.add_field(kind, "Written by", Kind.TEXT)
        kind = types.change_field(kind, "Written by", {"file_property": "author"})
        parts.save_part(acting(ws, who), "document_types", types.change_told(kind, "source", r"letters/.*\.pdf$"))
        (self.folder / "letters").mkdir()
        path = self.write_pdf(Author="Bren Osier").rename(self.folder / "letters" / "one.pdf")
        routine = find_routine(acting(ws), "Files").model_copy(update={"leave_out_blank": False})
        found = import_files(acting(ws, who), line, shared_pool(), routine, [path.parent.parent / "letters"])
        self.assertTrue(line.wait(60))
        batch = ws.batches.load(str(found.batch))
        self.assertEqual(batch.pages[0].source, "one.pdf")
        self.assertEqual(batch.pages[0].facts.properties if batch.pages[0].facts else {}, {"author": "Bren Osier"})


class Rules(DataTest):
    def page(self, **facts: object) -> Page:
        measured = replace(Facts(800, 1100, 100, "grey", 0, 0.0, 50.0, False), **facts)
        return Page("p", 0, "letters/one.pdf", 0, 1, "front", "sha", PageKind.PDF, facts=measured)

    def test_words_barcodes_and_sources_tell_a_type(self) -> None:
        kinds = {on: DocumentType(name=on, cabinet="Letters", told_by=(TypeRule(on=on, pattern=p),)) for on, p in (
            ("words", r"claim no\. \d+"), ("barcode", r"^KX-"), ("source", r"^letters/"))}  # fmt: skip
        barcode = Mark(BARCODE, "Code 128", "KX-77", (10, 10, 60, 30))
        plain, marked = self.page(), self.page(marks=(barcode,))
        claim = page_of("Claim", "no.", "17")
        order = list(kinds.values())
        self.assertEqual(told_type(plain, claim, order), ("words", 0.99))
        self.assertEqual(told_type(marked, page_of("Hello"), order), ("barcode", 0.99))
        self.assertEqual(told_type(plain, None, order), ("source", 0.99))
        self.assertIsNone(told_type(plain, page_of("Hello"), order[:2]))
        slow = TypeRule(on="source", pattern=r"(a+)+$")
        long = replace(plain, source="a" * 60 + "!")
        self.assertIsNone(told_type(long, None, [DocumentType(name="x", cabinet="y", told_by=(slow,))]))

    def test_barcodes_are_looked_for_because_a_type_asks(self) -> None:
        ws = self.demo_workspace()
        kind = ws.setup.document_type("Letter")
        assert kind is not None
        routine = Routine(name="Plain", sign="PL")
        self.assertEqual(wanted_marks(ws.setup, routine).formats, ())
        parts.save_part(acting(ws, ws.person(None).id), "document_types", types.change_told(kind, "barcode", "^KX-"))
        self.assertEqual(wanted_marks(ws.setup, routine).formats, ("any",))
        kept = read_setup(write_setup(ws.setup))
        self.assertEqual(kept.document_types if not hasattr(kept, "findings") else (), ws.setup.document_types)

    def test_rules_and_fields_are_changed_in_words(self) -> None:
        ws = self.demo_workspace()
        bill = ws.setup.document_type("Bill")
        assert bill is not None
        told = types.change_told(types.change_told(bill, "words", "remittance"), "source", "bills/")
        self.assertEqual(types.told_patterns(told), {"words": "remittance", "barcode": "", "source": "bills/"})
        self.assertEqual(types.told_patterns(types.change_told(told, "words", ""))["words"], "")
        with self.assertRaisesRegex(InputProblem, "no regular expression"):
            types.change_told(bill, "words", "(")
        more = types.add_field(bill, " Paid on ", Kind.DATE)
        self.assertEqual((more.fields[-1].name, more.fields[-1].labels), ("Paid on", ("Paid on",)))
        self.assertEqual(types.remove_field(more, "Paid on"), bill)
        for name, said in (("Bill number", "its caption"), ("Net", "a sum"), ("Bill date", "its folder")):
            with self.assertRaisesRegex(InputProblem, said):
                types.remove_field(bill, name)
        for name, kind, said in (
            ("Net", Kind.TEXT, "already"), ("", Kind.TEXT, "at least 1 character"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InputProblem, said):
                types.add_field(bill, name, kind)

    def test_a_rule_of_the_set_up_file_keeps_what_the_editor_does_not_show(self) -> None:
        zone = Zone(left=0.0, top=0.0, right=1.0, bottom=0.2)
        rules = (
            TypeRule(on="words", words="Claim no. 7", zone=zone),
            TypeRule(on="barcode", pattern="^A", format="QR"),
            TypeRule(on="barcode", pattern="^B"),
        )
        kind = DocumentType(name="Claim", cabinet="Letters", told_by=rules)
        self.assertEqual(types.told_patterns(kind)["barcode"], "^A", "of several the first")
        shown = types.told_patterns(kind)["words"]
        as_words = told_type(self.page(), page_of("Claim", "no.", "7"), [kind])
        as_pattern = types.change_told(kind, "words", shown)
        self.assertEqual(told_type(self.page(), page_of("Claim", "no.", "7"), [as_pattern]), as_words)
        self.assertEqual(as_pattern.told_by[0].zone, zone)
        changed = types.change_told(kind, "barcode", "^C")
        self.assertEqual([(r.pattern, r.format) for r in changed.told_by[1:]], [("^C", "QR"), ("^B", "any")])
        self.assertEqual([r.pattern for r in types.change_told(kind, "barcode", "").told_by[1:]], ["^B"])

    def test_words_count_only_in_their_zone(self) -> None:
        below = TypeRule(on="words", words="Claim", zone=Zone(left=0.0, top=0.5, right=1.0, bottom=1.0))
        kind = DocumentType(name="Claim", cabinet="Letters", told_by=(below,))
        self.assertIsNone(told_type(self.page(), page_of("Claim"), [kind]))
        above = kind.model_copy(update={"told_by": (below.model_copy(update={"zone": None}),)})
        self.assertEqual(told_type(self.page(), page_of("Claim"), [kind, above]), ("Claim", 0.99))
        self.assertIsNone(told_type(self.page(), None, [above]), "nothing is read yet")
