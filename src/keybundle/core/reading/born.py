"""The text that a PDF page has already: its words with their boxes, used as they are."""

from __future__ import annotations

import ctypes
import unicodedata
from pathlib import Path

from keybundle.core.base.boxes import Box, Frame, transform_box, union
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.reading.text import PageText, Word

ENOUGH_WORDS = 3
SOUND_SHARE = 0.9
LINE_OVERLAP = 0.5


def read_text_layer(path: Path, index: int, frame: Frame, dpi: float) -> PageText | None:
    """Return the words of a PDF page's own text in px of the upright picture drawn at ``dpi``.

    None where the page has no text worth using: a scan, a few stray signs, or signs without meaning (a font that
    does not say which letters it holds). Raises InputProblem for a PDF that cannot be opened.
    """
    import pypdfium2 as pdfium

    try:
        document = pdfium.PdfDocument(path)
    except pdfium.PdfiumError as error:
        raise InputProblem(message("born.broken-pdf-cannot-opened-ask", path_name=path.name)) from error
    try:
        page = document[index]
        spans = _spans(page, page.get_textpage(), dpi)
    finally:
        document.close()
    words = [(text, transform_box(frame.to_upright(), box)) for text, box in spans]
    sound = sum(_is_sound(text) for text, _ in words)
    if len(words) < ENOUGH_WORDS or sound < SOUND_SHARE * len(words):
        return None
    return PageText(tuple(_in_lines(words)), frame)


def _is_sound(text: str) -> bool:
    return all(unicodedata.category(sign) not in ("Cn", "Co", "Cc") and sign != "\ufffd" for sign in text)


def _spans(page: object, textpage: object, dpi: float) -> list[tuple[str, Box]]:
    """Return runs of signs between blanks, each with its box in px of the drawn page."""
    import pypdfium2.raw as raw

    width, height = page.get_size()  # type: ignore[attr-defined]
    size = round(width / 72 * dpi), round(height / 72 * dpi)
    x, y = ctypes.c_int(), ctypes.c_int()

    def to_px(px: float, py: float) -> tuple[int, int]:
        raw.FPDF_PageToDevice(page.raw, 0, 0, *size, 0, px, py, x, y)  # type: ignore[attr-defined]
        return x.value, y.value

    count = textpage.count_chars()  # type: ignore[attr-defined]
    text = textpage.get_text_range(0, count) if count else ""  # type: ignore[attr-defined]
    if len(text) != count:
        text = "".join(textpage.get_text_range(i, 1) or " " for i in range(count))  # type: ignore[attr-defined]
    found: list[tuple[str, Box]] = []
    run, boxes = "", list[Box]()
    for i, sign in enumerate((*text, " ")):
        if sign.isspace():
            if run and boxes:
                found.append((unicodedata.normalize("NFC", run), union(boxes)))
            run, boxes = "", []
            continue
        left, bottom, right, top = textpage.get_charbox(i)  # type: ignore[attr-defined]
        corners = to_px(left, top), to_px(right, bottom)
        xs, ys = sorted(c[0] for c in corners), sorted(c[1] for c in corners)
        run += sign
        boxes.append((xs[0], ys[0], xs[1], ys[1]))
    return found


def _in_lines(words: list[tuple[str, Box]]) -> list[Word]:
    """Number the lines: a word goes on the line before it while the two overlap in height."""
    out: list[Word] = []
    line = 0
    for i, (text, box) in enumerate(words):
        if i:
            before = words[i - 1][1]
            shared = min(box[3], before[3]) - max(box[1], before[1])
            smaller = max(1, min(box[3] - box[1], before[3] - before[1]))
            line += shared < LINE_OVERLAP * smaller or box[0] < before[0]
        out.append(Word(text, box, 1.0, 0, line))
    return out
