"""Times the viewer on a document of many pages in a process of its own; prints seconds and MB."""

from __future__ import annotations

import statistics
import sys
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QApplication
from tests.support import filed_ids

from keybundle.desktop.app import Desktop
from keybundle.desktop.theme.style import apply_theme
from keybundle.desktop.views.viewer_window import ViewerWindow

TURNS, VIEWERS = 40, 10


def memory_mb() -> float:
    """Return the memory of this process that lies in RAM."""
    said = next(x for x in Path("/proc/self/status").read_text().splitlines() if x.startswith("VmRSS"))
    return int(said.split()[1]) / 1024


def main(data: Path) -> None:
    """Open, close, open again, turn pages, open ten."""
    app = QApplication([])
    apply_theme(app)
    desktop = Desktop(data)
    desktop.begin(desktop.workspace.setup.people[0].name)
    window = desktop.window
    assert window is not None
    document = filed_ids(desktop.workspace, "Letters")[0]

    def until(holds: Callable[[], object]) -> None:
        while not holds():
            app.processEvents()
            time.sleep(0.001)  # as an event loop does that waits

    def open_viewer() -> tuple[ViewerWindow, float]:
        start = time.perf_counter()
        window.viewers.open(document)
        viewer = window.viewers.windows[-1]
        until(lambda: viewer.viewer.presenter.shown)
        viewer.viewer.page.repaint()
        return viewer, time.perf_counter() - start

    time.sleep(2)
    app.processEvents()
    first, fresh = open_viewer()
    first.close()
    app.processEvents()
    session = window.seat
    session.pictures.drop_pages({f"{document}-{i}" for i in range(TURNS)})
    first, again = open_viewer()
    p, turns = first.viewer.presenter, []
    for _ in range(TURNS):
        wanted = p.state.position + 1
        until(lambda w=wanted: session.pictures.find(p._key(w)) is not None)
        start = time.perf_counter()
        p.step(1)
        first.viewer.page.repaint()
        turns.append(time.perf_counter() - start)
    before = memory_mb()
    others = []
    for _ in range(VIEWERS - 1):
        window.viewers.windows.clear()  # one that shows the document already would only come to the front
        viewer, _ = open_viewer()
        others.append(viewer)
    end = time.perf_counter() + 2
    until(lambda: time.perf_counter() > end)
    print(fresh, again, statistics.quantiles(turns, n=20)[-1], memory_mb() - before)
    window.viewers.windows[:] = [first, *others]
    desktop.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]))
