"""ALTO 4: the words of pages with their boxes, by the schema that the Library of Congress keeps (clauses from memory).

Boxes are in px of the upright page; ``WC`` is the confidence from 0 to 1.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from itertools import groupby
from xml.etree import ElementTree as xml

from keybundle.core.base.boxes import Box, union
from keybundle.core.export.hocr import MAKER
from keybundle.core.export.page import SentPage, printable
from keybundle.core.reading.text import Word

SPACE = "http://www.loc.gov/standards/alto/ns-v4#"
SCHEMA = "http://www.loc.gov/standards/alto/v4/alto-4-4.xsd"
XSI = "http://www.w3.org/2001/XMLSchema-instance"


def make_alto(pages: Sequence[SentPage]) -> str:
    """Return pages as one ALTO document."""
    root = xml.Element("alto", {"xmlns": SPACE, "xmlns:xsi": XSI, "xsi:schemaLocation": f"{SPACE} {SCHEMA}"})
    told = xml.SubElement(root, "Description")
    xml.SubElement(told, "MeasurementUnit").text = "pixel"
    if pages:
        source = xml.SubElement(told, "sourceImageInformation")
        xml.SubElement(source, "fileName").text = printable(pages[0].source)
    step = xml.SubElement(told, "Processing", {"ID": "reading"})
    maker = xml.SubElement(step, "processingSoftware")
    xml.SubElement(maker, "softwareName").text = MAKER
    layout = xml.SubElement(root, "Layout")
    for number, page in enumerate(pages, 1):
        _add_page(layout, number, page)
    xml.indent(root, " ")
    out = io.BytesIO()
    xml.ElementTree(root).write(out, "utf-8", xml_declaration=True)
    return out.getvalue().decode() + "\n"


def _add_page(layout: xml.Element, number: int, page: SentPage) -> None:
    width, height = page.text.frame.upright_size
    size = {"WIDTH": str(width), "HEIGHT": str(height)}
    made = xml.SubElement(layout, "Page", {"ID": f"page_{number}", "PHYSICAL_IMG_NR": str(number), **size})
    space = xml.SubElement(made, "PrintSpace", {"HPOS": "0", "VPOS": "0", **size})
    for i, (_, own) in enumerate(groupby(page.text.words, key=lambda w: w.block), 1):
        words = list(own)
        block = xml.SubElement(space, "TextBlock", {"ID": f"block_{number}_{i}", **_place(_around(words))})
        for j, (_, line) in enumerate(groupby(words, key=lambda w: w.line), 1):
            _add_line(block, f"{number}_{i}_{j}", list(line))


def _add_line(block: xml.Element, number: str, words: Sequence[Word]) -> None:
    line = xml.SubElement(block, "TextLine", {"ID": f"line_{number}", **_place(_around(words))})
    for i, word in enumerate(words):
        if i:
            xml.SubElement(line, "SP")
        said = {"ID": f"word_{number}_{i + 1}", **_place(word.box), "CONTENT": printable(word.text)}
        xml.SubElement(line, "String", {**said, "WC": f"{word.confidence:.2f}"})


def _around(words: Sequence[Word]) -> Box:
    return union([w.box for w in words])


def _place(box: Box) -> dict[str, str]:
    left, top, right, bottom = (max(0, v) for v in box)
    return {
        "HPOS": str(left),
        "VPOS": str(top),
        "WIDTH": str(max(0, right - left)),
        "HEIGHT": str(max(0, bottom - top)),
    }
