"""What loads is a budget: what a command or a start of the window may load stands in ``loading.txt``, and nothing else is loaded.

A module that creeps back costs everybody at each start. Whoever needs one more writes it there, and sees what it costs by
``scripts/bench start``.
"""

from __future__ import annotations

import os
import subprocess
import sys
import unittest
from pathlib import Path

from tests.support import ROOT, DataTest

BUDGET = Path(__file__).with_name("loading.txt")
TOLD = "\nimport sys\nprint('LOADED', *sorted(sys.modules))"
COMMAND = (
    "import contextlib, io\nfrom keybundle.cli.main import main\nwith contextlib.redirect_stdout(io.StringIO()):\n"
    "    status = main({arguments!r})\nassert status == 0, status"
)
WINDOW = """
from pathlib import Path
from keybundle.desktop.opening import make_application
app = make_application()
import functools
from keybundle.desktop import app as started
# What is done later by itself has nothing to do with the start, however slow the machine.
started.TIDY_MS = started.AHEAD_MS = 10**8
started.work_behind = functools.partial(started.work_behind, look_seconds=1e6)
started.follow_sources = functools.partial(started.follow_sources, look_seconds=1e6)
desktop = started.Desktop(Path({data!r}))
desktop.begin(desktop.workspace.setup.people[0].name)
import time
end = time.monotonic() + 60
while not desktop.window.work.presenter.state.scanner and time.monotonic() < end:
    app.processEvents()
assert desktop.window.work.presenter.state.scanner
""" + TOLD + "\ndesktop.close()"  # fmt: skip


def read_budget() -> dict[str, set[str]]:
    """Return the modules that each case may load; a line of only a name in brackets begins one, ``+ NAME`` takes another in."""
    found: dict[str, set[str]] = {}
    own: set[str] = set()
    for line in BUDGET.read_text().splitlines():
        if line.startswith("["):
            own = found[line.strip("[]")] = set()
        elif line.startswith("+ "):
            own |= found[line[2:]]
        elif not line.startswith("#"):
            own |= set(line.split())
    return found


class Budget(DataTest):
    def loaded(self, code: str) -> set[str]:
        """Return what a fresh process has loaded: the product's own modules by name, others by their package."""
        env = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(ROOT / "src")}
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False, env=env)
        self.assertEqual(done.returncode, 0, done.stderr)
        names = next(x for x in done.stdout.splitlines() if x.startswith("LOADED")).split()[1:]
        own = {n.removeprefix("keybundle.") for n in names if n.startswith("keybundle.")}
        others = (
            {n.partition(".")[0] for n in names}
            - set(sys.stdlib_module_names)
            - {"keybundle", "__main__", "__mp_main__"}
        )
        return own | {n for n in others if not n.startswith("_")}

    def check(self, case: str, code: str) -> None:
        beyond = self.loaded(code) - read_budget()[case]
        self.assertEqual(sorted(beyond), [], f"{case} loads what {BUDGET.name} does not know")

    def test_version_and_help(self) -> None:
        for argument in ("--version", "--help"):
            self.check("version", COMMAND.format(arguments=[argument]) + TOLD)

    def test_find_verify_and_a_capture(self) -> None:
        data = self.demo_data()
        self.check("find", COMMAND.format(arguments=["--data", str(data), "find", "towpath"]) + TOLD)
        self.check("verify", COMMAND.format(arguments=["--data", str(data), "verify"]) + TOLD)
        page = self.folder / "note.txt"
        page.write_text("A leaking gate.")
        arguments = ["--data", str(data), "capture", "--routine", "Files", str(page)]
        self.check("capture", COMMAND.format(arguments=arguments) + TOLD)

    def test_the_window_up_to_its_work_list(self) -> None:
        data = self.demo_data()
        self.check("window", WINDOW.format(data=str(data)))


if __name__ == "__main__":
    unittest.main()
