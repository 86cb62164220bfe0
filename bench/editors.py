"""How long the pages of Prepare take to open, in a large organisation: the first time, and again."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

TYPES, CABINETS, PEOPLE, ENTRIES, FIELDS = 500, 100, 2_000, 100_000, 10
PAGES = (
    "types",
    "people",
    "registers",
    "cabinets",
    "routines",
    "missing",
    "folders",
    "tags",
    "areas",
    "kept",
    "repository",
)
ROUNDS, SETTLE_S, AIM_MS = 5, 1.5, 150
PLAIN_LINES, PLAIN_LABELS = 24, 90
UNMEASURED = "learned"


def measure_editors() -> list[str]:
    """Each page's opening and what is done there, beside a bare page of as many widgets made in the same process."""
    runs = []
    for _ in range(ROUNDS):
        with tempfile.TemporaryDirectory(prefix="keybundle-bench-") as folder:
            child = [sys.executable, "-m", "bench.editors", str(Path(folder) / "data")]
            out = subprocess.run(child, check=True, capture_output=True, text=True).stdout
        runs.append(
            {name: float(ms) for name, ms in (line.split() for line in out.splitlines() if line.count(" ") == 1)}
        )
    plain = statistics.median(run["plain"] for run in runs)
    lines = []
    for name in (name for name in runs[0] if name != "plain"):
        took = statistics.median(run[name] for run in runs)
        lines.append(
            f"| Prepare, {name.replace('/', ' ')} ({TYPES} types, {PEOPLE:,} people, {ENTRIES:,} entries) | {took:.0f} ms "
            f"(worst of {ROUNDS}: {max(run[name] for run in runs):.0f}) | a bare page of a large editor's widgets {plain:.0f} ms "
            f"| {took / plain:.1f} | under {AIM_MS} ms |"
        )
    return lines


def fill(data: Path) -> None:
    """Put a set-up of that size into a fresh data directory."""
    from keybundle.core.setup.model import Cabinet, DocumentType, FieldSpec, Person, Register
    from keybundle.core.setup.routines import Routine
    from keybundle.core.workflows.session.opening import open_workspace
    from keybundle.core.workflows.session.signing_in import begin_repository

    ws = open_workspace(data)
    begin_repository(ws, "Long Meadow Works", "Ottoline Reedmace")
    cabinets = tuple(Cabinet(name=f"Cabinet {i}", folder_fields=("Year", "Supplier")) for i in range(CABINETS))  # type: ignore[arg-type]
    fields = (FieldSpec(name="Supplier"), FieldSpec(name="Bill date", kind="date"))  # type: ignore[arg-type]
    more = tuple(FieldSpec(name=f"Field {i}") for i in range(FIELDS - len(fields)))
    types = tuple(
        DocumentType(
            name=f"Type {i}", cabinet=f"Cabinet {i % CABINETS}", caption="{Supplier}", fields=(*fields, *more),
            folder={"Year": "year of Bill date", "Supplier": "Supplier"},
        )
        for i in range(TYPES)
    )  # fmt: skip
    people = tuple(Person(id=f"person-{i + 10}", name=f"Person {i}", roles=("operator",)) for i in range(PEOPLE))
    parts = Register(
        name="Parts", key="No", columns=("No", "Name"), rows=tuple((f"N{i:06}", f"Part {i}") for i in range(ENTRIES))
    )
    setup = ws.setup
    changed = {
        "cabinets": cabinets, "document_types": types, "people": (*setup.people, *people), "registers": (parts,),
        "routines": (Routine(name="Post", sign="PO"),),
    }  # fmt: skip
    ws.put_setup(setup.model_copy(update=changed), setup.people[0].id)
    ws.close()


def open_pages(data: Path) -> None:
    """Make such a repository, open its Prepare in a window of this process and print how long each page took, in ms.

    A page is open when what is in sight is made, filled, laid out and painted: the call and one turn of the event loop. What
    is made or comes later, in turns between which keys are heard, counts where one of them takes longer.
    """
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtCore import QAbstractEventDispatcher, QEventLoop
    from PySide6.QtWidgets import QFormLayout, QLabel, QLineEdit, QStackedWidget, QWidget

    from bench.window_child import Child
    from keybundle.desktop.views.prepare.prepare_view import LEFT

    fill(data)
    child = Child(data, by_account=True)

    dispatcher = QAbstractEventDispatcher.instance()

    def turn() -> float:
        began = time.perf_counter()
        dispatcher.processEvents(QEventLoop.ProcessEventsFlag.AllEvents)
        took = time.perf_counter() - began
        time.sleep(0.001)
        return took

    def took(work: Callable[[], None]) -> float:
        """Return how long it took until it was painted, or the longest piece of what comes after it, whichever is longer."""
        began = time.perf_counter()
        work()
        turn()
        longest, end = time.perf_counter() - began, time.monotonic() + SETTLE_S
        while time.monotonic() < end:
            longest = max(longest, turn())
        return longest * 1000

    stack = QStackedWidget()
    stack.resize(1000, 700)
    stack.addWidget(QWidget())
    stack.show()
    child.run(SETTLE_S)

    def plain() -> None:
        page = QWidget()
        form = QFormLayout(page)
        for i in range(PLAIN_LINES):
            form.addRow(QLabel(f"Label {i}"), QLineEdit())
        for i in range(PLAIN_LABELS - PLAIN_LINES):
            form.addRow(QLabel(f"Label {i}"))
        stack.addWidget(page)
        stack.setCurrentWidget(page)

    print("plain", took(plain))
    stack.close()
    child.window.seat.remembered.put(LEFT, UNMEASURED)
    child.window.go_prepare()
    child.run(SETTLE_S)
    if child.window.prepare.shown != UNMEASURED:
        raise RuntimeError("a page that is to be measured was opened before")
    for page in PAGES:
        print(f"{page}/first", took(partial(child.window.prepare.show_page, page)))
    for page in PAGES[:4]:
        print(f"{page}/again", took(partial(child.window.prepare.show_page, page)))
    prepare, setup = child.window.prepare, child.desktop.workspace.setup
    types, people, registers = (prepare.view(page) for page in PAGES[:3])
    prepare.show_page("types")
    print("another/type", took(partial(types.presenter.choose, setup.document_types[-1].id)))
    prepare.show_page("people")
    print("another/person", took(partial(people.people.presenter.choose, setup.people[-1].id)))
    print("filter/people", took(partial(people.people.pane.filter.setText, "77")))
    prepare.show_page("registers")
    print("filter/entries", took(partial(registers.filter.setText, "77")))
    print("sort/entries", took(partial(registers.presenter.sort, "Name", descending=True)))
    child.desktop.close()


if __name__ == "__main__":
    open_pages(Path(sys.argv[1]))
