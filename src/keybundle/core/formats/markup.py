"""HTML as text: what a reader would see of it, without pictures, styles and scripts."""

from __future__ import annotations

import re
from collections.abc import Iterator
from html import unescape
from html.parser import HTMLParser
from pathlib import Path

from keybundle.core.base.page_kind import PageKind
from keybundle.core.formats.encoding import MOST_BYTES, encoding_of, load_text
from keybundle.core.formats.opened import Opened

_SIGN = re.compile(rb"<!doctype\s+html|<html[\s>]", re.IGNORECASE)
_COMMENT = re.compile(r"<!--(?:(?!<!--).)*?-->", re.DOTALL)
_UNSEEN = frozenset({"script", "style", "template", "noscript", "svg", "head"})
_CELLS = frozenset({"td", "th"})
_BLOCKS = frozenset({
    "address", "article", "aside", "blockquote", "br", "caption", "dd", "div", "dl", "dt", "figcaption", "figure", "footer",
    "form", "h1", "h2", "h3", "h4", "h5", "h6", "header", "hr", "li", "main", "nav", "ol", "p", "pre", "section", "table",
    "tr", "ul",
})  # fmt: skip


def recognises(head: bytes, name: str) -> bool:
    """Whether it is text that says near its beginning that it is HTML."""
    encoding = encoding_of(head)
    return bool(encoding) and bool(_SIGN.search(head[:4096].decode(encoding, errors="replace").encode()))


def open(path: Path, name: str) -> Opened:
    """Take it as one piece."""
    return Opened("text/html", PageKind.HTML, 1)


def read_lines(path: Path) -> Iterator[str]:
    """Yield its visible text, a line for each block; cells of a row stand beside each other."""
    seen = _Seen()
    tags, rest = _well_closed(load_text(path, MOST_BYTES))
    seen.feed(tags)
    seen.close()
    seen.handle_data(unescape(rest))
    for line in "".join(seen.parts).split("\n"):
        cells = [" ".join(cell.split()) for cell in line.split("\t")]
        if said := "  ".join(cell for cell in cells if cell):
            yield said


def _well_closed(told: str) -> tuple[str, str]:
    """Return HTML in which everything that opens is closed, and what of it comes after the last tag.

    The parser looks for the end of each thing that opens, and for one without an end through all that follows.
    """
    bare = _COMMENT.sub(" ", told).replace("<!--", " ").replace("<![", "<! ")
    end = bare.rfind(">") + 1
    return bare[:end], bare[end:]


class _Seen(HTMLParser):
    """Gathers what is seen: blocks end lines, cells are apart."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.parts: list[str] = []
        self._unseen: list[str] = []

    def handle_starttag(self, tag: str, attrs: object) -> None:
        if tag in _UNSEEN:
            self._unseen.append(tag)
        elif tag == "body":
            self._unseen.clear()  # a head that was never closed
        elif tag in _BLOCKS:
            self.parts.append("\n")

    def handle_endtag(self, tag: str) -> None:
        if tag in self._unseen:
            del self._unseen[self._unseen.index(tag) :]
        elif tag in _CELLS:
            self.parts.append("\t")
        elif tag in _BLOCKS:
            self.parts.append("\n")

    def handle_data(self, data: str) -> None:
        if not self._unseen:
            self.parts.append(re.sub(r"\s+", " ", data))
