"""What worker processes do with one page. Arguments and results are plain data."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from keybundle.core.base.boxes import Frame
from keybundle.core.base.files import write_atomic
from keybundle.core.batches.model import Facts
from keybundle.core.imaging.clean import Steps
from keybundle.core.imaging.colour import decide_colour
from keybundle.core.imaging.judge import judge, shrink
from keybundle.core.imaging.photo import encode_flat, flatten_photograph
from keybundle.core.imaging.picture import PDF_DPI, Picture, decode, probe, to_grey
from keybundle.core.imaging.properties import read_properties
from keybundle.core.imaging.render import encode_previews, straighten
from keybundle.core.marks.found import find_marks
from keybundle.core.marks.model import Wanted
from keybundle.core.marks.sheets import find_separator
from keybundle.core.reading.born import read_text_layer
from keybundle.core.reading.engine import get_engine, read_box, read_page
from keybundle.core.reading.text import PageText, Word
from keybundle.core.store.files import FileStore
from keybundle.core.workflows.preview_files import preview_path

PREVIEWS = (("screen", 1500), ("thumbnail", 240))
DOUBT, ZONE_EDGE_MM = 2.0, 1.0


def load(language: str = "eng") -> None:
    """Load everything that page work needs, so that the first page finds it loaded."""
    get_engine(language)


def look_at(path: str, name: str) -> tuple[str, int]:
    """Return a file's kind and number of pages; raises InputProblem."""
    facts = probe(Path(path), name)
    return facts.kind, facts.pages


def examine(
    path: str, index: int, is_pdf: bool, name: str, cache: str, page_id: str,
    wanted: tuple[bool, tuple[str, ...], tuple[tuple[str, str], ...]], upright: bool = True, deskew: bool = True,
    photo_into: str = "",
) -> tuple[dict[str, Any], float]:  # fmt: skip
    """Decode a side once: measure it, look for the wanted marks, make its small pictures; return (facts, seconds).

    The flat picture of a photograph of paper goes into the file store ``photo_into`` (empty: photographs stay).
    """
    start = time.perf_counter()
    picture = decode(Path(path), index, name=name, is_pdf=is_pdf)
    flat_sha = ""
    if photo_into and (flat := flatten_photograph(picture)) is not None:
        picture, flat_sha = flat, FileStore(Path(photo_into)).put(encode_flat(flat))
    look = Wanted(*wanted)
    separator = find_separator(picture) if look.separator else None
    found = judge(picture)
    if not upright:
        found = replace(found, rotation=0, upright_margin=DOUBT)
    if not deskew:
        found = replace(found, skew_degrees=0.0)
    rotation = found.rotation
    if separator is None and not found.is_blank and found.upright_margin < DOUBT:
        rotation = _ask_engine(picture, rotation, found.skew_degrees)
    facts = Facts(
        picture.width, picture.height, picture.dpi, picture.mode, rotation, found.skew_degrees,
        round(found.ink_mm2, 2), found.is_blank, separator is not None, separator.type_name if separator else "",
        find_marks(picture, look) if separator is None else (), look.names,
        decide_colour(picture) if separator is None and not found.is_blank else "",
        round(picture.width / picture.dpi * 25.4, 1), round(picture.height / picture.dpi * 25.4, 1), found.darkness,
        found.contrast, flat_sha, read_properties(Path(path), is_pdf=is_pdf) if index == 0 else {},
    )  # fmt: skip
    frame = Frame(picture.width, picture.height, rotation, found.skew_degrees)
    is_shown = separator is None and not found.is_blank
    make_previews(picture, frame, Path(cache), page_id, PREVIEWS if is_shown else PREVIEWS[1:])
    return asdict(facts), time.perf_counter() - start


def look_for_marks(
    path: str, index: int, is_pdf: bool, name: str, wanted: tuple[bool, tuple[str, ...], tuple[tuple[str, str], ...]]
) -> dict[str, Any]:
    """Look again for marks on a side whose rules have changed; return the parts of its facts that speak of them."""
    picture, look = decode(Path(path), index, name=name, is_pdf=is_pdf), Wanted(*wanted)
    separator = find_separator(picture) if look.separator else None
    return {
        "separator": separator is not None, "separator_type": separator.type_name if separator else "",
        "marks": [asdict(m) for m in find_marks(picture, look)], "looked_for": look.names,
    }  # fmt: skip


def _ask_engine(picture: Picture, rotation: int, skew_degrees: float) -> int:
    """Let the OCR engine tell up from down where the page's own lines leave a doubt."""
    grey, dpi = shrink(to_grey(picture), picture.dpi, 150)
    frame = Frame(grey.shape[1], grey.shape[0], rotation, skew_degrees)
    more = get_engine("eng").tell_rotation(straighten(Picture(grey, dpi, "grey"), frame), dpi)
    return rotation if more is None else (rotation + more) % 360


def make_previews(
    picture: Picture, frame: Frame, cache: Path, page_id: str, wanted: Sequence[tuple[str, int]] = PREVIEWS
) -> None:
    """Put a page's screen picture and thumbnail into the cache; sides that are left out wait for theirs to be asked."""
    made = encode_previews(picture, frame, [size for _, size in wanted])
    for (kind, _), data in zip(wanted, made, strict=True):
        write_atomic(preview_path(cache, page_id, frame.rotation, kind), data, durable=False)


def draw_previews(
    path: str, index: int, is_pdf: bool, name: str, frame: tuple[int, int, int, float], cache: str, page_id: str,
    full: bool = False,
) -> None:  # fmt: skip
    """Make the small pictures of a page anew, after a turn or for a filed document; or (``full``) the one for zooming."""
    picture = decode(Path(path), index, name=name, is_pdf=is_pdf)
    wanted = (("full", max(picture.width, picture.height)),) if full else PREVIEWS
    make_previews(picture, Frame(*frame), Path(cache), page_id, wanted)


def read(
    path: str, index: int, is_pdf: bool, name: str, frame: tuple[int, int, int, float], language: str,
    steps: tuple[bool, bool, bool, bool], force_ocr: bool = False,
) -> tuple[bytes, float]:  # fmt: skip
    """Read a page in its frame, cleaned by these steps; return (bytes of ``PageText``, seconds).

    A PDF page that has text of its own is taken at its word unless OCR is forced.
    """
    start = time.perf_counter()
    born = read_text_layer(Path(path), index, Frame(*frame), PDF_DPI) if is_pdf and not force_ocr else None
    if born is not None:
        return born.to_bytes(), time.perf_counter() - start
    engine = get_engine(language)
    text = read_page(decode(Path(path), index, name=name, is_pdf=is_pdf), Frame(*frame), engine, Steps(*steps))
    return text.to_bytes(), time.perf_counter() - start


def read_zones(
    path: str, index: int, is_pdf: bool, name: str, frame: tuple[int, int, int, float],
    zones: Sequence[tuple[float, float, float, float]], language: str,
) -> bytes:  # fmt: skip
    """Read only some zones (shares of the upright page) closely; return bytes of ``PageText`` with the words in them."""
    picture, engine, upright = decode(Path(path), index, name=name, is_pdf=is_pdf), get_engine(language), Frame(*frame)
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


def draw_raw(path: str, name: str, target: str, size_px: int) -> None:
    """Make a small picture of a file as it is, neither turned nor straightened."""
    picture = decode(Path(path), 0, name=name)
    frame = Frame(picture.width, picture.height)
    write_atomic(Path(target), encode_previews(picture, frame, [size_px])[0], durable=False)


def read_area(
    path: str, index: int, is_pdf: bool, name: str, frame: tuple[int, int, int, float], box: tuple[int, int, int, int],
    language: str,
) -> bytes:  # fmt: skip
    """Read one area of a page closely; return bytes of ``PageText`` with the words in px of the upright page."""
    picture = decode(Path(path), index, name=name, is_pdf=is_pdf)
    return read_box(picture, Frame(*frame), box, get_engine(language)).to_bytes()
