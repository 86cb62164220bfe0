"""The set-up file: round trip, and the line and reason of each fault."""

from __future__ import annotations

import tomllib
import unittest

from keybundle.core.base.errors import Report
from keybundle.core.setup.text import load_setup, read_setup, write_setup
from keybundle.demo.names import make_world
from keybundle.demo.setup import make_setup


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
