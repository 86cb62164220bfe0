"""The set-up file: round trip, and the line and reason of each fault."""

from __future__ import annotations

import tomllib
import unittest

from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from keybundle.core.base.errors import Report
from keybundle.core.fields.kinds import FILE_PROPERTIES
from keybundle.core.setup.gaps import find_gaps
from keybundle.core.setup.model import Cabinet, DocumentType, FieldSpec, Setup
from keybundle.core.setup.routines import TypeRule, Zone
from keybundle.core.setup.text import load_setup, read_setup, write_setup
from keybundle.demo.names import make_world
from keybundle.demo.setup import make_setup

# Any letters and signs that can stand in one line of a file, quotes and backslashes among them.
TEXT = st.text(alphabet=st.characters(blacklist_categories=("Cs", "Cc", "Zl", "Zp")), min_size=1, max_size=20)


class SetupFile(unittest.TestCase):
    def setUp(self) -> None:
        self.setup = make_setup(make_world())
        self.text = write_setup(self.setup)

    def test_round_trip(self) -> None:
        self.assertEqual(load_setup(self.text), self.setup)
        # Source: TOML 1.0 as read by CPython's own tomllib.
        self.assertEqual(len(tomllib.loads(self.text)["registers"][0]["rows"]), 120)

    def _findings(self, old: str, new: str) -> list[tuple[int, str]]:
        self.assertIn(old, self.text)
        broken = self.text.replace(old, new, 1)
        report = read_setup(broken)
        self.assertIsInstance(report, Report)
        found = report.findings if isinstance(report, Report) else ()
        expected = broken[: broken.index(new)].count("\n") + 1
        return [(int(f.where.removeprefix("line ")) - expected, f.message) for f in found]

    def test_wrong_field_kind(self) -> None:
        ((line, message),) = self._findings('kind = "money"', 'kind = "monney"')
        self.assertEqual(line, 0)
        self.assertIn("monney", message)

    def test_rules_and_properties_of_types(self) -> None:
        for faulty, said in (
            ({"told_by": [{"on": "barcode"}]}, "by its barcode needs a pattern"),
            ({"told_by": [{"on": "words"}]}, "by its words needs a pattern"),
            ({"told_by": [{"on": "source", "pattern": "("}]}, "no regular expression"),
            ({"told_by": [{"on": "smell", "pattern": "x"}]}, "'words', 'barcode' or 'source'"),
            ({"fields": [{"name": "A", "file_property": "size"}]}, "“size” is no file property; take one of title"),
        ):
            with self.assertRaisesRegex(ValidationError, said):
                DocumentType.model_validate({"name": "Note", "cabinet": "Letters", **faulty})

    @given(TEXT, TEXT, st.sampled_from(["", *FILE_PROPERTIES]), st.booleans())
    def test_any_words_in_a_type_come_back(self, label: str, words: str, told: str, zoned: bool) -> None:
        zone = Zone(left=0.1, top=0.25, right=0.5, bottom=0.5) if zoned else None
        rules = (TypeRule(on="words", words=words, zone=zone), TypeRule(on="barcode", pattern="^KX", format="QR"))
        field = FieldSpec(name="Title", labels=(label,), file_property=told, zone=zone)
        cabinet = Cabinet(name="Letters", description=words)
        kind = DocumentType(name="Note", cabinet="Letters", words=(label,), told_by=rules, fields=(field,))
        whole = Setup(repository="Boat yard", cabinets=(cabinet,), document_types=(kind,))
        self.assertEqual(load_setup(write_setup(whole)), whole)

    def test_unknown_register(self) -> None:
        found = self._findings('register = "boats"', 'register = "bots"')
        self.assertEqual(found[0][0], 0)
        self.assertIn("there is no register “bots”; known are: boats", found[0][1])

    def test_unknown_key_and_broken_toml(self) -> None:
        self.assertEqual(self._findings('locale = "en_GB"', 'locales = "en_GB"')[0][0], 0)
        self.assertEqual(self._findings('locale = "en_GB"', "locale = en_GB")[0][0], 0)

    def test_folder_field_needs_a_source(self) -> None:
        found = self._findings(
            '"Reach" = "Reach"' if '"Reach" = ' in self.text else 'Reach = "Reach"', 'Reach = "Rich"'
        )
        self.assertIn("“Reach” of “Inspection sheet” has no field", found[0][1])

    def test_what_would_break_every_document_is_told_beforehand(self) -> None:
        bill = """[[document_types]]
name = "Bill"
cabinet = "Box"
{type}
[[document_types.fields]]
name = "Net"
kind = "money"
{net}
[[document_types.fields]]
name = "Bill date"
kind = "date"
[[document_types.fields]]
name = "Sender"
"""
        head = 'schema_version = 1\nrepository = "x"\n{head}\n[[cabinets]]\nname = "Box"\nfolder_fields = [{levels}]\n'
        good = {"head": "", "levels": "", "type": "", "net": ""}
        self.assertIsInstance(read_setup((head + bill).format(**good)), Setup)
        for part, text, said in (
            ("type", 'sums = ["A + B"]', "no sum; write it like Net"),
            ("type", 'sums = ["Net + VAT = Net"]', "“VAT”, which is no field of “Bill”"),
            ("type", 'sums = ["Net = Sender"]', "needs “Sender” to hold a number"),
            ("type", 'order = ["Bill date"]', "no order of dates"),
            ("type", 'order = ["Net < Bill date"]', "needs “Net” to hold a date"),
            ("type", 'key = ["Total"]', "the key names “Total”"),
            ("type", 'caption = "{{Supplier}} bill"', "the caption names “Supplier”"),
            ("net", 'low = "ten"', "“ten” is no limit for “Net”"),
            ("net", 'low = "5"\nhigh = "1"', "is empty: 5 is over 1"),
            ("net", 'default = "{{nothing}}"', "no default that can be made"),
            ("net", 'default = "soon"', "refused by its own rules"),
            ("net", 'column = "Name"', "names a column, but no register"),
            ("head", 'time_zone = "Europe/Atlantis"', "there is no time zone “Europe/Atlantis”"),
            ("head", 'locale = "xx"', "there is no locale “xx”"),
        ):
            text = text.replace("{{", "{").replace("}}", "}")
            report = read_setup((head + bill).format(**{**good, part: text}))
            self.assertIsInstance(report, Report, text)
            self.assertIn(said, "\n".join(str(f) for f in report.findings) if isinstance(report, Report) else "")
        waits = read_setup((head + bill).format(**{**good, "levels": '"Year"'}))
        assert isinstance(waits, Setup)
        self.assertIn("does not say where Year of Box comes from", " ".join(gap.said for gap in find_gaps(waits)))
        folder = 'folder = { Year = "year of Sender" }'
        report = read_setup((head + bill).format(**{**good, "levels": '"Year"', "type": folder}))
        self.assertIn("holds no date", str(report))
