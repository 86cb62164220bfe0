"""Runs all tests with warnings as errors; its closing line says how many passed and failed.

What needs no window and no common batch (kills, type checks, pictures, the command line) runs in a process beside the rest,
so that both cores of a small machine are busy.
"""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
import time
import unittest
import warnings
from collections.abc import Iterator
from pathlib import Path

BESIDE = (
    "tests.flows.test_crashes", "tests.flows.test_fuzz", "tests.flows.test_command_line", "tests.architecture.",
    "tests.core.test_photo", "tests.core.test_imaging", "tests.core.test_marks", "tests.core.test_reading",
    "tests.core.test_proposing", "tests.core.test_sane", "tests.core.test_pdfa", "tests.core.test_born",
)  # fmt: skip
ROOT = Path(__file__).parent.parent


class TimedResult(unittest.TextTestResult):
    """Names each test as it ends, with its seconds."""

    def startTest(self, test: unittest.TestCase) -> None:
        self._began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        self.stream.write(f"   {time.monotonic() - self._began:.1f} s\n")
        self.stream.flush()


def each(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    """Yield every test of a suite."""
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from each(test)
        else:
            yield test


def run(beside: bool) -> tuple[int, int, int]:
    """Run one part of the tests; return how many passed, failed and were skipped."""
    warnings.simplefilter("error")
    found = unittest.defaultTestLoader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT))
    chosen = unittest.TestSuite(t for t in each(found) if t.id().startswith(BESIDE) is beside)
    runner = unittest.TextTestRunner(verbosity=2, warnings="error", resultclass=TimedResult)
    result = runner.run(chosen)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    sys.stderr.flush()
    return result.testsRun - failed - skipped, failed, skipped


def main() -> int:
    """Run and tell."""
    if "--beside" in sys.argv:
        print("beside: {} passed, {} failed, {} skipped".format(*run(beside=True)), flush=True)
        return 0
    with tempfile.TemporaryFile("w+") as said:
        other = subprocess.Popen([sys.executable, "-m", "tests.run", "--beside"], stdout=said, stderr=said, cwd=ROOT)
        try:
            here = run(beside=False)
            other.wait()
        finally:
            other.kill()
            other.wait()
        said.seek(0)
        text = said.read()
    print(text, file=sys.stderr, flush=True)
    told = re.search(r"^beside: (\d+) passed, (\d+) failed, (\d+) skipped$", text, re.MULTILINE)
    there = tuple(int(n) for n in told.groups()) if told else (0, 1, 0)
    passed, failed, skipped = (a + b for a, b in zip(here, there, strict=True))
    print(f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""), flush=True)
    return 0 if failed == 0 and passed > 0 else 1


if __name__ == "__main__":
    sys.exit(main())
