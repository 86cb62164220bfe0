"""What worker processes do with one page. Arguments and results are plain data."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Sequence
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from keybundle.core.base.boxes import Box, Frame
from keybundle.core.base.page_kind import PageKind
from keybundle.core.batches.model import Facts
from keybundle.core.formats import archives
from keybundle.core.formats.opened import Opened
from keybundle.core.formats.opening import open_file
from keybundle.core.formats.pages import read_native, say_cut
from keybundle.core.imaging.clean import Steps
from keybundle.core.imaging.colour import decide_colour
from keybundle.core.imaging.derived import encode_cleaned
from keybundle.core.imaging.judge import judge
from keybundle.core.imaging.photo import encode_flat, flatten_photograph
from keybundle.core.imaging.picture import PDF_DPI, Picture
from keybundle.core.imaging.properties import read_properties
from keybundle.core.marks.found import find_marks
from keybundle.core.marks.model import Wanted
from keybundle.core.marks.sheets import find_separator
from keybundle.core.proposing.again import WORDS
from keybundle.core.reading.born import read_text_layer
from keybundle.core.reading.engine import get_engine, read_box, read_page
from keybundle.core.reading.second import get_line_reader, get_word_reader, read_lines
from keybundle.core.reading.text import PageText, Word
from keybundle.core.reading.upright import tell_upright
from keybundle.core.store.files import FolderStore
from keybundle.core.workflows.pages.cleaned import keep_cleaned
from keybundle.core.workflows.pages.page_jobs import PageJob
from keybundle.core.workflows.pages.picture_work import PREVIEWS, decode_job, make_previews

ZONE_EDGE_MM = 1.0
A4_MM = (210.0, 297.0)


def load(language: str = "eng") -> None:
    """Load everything that page work needs, so that the first page finds it loaded."""
    get_engine(language)


def look_at(path: str, name: str) -> Opened:
    """Return what a file holds, by its content; raises InputProblem."""
    found = open_file(Path(path), name)
    return replace(found, note=say_cut(Path(path), found.kind, name)) if found.kind.is_native else found


def take_out(path: str, index: int, target: str, name: str) -> None:
    """Write one of the files inside another to a target; raises InputProblem."""
    archives.take_out(Path(path), index, Path(target), name)


def examine(job: PageJob, wanted: Wanted, cache: str, files_root: str) -> tuple[dict[str, Any], float]:
    """Decode a side once: measure it, look for the wanted marks, make its small pictures; return (facts, seconds).

    The flat picture of a photograph of paper goes into the file store.
    """
    start = time.perf_counter()
    picture = decode_job(job)
    if job.kind.is_native:
        return _examine_native(job, picture, cache), time.perf_counter() - start
    flat_sha = ""
    if job.flatten_photographs and (flat := flatten_photograph(picture)) is not None:
        picture, flat_sha = flat, FolderStore(Path(files_root)).put(encode_flat(flat))
    found = judge(picture)
    # A side without content bears no code either.
    separator = find_separator(picture) if wanted.separator and not found.is_blank else None
    is_shown = separator is None and not found.is_blank
    rotation = 0
    if job.upright:
        rotation = tell_upright(picture, found, get_engine("eng")) if is_shown else found.rotation
    if not job.deskew:
        found = replace(found, skew_degrees=0.0)
    facts = Facts(
        width=picture.width, height=picture.height, dpi=picture.dpi, mode=picture.mode, rotation=rotation,
        skew_degrees=found.skew_degrees, ink_mm2=round(found.ink_mm2, 2), is_blank=found.is_blank,
        separator=separator is not None, separator_type=separator.type_name if separator else "",
        marks=find_marks(picture, wanted) if separator is None else (), looked_for=wanted.names,
        colour=decide_colour(picture) if is_shown else "", width_mm=round(picture.width / picture.dpi * 25.4, 1),
        height_mm=round(picture.height / picture.dpi * 25.4, 1), darkness=found.darkness, contrast=found.contrast,
        flat_sha=flat_sha, properties=read_properties(Path(job.path), is_pdf=job.kind is PageKind.PDF) if job.index == 0 else {},
    )  # fmt: skip
    frame = Frame(picture.width, picture.height, rotation, found.skew_degrees)
    make_previews(picture, frame, Path(cache), job.page_id, PREVIEWS if is_shown else PREVIEWS[1:])
    return asdict(facts), time.perf_counter() - start


def _examine_native(job: PageJob, picture: Picture, cache: str) -> dict[str, Any]:
    """Make the small pictures of a native file's first sheet: there is nothing to measure, and no mark to be found."""
    words = read_native(Path(job.path), job.kind).words
    facts = Facts(
        width=picture.width, height=picture.height, dpi=picture.dpi, mode=picture.mode, rotation=0, skew_degrees=0.0,
        ink_mm2=float(len(words)), is_blank=not words, width_mm=A4_MM[0], height_mm=A4_MM[1],
    )  # fmt: skip
    make_previews(picture, Frame(picture.width, picture.height), Path(cache), job.page_id, PREVIEWS)
    return asdict(facts)


def look_for_marks(job: PageJob, wanted: Wanted) -> dict[str, Any]:
    """Look again for marks on a side whose rules have changed; return the parts of its facts that speak of them."""
    picture = decode_job(job)
    separator = find_separator(picture) if wanted.separator else None
    return {
        "separator": separator is not None, "separator_type": separator.type_name if separator else "",
        "marks": [asdict(m) for m in find_marks(picture, wanted)], "looked_for": wanted.names,
    }  # fmt: skip


def read(job: PageJob, cache: str = "") -> tuple[bytes, float]:
    """Read a page in its frame, cleaned by its steps; return (bytes of ``PageText``, seconds).

    What it will be filed in is put into the ``cache`` meanwhile: it is decoded anyway, and the PDF need not wait for that.

    A PDF page that has text of its own is taken at its word unless OCR is forced.
    """
    start = time.perf_counter()
    if job.kind.is_native:
        return read_native(Path(job.path), job.kind).to_bytes(), time.perf_counter() - start
    born = None
    if job.kind is PageKind.PDF and not job.force_ocr:
        born = read_text_layer(Path(job.path), job.index, job.measured_frame, PDF_DPI)
    if born is not None:
        return born.to_bytes(), time.perf_counter() - start
    picture = decode_job(job)
    text = read_page(picture, job.measured_frame, get_engine(job.language), Steps(*job.steps))
    if cache and job.colour:
        with contextlib.suppress(MemoryError):
            keep_cleaned(cache, job, encode_cleaned(picture, job.colour, Steps(*job.steps)))
    return text.to_bytes(), time.perf_counter() - start


def read_zones(job: PageJob, zones: Sequence[tuple[float, float, float, float]]) -> bytes:
    """Read only some zones (shares of the upright page) closely; return bytes of ``PageText`` with the words in them."""
    picture, engine, upright = decode_job(job), get_engine(job.language), job.measured_frame
    width, height = upright.upright_size
    edge = ZONE_EDGE_MM / 25.4 * picture.dpi
    words: list[Word] = []
    for number, (left, top, right, bottom) in enumerate(zones):
        box = (
            round(left * width - edge),
            round(top * height - edge),
            round(right * width + edge),
            round(bottom * height + edge),
        )
        words += [replace(w, block=number) for w in read_box(picture, upright, box, engine).words]
    return PageText(tuple(words), upright).to_bytes()


def read_area(job: PageJob, box: Box) -> bytes:
    """Read one area of a page closely; return bytes of ``PageText`` with the words in px of the upright page."""
    return read_box(decode_job(job), job.measured_frame, box, get_engine(job.language)).to_bytes()


def read_lines_again(job: PageJob, boxes: Sequence[Box], readers: Sequence[str]) -> list[tuple[str, float]]:
    """Read lines of a page with second readers, each box (in px upright) with its own, ``figures`` or ``words``.

    Return the text and the confidence of each.
    """
    picture, found = decode_job(job), []
    for box, name in zip(boxes, readers, strict=True):
        reader = get_word_reader() if name == WORDS else get_line_reader()
        found += read_lines(picture, job.measured_frame, [box], reader)
    return [(x.text, x.confidence) for x in found]
