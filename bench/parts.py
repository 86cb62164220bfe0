"""The figures: each part returns lines for docs/performance.md."""

from __future__ import annotations

import contextlib
import json
import random
import shutil
import statistics
import subprocess
import sys
import time
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import jiwer
from PIL import Image

from bench.documents import FAMILY_START
from bench.yardstick import ROUNDS, WORKERS, feeder, fresh_data, kept_originals, time_bare_engine
from keybundle.core.fields.values import FieldValue
from keybundle.core.imaging.clean import NONE, Steps
from keybundle.core.imaging.judge import judge
from keybundle.core.imaging.picture import from_pil
from keybundle.core.marks.sheets import Separator, find_separator
from keybundle.core.proposing.propose import ReadPage, propose_values
from keybundle.core.reading.engine import get_engine, read_page
from keybundle.core.reading.text import PageText
from keybundle.core.registers.book import Book
from keybundle.demo import trials
from keybundle.demo.layouts import draw_document, fixed_layout, random_layout
from keybundle.demo.names import make_world
from keybundle.demo.records import TYPES, Record, make_record
from keybundle.demo.scan import Effects, scan
from keybundle.demo.setup import make_setup
from keybundle.demo.stack import StackPlan, draw_separator, true_documents

ONE_DOCUMENT = 2  # sheets: a separator sheet and a page


def measure_line() -> list[str]:
    """``capture --file`` of the whole command, its start included, against the bare engine on the kept originals."""
    data, plan = feeder()
    pages = kept_originals(data, plan)
    ours, bare, seconds, report = [], [], {}, {}
    most: dict[str, float] = {}
    for _ in range(ROUNDS):
        bare.append(time_bare_engine(pages))
        target = fresh_data()
        told = target.parent / "report.json"
        command = [
            sys.executable, "-m", "keybundle.cli.main", "--data", str(target), "capture", "--routine", "Post", "--file",
            "--pace", "0", "--report", str(told), "scanner",
        ]  # fmt: skip
        start = time.perf_counter()
        process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        while process.poll() is None:
            for name, mb in _memory_of(process.pid).items():
                most[name] = max(most.get(name, 0.0), mb)
            time.sleep(0.2)
        ours.append(time.perf_counter() - start)
        if process.returncode:
            raise subprocess.CalledProcessError(process.returncode, command)
        report = json.loads(told.read_text())
        seconds = report["seconds"]
        shutil.rmtree(target.parent)
    ratio = statistics.median(o / b for o, b in zip(ours, bare, strict=True))
    stages = ", ".join(f"{k} {v:.1f}" for k, v in seconds.items())
    memory = ", ".join(f"{name} {mb:.0f} MB" for name, mb in sorted(most.items()))
    return [
        f"| `capture --file`, 40 sheets, feeder as fast as it can (median of {ROUNDS}) | {statistics.median(ours):.1f} s "
        f"| bare engine on the {len(pages)} kept originals: {statistics.median(bare):.1f} s | **{ratio:.2f}** | at most 1.10 |",
        f"| the same: {_told_right(report, plan)} | at most in memory: {memory} | | | worker 500 MB |",
        _one_sheet(),
        "",
        f"Worker seconds by stage in the last run: {stages}.",
    ]


def _one_sheet() -> str:
    """Return how long a document of one page takes in the window, from the key that scans it to its values."""
    data, plan = feeder(ONE_DOCUMENT)
    page = kept_originals(data, plan)[:1]
    runs, bare = [], []
    for _ in range(ROUNDS):
        target = fresh_data(ONE_DOCUMENT)
        bare.append(time_bare_engine(page, 1) - _start_of_bare())
        child = [sys.executable, "-m", "bench.window_child", str(target), "sheet"]
        out = subprocess.run(child, check=True, capture_output=True, text=True).stdout.split()
        runs.append((float(out[-2]), float(out[-1])))
        shutil.rmtree(target.parent)
    whole, after = (statistics.median(r[i] for r in runs) for i in (0, 1))
    beyond = statistics.median(r[1] - b for r, b in zip(runs, bare, strict=True))
    return (
        f"| a separator sheet and a page from the key that scans them to the document's values, at 120 sides a minute "
        f"| {whole:.2f} s, {after:.2f} s after the last side | bare engine on that page: {statistics.median(bare):.2f} s "
        f"| {beyond:+.2f} s | at most 1 s more |"
    )


def _memory_of(pid: int) -> dict[str, float]:
    """Return the resident MB of a command, of the stem of its workers, and of the largest worker, as far as they are there."""
    found: dict[str, float] = {}
    for name, ids in (
        ("command", [pid]),
        ("stem", _children(pid)),
        ("worker", [w for s in _children(pid) for w in _children(s)]),
    ):
        for one in ids:
            with contextlib.suppress(OSError, StopIteration):
                lines = Path(f"/proc/{one}/status").read_text().splitlines()
                found[name] = max(
                    found.get(name, 0.0), int(next(x for x in lines if x.startswith("VmRSS")).split()[1]) / 1024
                )
    return found


def _children(pid: int) -> list[int]:
    with contextlib.suppress(OSError):
        return [int(c) for t in Path(f"/proc/{pid}/task").iterdir() for c in (t / "children").read_text().split()]
    return []


def _told_right(report: dict[str, Any], plan: StackPlan) -> str:
    """Return how much of a captured stack came out as it was planned: sides, documents, values."""
    sides = [getattr(sheet, which) for sheet in plan.sheets for which in ("front", "back")]
    kept = sum((p["disposition"] == "kept") == (s.kind == "page") for p, s in zip(report["pages"], sides, strict=True))
    numbers = range(len(plan.documents))
    wanted = [[i for i, s in enumerate(sides) if s.document == d and s.kind == "page"] for d in numbers]
    got = {tuple(d["pages"]): d for d in report["documents"]}
    values, right, sure, wrong = 0, 0, 0, 0
    for pages, record in zip(wanted, true_documents(plan), strict=True):
        said = got.get(tuple(pages), {"values": {}})["values"]
        for name in record.values:
            value = said.get(name)
            is_right = value is not None and value["value"] in (record.one(name), list(record.values[name]))
            values, right = values + 1, right + is_right
            sure += value is not None and value["sure"]
            wrong += value is not None and value["sure"] and not is_right
    whole = sum(tuple(pages) in got for pages in wanted)
    return (
        f"{kept} of {len(sides)} sides kept or left out rightly, {whole} of {len(wanted)} documents whole, "
        f"{right} of {values} values right, {sure} sure, of these {wrong} wrong"
    )


def _first_slip(sheets: int) -> tuple[float, float]:
    """Return seconds to the first document's slip in the window: from the break that ends it, from its first page."""
    target = fresh_data(sheets)
    child = [sys.executable, "-m", "bench.window_child", str(target), "slip"]
    out = subprocess.run(child, check=True, capture_output=True, text=True).stdout.split()
    shutil.rmtree(target.parent)
    return float(out[-2]), float(out[-1])


def measure_slip() -> list[str]:
    """How soon a slip is open after the break that ends its document, the feeder running at 120 sides a minute."""
    data, plan = feeder()
    first = kept_originals(data, plan)[0]
    bare = statistics.median(time_bare_engine([first], 1) for _ in range(ROUNDS)) - _start_of_bare()
    lines, medians = [], {}
    for sheets in (40, 400):
        runs = [_first_slip(sheets) for _ in range(ROUNDS)]
        after_break, medians[sheets] = (statistics.median(r[i] for r in runs) for i in (0, 1))
        lines.append(
            f"| first slip open in the window after the break that ends its document, {sheets} sheets in the feeder "
            f"| {after_break:.2f} s (after its first page is in the strip: {medians[sheets]:.2f} s) "
            f"| bare engine on that page: {bare:.2f} s | {after_break / bare:.2f} | at most {1.5 * bare + 1:.2f} s |"
        )
    difference = abs(medians[400] - medians[40]) / max(medians.values())
    lines += [
        "",
        "A slip counts as open when the window shows the proposed values in its fields, the feeder running at 120 sides "
        "a minute. Proposals that are there before the break is known count as 0. From the first page in the strip to "
        f"its open slip the figure differs by {difference:.0%} between 40 and 400 sheets (aim: under 20 %).",
    ]
    return lines


def _start_of_bare() -> float:
    return statistics.median(time_bare_engine([], 1) for _ in range(3))


def measure_marks() -> list[str]:
    """200 seeded separator sheets, and 500 other sides with foreign QR codes among them."""
    rng = random.Random(200)
    drawn = {(t, d): draw_separator(t, d) for t in ("", "Bill", "Letter") for d in (150, 200, 300, 600)}
    found = 0
    for i in range(200):
        name, dpi = rng.choice(("", "Bill", "Letter")), rng.choice((150, 200, 300, 300, 600))
        effects = Effects(
            mode=rng.choice(("1-bit", "grey", "colour")), rotation=rng.choice((0, 90, 180, 270)),
            skew_degrees=rng.uniform(-10, 10), faint=rng.choice((0.0, 0.2, 0.4)), speckle=0.2,
        )  # fmt: skip
        made = scan(Image.fromarray(drawn[(name, dpi)]), [], dpi, effects, i)
        found += find_separator(from_pil(made.image, dpi)) == Separator(type_name=name)
    import io

    import segno

    wrong = 0
    for i in range(500):
        kind = TYPES[i % len(TYPES)]
        page = draw_document(make_record(kind, make_world(), random.Random(i)), fixed_layout(kind, 1 + i % 3),
                             random.Random(i), dpi=150)[0]  # fmt: skip
        if i % 3 == 0:
            out = io.BytesIO()
            segno.make(rng.choice(("KB2;document", "https://example.invalid", "KB1;other", "KB1")), error="m").save(
                out, kind="png", scale=5)  # fmt: skip
            page.sheet.image.paste(Image.open(out).convert("L"), (700, 1150))
        effects = Effects(mode=("1-bit", "grey")[i % 2], skew_degrees=i % 9 - 4, rotation=(0, 180)[i % 2])
        wrong += find_separator(from_pil(scan(page.sheet.image, page.words, 150, effects, i).image, 150)) is not None
    return [
        f"| separator sheets found | {found} of 200 | | | all |",
        f"| other sides taken for one | {wrong} of 500 | | | none |",
    ]


def _read_one(job: tuple[str, int, int]) -> tuple[tuple[str, int, int], Record, bytes]:
    name, layout, number = job
    rng = random.Random(f"bench/{job}")
    record = make_record(name, make_world(), rng)
    chosen = fixed_layout(name, layout) if layout else random_layout(name, FAMILY_START + number)
    page = draw_document(record, chosen, rng)[0]
    effects = Effects(mode=rng.choice(("grey", "1-bit")), skew_degrees=rng.uniform(-2, 2), speckle=0.15)
    made = scan(page.sheet.image, page.words, 300, effects, number)
    return job, record, read_page(from_pil(made.image, 300), made.frame, get_engine("eng")).to_bytes()


def measure_values() -> list[str]:
    """Required values on 60 seeded documents of layout 1, and on the random layout family."""
    setup = make_setup(make_world())
    books = {r.name: Book(r.key, [dict(zip(r.columns, row, strict=True)) for row in r.rows]) for r in setup.registers}
    jobs = [(TYPES[i % 7], layout, i) for layout in (1, 2, 3, 0) for i in range(60)]
    with get_context("spawn").Pool(WORKERS) as pool:
        read = pool.map(_read_one, jobs, chunksize=5)
    lines = []
    for layout, said in ((1, "layout 1"), (2, "layout 2"), (3, "layout 3"), (0, "random layout family")):
        asked = right = sure = sure_wrong = 0
        for (name, of, _), record, text in read:
            kind = setup.document_type(name)
            if of != layout or kind is None:
                continue
            pages = [ReadPage("p", PageText.from_bytes(text))]
            values = propose_values(pages, kind, books, 0.8, lambda spec: spec.rule())
            for spec in (f for f in kind.fields if f.required):
                value = values.get(spec.name, FieldValue())
                asked += 1
                right += value.items == record.values[spec.name]
                sure += value.sure
                sure_wrong += value.sure and value.items != record.values[spec.name]
        aim = "at least 80 % right, at most 2 % wrong and sure" if layout == 1 else ""
        lines.append(
            f"| required values, {said}, 60 documents | {right / asked:.1%} right | {sure / asked:.1%} sure "
            f"| {sure_wrong / asked:.2%} wrong and sure | {aim} |"
        )
    return lines


def _judge_one(seed: int) -> tuple[float, bool, bool, bool]:
    """Return (skew error, upright right, nearly blank side left out, blank back found) of the trials of a seed."""
    made, effects = trials.skewed_page(seed)
    found = judge(from_pil(made.image, 200))
    mark = judge(from_pil(trials.nearly_blank(trials.MARKS[seed % 4], seed).image, 200))
    back = judge(from_pil(trials.blank_back(seed).image, 200))
    error = abs(found.skew_degrees - effects.skew_degrees)
    return error, found.rotation == effects.rotation, mark.is_blank, back.is_blank


def _read_hard(job: tuple[str, int]) -> tuple[str, float, float]:
    """Return (kind, character error rate as scanned, and cleaned) of a hard page read upright and straight."""
    kind, seed = job
    made = trials.hard_page(kind, seed)
    picture, truth = from_pil(made.image, 300), " ".join(w.text for w in made.words)
    rates = []
    for steps in (NONE, Steps()):
        text = read_page(picture, made.frame, get_engine("eng"), steps)
        rates.append(min(1.0, jiwer.cer(truth, " ".join(w.text for w in text.words))))
    return kind, rates[0], rates[1]


def measure_cleaning() -> list[str]:
    """Skew, upright, blank sides, and what cleaning does for reading."""
    with get_context("spawn").Pool(WORKERS) as pool:
        found = pool.map(_judge_one, range(300), chunksize=5)
        jobs = [(kind, i) for kind in (*trials.HARD, "clean") for i in range(6)]
        read = pool.map(_read_hard, jobs, chunksize=2)
    errors = sorted(f[0] for f in found)
    before, after = (statistics.mean(r[i] for r in read if r[0] != "clean") for i in (1, 2))
    plain = [(r[1], r[2]) for r in read if r[0] == "clean"]
    rise = statistics.mean(b - a for a, b in plain)
    return [
        f"| skew error, 300 pages between -10 and +10 degrees | median {statistics.median(errors):.3f}, 95th percentile "
        f"{errors[284]:.3f} degrees | | | at most 0.1 and 0.3 |",
        f"| turned upright | {sum(f[1] for f in found)} of 300 | | | at least 98 % |",
        f"| sides with one mark left out as blank | {sum(f[2] for f in found)} of 300 | | | none |",
        f"| blank backs found | {sum(f[3] for f in found)} of 300 | | | at least 97 % |",
        f"| mean character error, degraded set ({len(read) - len(plain)} pages) | {after:.2%} cleaned "
        f"| {before:.2%} as scanned, upright and straight | {1 - after / before:.0%} less | at least 20 % less |",
        f"| mean character error, clean pages ({len(plain)}) | rises by {rise:.3%} | worst page "
        f"{max(b - a for a, b in plain):+.2%} | | at most 0.1 and 1 points |",
    ]
