"""Looking at what is filed, and sending it: a document of 500 pages in the viewer, a sheet of A0, a thousand documents."""

from __future__ import annotations

import hashlib
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from PIL import Image

from bench.many_pages import sample_page
from bench.yardstick import ROUNDS, WORKERS, feeder, run_cli
from keybundle.core.base.boxes import Frame
from keybundle.core.imaging.clean import Steps
from keybundle.core.imaging.picture import decode
from keybundle.core.jobs.pool import Pool
from keybundle.core.reading.engine import get_engine, read_page
from keybundle.core.repository.model import FiledPage, NewDocument
from keybundle.core.workflows.find.find import find_filed_ids
from keybundle.core.workflows.pages.page_jobs import PageJob
from keybundle.core.workflows.pages.picture_work import draw_tiles
from keybundle.core.workflows.send.sending import send_to_folder
from keybundle.core.workflows.send.wishes import Wish
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.signing_in import choose_person
from keybundle.demo import seed

PAGES, DOCUMENTS, A0_600_DPI = 500, 1000, (19_866, 28_087)


def make_document(data: Path, pages: int) -> None:
    """File a document of so many pages into a fresh data directory."""
    workspace = open_workspace(data)
    seed.begin(workspace)
    sha = workspace.place.files.put(sample_page())
    picture = decode(workspace.place.files.path(sha))
    frame = Frame(picture.width, picture.height)
    text = read_page(picture, frame, get_engine("eng"), Steps()).to_bytes()
    filed = tuple(FiledPage(f"p{i}", sha, 0, False, frame, 100.0, text, source="sample.png") for i in range(pages))
    new = NewDocument("bench", "Letters", (("Year", "2026"), ("Month", "03")), "Letter", "Many pages", {}, filed, sha)
    workspace.repository.add(new, workspace.person(None).name)
    workspace.close()


def measure_viewer() -> list[str]:
    """The first page, the next ones, and ten viewers, in a process of their own."""
    folder = Path(tempfile.mkdtemp(prefix="keybundle-bench-"))
    make_document(folder / "data", PAGES)
    child = [sys.executable, "-m", "bench.viewer_child", str(folder / "data")]
    out = subprocess.run(child, check=True, capture_output=True, text=True).stdout.split()
    shutil.rmtree(folder)
    fresh, again, turned, ten = map(float, out[-4:])
    return [
        f"| first page of {PAGES} in the viewer, its picture made before | {again * 1000:.0f} ms "
        f"| made just then: {fresh * 1000:.0f} ms | | 150 ms |",
        f"| the next page of {PAGES} | {turned * 1000:.0f} ms (95th percentile) | | | 30 ms |",
        f"| ten viewers open, more memory than one | {ten:.0f} MB | | | bounded |",
    ]


def measure_sheet() -> list[str]:
    """A sheet of A0 at 600 dpi in colour, cut into tiles by a worker."""
    folder = Path(tempfile.mkdtemp(prefix="keybundle-bench-"))
    width, height = A0_600_DPI
    part = np.random.default_rng(1).integers(200, 255, (1024, 1024, 3), dtype=np.uint8)
    tall = np.tile(part, (-(-height // 1024), -(-width // 1024), 1))[:height, :width]
    Image.fromarray(tall).save(folder / "sheet.jpg", quality=85, dpi=(600, 600))
    del tall
    job = PageJob(path=str(folder / "sheet.jpg"), name="sheet", page_id="sheet", frame=Frame(width, height))
    start = time.perf_counter()
    decode(folder / "sheet.jpg")
    decoded = time.perf_counter() - start
    start = time.perf_counter()
    draw_tiles(job, str(folder / "tiles"))
    cut = time.perf_counter() - start
    files = list((folder / "tiles").rglob("*.jpg"))
    size = sum(p.stat().st_size for p in files) / 1e6
    shutil.rmtree(folder)
    return [
        f"| a sheet of A0 at 600 dpi in colour cut into {len(files)} tiles, once | {cut:.0f} s, {size:.0f} MB "
        f"| decoding it: {decoded:.0f} s | **{cut / decoded:.1f}** | |"
    ]


def measure_sending() -> list[str]:
    """A thousand documents as PDF/A into a folder, beside copying their files there."""
    source, _ = feeder()
    folder = Path(tempfile.mkdtemp(prefix="keybundle-bench-"))
    shutil.copytree(source, folder / "data", ignore=shutil.ignore_patterns("cache"))
    run_cli("--data", folder / "data", "init-demo", "--documents", "120", "--sheets", "0")
    workspace, pool = open_workspace(folder / "data", held=True), Pool(WORKERS)
    ids = (find_filed_ids(choose_person(workspace), "filed > 2000") * DOCUMENTS)[:DOCUMENTS]
    files = [workspace.place.files.path(workspace.repository.load(i).pdf_sha) for i in ids]
    ours, bare, checked = [], [], []
    for n in range(ROUNDS):
        target = folder / f"copied{n}"
        target.mkdir()
        start = time.perf_counter()
        for i, path in enumerate(files):
            shutil.copyfile(path, target / f"{i}.pdf")
        bare.append(time.perf_counter() - start)
        start = time.perf_counter()
        with ThreadPoolExecutor(2) as threads:
            list(threads.map(_copy_checked, files, (target / f"checked{i}" for i in range(len(files)))))
        checked.append(time.perf_counter() - start)
        start = time.perf_counter()
        send_to_folder(choose_person(workspace, workspace.person(None).name), pool, ids, Wish(), folder / f"sent{n}")
        ours.append(time.perf_counter() - start)
    pool.close()
    workspace.close()
    size = sum(p.stat().st_size for p in files) / 1e6
    shutil.rmtree(folder)
    ratio = statistics.median(o / b for o, b in zip(ours, checked, strict=True))
    return [
        f"| {DOCUMENTS:,} documents sent into a folder as PDF/A ({size:.0f} MB), checked and told in the trail "
        f"| {statistics.median(ours):.2f} s | copying and hashing their files, two at a time: "
        f"{statistics.median(checked):.2f} s; copying alone: {statistics.median(bare):.2f} s | **{ratio:.2f}** | 1.5 |"
    ]


def _copy_checked(source: Path, target: Path) -> str:
    """Copy a file in blocks as it is hashed: what a sending cannot do without."""
    digest = hashlib.sha256()
    with source.open("rb") as file, target.open("wb") as out:
        while block := file.read(1 << 20):
            digest.update(block)
            out.write(block)
    return digest.hexdigest()


def measure_looking() -> list[str]:
    """All of these."""
    return [*measure_viewer(), *measure_sheet(), *measure_sending()]
