"""A desktop of its own process: tells the moment its window is usable, or its memory before and after the task."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable, Iterable
from pathlib import Path

from keybundle.core.workflows.session.signing_in import choose_person

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from keybundle.core.base.progress import Step
from keybundle.core.batches import commands
from keybundle.core.workflows.index import slip
from keybundle.core.workflows.take_in.capture import find_routine, import_files, scan_stack
from keybundle.core.workflows.take_in.devices import Options, find_scanners
from keybundle.desktop.app import Desktop
from keybundle.desktop.presenters.bench import BenchPresenter
from keybundle.desktop.theme.style import apply_theme

DWELL_SECONDS = 0.4
PACE = 130.0
KEYS_ROUNDS, FILED_WHILE_TYPING, WARM_BENCHES = 30, 60, 10
MOST_SECONDS, IDLE_SECONDS = 240.0, 20.0


def resident_kb() -> int:
    """Return this process's resident memory in KB."""
    return next(int(x.split()[1]) for x in Path("/proc/self/status").read_text().splitlines() if x.startswith("VmRSS"))


class Child:
    """A desktop without a person, driven step by step."""

    def __init__(self, data: Path, by_account: bool = False) -> None:
        self.app = QApplication([])
        apply_theme(self.app)
        self.desktop = Desktop(data)
        if by_account:
            self.desktop.signing_in.take_account()
            self.until(lambda: self.desktop.window is not None)
        else:
            self.desktop.begin(self.desktop.workspace.setup.people[2].name)
        assert self.desktop.window is not None
        self.window = self.desktop.window
        self.until(lambda: self.window.work.presenter.state.scanner)
        self.app.processEvents()

    def until(self, holds: Callable[[], object], seconds: float = 300) -> None:
        """Run the event loop until something holds; a wait in vain ends the process."""
        end = time.monotonic() + seconds
        while not holds():
            if time.monotonic() > end:
                raise TimeoutError("waited in vain")
            self.app.processEvents()
            time.sleep(0.005)

    def turn(self) -> float:
        """Run the event loop once and return the seconds that it took."""
        began = time.perf_counter()
        self.app.processEvents()
        took = time.perf_counter() - began
        time.sleep(0.002)
        return took

    def run(self, seconds: float) -> None:
        """Run the event loop for so long."""
        end = time.monotonic() + seconds
        self.until(lambda: time.monotonic() > end)

    def scan(self) -> str:
        """Start the feeder and return the batch that its sides go to."""
        before = set(self.desktop.workspace.batches.ids())
        self.window.work.presenter.scanning.scan()
        self.until(lambda: set(self.desktop.workspace.batches.ids()) - before)
        return next(iter(set(self.desktop.workspace.batches.ids()) - before))


def measure_task(child: Child) -> None:
    """Print the resident memory before and after scanning, looking at every page, filing and finding."""
    window, before = child.window, resident_kb()
    batch = child.scan()
    child.until(lambda: not window.work.presenter.state.scanning)
    window.open_batch(batch)
    child.until(lambda: child.desktop.line.busy == 0)
    bench = window.benches[batch]
    child.until(lambda: bench.presenter.state.pages)
    for page in bench.presenter.state.pages:
        bench.presenter.go_to_page(page.id)
        child.run(0.05)
    bench.presenter.filing.file_all()
    child.until(lambda: any(d.state == "filed" for d in bench.presenter.state.documents), 60)
    window.go_find()
    window.finder.presenter.search("Larkmere")
    child.until(lambda: window.finder.presenter.state.hits, 20)
    print(before, resident_kb())


def measure_slip(child: Child) -> None:
    """Print the seconds to the first document's open slip: after the break that ends it, after its first page."""
    child.until(lambda: child.window.work.presenter.state.can_scan)
    child.desktop.line.wait()
    batch = child.scan()
    child.window.open_batch(batch)
    bench = child.window.benches[batch]
    child.until(lambda: bench.presenter.state.documents)
    first = bench.presenter.state.documents[0].id
    in_strip = time.monotonic()
    bench.presenter.going.go_to_document(first)
    child.until(lambda: any(f.value.text() for f in bench.slip.fields.values()))
    opened = time.monotonic()
    child.until(lambda: first in child.desktop.line.break_times)
    child.window.work.presenter.incoming.stop()
    print(max(0.0, opened - child.desktop.line.break_times[first]), opened - in_strip)


def measure_sheet(child: Child) -> None:
    """Print the seconds from the key that scans a small stack to its document's values, all of it and after the last side."""
    ws = child.desktop.workspace
    child.until(lambda: child.window.work.presenter.state.can_scan)
    child.desktop.line.wait()
    began = time.perf_counter()
    batch, fed = child.scan(), 0.0

    def is_proposed() -> bool:
        nonlocal fed
        if not fed and not child.window.work.presenter.state.scanning:
            fed = time.perf_counter()
        documents = ws.batches.load(batch).in_order()
        return bool(fed) and bool(documents) and all(d.proposed for d in documents)

    child.until(is_proposed)
    ended = time.perf_counter()
    print(ended - began, ended - fed)


def measure_pages(child: Child) -> None:
    """Print seconds to open the batch, to turn to any page, to the next one, the longest gap, and the memory in MB."""
    batch = child.desktop.workspace.batches.ids()[0]
    child.until(lambda: child.desktop.line.busy == 0, 600)
    start = time.perf_counter()
    child.window.open_batch(batch)
    bench = child.window.benches[batch]
    child.until(lambda: bench.presenter.pictures.shown is not None and bench.presenter.state.pages)
    opened = time.perf_counter() - start
    ids = [p.id for p in bench.presenter.state.pages]
    turned, fetched = [], []
    for i in range(60):
        index = i * 7919 % (len(ids) - 1)
        for times, page in ((turned, ids[index]), (fetched, ids[index + 1])):
            if times is fetched:
                child.run(DWELL_SECONDS)
            start = time.perf_counter()
            bench.presenter.go_to_page(page)
            child.until(
                lambda page=page: bench.presenter.pictures.shown and bench.presenter.pictures.shown.page == page
            )  # type: ignore[misc]
            times.append(time.perf_counter() - start)
    bar, gaps = bench.strip.horizontalScrollBar(), []
    for _ in range(5):
        gap = 0.0
        for i in range(200):
            start = time.perf_counter()
            bar.setValue(bar.maximum() * i // 200)
            child.app.processEvents()
            gap = max(gap, time.perf_counter() - start)
        gaps.append(gap)
    print(opened, sorted(turned)[56], sorted(fetched)[56], sorted(gaps)[2], resident_kb() / 1024)


def measure_pace(child: Child) -> None:
    """Print how late the latest side of a grey stack at 130 sides a minute came, and the longest gap then and at rest."""
    ws, line, late = child.desktop.workspace, child.desktop.line, []
    child.until(lambda: child.window.work.presenter.state.can_scan)
    line.wait()
    routine, scanner = find_routine(choose_person(ws), "Post"), find_scanners(ws)[0]
    options = Options(sides_per_minute=PACE)
    start, ended, batches = time.perf_counter(), [], []

    def told(step: Step) -> None:
        late.append(time.perf_counter() - start - step.done * 60 / PACE)

    child.desktop.runner.long(
        lambda: scan_stack(
            choose_person(ws, child.window.seat.who), line, routine, scanner, options=options, progress=told
        ),
        ended.append,
    )
    gap = 0.0
    while not ended:
        if late and not batches:
            batches = ws.batches.ids()
            child.window.open_batch(batches[-1])
        gap = max(gap, child.turn())
    child.until(lambda: line.busy == 0)
    child.run(1.0)
    end, idle = time.monotonic() + IDLE_SECONDS, 0.0
    while time.monotonic() < end:
        idle = max(idle, child.turn())
    print(max(late) - min(late), gap, idle)


def measure_keys(child: Child) -> None:
    """Print ms from Enter to the next field's caret (median, worst), texts lost while 60 are filed, the longest gap."""
    ws, line, window, who = child.desktop.workspace, child.desktop.line, child.window, child.window.seat.who
    batch = ws.batches.ids()[0]
    documents = [d.id for d in ws.batches.load(batch).in_order()][: FILED_WHILE_TYPING + 1]
    values = {"Sender": "Tamsin Reedmace", "Letter date": "2026-03-04", "Subject": "A leaking gate"}
    for document in documents:
        slip.choose_type(choose_person(ws, who), line, batch, document, "Letter")
        for name, text in list(values.items())[: None if document != documents[-1] else 1]:
            slip.enter_value(choose_person(ws, who), line, batch, document, name, text)
    line.wait()
    window.open_batch(batch)
    bench = window.benches[batch]
    child.until(lambda: bench.presenter.state.slip)
    bench.presenter.going.go_to_document(documents[-1])
    child.run(0.5)
    took = []
    for number in range(KEYS_ROUNDS):
        bench.slip.focus("Sender")
        field = bench.slip.fields["Sender"].value
        field.selectAll()
        QTest.keyClicks(field, f"Oda Fenwright {number}")
        start = time.perf_counter()
        QTest.keyClick(field, Qt.Key.Key_Return)
        took.append(time.perf_counter() - start)
        if QApplication.focusWidget() is field:
            raise AssertionError("Enter did not go on")
        child.run(0.3)
    bench.presenter.filing.file_all()
    lost, gap, said = 0, 0.0, ""
    filed = lambda: sum(d.filed_id is not None for d in ws.batches.load(batch).documents.values())  # noqa: E731
    end = time.monotonic() + MOST_SECONDS
    while filed() < FILED_WHILE_TYPING and time.monotonic() < end:
        name = ("Sender", "Subject")[len(said) % 2]
        bench.slip.focus(name)
        field = bench.slip.fields[name].value
        field.selectAll()
        said = f"Bram Alder {time.monotonic():.3f}"
        for letter in said:
            began = time.perf_counter()
            QTest.keyClicks(field, letter)
            child.app.processEvents()
            gap = max(gap, time.perf_counter() - began)
            child.run(0.1)
        lost += field.text() != said
        QTest.keyClick(field, Qt.Key.Key_Return)
        child.run(0.1)
        bench.presenter.going.go_to_document(documents[-1])
    child.until(lambda: not bench.presenter.drafts.is_saving and line.busy == 0)
    print(sorted(took)[len(took) // 2] * 1000, max(took) * 1000, lost, filed(), gap * 1000)


def measure_million(child: Child) -> None:
    """Print the longest gaps in ms on a very large repository: lists scrolled, words typed, hits scrolled, one document filed."""
    ws, window = child.desktop.workspace, child.window
    child.until(lambda: child.desktop.line.busy == 0, 60)
    child.run(2.0)

    def longest(doings: Iterable[Callable[[], object]], each_seconds: float = 0.15) -> float:
        gap = 0.0
        for doing in doings:
            began = time.perf_counter()
            doing()
            child.app.processEvents()
            gap = max(gap, time.perf_counter() - began)
            end = time.monotonic() + each_seconds
            while time.monotonic() < end:
                gap = max(gap, child.turn())
        return gap * 1000

    window.go_cabinets()
    cabinets = window.cabinets
    child.until(lambda: cabinets.presenter.state.columns, 60)
    cabinets.presenter.open("Purchasing")
    child.until(lambda: cabinets.table.model().rowCount(), 60)
    bar = cabinets.table.verticalScrollBar()
    scrolled = longest([lambda: bar.setValue(bar.maximum())] * 40)
    column = cabinets.presenter.state.columns[0]
    chosen = longest([lambda v=v: cabinets.presenter.choose(column.field, v) for v, *_ in column.entries[:6]], 0.6)
    window.go_find()
    finder = window.finder
    finder.line.setFocus()
    words = ("gate lock", "bridge", "Total > 4900")
    typed = longest([lambda k=k: QTest.keyClicks(finder.line, k) for said in words for k in said], 0.05)
    finder.line.clear()
    found = longest([lambda said=said: finder.presenter.search(said) for said in words], 2.5)
    hits = finder.hits.verticalScrollBar()
    leafed = longest([lambda: hits.setValue(hits.maximum())] * 20)
    opened = longest([lambda: window.open_batch(ws.batches.ids()[0])], 3.0)
    batch, document = _bring_letter(child)
    window.open_batch(batch)
    bench = window.benches[batch]
    child.until(lambda: bench.presenter.state.slip is not None and bench.presenter.state.slip.can_file, 20)
    filed = longest([bench.presenter.filing.file_current], 3.0)
    if ws.batches.load(batch).document(document).filed_id is None:
        raise AssertionError(f"not filed: {bench.presenter.state.slip}")
    print(scrolled, chosen, typed, found, leafed, opened, filed, resident_kb() / 1024)


def _bring_letter(child: Child) -> tuple[str, str]:
    """Bring a letter in as a text and give it its values; return its batch and document."""
    ws, line = child.desktop.workspace, child.desktop.line
    me, path = choose_person(ws, child.window.seat.who), ws.place.root / "letter.txt"
    path.write_text("Dear Ms Fenwright,\n\nthe gate leaks.\n")
    batch = str(import_files(me, line, child.desktop.pool, find_routine(me, "Files"), [path]).batch)
    child.until(lambda: ws.batches.load(batch).in_order() and line.busy == 0, 60)
    document = ws.batches.load(batch).in_order()[0].id
    slip.choose_type(me, line, batch, document, "Letter")
    for name, text in {"Sender": "Oda Fenwright", "Letter date": "2026-03-04", "Subject": "A leaking gate"}.items():
        slip.enter_value(me, line, batch, document, name, text)
    return batch, document


def measure_benches(child: Child) -> None:
    """Print by how many MB the memory grows while all batches are opened on the bench and closed, one after another."""
    ws, window = child.desktop.workspace, child.window
    child.until(lambda: child.desktop.line.busy == 0, 600)
    before = 0
    for number, batch in enumerate(ws.batches.ids()):
        window.open_batch(batch)
        bench = window.benches[batch]
        child.until(lambda b=bench: b.presenter.pictures.shown is not None)  # type: ignore[misc]
        pages = [p.id for p in bench.presenter.state.pages]
        ws.batches.apply(batch, window.seat.who, "leave out", lambda b, p=pages: commands.leave_out(b, p))  # type: ignore[misc]
        bench.presenter.close_batch()
        child.until(lambda b=batch: b not in window.benches)  # type: ignore[misc]
        child.run(0.02)
        if number == WARM_BENCHES:
            before = resident_kb()
    print((resident_kb() - before) / 1024)


def measure_effort(child: Child) -> None:
    """Print the keys pressed and the documents filed: each unsure value confirmed or typed, each document filed."""
    from keybundle.demo import seed  # loads imaging, which would count in the other measurements
    from keybundle.demo.stack import plan_stack, true_documents

    window, truth = child.window, true_documents(plan_stack(seed.STACK_SHEETS, seed.STACK_SEED))
    batch = child.scan()
    child.until(lambda: not window.work.presenter.state.scanning)
    window.open_batch(batch)
    bench = window.benches[batch]
    child.until(lambda: child.desktop.line.busy == 0)
    child.run(1)
    p, keys = bench.presenter, 0
    order = [d.id for d in p.state.documents]
    for number, document in enumerate(order):
        p.going.go_to_document(document)
        child.until(lambda d=document: p.state.slip is not None and p.state.slip.document == d)  # type: ignore[misc]
        while (row := next((r for r in p.state.slip.rows if r.unsure), None)) is not None:
            bench.slip.focus(row.name)
            field, wanted = bench.slip.fields[row.name].value, truth[number].one(row.name)
            if field.text() != wanted:
                field.selectAll()
                QTest.keyClicks(field, wanted)
                keys += len(wanted) + 1
            QTest.keyClick(field, Qt.Key.Key_Return)
            keys += 1
            child.until(lambda n=row.name, d=document: _is_settled(p, d, n), 20)  # type: ignore[misc]
            p.going.go_to_document(document)
            child.run(0.2)
        QTest.keyClick(bench.strip, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
        keys += 1
        child.until(lambda d=document: next(x for x in p.state.documents if x.id == d).state == "filed", 60)  # type: ignore[misc]
    print(keys, len(order))


def _is_settled(p: BenchPresenter, document: str, name: str) -> bool:
    slip = p.state.slip
    return slip is None or slip.document != document or not any(r.unsure and r.name == name for r in slip.rows)


def main(data: Path, task: str) -> None:
    """Start, tell when the window is usable, and go through the task that is asked for."""
    child = Child(data)
    print("at", time.perf_counter(), flush=True)
    if task:
        {
            "task": measure_task,
            "slip": measure_slip,
            "sheet": measure_sheet,
            "pages": measure_pages,
            "pace": measure_pace,
            "effort": measure_effort,
            "keys": measure_keys,
            "benches": measure_benches,
            "million": measure_million,
        }[task](child)
    child.desktop.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2] if len(sys.argv) > 2 else "")
