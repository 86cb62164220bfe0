"""Promises around the code: layers, fresh-process imports, documented commands, names."""

from __future__ import annotations

import importlib
import re
import subprocess
import sys
import unittest
from importlib.metadata import packages_distributions

from keybundle.cli import arguments
from keybundle.cli.arguments import make_parser
from keybundle.core.export import forms, naming
from keybundle.core.marks import printing, sheets
from keybundle.core.setup import ids, routines
from keybundle.demo import seed
from tests.support import ROOT

SOURCE = ROOT / "src" / "keybundle"


class Walls(unittest.TestCase):
    def test_the_core_loads_no_qt(self) -> None:
        modules = [
            ".".join(p.relative_to(ROOT / "src").with_suffix("").parts)
            for folder in ("core", "cli", "demo") for p in (SOURCE / folder).rglob("*.py")
            if "migrations" not in p.parts and p.name != "__init__.py"
        ]  # fmt: skip
        code = "import sys\n" + "\n".join(f"import {m}" for m in modules if not m.endswith("worker"))
        code += "\nprint([m for m in sys.modules if m.startswith(('PySide6', 'shiboken6'))])"
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.strip(), "[]")
        self.assertGreater(len(modules), 60)

    def test_the_window_starts_without_numerics_and_imaging(self) -> None:
        heavy = ("numpy", "scipy", "sklearn", "cv2", "tesserocr", "pypdfium2", "pikepdf", "reportlab", "zxingcpp")
        code = f"import sys, keybundle.desktop.app\nprint([m for m in {heavy} if m in sys.modules])"
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.strip(), "[]")

    def test_import_contracts(self) -> None:
        command = [str(ROOT / ".venv/bin/lint-imports"), "--no-cache"]
        done = subprocess.run(command, capture_output=True, text=True, check=False, cwd=ROOT)
        self.assertEqual(done.returncode, 0, done.stdout[-3000:])

    def test_the_faces_call_use_cases_and_know_values_only(self) -> None:
        values = {
            "batches.model", "batches.seen", "export", "export.forms", "export.message", "fields.digits",
            "fields.kinds", "fields.locales", "fields.values", "imaging.tiles", "jobs.pool",
            "formats.names", "proposing.calibration", "reading.languages", "reading.text", "repository.model", "rights.model",
            "search.query",
            "setup.formulas", "setup.gaps", "setup.model", "setup.parts", "setup.routines", "setup.uses",
            "store.moving",
            "store.place",
            "store.recent",
        }  # fmt: skip
        found = set()
        for path in [*(SOURCE / "desktop").rglob("*.py"), *(SOURCE / "cli").rglob("*.py")]:
            text = path.read_text()
            for module in re.findall(r"(?:from|import) keybundle\.core\.([a-z_.]+)", text):
                if module.split(".")[0] not in ("base", "workflows"):
                    found.add(module)
                    self.assertIn(module, values, path)
        self.assertEqual(values - found, set(), "no longer needed")

    def test_no_event_loop_tricks(self) -> None:
        for path in SOURCE.rglob("*.py"):
            self.assertNotIn("processEvents", path.read_text(), path)
            self.assertNotIn("blockSignals", path.read_text(), path)


class CommandLine(unittest.TestCase):
    def test_the_choices_that_stand_there_are_the_cores(self) -> None:
        here = (
            arguments.PARTS, arguments.FORMS, arguments.USUAL_FORM, arguments.USUAL_NAMES, arguments.SHEET_KINDS,
            arguments.PATCHES, arguments.SIZES, arguments.DEMO_DOCUMENTS, arguments.DEMO_SHEETS,
        )  # fmt: skip
        cores = (
            ids.PARTS, tuple(f.key for f in forms.FORMS), forms.PDFA, naming.USUAL, sheets.KINDS, routines.PATCH_SYMBOLS,
            tuple(printing.SIZES), seed.FILED_DOCUMENTS, seed.STACK_SHEETS,
        )  # fmt: skip
        self.assertEqual(here, cores)
        for command in arguments.COMMANDS:
            self.assertTrue(callable(importlib.import_module(arguments.module_of(command)).run), command)


class Documents(unittest.TestCase):
    def test_every_command_has_help_and_a_place_in_the_docs(self) -> None:
        told = (ROOT / "docs" / "command-line.md").read_text()
        (commands,) = [a for a in make_parser()._actions if a.choices and a.dest == "command"]
        for name, parser in commands.choices.items():  # type: ignore[union-attr]
            self.assertIn(f"## {name}", told)
            self.assertTrue(parser.format_help())
            for action in parser._actions:
                for option in action.option_strings:
                    if option.startswith("--") and option != "--help":
                        self.assertIn(f"`{option}", told, f"{name} {option}")

    def test_readme_links_every_screenshot(self) -> None:
        readme = (ROOT / "README.md").read_text()
        shots = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
        self.assertLess(len(shots), 20)
        self.assertGreaterEqual(len(shots), 4)
        for shot in shots:
            self.assertIn(shot.name, readme)

    def test_running_needs_only_what_is_locked_for_running(self) -> None:
        locked = {
            line.split("==")[0].replace("_", "-").lower() for line in (ROOT / "requirements.lock").read_text().split()
        }
        of_module = packages_distributions()
        used: set[str] = set()
        for path in SOURCE.rglob("*.py"):
            used |= set(re.findall(r"^\s*(?:import|from) (\w+)", path.read_text(), re.MULTILINE))
        wanted = {d.replace("_", "-").lower() for m in used - {"keybundle"} for d in of_module.get(m, ())}
        self.assertEqual({d for d in wanted if d not in locked}, set())
        self.assertIn("segno", wanted)

    def test_files_stay_small(self) -> None:
        long = [p.name for p in SOURCE.rglob("*.py") if len(p.read_text().splitlines()) > 520]
        self.assertEqual(long, [])
        docstrings = [
            p for p in SOURCE.rglob("*.py") if not re.match(r'\s*(r?""")', p.read_text()) and p.read_text().strip()
        ]
        self.assertEqual(docstrings, [])
