"""One current picture of each main view, made from the demo data."""

from __future__ import annotations

import json
import shutil
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QApplication, QScrollArea

from bench.yardstick import feeder, run_cli
from keybundle.demo.names import PEOPLE
from keybundle.desktop.app import Desktop
from keybundle.desktop.theme.style import apply_theme
from keybundle.desktop.views.halt_dialog import HaltDialog

TARGET = Path(__file__).parent.parent / "docs" / "screenshots"


def main(target: Path = TARGET) -> None:
    """Go through the task and take the pictures."""
    source, _ = feeder()
    data = Path(tempfile.mkdtemp(prefix="keybundle-shots-")) / "keybundle-demo"
    shutil.copytree(source, data)
    (data / "feeder" / "fed.json").unlink(missing_ok=True)
    run_cli("--data", data, "init-demo", "--documents", "120")
    app = QApplication([])
    apply_theme(app)
    desktop = Desktop(data)
    desktop.begin(PEOPLE[2][0])
    window = desktop.window
    assert window is not None
    window.resize(1280, 800)

    def spin(seconds: float) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            app.processEvents()
            time.sleep(0.01)

    def shoot(name: str) -> None:
        spin(0.8)
        window.grab().save(str(target / f"{name}.png"))

    target.mkdir(parents=True, exist_ok=True)
    spin(1)
    window.work.presenter.scan()
    spin(14)
    shoot("work")
    window.open_batch(desktop.workspace.batches.ids()[-1])
    spin(1)
    while desktop.line.busy or window.work.presenter.state.scanning:
        spin(0.5)
    bench = window.benches[desktop.workspace.batches.ids()[-1]]
    bench.presenter.refresh()
    spin(1)
    bench.presenter.go_to_unsure()
    shoot("bench")
    ids = [p.id for p in bench.presenter.state.pages if p.kept]
    bench.presenter.go_to_page(ids[2])
    bench.presenter.select(ids[4], reach=True)
    shoot("arranging")
    bench.presenter.go_to_page(ids[2])
    bench.handlers.trigger("strip.contact sheet")
    shoot("contact-sheet")
    bench.handlers.trigger("strip.contact sheet")
    bench.presenter.file_all()
    spin(12)
    for child in window.findChildren(type(window.centralWidget())):
        if child.isWindow() and child is not window:
            child.close()
    window.go_cabinets()
    spin(1)
    window.cabinets.presenter.open("Purchasing")
    spin(1)
    first = window.cabinets.presenter.state.columns[0].entries[0][0]
    window.cabinets.presenter.choose("Year", first)
    spin(0.5)
    window.cabinets.table.selectRow(0)
    spin(1.5)
    shoot("cabinets")
    window.go_find()
    window.finder.line.setText("towpath keeper")
    window.finder.presenter.search("towpath keeper")
    spin(2)
    shoot("find")
    window.go_prepare()
    spin(3)
    shoot("prepare")
    rules = window.prepare.routines.findChildren(QScrollArea)[0]
    rules.verticalScrollBar().setValue(640)
    spin(0.3)
    shoot("routine-rules")
    shoot_halt(desktop, target, spin)
    desktop.close()
    shutil.rmtree(data.parent)


def shoot_halt(desktop: Desktop, target: Path, spin: Callable[[float], None]) -> None:
    """Let two sheets stick together in the feeder and take the picture of the halt."""
    assert desktop.window is not None
    stack = desktop.workspace.place.root / "feeder" / "stack.json"
    sheets = json.loads(stack.read_text())
    sheets[3]["trouble"] = "stuck"
    stack.write_text(json.dumps(sheets))
    desktop.window.go_work()
    desktop.window.work.presenter.refill()
    spin(1)
    desktop.window.work.presenter.scan()
    end = time.monotonic() + 60
    while (halt := desktop.window.findChild(HaltDialog)) is None and time.monotonic() < end:
        spin(0.2)
    spin(0.5)
    assert halt is not None
    halt.grab().save(str(target / "halt.png"))
    halt.close()


if __name__ == "__main__":
    main(*map(Path, sys.argv[1:]))
