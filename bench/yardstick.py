"""The bare engine, a bare decode and a bare window on this machine, and the pages to measure them with."""

from __future__ import annotations

import hashlib
import io
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from multiprocessing import get_context
from pathlib import Path

from PIL import Image

from keybundle.core.store import migrations
from keybundle.demo import seed
from keybundle.demo.stack import StackPlan, plan_stack

CACHE = Path(os.environ.get("KEYBUNDLE_BENCH", Path.home() / ".cache" / "keybundle-bench"))
# What is kept between runs is of one shape of the store alone.
SHAPE = hashlib.sha256(
    b"".join(p.read_bytes() for p in sorted(Path(migrations.__path__[0]).rglob("*.sql")))
).hexdigest()[:8]
WORKERS = 2
ROUNDS = 5


def run_cli(*arguments: object) -> str:
    """Run the command line and return what it printed; a failure ends the bench."""
    command = [sys.executable, "-m", "keybundle.cli.main", *map(str, arguments)]
    return subprocess.run(command, check=True, capture_output=True, text=True).stdout


def feeder(sheets: int = seed.STACK_SHEETS) -> tuple[Path, StackPlan]:
    """Return a demo data directory whose stack is made; it is kept between runs."""
    plan = plan_stack(sheets, seed.STACK_SEED)
    mark = hashlib.sha256(f"{SHAPE}/{plan!r}".encode()).hexdigest()[:12]
    data = CACHE / f"stack-{sheets}-{mark}"
    if not (data / "made").exists():
        run_cli("--data", data, "init-demo", "--documents", "0", "--sheets", sheets)
        (data / "made").touch()
    return data, plan


def fresh_data(sheets: int = seed.STACK_SHEETS) -> Path:
    """Return a throw-away data directory with the set-up and the whole stack in the feeder."""
    source, _ = feeder(sheets)
    target = Path(tempfile.mkdtemp(prefix="keybundle-bench-")) / "data"
    shutil.copytree(source, target, ignore=shutil.ignore_patterns("cache"))
    (target / "feeder" / "fed.json").unlink(missing_ok=True)
    return target


def kept_originals(data: Path, plan: StackPlan) -> list[tuple[str, int]]:
    """Return (file, clockwise turn that makes it upright) of the stack's sides that hold a page."""
    found = []
    for number, sheet in enumerate(plan.sheets, 1):
        for which in ("front", "back"):
            side = getattr(sheet, which)
            if side.kind == "page":
                found.append((str(data / "feeder" / f"{number:04d}-{which}.{side.suffix}"), side.effects.rotation))
    return found


def _bare_share(pages: list[tuple[str, int]], results: object) -> None:
    os.environ["OMP_THREAD_LIMIT"] = "1"
    import tesserocr

    from keybundle.core.reading.languages import find_language_data

    api = tesserocr.PyTessBaseAPI(path=find_language_data(), lang="eng", psm=tesserocr.PSM.AUTO)
    for path, rotation in pages:
        with Image.open(path) as image:
            image.load()
            upright = image.rotate(-rotation, expand=True) if rotation else image
            api.SetImage(upright)
            api.SetSourceResolution(300)
            api.GetUTF8Text()
    results.put(len(pages))  # type: ignore[attr-defined]


def time_bare_engine(pages: list[tuple[str, int]], workers: int = WORKERS) -> float:
    """Return the wall time in seconds of the plain engine over the pages: one thread each, so many processes."""
    context = get_context("spawn")
    results = context.Queue()
    start = time.perf_counter()
    shares = [context.Process(target=_bare_share, args=(pages[i::workers], results)) for i in range(workers)]
    for share in shares:
        share.start()
    for share in shares:
        share.join()
    return time.perf_counter() - start


def time_bare_decode() -> float:
    """Return the milliseconds of decoding one 300 dpi A4 grey PNG with Pillow, the median of 5."""
    out = io.BytesIO()
    Image.radial_gradient("L").resize((2480, 3508)).save(out, "PNG", compress_level=1)
    times = []
    for _ in range(5):
        start = time.perf_counter()
        Image.open(io.BytesIO(out.getvalue())).load()
        times.append(time.perf_counter() - start)
    return statistics.median(times) * 1000


def time_bare_window() -> float:
    """Return the seconds until an empty Qt window of a fresh process is shown, the median of 5."""
    code = (
        "from PySide6.QtWidgets import QApplication, QWidget\n"
        "a = QApplication([]); w = QWidget(); w.show(); a.processEvents()"
    )
    times = []
    for _ in range(5):
        start = time.perf_counter()
        subprocess.run([sys.executable, "-c", code], check=True, capture_output=True)
        times.append(time.perf_counter() - start)
    return statistics.median(times)
