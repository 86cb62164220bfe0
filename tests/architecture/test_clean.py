"""The code is clean: ruff and mypy have nothing to say."""

from __future__ import annotations

import subprocess
import unittest

from tests.support import ROOT


class Clean(unittest.TestCase):
    def check(self, *command: str) -> None:
        done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, (done.stdout + done.stderr)[-4000:])

    def test_ruff(self) -> None:
        self.check(".venv/bin/ruff", "check", ".")
        self.check(".venv/bin/ruff", "format", "--check", ".")

    def test_mypy(self) -> None:
        self.check(".venv/bin/mypy")
