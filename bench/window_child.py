"""A desktop of its own process: tells the moment its window is usable, or its memory before and after the task."""

from __future__ import annotations

import os
import sys
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtWidgets import QApplication

from keybundle.desktop.app import Desktop
from keybundle.desktop.theme.style import apply_theme


def resident_kb() -> int:
    """Return this process's resident memory in KB."""
    return next(int(x.split()[1]) for x in Path("/proc/self/status").read_text().splitlines() if x.startswith("VmRSS"))


def main(data: Path, task: bool) -> None:
    """Start, and go through the task where asked."""
    app = QApplication([])
    apply_theme(app)
    desktop = Desktop(data)
    desktop.begin(desktop.workspace.setup.people[2].name)
    window = desktop.window
    assert window is not None

    def until(holds: object, seconds: float = 300) -> None:
        end = time.monotonic() + seconds
        while not holds() and time.monotonic() < end:  # type: ignore[operator]
            app.processEvents()
            time.sleep(0.01)

    until(lambda: window.work.presenter.state.scanner)
    app.processEvents()
    print("at", time.perf_counter(), flush=True)
    if task:
        before = resident_kb()
        window.work.presenter.scan()
        until(lambda: window.work.presenter.state.scanning)
        until(lambda: not window.work.presenter.state.scanning)
        batch = desktop.workspace.batches.ids()[-1]
        window.open_batch(batch)
        until(lambda: desktop.line.busy == 0)
        bench = window.benches[batch]
        for page in bench.presenter.state.pages:
            bench.presenter.go_to_page(page.id)
            end = time.monotonic() + 0.05
            until(lambda end=end: time.monotonic() > end)  # type: ignore[misc]
        bench.presenter.file_all()
        until(lambda: any(d.state == "filed" for d in bench.presenter.state.documents), 60)
        window.go_find()
        window.finder.presenter.search("towpath")
        until(lambda: window.finder.presenter.state.hits, 20)
        print(before, resident_kb())
    desktop.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]), len(sys.argv) > 2)
