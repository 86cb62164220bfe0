"""Runs all tests with warnings as errors; its closing line says how many passed and failed."""

from __future__ import annotations

import sys
import time
import unittest
import warnings
from pathlib import Path


class TimedResult(unittest.TextTestResult):
    """Names each test as it ends, with its seconds."""

    def startTest(self, test: unittest.TestCase) -> None:
        self._began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        self.stream.write(f"   {time.monotonic() - self._began:.1f} s\n")
        self.stream.flush()


def main() -> int:
    """Run and tell."""
    warnings.simplefilter("error")
    root = Path(__file__).parent.parent
    suite = unittest.defaultTestLoader.discover(str(root / "tests"), top_level_dir=str(root))
    runner = unittest.TextTestRunner(verbosity=2, warnings="error", resultclass=TimedResult)
    result = runner.run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    passed = result.testsRun - failed - skipped
    sys.stderr.flush()
    print(f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""), flush=True)
    return 0 if failed == 0 and passed > 0 else 1


if __name__ == "__main__":
    sys.exit(main())
