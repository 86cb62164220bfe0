"""Mutated files and rules against everything that takes them: nothing may crash, hang or go missing; by hand for long."""

from __future__ import annotations

import io
import random
import sys
import tempfile
import time
from pathlib import Path

import pillow_heif
from pydantic import ValidationError
from reportlab.pdfgen.canvas import Canvas

from keybundle.core.base.errors import AppError
from keybundle.core.jobs.pool import Pool, WorkerCrash
from keybundle.core.separation.cut import CutState, place_sheet
from keybundle.core.separation.facts import SideFacts
from keybundle.core.setup.routines import Routine
from keybundle.core.setup.text import read_setup, write_setup
from keybundle.core.workflows.line import WORK
from keybundle.demo.names import make_world
from keybundle.demo.setup import make_setup
from keybundle.demo.stack import DocumentPlan

LIMIT_SECONDS = 30.0
ODD_NAMES = ("a.tif", "-n.tif", "..tif", "ä ö\u202e.png", "x" * 240 + ".jpg", "two\nlines.pdf", "  .bmp", "%s%n.webp")
WANTED = (True, ("any",), (("1", "WWNN"), ("T", "WNWN")))
PIECES = ("(", ")", "[", "]", "a", "+", "*", "?", "{9}", "|", "\\d", "(?P<n>", ".", "^", "$", "(a|aa)+", "\\")


def seeds() -> list[bytes]:
    """Return one small good file of each format that is taken in."""
    page = DocumentPlan("Bill", 1, 7).draw(dpi=60)[0].sheet.image
    found = []
    for mode, writer, options in (
        ("1", "TIFF", {"compression": "group4", "save_all": True, "append_images": [page.convert("1")]}),
        ("L", "TIFF", {"compression": "tiff_lzw"}), ("RGB", "JPEG", {}), ("L", "PNG", {}), ("RGB", "WEBP", {}),
        ("RGB", "JPEG2000", {}), ("RGB", "BMP", {}), ("L", "PPM", {}), ("RGB", "PDF", {}),
    ):  # fmt: skip
        out = io.BytesIO()
        page.convert(mode).save(out, writer, **options)  # type: ignore[arg-type]
        found.append(out.getvalue())
    out = io.BytesIO()
    pillow_heif.from_pillow(page.convert("RGB")).save(out)
    found.append(out.getvalue())
    out = io.BytesIO()
    canvas = Canvas(out)
    canvas.drawString(72, 700, "Bill number R-20411")
    canvas.save()
    return [*found, out.getvalue()]


def mutate(data: bytes, rng: random.Random) -> bytes:
    """Return the bytes with a few of them changed, cut, doubled or filled in."""
    out = bytearray(data)
    for _ in range(rng.choice((1, 1, 2, 4, 16))):
        at = rng.randrange(max(1, len(out)))
        kind = rng.randrange(5)
        if kind == 0 and out:
            out[min(at, len(out) - 1)] = rng.randrange(256)
        elif kind == 1:
            del out[at:]
        elif kind == 2:
            out[at:at] = out[at : at + rng.randrange(64)]
        elif kind == 3:
            out[at : at + 4] = rng.choice((b"\xff\xff\xff\xff", b"\0\0\0\0", b"\x7f\xff\xff\xff"))
        else:
            del out[at : at + rng.randrange(256)]
    return bytes(out)


def fuzz_file(pool: Pool, folder: Path, data: bytes, name: str) -> str:
    """Take a file in as a capture does; return what is wrong, empty when it came through or was refused in words."""
    path = folder / "input"
    path.write_bytes(data)
    start = time.monotonic()
    try:
        kind, pages = pool.submit(f"{WORK}:look_at", str(path), name, limit_seconds=LIMIT_SECONDS).result()
        args = (str(path), min(pages - 1, 1), kind == "PDF", name)
        facts, _ = pool.submit(
            f"{WORK}:examine", *args, str(folder), "page", WANTED, limit_seconds=LIMIT_SECONDS
        ).result()
        told = "" if facts["width"] > 0 else "a page without size"
    except WorkerCrash as crash:
        told = f"brought a worker down: {crash}"
    except AppError as error:
        told = "" if name in str(error) or "“" in str(error) else f"a refusal that names nothing: {error}"
    except Exception as error:  # noqa: BLE001  whatever comes is what is looked for
        told = f"{type(error).__name__}: {error}"
    if time.monotonic() - start > LIMIT_SECONDS:
        told = f"took {time.monotonic() - start:.0f} s"
    return told


def fuzz_rules(rng: random.Random) -> str:
    """Try a random rule on random marks; return what is wrong."""
    pattern = "".join(rng.choice(PIECES) for _ in range(rng.randrange(1, 9)))
    start = time.monotonic()
    try:
        routine = Routine.model_validate(
            {"name": "x", "sign": "XX", "separation": {"rules": [{"rule": "words", "pattern": pattern}]}}
        )
    except ValidationError:
        return ""
    place_sheet([SideFacts("p", 1, "front", "s")], routine, CutState())
    return "" if time.monotonic() - start < 5 else f"the pattern {pattern} took {time.monotonic() - start:.0f} s"


def fuzz_setup(rng: random.Random, text: str) -> str:
    """Read a mutated set-up file; a finding or a set-up is right, anything else wrong."""
    try:
        read_setup(mutate(text.encode(), rng).decode(errors="replace"))
    except AppError:
        return ""
    except Exception as error:  # noqa: BLE001  whatever comes is what is looked for
        return f"set-up file: {type(error).__name__}: {error}"
    return ""


def run(seconds: float, seed: int, pool: Pool) -> tuple[int, list[str]]:
    """Fuzz for so long; return how many inputs were tried and what was wrong."""
    rng, wrong, tried = random.Random(seed), [], 0
    good, setup = seeds(), write_setup(make_setup(make_world()))[:20_000]
    end = time.monotonic() + seconds
    with tempfile.TemporaryDirectory(prefix="keybundle-fuzz-") as folder:
        while time.monotonic() < end:
            data, name = mutate(rng.choice(good), rng), rng.choice(ODD_NAMES)
            for told in (fuzz_file(pool, Path(folder), data, name), fuzz_rules(rng), fuzz_setup(rng, setup)):
                if told:
                    wrong.append(f"input {tried} of seed {seed}: {told}")
            tried += 1
    return tried, wrong


def main() -> int:
    """Fuzz by hand: seconds and seed as arguments."""
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 60.0
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else int(time.time())
    print(f"seed {seed}", flush=True)
    pool = Pool(2)
    try:
        tried, wrong = run(seconds, seed, pool)
    finally:
        pool.close()
    print("\n".join(wrong) or f"{tried} mutated inputs, each came through or was refused in words")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
