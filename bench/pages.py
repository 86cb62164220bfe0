"""Page work without OCR against the same work by bare library calls, and a batch of many pages in the window."""

from __future__ import annotations

import json
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from multiprocessing import get_context
from pathlib import Path

import cv2
import numpy as np
import zxingcpp
from PIL import Image

from bench.yardstick import ROUNDS, WORKERS, fresh_data
from keybundle.core.base.boxes import Frame
from keybundle.core.imaging.colour import decide_colour
from keybundle.core.imaging.judge import judge
from keybundle.core.imaging.photo import find_outline
from keybundle.core.imaging.picture import Picture, Pixels, decode
from keybundle.core.imaging.render import encode_previews
from keybundle.core.marks.sheets import find_separator
from keybundle.core.separation.cut import CutState, place_sheet
from keybundle.core.separation.facts import SideFacts
from keybundle.core.setup.routines import Routine
from keybundle.demo.photos import take_photo
from keybundle.demo.scan import Effects, scan
from keybundle.demo.trials import draw_page

PAGES = 8
PHOTOS_START = 5000
MODES = {"1-bit": 10, "grey": 5, "colour": 3}
POST = Routine(name="Post", sign="PO", duplex=True)


def _make(mode: str, seed: int) -> bytes:
    page = draw_page(seed, 300)
    effects = Effects(mode=mode, skew_degrees=(seed % 5 - 2) * 0.7, speckle=0.1)
    return scan(page.sheet.image, page.words, 300, effects, seed).encode()


def _ours(path: str) -> dict[str, float]:
    """Do all page work but OCR on one page; return the seconds of each step."""
    spent: dict[str, float] = {}
    at = time.perf_counter()

    def took(step: str) -> None:
        nonlocal at
        now = time.perf_counter()
        spent[step] = now - at
        at = now

    picture = decode(Path(path))
    took("decode")
    found = judge(picture)
    took("skew, upright, blank")
    separator = find_separator(picture)
    took("marks")
    decide_colour(picture)
    took("colour")
    frame = Frame(picture.width, picture.height, found.rotation, found.skew_degrees)
    encode_previews(picture, frame, (1500, 240))
    took("pictures to show")
    place_sheet([SideFacts("p", 1, "front", "s", found.is_blank, separator is not None)], POST, CutState())
    took("separation")
    return spent


def _skew_of(quarter: Pixels) -> float:
    ink = (quarter < 128).astype(np.uint8)
    best, chosen = -1.0, 0.0
    for angle in np.arange(-10, 10.5, 0.5):
        turn = cv2.getRotationMatrix2D((quarter.shape[1] / 2, quarter.shape[0] / 2), float(angle), 1)
        profile = cv2.warpAffine(ink, turn, quarter.shape[::-1], flags=cv2.INTER_NEAREST).sum(axis=1, dtype=np.int64)
        score = float((np.diff(profile) ** 2).sum())
        if score > best:
            best, chosen = score, float(angle)
    return chosen


def _bare(path: str) -> float:
    """Do the same work by bare calls: decode, skew at quarter size, one warp, threshold, asked formats at half size."""
    start = time.perf_counter()
    with Image.open(path) as image:
        pixels = np.array(image.convert("RGB" if image.mode == "RGB" else "L"))
    grey = cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY) if pixels.ndim == 3 else pixels
    angle = _skew_of(cv2.resize(grey, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA))
    turn = cv2.getRotationMatrix2D((grey.shape[1] / 2, grey.shape[0] / 2), angle, 1)
    straight = cv2.warpAffine(pixels, turn, grey.shape[::-1], borderValue=(255, 255, 255))
    flat = cv2.cvtColor(straight, cv2.COLOR_RGB2GRAY) if straight.ndim == 3 else straight
    cv2.threshold(flat, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    half = cv2.resize(grey, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    zxingcpp.read_barcodes(half, formats=(zxingcpp.BarcodeFormat.QRCode, zxingcpp.BarcodeFormat.Code128))
    return time.perf_counter() - start


def measure_pages() -> list[str]:
    """Pages a second on two cores without OCR, the share of each step, and the ratio to bare calls."""
    lines, notes = [], []
    folder = Path(tempfile.mkdtemp(prefix="keybundle-bench-"))
    with get_context("spawn").Pool(WORKERS) as pool:
        for mode, aim in MODES.items():
            paths = []
            for i, data in enumerate(pool.starmap(_make, [(mode, i) for i in range(PAGES)])):
                path = folder / f"{mode}-{i}"
                path.write_bytes(data)
                paths.append(str(path))
            pool.map(_ours, paths)
            pace, ratios, shares = [], [], defaultdict(float)
            for _ in range(ROUNDS):
                start = time.perf_counter()
                spent = pool.map(_ours, paths, chunksize=1)
                ours = time.perf_counter() - start
                start = time.perf_counter()
                pool.map(_bare, paths, chunksize=1)
                ratios.append(ours / (time.perf_counter() - start))
                pace.append(PAGES / ours)
                for steps in spent:
                    for step, seconds in steps.items():
                        shares[step] += seconds
            total = sum(shares.values())
            lines.append(
                f"| {mode} A4 at 300 dpi, all page work without OCR, {WORKERS} workers "
                f"| {statistics.median(pace):.1f} pages a second | bare calls do the like | **{statistics.median(ratios):.2f}** "
                f"| at least {aim}; ratio at most 1.5 |"
            )
            notes.append(f"{mode}: " + ", ".join(f"{step} {s / total:.0%}" for step, s in shares.items()) + ".")
    shutil.rmtree(folder)
    return [*lines, "", "Shares of page work, by mode. " + " ".join(notes)]


def _corner_error(seed: int) -> float:
    photo = take_photo(seed)
    found = find_outline(Picture(photo.pixels, 300, "colour", is_dpi_told=False))
    return 1e9 if found is None else float(np.linalg.norm(found - photo.corners, axis=1).max()) / photo.px_per_mm


def measure_photos() -> list[str]:
    """How far off the corners of a sheet are found on 100 simulated photographs."""
    with get_context("spawn").Pool(WORKERS) as pool:
        errors = sorted(pool.map(_corner_error, range(PHOTOS_START, PHOTOS_START + 100), chunksize=5))
    return [
        f"| corners of a photographed sheet, 100 photographs | median {errors[50]:.2f} mm, 95th {errors[94]:.2f} mm "
        f"| {sum(e < 2 for e in errors)} of 100 under 2 mm | | 95 of 100 |"
    ]


def make_grey(feeder: Path) -> None:
    """Turn a feeder's pictures into grey ones ahead, as a scanner set to grey delivers them."""
    stack = json.loads((feeder / "stack.json").read_text())
    for sheet in stack:
        for side in ("front", "back"):
            source = feeder / sheet[side]
            sheet[side] = f"{source.stem}-grey.png"
            with Image.open(source) as image:
                dpi = image.info.get("dpi", (300, 300))
                image.convert("L").save(feeder / sheet[side], "PNG", compress_level=1, dpi=dpi)
    (feeder / "stack.json").write_text(json.dumps(stack))


def measure_pace() -> list[str]:
    """A grey stack at 130 sides a minute: how late its sides came, and how long the window was deaf."""
    late, gaps, idle = [], [], []
    for _ in range(5):
        target = fresh_data()
        make_grey(target / "feeder")
        child = [sys.executable, "-m", "bench.window_child", str(target), "pace"]
        out = subprocess.run(child, check=True, capture_output=True, text=True).stdout.split()
        shutil.rmtree(target.parent)
        late.append(float(out[-3]))
        gaps.append(float(out[-2]) * 1000)
        idle.append(float(out[-1]) * 1000)
    return [
        f"| scanner at 130 sides a minute, grey, 80 sides: latest side (median of 5) | {statistics.median(late):.2f} s late "
        f"| a side is due every 0.46 s | | never held up |",
        f"| longest event-loop gap meanwhile, the batch open (median of 5) | {statistics.median(gaps):.0f} ms "
        f"(worst {max(gaps):.0f}) | the same window at rest: {statistics.median(idle):.0f} ms | | under 60 ms more |",
    ]


def _in_the_window(task: str, *made: int) -> list[float]:
    """Return what a window tells of a task on batches of the store (pages a batch, batches)."""
    folder = Path(tempfile.mkdtemp(prefix="keybundle-bench-"))
    subprocess.run([sys.executable, "-m", "bench.many_pages", str(folder / "data"), *map(str, made)], check=True)
    child = [sys.executable, "-m", "bench.window_child", str(folder / "data"), task]
    out = subprocess.run(child, check=True, capture_output=True, text=True).stdout.split()
    shutil.rmtree(folder)
    return [float(x) for x in out[2:]]


def measure_keys() -> list[str]:
    """How soon Enter is at the next field, what is lost of keys while documents are filed, what benches leave behind."""
    enter, worst, lost, filed, gap = _in_the_window("keys", 500)
    (grown,) = _in_the_window("benches", 3, 100)
    return [
        f"| Enter to the next field's caret, a batch of 500 pages on the bench | {enter:.0f} ms (worst of 30: {worst:.0f}) "
        f"| within the event | | under 16 ms |",
        f"| {filed:.0f} documents filed while 10 keys a second are typed | {lost:.0f} texts lost | longest event-loop gap "
        f"{gap:.0f} ms | | none lost |",
        f"| 100 batches opened on the bench and closed | {grown:+.0f} MB | | | under 50 MB more |",
    ]


def measure_window() -> list[str]:
    """A batch of 500 and one of 2,000 pages in the window."""
    lines = []
    for pages in (500, 2000):
        folder = Path(tempfile.mkdtemp(prefix="keybundle-bench-"))
        subprocess.run([sys.executable, "-m", "bench.many_pages", str(folder / "data"), str(pages)], check=True)
        child = [sys.executable, "-m", "bench.window_child", str(folder / "data"), "pages"]
        out = subprocess.run(child, check=True, capture_output=True, text=True).stdout.split()
        shutil.rmtree(folder)
        opened, turned, fetched, gap, memory = map(float, out[-5:])
        lines += [
            f"| a batch of {pages} pages opens on the bench | {opened:.2f} s | | | 2,000 pages: under 1 s |",
            f"| turning to any page of {pages}, a screen-size picture | {turned * 1000:.0f} ms (95th percentile) "
            f"| to the next page: {fetched * 1000:.0f} ms | | under 100 ms, prefetched under 30 ms |",
            f"| longest event-loop gap while the strip of {pages} scrolls | {gap * 1000:.0f} ms | | | under 50 ms |",
            f"| interface process with {pages} pages | {memory:.0f} MB | | | 2,000 pages: under 600 MB |",
        ]
    return lines
