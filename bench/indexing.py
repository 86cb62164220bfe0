"""Types, first pages and values after learning, reading against the bare engine, registers of 100,000 entries, effort."""

from __future__ import annotations

import random
import shutil
import statistics
import subprocess
import sys
import time
from collections import Counter
from collections.abc import Sequence

import jiwer

from bench.documents import FAMILY_START, Job, known_jobs, read_documents
from bench.yardstick import ROUNDS, fresh_data
from keybundle.core.fields.kinds import Rule
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.imaging.clean import Steps
from keybundle.core.imaging.picture import from_pil
from keybundle.core.proposing.examples import Example
from keybundle.core.proposing.lessons import learn_fields
from keybundle.core.proposing.look import look_at
from keybundle.core.proposing.memory import Memory
from keybundle.core.proposing.propose import Hints, ReadPage, propose_values
from keybundle.core.proposing.types import guess_type
from keybundle.core.reading.engine import get_engine, read_page
from keybundle.core.reading.languages import find_language_data
from keybundle.core.reading.text import PageText
from keybundle.core.registers.book import Book
from keybundle.core.setup.model import FieldSpec, Setup
from keybundle.demo.layouts import draw_document, fixed_layout
from keybundle.demo.names import make_world
from keybundle.demo.records import TYPES
from keybundle.demo.scan import Effects, scan
from keybundle.demo.setup import make_setup

CONFIRMED_PER_LAYOUT, EXAMPLES, TESTED = 20, 3, 6
TEST_START = 7000
FAMILY_LAYOUTS, FAMILY_TESTS = 28, 4
Documents = Sequence[tuple[Job, list[PageText]]]


def _rule(spec: FieldSpec) -> Rule:
    return spec.rule()


def _pair(jobs: list[Job]) -> Documents:
    return list(zip(jobs, read_documents(jobs), strict=True))


def _remember(setup: Setup, documents: Documents) -> Memory:
    """Return what filing these documents would teach, their values typed by somebody who made no mistake."""
    found: list[Example] = []
    for number, (job, pages) in enumerate(documents):
        kind = setup.document_type(job.type_name)
        assert kind is not None
        values = {n: FieldValue(i, 1.0, Origin.TYPED, True) for n, i in job.record.values.items()}
        lessons = learn_fields([(str(i), p) for i, p in enumerate(pages)], kind, values, _rule)
        found += [
            Example(number * 10 + i, str(job), job.type_name, i, look_at(p), lessons if i == 0 else ())
            for i, p in enumerate(pages)
        ]
    return Memory.of(found)


def measure_types() -> list[str]:
    """Types of known layouts on unseen seeds, pages of types never seen, and first pages without any separator."""
    setup = make_setup(make_world())
    taught = _pair(known_jobs(0, CONFIRMED_PER_LAYOUT))
    tested = _pair(known_jobs(TEST_START, TESTED))
    memory = _remember(setup, taught)
    right = sum(
        (g := guess_type(memory, p[0], setup.document_types)) is not None and g[0] == j.type_name for j, p in tested
    )
    unknown = asked = 0
    for out in (TYPES[:3], TYPES[3:6], TYPES[4:7]):
        fewer = _remember(setup, [(j, p) for j, p in taught if j.type_name not in out])
        types = tuple(t for t in setup.document_types if t.name not in out)
        said = [guess_type(fewer, p[0], types) for j, p in tested if j.type_name in out]
        unknown, asked = unknown + said.count(None), asked + len(said)
    found = Counter((i == 0, bool(memory.tell_first_page(p))) for _, pages in tested for i, p in enumerate(pages))
    hit, false, missed = found[(True, True)], found[(False, True)], found[(True, False)]
    return [
        f"| type of documents of known types, {len(tested)} unseen | {right / len(tested):.1%} right | | | at least 98 % |",
        f"| first pages of types never seen, {asked} asked | {unknown / asked:.1%} said to be unknown | | | at least 90 % |",
        f"| breaks by known first pages, {CONFIRMED_PER_LAYOUT} confirmed documents a layout | {hit / (hit + false):.1%} precise "
        f"| {hit / (hit + missed):.1%} found | | 98 % precise, 90 % found |",
    ]


def _books(setup: Setup) -> dict[str, Book]:
    return {r.name: Book(r.key, [dict(zip(r.columns, row, strict=True)) for row in r.rows]) for r in setup.registers}


def _score(setup: Setup, documents: Documents, memory: Memory) -> tuple[float, float, float]:
    """Return the shares of values right, sure, and (of the sure ones) wrong; fields the paper does not have count too."""
    books = _books(setup)
    asked = right = sure = wrong = 0
    for job, pages in documents:
        kind = setup.document_type(job.type_name)
        assert kind is not None
        hints = Hints(memory.taught(pages[0], kind.name))
        values = propose_values([ReadPage(str(i), p) for i, p in enumerate(pages)], kind, books, 0.8, _rule, hints)
        for spec in kind.fields:
            wanted, value = tuple(job.record.values.get(spec.name, ())), values.get(spec.name, FieldValue())
            if wanted or value.items:
                asked += 1
                right += value.items == wanted
                sure += value.sure
                wrong += value.sure and value.items != wanted
    return right / asked, sure / asked, wrong / max(1, sure)


def measure_learning() -> list[str]:
    """Values of known layouts after three confirmed documents each, and of the random family before and after."""
    setup = make_setup(make_world())
    memory = _remember(setup, _pair(known_jobs(100, EXAMPLES)))
    known = _score(setup, _pair(known_jobs(TEST_START, TESTED)), memory)
    family = [FAMILY_START + 500 + i for i in range(FAMILY_LAYOUTS)]
    jobs = [(TYPES[i % 7], f) for i, f in enumerate(family)]
    tested = _pair([Job(t, 0, TEST_START + 10 * f + i, f) for t, f in jobs for i in range(FAMILY_TESTS)])
    taught = _pair([Job(t, 0, 100 + 10 * f + i, f) for t, f in jobs for i in range(EXAMPLES)])
    before, after = _score(setup, tested, Memory()), _score(setup, tested, _remember(setup, taught))
    rows = (
        (
            "known layouts after three confirmed documents each",
            known,
            "at least 95 % right, 75 % sure, under 0.5 % wrong",
        ),
        (
            f"random layout family, {len(tested)} documents, nothing learned",
            before,
            "at least 80 % right, under 0.5 % wrong",
        ),
        ("the same after three confirmed documents each", after, ""),
    )
    return [
        f"| all values, {said} | {r:.1%} right | {s:.1%} sure | of the sure ones {w:.2%} wrong | {aim} |"
        for said, (r, s, w), aim in rows
    ]


def measure_reading() -> list[str]:
    """Our reading of pages at 300 dpi against the bare engine on the same upright pages: time and character errors."""
    import tesserocr

    pages = []
    for i, name in enumerate(TYPES * 2):
        rng = random.Random(f"reading/{i}")
        page = draw_document(Job(name, 1, i).record, fixed_layout(name, 1 + i % 3), rng)[0]
        effects = Effects(mode=("grey", "1-bit", "colour")[i % 3], skew_degrees=rng.uniform(-1, 1), speckle=0.1)
        made = scan(page.sheet.image, page.words, 300, effects, i)
        pages.append((made, " ".join(w.text for w in made.words)))
    engine = get_engine("eng")
    bare = tesserocr.PyTessBaseAPI(path=find_language_data(), lang="eng", psm=tesserocr.PSM.AUTO)
    ratios, errors = [], ([], [])
    for made, truth in pages:
        start = time.perf_counter()
        bare.SetImage(made.image)
        bare.SetSourceResolution(300)
        said = " ".join(bare.GetUTF8Text().split())
        middle = time.perf_counter()
        text = read_page(from_pil(made.image, 300), made.frame, engine, Steps())
        ratios.append((time.perf_counter() - middle, middle - start))
        errors[0].append(jiwer.cer(truth, said))
        errors[1].append(jiwer.cer(truth, " ".join(w.text for w in text.words)))
    ours, theirs = (sum(r[i] for r in ratios) for i in (0, 1))
    ours_wrong, theirs_wrong = statistics.mean(errors[1]), statistics.mean(errors[0])
    return [
        f"| reading {len(pages)} pages at 300 dpi, one process | {ours:.1f} s, {ours_wrong:.2%} character errors "
        f"| bare engine: {theirs:.1f} s, {theirs_wrong:.2%} character errors | **{ours / theirs:.2f}** | at most 0.8 |"
    ]


def measure_registers() -> list[str]:
    """Look-up and near match among 100,000 entries, for each key pressed."""
    rng = random.Random(5)
    parts = [
        "lock",
        "gate",
        "quay",
        "rope",
        "reed",
        "mill",
        "wharf",
        "tow",
        "sluice",
        "weir",
        "oak",
        "fen",
        "heron",
        "pike",
    ]
    entries = [
        {
            "Number": f"N{i:06d}",
            "Name": " ".join(rng.choice(parts).title() + rng.choice(parts) for _ in range(3)),
            "Town": rng.choice(parts),
        }
        for i in range(100_000)
    ]
    book, times = Book("Name", entries), {"complete": [], "near": [], "search": []}
    book.nearest("x", "Name"), book.search("x")
    for _ in range(30):
        name = rng.choice(entries)["Name"]
        slipped = name[:4] + rng.choice("abc") + name[5:]
        for what, run in (
            ("complete", lambda n=name: book.complete(n[:5], "Name")), ("near", lambda n=slipped: book.nearest(n, "Name")),
            ("search", lambda n=name: book.search(n[:5])),
        ):  # fmt: skip
            start = time.perf_counter()
            run()
            times[what].append((time.perf_counter() - start) * 1000)
    told = ", ".join(f"{what} {statistics.median(t):.0f} ms (slowest {max(t):.0f})" for what, t in times.items())
    return [f"| register of 100,000 entries, for each key pressed | {told} | | | under 50 ms |"]


def measure_effort() -> list[str]:
    """Key presses and clicks for each document, from its slip shown to filed, counted in the driven window."""
    found = []
    for _ in range(min(3, ROUNDS)):
        target = fresh_data()
        child = [sys.executable, "-m", "bench.window_child", str(target), "effort"]
        out = subprocess.run(child, check=True, capture_output=True, text=True).stdout.split()
        shutil.rmtree(target.parent)
        found.append((int(out[-2]), int(out[-1])))
    keys, documents = found[0]
    return [
        f"| key presses and clicks from slip shown to filed, {documents} documents of known layouts | {keys / documents:.2f} "
        "a document | | | under 3 |"
    ]
