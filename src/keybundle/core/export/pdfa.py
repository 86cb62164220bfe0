"""Searchable PDF/A-1b: the picture of each page, and invisible words on it.

The picture is the cleaned one in the colours the page needs, or the captured one, untouched bit for bit where its
format allows. It is placed upright and straight by its matrix alone. Words stand at their
boxes in a font without shapes. Conformance: ISO 19005-1 level b (checked in the tests by an independent validator).
"""

from __future__ import annotations

import functools
import io
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from importlib.resources import files
from pathlib import Path
from typing import BinaryIO
from xml.sax.saxutils import escape

import img2pdf
import pikepdf
from fontTools.fontBuilder import FontBuilder
from fontTools.pens.ttGlyphPen import TTGlyphPen
from pikepdf import Array, Dictionary, Name, Pdf
from PIL import Image

from keybundle.core.base.boxes import Affine, Frame, compose
from keybundle.core.base.errors import EnvironmentProblem
from keybundle.core.base.messages import message
from keybundle.core.base.page_kind import PageKind
from keybundle.core.base.records import dataclass
from keybundle.core.formats.pages import decode_page, load_sheets
from keybundle.core.formats.sheets import text_of_sheet
from keybundle.core.imaging.clean import NONE, Steps
from keybundle.core.imaging.derived import encode_cleaned, save_group4
from keybundle.core.imaging.picture import is_turned
from keybundle.core.reading.text import PageText

PRODUCER = "Key Bundle"


@dataclass(frozen=True)
class SourcePage:
    """A page to be put into the PDF: its file, its frame, its text.

    ``colour`` is what it is cleaned to (colour, grey, 1-bit; empty: as captured) by ``steps``; ``cleaned`` is the outcome,
    where that was made before.
    """

    path: Path
    index: int
    kind: PageKind
    dpi: float
    text: PageText
    colour: str = ""
    steps: Steps = NONE
    cleaned: bytes | None = None


def sheets_of(pages: Iterable[SourcePage]) -> Iterator[SourcePage]:
    """Yield pages, native files as all their sheets."""
    for page in pages:
        if not page.kind.is_native:
            yield page
            continue
        sheets = load_sheets(page.path, page.kind)
        for number in range(len(sheets.sheets)):
            yield replace(page, index=number, text=text_of_sheet(sheets, number))


@functools.cache
def _blank_font() -> bytes:
    """Return a TrueType font with one empty glyph, half an em wide, from 0 to 1 em high."""
    pen = TTGlyphPen(None)
    builder = FontBuilder(1000, isTTF=True)
    builder.setupGlyphOrder([".notdef", "blank"])
    builder.setupCharacterMap({})
    builder.setupGlyf({".notdef": pen.glyph(), "blank": pen.glyph()})
    builder.setupHorizontalMetrics({".notdef": (500, 0), "blank": (500, 0)})
    builder.setupHorizontalHeader(ascent=1000, descent=0)
    builder.setupNameTable({"familyName": "KeyBundleBlank", "styleName": "Regular"})
    builder.setupOS2(sTypoAscender=1000, sTypoDescender=0, usWinAscent=1000, usWinDescent=0)
    builder.setupPost()
    builder.font["head"].created = builder.font["head"].modified = 3_800_000_000
    builder.font.recalcTimestamp = False
    out = io.BytesIO()
    builder.save(out)
    return out.getvalue()


_TO_UNICODE = b"""/CIDInit /ProcSet findresource begin 12 dict begin begincmap
/CIDSystemInfo << /Registry (Adobe) /Ordering (UCS) /Supplement 0 >> def
/CMapName /Adobe-Identity-UCS def /CMapType 2 def
1 begincodespacerange <0000> <FFFF> endcodespacerange
1 beginbfrange <0000> <FFFF> <0000> endbfrange
endcmap CMapName currentdict /CMap defineresource pop end end"""


def _add_font(pdf: Pdf) -> pikepdf.Object:
    file = pdf.make_stream(_blank_font())
    file.Length1 = len(_blank_font())
    descriptor = pdf.make_indirect(
        Dictionary(
            Type=Name.FontDescriptor, FontName=Name.KeyBundleBlank, Flags=4, FontBBox=Array([0, 0, 500, 1000]),
            ItalicAngle=0, Ascent=1000, Descent=0, CapHeight=1000, StemV=80, FontFile2=file,
        )
    )  # fmt: skip
    mapping = pdf.make_stream(b"\x00\x01" * 65536)
    info = Dictionary(Registry=pikepdf.String("Adobe"), Ordering=pikepdf.String("Identity"), Supplement=0)
    cid = Dictionary(
        Type=Name.Font, Subtype=Name.CIDFontType2, BaseFont=Name.KeyBundleBlank, CIDSystemInfo=info,
        FontDescriptor=descriptor, DW=500, CIDToGIDMap=mapping,
    )  # fmt: skip
    return pdf.make_indirect(
        Dictionary(
            Type=Name.Font, Subtype=Name.Type0, BaseFont=Name.KeyBundleBlank, Encoding=Name("/Identity-H"),
            DescendantFonts=Array([pdf.make_indirect(cid)]), ToUnicode=pdf.make_stream(_TO_UNICODE),
        )
    )  # fmt: skip


def _encode_image(page: SourcePage) -> bytes:
    """Return a one-page PDF that holds the picture; as captured, group 4, JPEG and PNG data are not encoded anew."""
    if page.colour:
        cleaned = page.cleaned
        if cleaned is None:
            cleaned = encode_cleaned(decode_page(page.path, page.index, kind=page.kind), page.colour, page.steps)
        return bytes(img2pdf.convert(cleaned))
    data = page.path.read_bytes() if page.kind is PageKind.PICTURE else b""
    single = (page.index == 0 and data[:3] == b"\xff\xd8\xff") or data[:8] == b"\x89PNG\r\n\x1a\n"
    if not single or is_turned(data):
        data = _frame_as_image(page)
    try:
        return bytes(img2pdf.convert(data, rotation=img2pdf.Rotation.ifvalid))
    except Exception:  # noqa: BLE001  what its parser refuses (it raises bare errors) was decoded before all the same
        out = io.BytesIO()
        picture = decode_page(page.path, page.index, kind=page.kind)
        Image.fromarray(picture.pixels).save(out, "PNG")
        return bytes(img2pdf.convert(out.getvalue(), rotation=img2pdf.Rotation.none))


def _frame_as_image(page: SourcePage) -> bytes:
    picture = decode_page(page.path, page.index, kind=page.kind)
    image = Image.fromarray(picture.pixels)
    out = io.BytesIO()
    if picture.mode == "1-bit":
        save_group4(image.convert("1", dither=Image.Dither.NONE), out)
    elif page.kind is PageKind.PDF and picture.mode == "colour":
        image.save(out, "JPEG", quality=90)
    else:
        image.save(out, "PNG", compress_level=3)
    return out.getvalue()


def _text_operators(text: PageText, dpi: float, height_px: int) -> bytes:
    """Return the words as invisible text; each fills its box: size by its height, stretch by its width."""
    point = 72 / dpi
    parts = [b"BT 3 Tr"]
    for word in text.words:
        left, top, right, bottom = word.box
        encoded = word.text.encode("utf-16-be", "surrogatepass")
        size = max(1.0, (bottom - top) * point)
        stretch = 100 * max(0.5, (right - left) * point) / (0.5 * size * len(encoded) / 2)
        x, y = left * point, (height_px - bottom) * point
        parts.append(f"/F0 {size:.3f} Tf {stretch:.3f} Tz 1 0 0 1 {x:.3f} {y:.3f} Tm <{encoded.hex()}> Tj".encode())
    parts.append(b"ET")
    return b"\n".join(parts)


def _image_matrix(frame: Frame, dpi: float) -> Affine:
    """Return the matrix from the unit square of a PDF image to the upright page in points (y upwards)."""
    a, b, c, d, e, f = frame.to_upright()
    w, h, point = frame.width, frame.height, 72 / dpi
    _, upright_height = frame.upright_size
    to_px: Affine = (w, 0, 0, 0, -h, h)
    to_points: Affine = (point, 0, 0, 0, -point, upright_height * point)
    return compose(to_points, compose((a, b, c, d, e, f), to_px))


def _add_page(pdf: Pdf, font: pikepdf.Object, page: SourcePage) -> None:
    with Pdf.open(io.BytesIO(_encode_image(page))) as single:
        image = pdf.copy_foreign(next(iter(single.pages[0].Resources.XObject.values())))
    if Name.Interpolate in image:
        del image.Interpolate
    frame = page.text.frame
    width, height = (px * 72 / page.dpi for px in frame.upright_size)
    a, b, c, d, e, f = _image_matrix(frame, page.dpi)
    drawing = f"q {a:.5f} {d:.5f} {b:.5f} {e:.5f} {c:.5f} {f:.5f} cm /Im0 Do Q\n".encode()
    content = drawing + _text_operators(page.text, page.dpi, frame.upright_size[1])
    resources = Dictionary(XObject=Dictionary(Im0=image), Font=Dictionary(F0=font))
    pdf.add_blank_page(page_size=(round(width, 2), round(height, 2)))
    made = pdf.pages[-1]
    made.Resources = resources
    made.Contents = pdf.make_stream(content)


_XMP = """<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>
<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
{title}<rdf:Description rdf:about="" xmlns:xmp="http://ns.adobe.com/xap/1.0/">
<xmp:CreatorTool>{tool}</xmp:CreatorTool><xmp:CreateDate>{at}</xmp:CreateDate></rdf:Description>
<rdf:Description rdf:about="" xmlns:pdfaid="http://www.aiim.org/pdfa/ns/id/">
<pdfaid:part>1</pdfaid:part><pdfaid:conformance>B</pdfaid:conformance></rdf:Description>
</rdf:RDF></x:xmpmeta><?xpacket end="w"?>"""


_TITLE = """<rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/">
<dc:title><rdf:Alt><rdf:li xml:lang="x-default">{title}</rdf:li></rdf:Alt></dc:title></rdf:Description>
"""


def add_metadata(pdf: Pdf, title: str, made_at: str) -> None:
    """Say the same in the XMP packet and in the document information, as ISO 19005-1 6.7.3 asks; no title for an empty one."""
    moment = datetime.fromisoformat(made_at).astimezone(UTC).replace(microsecond=0)
    named = _TITLE.format(title=escape(title)) if title else ""
    said = _XMP.format(title=named, tool=PRODUCER, at=moment.isoformat())
    packet = pdf.make_stream(said.encode())
    packet.Type, packet.Subtype = Name.Metadata, Name.XML
    pdf.Root.Metadata = packet
    if title:
        pdf.docinfo["/Title"] = title
    elif "/Title" in pdf.docinfo:
        del pdf.docinfo["/Title"]
    pdf.docinfo["/Creator"] = PRODUCER
    pdf.docinfo["/CreationDate"] = moment.strftime("D:%Y%m%d%H%M%S+00'00'")


def build_pdf(pages: Sequence[SourcePage], title: str, made_at: str) -> bytes:
    """Return the PDF/A-1b of a document's pages; ``made_at`` is ISO 8601.

    Raises EnvironmentProblem when an original cannot be read. The same pages give the same bytes.
    """
    pdf = Pdf.new()
    font = _add_font(pdf)
    try:
        for page in sheets_of(pages):
            _add_page(pdf, font, page)
    except OSError as error:
        raise EnvironmentProblem(message("pdfa.original-could-not-read-nothing", title=title)) from error
    add_intent(pdf)
    add_metadata(pdf, title, made_at)
    out = io.BytesIO()
    save_pdf(pdf, out)
    return out.getvalue()


def add_intent(pdf: Pdf) -> None:
    """Say which colours are meant: sRGB, by its profile."""
    profile = pdf.make_stream(files("pikepdf").joinpath("pdfa", "data", "sRGB.icc").read_bytes())
    profile.N = 3
    profile.Alternate = Name.DeviceRGB
    intent = Dictionary(
        Type=Name.OutputIntent, S=Name.GTS_PDFA1, OutputConditionIdentifier=pikepdf.String("sRGB IEC61966-2.1"),
        Info=pikepdf.String("sRGB IEC61966-2.1"), DestOutputProfile=profile,
    )  # fmt: skip
    pdf.Root.OutputIntents = Array([pdf.make_indirect(intent)])


def save_pdf(pdf: Pdf, out: BinaryIO) -> None:
    """Write a PDF as ISO 19005-1 asks: version 1.4, no object streams; the same pages give the same bytes."""
    pdf.save(
        out, min_version="1.4", force_version="1.4", object_stream_mode=pikepdf.ObjectStreamMode.disable,
        deterministic_id=True, fix_metadata_version=False,
    )  # fmt: skip
