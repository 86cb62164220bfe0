"""The broad world that the benches measure on: papers say what their truth says, the same for the same seed."""

from __future__ import annotations

import subprocess
import tempfile
import unittest
from collections import Counter
from dataclasses import replace
from datetime import date
from decimal import Decimal
from pathlib import Path

import numpy as np
from bench.world.country import COUNTRIES, say_amount
from bench.world.digital import write_pdf
from bench.world.families import FAMILIES, JUDGED_ONLY, family
from bench.world.organisation import make_organisation
from bench.world.papers import Job, draw, organisation, paper
from bench.world.setup import is_right, make_rule, make_types
from bench.world.sides import DIRT, make_side

from keybundle.core.fields.kinds import normalise


class Papers(unittest.TestCase):
    def test_each_family_puts_each_value_on_paper_in_whole_words(self) -> None:
        for of in FAMILIES:
            for number in range(2):
                job = Job(3, of.name, number)
                said, sheets = paper(job), family(of.name).draw(paper(job), job.chance(), 100)
                words = Counter(w.text.casefold().strip(".,:;") for sheet in sheets for w in sheet.words)
                for value in said.values:
                    for word in value.shown.casefold().split():
                        self.assertGreater(
                            words[word.strip(".,:;")], 0, f"{of.name} {number}: {value.part} {value.shown}"
                        )

    def test_the_same_seed_gives_the_same_papers_and_another_one_others(self) -> None:
        one, again, other = (
            [paper(Job(seed, f.name, 0)).values for f in FAMILIES if f.name not in JUDGED_ONLY] for seed in (5, 5, 6)
        )
        self.assertEqual(one, again)
        self.assertTrue(all(a != b for a, b in zip(one, other, strict=True)))
        self.assertNotEqual(make_organisation(5).name, make_organisation(6).name)

    def test_stored_values_are_normalised(self) -> None:
        for number in range(20):
            for value in paper(Job(8, "label left", number)).values:
                if value.part in ("date", "due", "start", "end"):
                    self.assertEqual(date.fromisoformat(value.stored).isoformat(), value.stored)
                if value.part in ("net", "tax", "total", "rent"):
                    self.assertEqual(Decimal(value.stored).as_tuple().exponent, -2)

    def test_a_senders_form_is_laid_out_alike_and_says_something_else(self) -> None:
        for name in ("label left", "grid", "letter without labels", "filled form"):
            one, two = (draw(Job(4, name, n, sender=3, more=2)) for n in (1, 2))
            self.assertEqual([len(one), len(two)], [3, 3], "its own page and two more")
            heads = [{(r.text, round(r.x_mm), round(r.y_mm)) for r in sheets[0].runs} for sheets in (one, two)]
            self.assertGreater(len(heads[0] & heads[1]), 4, f"{name}: what is printed on every sheet")
            self.assertTrue(heads[0] - heads[1], f"{name}: what is filled in")

    def test_a_paper_of_a_program_holds_its_words_as_text(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "paper.pdf")
            sheets = draw(Job(4, "prose agreement", 1))
            write_pdf(sheets, path)
            # Source: poppler's pdftotext.
            said = subprocess.run(
                ["pdftotext", "-layout", path, "-"], capture_output=True, text=True, check=True
            ).stdout
            self.assertEqual(Counter(said.split()), Counter(w.text for s in sheets for w in s.words))

    def test_sides_are_the_same_for_the_same_seed_and_their_mark_shows(self) -> None:
        one, again = (make_side(2, 1, marked=True) for _ in range(2))
        self.assertTrue(np.array_equal(one.picture.pixels, again.picture.pixels))
        dirty = {make_side(2, n, marked=False).dirt for n in range(len(DIRT))}
        self.assertEqual(dirty, set(DIRT))

    def test_the_set_up_of_an_organisation_accepts_what_its_papers_say(self) -> None:
        of = organisation(4)
        types = {t.name: t for t in make_types(of)}
        for number, name in enumerate(f.name for f in FAMILIES):
            said = paper(Job(4, name, number))
            type_name, fields = of.types[said.kind]
            for value in said.values:
                spec = types[type_name].field(fields[value.part])
                assert spec is not None
                rule = replace(make_rule(of, spec), decimal_mark=said.sender.country.decimal,
                               day_first=said.sender.country.order != "mdy")  # fmt: skip
                self.assertTrue(is_right(value, (str(normalise(value.shown, rule)),)), f"{value.part} {value.shown}")

    def test_amounts_are_written_as_each_country_does(self) -> None:
        # Source: the ways to write an amount that Unicode's CLDR has for en-GB, de-DE, fr-FR, de-CH, en-US and sv-SE,
        # with a plain space and an ASCII apostrophe for its narrow ones.
        wanted = ("1,234.56", "1.234,56", "1 234,56", "1'234.56", "1,234.56", "1 234,56")
        said = tuple(say_amount(Decimal("1234.56"), country, sign=False) for country in COUNTRIES)
        self.assertEqual(said, wanted)
