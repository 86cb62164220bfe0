"""How soon commands answer and the window stands: each in a fresh process, in turn with the yardsticks, ratios first."""

from __future__ import annotations

import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from sqlalchemy import update

from bench.editors import fill
from bench.many_pages import make_batches
from bench.yardstick import fresh_data, run_cli
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.opening import open_workspace

TURNS, WINDOW_TURNS = 15, 9
BARE_WINDOW = (
    "from PySide6.QtWidgets import QApplication, QWidget\n"
    "a = QApplication([]); w = QWidget(); w.show(); a.processEvents()"
)
DOCUMENTS = 40
BATCHES, BATCH_PAGES, CROWDED_TURNS = 100, 100, 5


def _time(command: list[str]) -> float:
    start = time.perf_counter()
    subprocess.run(command, check=True, capture_output=True)
    return time.perf_counter() - start


def _start(data: Path, task: str = "") -> dict[str, float]:
    """Return the seconds from the start of a process to each moment that it tells."""
    start = time.perf_counter()
    command = [sys.executable, "-m", "bench.start_child", str(data), *([task] if task else [])]
    out = subprocess.run(command, check=True, capture_output=True, text=True).stdout
    found = {}
    for line in out.splitlines():
        what, *told = line.split()
        found[what] = float(told[0]) - (0 if what == "gap" else start)
        if what == "gap":
            found["at"] = float(told[1])
    return found


def _in_turn(what: dict[str, Callable[[], float]], turns: int) -> dict[str, list[float]]:
    found: dict[str, list[float]] = {name: [] for name in what}
    for _ in range(turns):
        for name, measure in what.items():
            found[name].append(measure())
    return found


def _ratio(ours: list[float], beside: list[float]) -> float:
    """Return the ratio of the medians: a slow second falls on one of two that go in turn, and would turn their ratio over."""
    return statistics.median(ours) / statistics.median(beside)


def _forget_disk_cache() -> bool:
    """Let nothing of the disk lie in memory, where this is allowed; return whether it was."""
    try:
        os.sync()
        Path("/proc/sys/vm/drop_caches").write_text("3")
    except OSError:
        return False
    return True


def measure_start() -> list[str]:
    """Commands and starts of the window, and the interface process's memory at the end of the task."""
    target = fresh_data()
    run_cli("--data", target, "init-demo", "--documents", DOCUMENTS, "--sheets", "0")
    keybundle = [str(Path(sys.executable).with_name("keybundle"))]
    python = [sys.executable, "-c"]
    told = [*keybundle, "--data", str(target)]
    commands = _in_turn({
        "python": lambda: _time([*python, "pass"]), "sqlalchemy": lambda: _time([*python, "import sqlalchemy"]),
        "version": lambda: _time([*keybundle, "--version"]), "help": lambda: _time([*keybundle, "--help"]),
        "find": lambda: _time([*told, "find", "bridge"]), "verify": lambda: _time([*told, "verify"]),
    }, TURNS)  # fmt: skip
    starts: dict[str, list[float]] = {}
    yard: dict[str, list[float]] = {"sqlalchemy": [], "qt": []}
    _start(target)
    for _ in range(WINDOW_TURNS):
        yard["sqlalchemy"].append(_time([*python, "import sqlalchemy"]))
        yard["qt"].append(_time([*python, BARE_WINDOW]))
        shutil.rmtree(target / "cache" / "previews", ignore_errors=True)
        for name, seconds in _start(target, "picture").items():
            starts.setdefault(name, []).append(seconds)
    mid = {name: statistics.median(v) for name, v in {**commands, **starts}.items()}
    bare, qt = (statistics.median(yard[name]) for name in ("sqlalchemy", "qt"))
    first = [p - r for p, r in zip(starts["picture"], starts["rows"], strict=True)]
    gaps = {task: _start(target, task) for task in ("gaps", "scan")}
    lines = [
        f"| `keybundle find WORD` | {mid['find']:.2f} s | `import sqlalchemy`: {mid['sqlalchemy']:.2f} s "
        f"| **{_ratio(commands['find'], commands['sqlalchemy']):.2f}** | at most 1.6 |",
        f"| `keybundle verify`, {DOCUMENTS} documents | {mid['verify']:.2f} s | `import sqlalchemy`: {mid['sqlalchemy']:.2f} s "
        f"| {_ratio(commands['verify'], commands['sqlalchemy']):.2f} | |",
        *(
            f"| `keybundle --{name}` | {mid[name]:.2f} s | bare Python: {mid['python']:.2f} s "
            f"| {mid[name] - mid['python']:+.2f} s | at most 0.1 s more |"
            for name in ("version", "help")
        ),
        f"| second start to a usable window, signed in at once | {mid['window']:.2f} s (its frame {mid['frame']:.2f} s, "
        f"start page {mid['page']:.2f} s) | bare window {qt:.2f} s, `import sqlalchemy` {bare:.2f} s "
        f"| bare window + **{(mid['window'] - qt) / bare:.2f}** times that import | + at most 2 times |",
        f"| first picture of a document in Cabinets just after a start, none made before | {statistics.median(first):.2f} s "
        f"after its row (worst {max(first):.2f}) | | | at most 0.5 s |",
        f"| longest gap of the event loop in the first 30 s of work | {1000 * gaps['gaps']['gap']:.0f} ms (after "
        f"{gaps['gaps']['at']:.1f} s); with a stack scanned from the first second {1000 * gaps['scan']['gap']:.0f} ms | | "
        "| under 100 ms |",
    ]  # fmt: skip
    if _forget_disk_cache():
        cold = []
        for command in ([*python, "import sqlalchemy"], [*told, "find", "bridge"]):
            _forget_disk_cache()
            cold.append(_time(command))
        _forget_disk_cache()
        window = _start(target)["window"]
        lines.append(
            f"| with nothing of the disk in memory: find, window | {cold[1]:.2f} s, {window:.2f} s "
            f"| `import sqlalchemy`: {cold[0]:.2f} s | {cold[1] / cold[0]:.2f}, {window / cold[0]:.2f} | |"
        )
    lines += _measure_crowded(target)
    task = subprocess.run(
        [sys.executable, "-m", "bench.window_child", str(target), "task"], check=True, capture_output=True, text=True
    ).stdout.split()
    shutil.rmtree(target.parent)
    lines.append(
        f"| resident memory of the interface process at the end of the task | {int(task[-1]) / 1024:.0f} MB "
        f"| at the window's start: {int(task[-2]) / 1024:.0f} MB | | at most 260 MB |"
    )
    return lines


def _measure_crowded(plain: Path) -> list[str]:
    """The same starts with many open batches whose values were proposed before, and with a large set-up."""
    with tempfile.TemporaryDirectory() as made:
        stores = {"the demo world": plain}
        for name, make in (
            (f"{BATCHES} open batches of {BATCH_PAGES} pages", _make_proposed),
            ("500 types, 2,000 people, 100,000 entries of a register", fill),
        ):
            stores[name] = Path(made, str(len(stores)))
            make(stores[name])
        windows = _in_turn({n: lambda d=d: _start(d)["window"] for n, d in stores.items()}, CROWDED_TURNS)  # type: ignore[misc]
        beside = statistics.median(windows.pop("the demo world"))
        gaps = {name: _start(stores[name], "gaps") for name in windows}
    return [
        f"| second start to a usable window, {name} | {statistics.median(v):.2f} s; the longest gap in the first 30 s of work "
        f"{1000 * gaps[name]['gap']:.0f} ms (after {gaps[name]['at']:.1f} s) | the demo world: {beside:.2f} s "
        f"| {statistics.median(v) / beside:.2f} | |"
        for name, v in windows.items()
    ]


def _make_proposed(data: Path) -> None:
    make_batches(data, BATCH_PAGES, BATCHES)
    workspace = open_workspace(data)
    with workspace.place.database.atomic() as c:
        c.execute(update(t.batch_document).values(proposed=True))
    workspace.close()
