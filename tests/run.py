"""Runs all tests with warnings as errors; its closing line says how many passed and failed.

The modules are shared out between processes, the longest first by what they took last time (``tests/durations.txt``,
written by ``python -m tests.run --record``), so that all cores of a small machine are busy to the end.
"""

from __future__ import annotations

import faulthandler
import io
import json
import os
import subprocess
import sys
import threading
import time
import unittest
import warnings
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent
DURATIONS = ROOT / "tests" / "durations.txt"
# One more than cores in a usual run: some wait for devices, windows and workers. The whole takes its time, and gives
# each test more of the machine.
PROCESSES = 2 if "KEYBUNDLE_WHOLE" in os.environ else 3
UNKNOWN_SECONDS = 10.0
HANGING_SECONDS = 900  # a module that takes longer hangs: it is ended, and says where each thread was


class TimedResult(unittest.TextTestResult):
    """Names each test as it ends, with its seconds."""

    def startTest(self, test: unittest.TestCase) -> None:
        self._began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        self.stream.write(f"   {time.monotonic() - self._began:.1f} s\n")


def list_modules() -> list[str]:
    """Return the test modules, those that took longest first."""
    known = dict(line.split() for line in DURATIONS.read_text().splitlines()) if DURATIONS.exists() else {}
    paths = (p.relative_to(ROOT).with_suffix("") for p in (ROOT / "tests").rglob("test_*.py"))
    modules = [".".join(p.parts) for p in paths]
    return sorted(modules, key=lambda m: (-float(known.get(m, UNKNOWN_SECONDS)), m))


def run_module(name: str) -> dict[str, object]:
    """Run one module's tests; return the counts and what was said."""
    stream = io.StringIO()
    runner = unittest.TextTestRunner(stream, verbosity=2, warnings="error", resultclass=TimedResult)
    start = time.monotonic()
    faulthandler.dump_traceback_later(HANGING_SECONDS, exit=True)
    result = runner.run(unittest.defaultTestLoader.loadTestsFromName(name))
    faulthandler.cancel_dump_traceback_later()
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    counts = {"passed": result.testsRun - failed - skipped, "failed": failed, "skipped": skipped}
    return {**counts, "seconds": time.monotonic() - start, "said": stream.getvalue()}


def serve() -> None:
    """Run the modules named on standard input, one answer a line on what was standard output."""
    warnings.simplefilter("error")
    with os.fdopen(os.dup(1), "w") as answers:
        os.dup2(2, 1)  # what tests print goes to standard error
        for line in sys.stdin:
            answers.write(json.dumps(run_module(line.strip())) + "\n")
            answers.flush()


class Share(threading.Thread):
    """One process and the modules it gets: the next one as soon as it is free."""

    def __init__(self, modules: Iterator[str], lock: threading.Lock) -> None:
        super().__init__()
        self._modules = modules
        self._lock = lock
        self._process: subprocess.Popen[str] | None = None
        self.results: dict[str, dict[str, object]] = {}

    def run(self) -> None:
        while (module := self._next()) is not None:
            result = self._ask(module)
            self.results[module] = result
            with self._lock:
                print(result["said"], file=sys.stderr, flush=True)
        if self._process is not None and self._process.stdin is not None:
            self._process.stdin.close()
            self._process.wait()

    def _next(self) -> str | None:
        with self._lock:
            return next(self._modules, None)

    def _ask(self, module: str) -> dict[str, object]:
        if self._process is None:
            command = [sys.executable, "-m", "tests.run", "--serve"]
            pipe = subprocess.PIPE
            self._process = subprocess.Popen(command, cwd=ROOT, stdin=pipe, stdout=pipe, text=True)
        assert self._process.stdin is not None and self._process.stdout is not None
        self._process.stdin.write(module + "\n")
        self._process.stdin.flush()
        answer = self._process.stdout.readline()
        if answer:
            found: dict[str, object] = json.loads(answer)
            return found
        status = self._process.wait()
        self._process = None
        return {
            "passed": 0,
            "failed": 1,
            "skipped": 0,
            "seconds": 0.0,
            "said": f"{module} ended its process ({status})",
        }


def main() -> int:
    """Run and tell."""
    if "--serve" in sys.argv:
        serve()
        return 0
    modules, lock = iter(list_modules()), threading.Lock()
    shares = [Share(modules, lock) for _ in range(PROCESSES)]
    for share in shares:
        share.start()
    for share in shares:
        share.join()
    results = {module: result for share in shares for module, result in share.results.items()}
    if "--record" in sys.argv:
        told = (f"{module} {result['seconds']:.0f}" for module, result in sorted(results.items()))
        DURATIONS.write_text("\n".join(told) + "\n")
    passed, failed, skipped = (sum(int(str(r[k])) for r in results.values()) for k in ("passed", "failed", "skipped"))
    for module, result in sorted(results.items(), key=lambda x: -float(str(x[1]["seconds"])))[:12]:
        print(f"{float(str(result['seconds'])):6.1f} s  {module}", file=sys.stderr)
    print(f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""), flush=True)
    return 0 if failed == 0 and passed > 0 else 1


if __name__ == "__main__":
    sys.exit(main())
