"""The broad world that the benches measure on: papers say what their truth says, the same for the same seed."""

from __future__ import annotations

import unittest
from collections import Counter
from datetime import date
from decimal import Decimal

from bench.world.country import COUNTRIES, say_amount
from bench.world.families import FAMILIES, JUDGED_ONLY, family
from bench.world.organisation import make_organisation
from bench.world.papers import Job, paper


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

    def test_amounts_are_written_as_each_country_does(self) -> None:
        # Source: the ways to write an amount that Unicode's CLDR has for en-GB, de-DE, fr-FR, de-CH, en-US and sv-SE,
        # with a plain space and an ASCII apostrophe for its narrow ones.
        wanted = ("1,234.56", "1.234,56", "1 234,56", "1'234.56", "1,234.56", "1 234,56")
        said = tuple(say_amount(Decimal("1234.56"), country, sign=False) for country in COUNTRIES)
        self.assertEqual(said, wanted)
