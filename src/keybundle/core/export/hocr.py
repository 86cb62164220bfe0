"""hOCR 1.2: the words of pages with their boxes, as a web page. T. Breuel, U. Germann, hOCR specification 1.2 (2020).

Boxes are in px of the upright page.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import groupby
from xml.sax.saxutils import escape, quoteattr

from keybundle.core.base.boxes import Box, union
from keybundle.core.export.page import SentPage, printable
from keybundle.core.reading.text import Word

MAKER = "Key Bundle"
ABLE = "ocr_page ocr_carea ocr_par ocr_line ocrx_word ocrp_wconf"


def make_hocr(pages: Sequence[SentPage], title: str, language: str = "en") -> str:
    """Return pages as one hOCR document."""
    head = (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        '<!DOCTYPE html PUBLIC "-//W3C//DTD XHTML 1.0 Transitional//EN" '
        '"http://www.w3.org/TR/xhtml1/DTD/xhtml1-transitional.dtd">\n'
        f'<html xmlns="http://www.w3.org/1999/xhtml" xml:lang="{language}" lang="{language}">\n<head>\n'
        f"<title>{escape(title)}</title>\n"
        '<meta http-equiv="Content-Type" content="text/html;charset=utf-8"/>\n'
        f'<meta name="ocr-system" content="{MAKER}"/>\n<meta name="ocr-capabilities" content="{ABLE}"/>\n'
        f'<meta name="ocr-number-of-pages" content="{len(pages)}"/>\n</head>\n<body>\n'
    )
    return head + "".join(_page(number, page) for number, page in enumerate(pages)) + "</body>\n</html>\n"


def _page(number: int, page: SentPage) -> str:
    width, height = page.text.frame.upright_size
    said = (
        f"image {_quoted(page.source)}; bbox 0 0 {width} {height}; ppageno {number}; scan_res {page.dpi:g} {page.dpi:g}"
    )
    body = "".join(_block(f"{number + 1}_{i}", words) for i, words in enumerate(_blocks(page), 1))
    return f'<div class="ocr_page" id="page_{number + 1}" title={quoteattr(said)}>\n{body}</div>\n'


def _quoted(text: str) -> str:
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


def _blocks(page: SentPage) -> Iterator[list[Word]]:
    for _, words in groupby(page.text.words, key=lambda w: w.block):
        yield list(words)


def _block(number: str, words: Sequence[Word]) -> str:
    lines = [list(own) for _, own in groupby(words, key=lambda w: w.line)]
    body = "".join(_line(f"{number}_{i}", own) for i, own in enumerate(lines, 1))
    where = _bbox(union([w.box for w in words]))
    return (
        f'<div class="ocr_carea" id="block_{number}" title="{where}">\n'
        f'<p class="ocr_par" id="par_{number}" title="{where}">\n{body}</p>\n</div>\n'
    )


def _line(number: str, words: Sequence[Word]) -> str:
    body = " ".join(
        f'<span class="ocrx_word" id="word_{number}_{i}" title="{_bbox(w.box)}; x_wconf {round(100 * w.confidence)}">'
        f"{escape(printable(w.text))}</span>"
        for i, w in enumerate(words, 1)
    )
    where = _bbox(union([w.box for w in words]))
    return f'<span class="ocr_line" id="line_{number}" title="{where}">{body}</span>\n'


def _bbox(box: Box) -> str:
    return "bbox " + " ".join(str(max(0, v)) for v in box)
