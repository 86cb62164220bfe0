"""Mutated files and rules against everything that takes them: nothing may crash, hang or go missing; by hand for long."""

from __future__ import annotations

import io
import random
import sys
import tempfile
import time
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pillow_heif
import tifffile
from PIL import Image
from pydantic import ValidationError
from reportlab.pdfgen.canvas import Canvas

from keybundle.core.base.boxes import Frame
from keybundle.core.base.errors import AppError, Report
from keybundle.core.batches.model import KEPT, Batch, Document, Facts, Page, State
from keybundle.core.fields.values import FieldValue
from keybundle.core.filing.commit import compose_document
from keybundle.core.filing.destination import compute_destination, make_caption
from keybundle.core.jobs.pool import Pool, WorkerCrash
from keybundle.core.marks.model import Wanted
from keybundle.core.proposing.propose import ReadPage, propose_values
from keybundle.core.separation.cut import CutState, place_sheet
from keybundle.core.separation.facts import SideFacts
from keybundle.core.setup.model import FieldSpec, Setup
from keybundle.core.setup.routines import Routine
from keybundle.core.setup.text import read_setup, write_setup
from keybundle.core.workflows.pages.page_jobs import PDF_WORK, WORK, PageJob
from keybundle.core.workflows.session.settling import settle
from keybundle.demo.names import make_world
from keybundle.demo.setup import make_setup
from keybundle.demo.stack import DocumentPlan
from tests.standin import FACTS, text_of

LIMIT_SECONDS = 30.0
ODD_NAMES = ("a.tif", "-n.tif", "..tif", "ä ö\u202e.png", "x" * 240 + ".jpg", "two\nlines.pdf", "  .bmp", "%s%n.webp")
WANTED = Wanted(True, ("any",), (("1", "WWNN"), ("T", "WNWN")))
MOST_READ_PX, MADE_AT = 2_000_000, "2026-01-01T00:00:00+00:00"
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
    # A picture with something behind its end is decoded, but not put into a PDF as it is.
    found += [icon(), icon() + b"\x33" * 22, *deep_greys(page)]
    out = io.BytesIO()
    page.convert("L").save(out, "JPEG2000", no_jp2=True)
    found.append(out.getvalue())
    out = io.BytesIO()
    pillow_heif.from_pillow(page.convert("RGB")).save(out)
    found.append(out.getvalue())
    out = io.BytesIO()
    canvas = Canvas(out)
    canvas.drawString(72, 700, "Bill number R-20411")
    canvas.save()
    return [*found, out.getvalue()]


def icon() -> bytes:
    """Return a small patterned picture, such as comes with a message: hardly any of it is bare paper."""
    pixels = np.indices((60, 60)).sum(axis=0) % 4 * 60
    out = io.BytesIO()
    Image.fromarray(pixels.astype(np.uint8)).save(out, "PNG", dpi=(72, 72))
    return out.getvalue()


def deep_greys(page: Image.Image) -> list[bytes]:
    """Return a page as grey TIFF of 16 bits a px in either byte order."""
    grey = np.asarray(page.convert("L")).astype(np.uint16) * 257
    found = []
    for order in ("<", ">"):
        out = io.BytesIO()
        tifffile.imwrite(out, grey, byteorder=order, photometric="minisblack", resolution=(60, 60), resolutionunit=2)
        found.append(out.getvalue())
    return found


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


def fuzz_file(pool: Pool, folder: Path, data: bytes, name: str, refused: list[str] | None = None) -> str:
    """Take a file in as a capture does; return what is wrong, empty when it came through or was refused in words.

    Refusals are added to ``refused``.
    """
    path = folder / "input"
    path.write_bytes(data)
    start = time.monotonic()
    try:
        found = pool.submit(f"{WORK}:look_at", str(path), name, limit_seconds=LIMIT_SECONDS).result()
        job = PageJob(
            path=str(path), name=name, index=min(found.pages - 1, 1), kind=found.kind, page_id="page",
            flatten_photographs=True,
        )  # fmt: skip
        ask = (WANTED, str(folder), str(folder / "files"))
        plain, _ = pool.submit(f"{WORK}:examine", job, *ask, limit_seconds=LIMIT_SECONDS).result()
        facts = Facts.from_json(plain)
        told = "" if facts.width > 0 else "a page without size"
        if facts.width * facts.height < MOST_READ_PX and not facts.flat_sha:
            job = replace(job, frame=Frame(facts.width, facts.height, facts.rotation, facts.skew_degrees))
            text, _ = pool.submit(f"{WORK}:read", job, limit_seconds=LIMIT_SECONDS).result()
            made = (
                f"{PDF_WORK}:make_pdf",
                [replace(job, text=text, dpi=facts.dpi)],
                MADE_AT,
                str(folder / "made.pdf"),
            )
            pool.submit(*made, limit_seconds=LIMIT_SECONDS).result()
    except WorkerCrash as crash:
        told = f"brought a worker down: {crash}"
    except AppError as error:
        if refused is not None:
            refused.append(str(error))
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


def make_some_setup(rng: random.Random) -> dict[str, Any]:
    """Return a set-up put together at random: mostly of parts that fit, now and then of one that does not."""
    names = ("A", "B", "C", "Bill date")

    def some(good: Sequence[Any], bad: Sequence[Any] = ()) -> Any:
        return rng.choice(bad) if bad and rng.random() < 0.04 else rng.choice(good)

    def rule(good: Sequence[str], bad: Sequence[str]) -> str:
        text: str = some(good, bad)
        return text.format(*rng.sample(names[:3], 3), some(["Bill date"], ["Nothing"]))

    kinds = dict.fromkeys(names[:3], some(["money", "decimal", "whole number", "text", "yes/no"])) | {
        "Bill date": "date"
    }
    limits = {"date": ["2020-01-01", "2030-12-31"], "text": [""], "yes/no": [""]}
    defaults = {"date": ["{today}"], "text": ["{operator}", "x"], "yes/no": ["yes"]}
    fields = [
        {
            "name": n, "kind": some([kinds[n]], ["text", "date"]), "several": some([False], [True]),
            "required": some([True, False]), "carry": some([True, False]), "check": some([""], ["IBAN"]),
            "default": some(["", *defaults.get(kinds[n], ["12"])], ["{nothing}", "{counter}", "soon"]),
            "pattern": some([""], [r"\d+", "R-.*"]), "low": some(["", limits.get(kinds[n], ["1"])[0]], ["ten", "2020"]),
            "high": some(["", limits.get(kinds[n], ["99"])[-1]], ["x", "0"]),
        }
        for n in names
    ]  # fmt: skip
    return {
        "repository": "x", "time_zone": some(["UTC"], ["Europe/Atlantis"]), "locale": some(["en_GB", "de_DE"], ["xx"]),
        "cabinets": [{"name": "Box", "folder_fields": some([[], ["A"], ["Year"]])}],
        "document_types": [{
            "name": "Bill", "cabinet": some(["Box"], ["Chest"]), "fields": fields, "key": some([[], ["A"]], [["Nothing"]]),
            "caption": rule(["", "{{{0}}} {{{1}}}", "{{{3}}}"], ["{{", "{{Nothing}}"]),
            "folder": some([{}, {"Year": "year of Bill date"}], [{"Year": "A"}, {"Year": "year of A"}]),
            "sums": some([[], [rule(["{0} + {1} = {2}", "{0} = {1}"], ["{0} + {1}", "= {0}"])]]),
            "order": some([[], [rule(["{3} < {3}"], ["{0}", "{0} < {1}", "{0} < {1} < {2}"])]]),
        }],
    }  # fmt: skip


def fuzz_whole_setup(rng: random.Random) -> tuple[str, bool]:
    """Try a set-up on a document; return what is wrong, and whether the set-up passed at all."""
    try:
        setup = read_setup(write_setup(Setup.model_validate(make_some_setup(rng))))
    except ValidationError:
        return "", False
    if isinstance(setup, Report):
        return "", False
    kind = setup.document_types[0]
    said = ("12.50", "2026-03-04", "R-7", "soon", "", "99999999999999999999", "NaN", "-0", "1e400")
    page = text_of("\n".join(f"{f.name} {rng.choice(said)}" for f in kind.fields))
    try:
        found = propose_values([ReadPage("p", page)], kind, {}, 0.8, FieldSpec.rule)
        given = {f.name: FieldValue((rng.choice(said),), 1.0, sure=True) for f in kind.fields if rng.random() < 0.7}
        document = Document("d", "first page", kind.name, proposed=True, values={**found, **given})
        page_of = Page(
            "p", 0, "s", 0, 1, "front", "0", facts=FACTS, disposition=KEPT, document_id="d", text_rotation=0, cut=True
        )
        batch = Batch("b", "Post", "x", "me", "2026-01-01T00:00:00+00:00", "2026", None, (page_of,), {"d": document})
        settled = settle(batch, setup, dict, 0.8, FieldSpec.rule).documents["d"]
        destination = compute_destination(kind, setup, settled.values)
        if settled.state is State.READY:
            compose_document(batch, settled, kind, destination, {}, {})
            if not destination.is_known or not make_caption(kind, settled.values):
                return f"ready without a place: {setup}", True
    except Exception as error:  # noqa: BLE001  whatever comes is what is looked for
        return f"a set-up that passed: {type(error).__name__}: {error} in {kind}", True
    return "", True


def run(seconds: float, seed: int, pool: Pool, most: int = 10**9) -> tuple[int, list[str]]:
    """Fuzz for so long, or so many inputs; return how many inputs were tried and what was wrong."""
    rng, wrong, tried = random.Random(seed), [], 0
    good, setup = seeds(), write_setup(make_setup(make_world()))[:20_000]
    end = time.monotonic() + seconds
    with tempfile.TemporaryDirectory(prefix="keybundle-fuzz-") as folder:
        while time.monotonic() < end and tried < most:
            data, name = mutate(rng.choice(good), rng), rng.choice(ODD_NAMES)
            wholes = [fuzz_whole_setup(rng)[0] for _ in range(20)]
            for told in (fuzz_file(pool, Path(folder), data, name), fuzz_rules(rng), fuzz_setup(rng, setup), *wholes):
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
