"""Text that a PDF page has already, against poppler; page pictures in all formats that are taken in."""

from __future__ import annotations

import io
import re
import subprocess
from dataclasses import replace
from pathlib import Path

import numpy as np
import pikepdf
import pillow_heif
from reportlab.pdfgen.canvas import Canvas

from keybundle.core.base.boxes import Frame
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.page_kind import PageKind
from keybundle.core.imaging.picture import PDF_DPI, decode, probe
from keybundle.core.reading.born import read_text_layer
from keybundle.core.reading.text import PageText
from keybundle.core.workflows.line.page_work import read
from keybundle.core.workflows.pages.page_jobs import PageJob
from keybundle.demo.stack import DocumentPlan
from tests.support import DataTest

SIZE = (595.0, 842.0)
FRAME = Frame(round(SIZE[0] / 72 * PDF_DPI), round(SIZE[1] / 72 * PDF_DPI))
LINES = (("Bill number R-20411", 72, 760), ("Quillfeather Lock Gates", 72, 730), ("Total 1,204.50 EUR", 300, 120))


def make_pdf(path: Path, *, rotate: int = 0) -> Path:
    canvas = Canvas(str(path), pagesize=SIZE)
    canvas.setFont("Helvetica", 12)
    for text, x, y in LINES:
        canvas.drawString(x, y, text)
    canvas.showPage()
    canvas.save()
    if rotate:
        with pikepdf.open(path, allow_overwriting_input=True) as pdf:
            pdf.pages[0].Rotate = rotate
            pdf.save(path)
    return path


def poppler_words(path: Path) -> list[tuple[str, tuple[float, ...]]]:
    # Source: poppler's pdftotext -bbox; boxes in points from the top left of the page as it is shown.
    said = subprocess.run(["pdftotext", "-bbox", str(path), "-"], capture_output=True, text=True, check=True).stdout
    rows = re.findall(r'<word xMin="([\d.]+)" yMin="([\d.]+)" xMax="([\d.]+)" yMax="([\d.]+)">([^<]+)<', said)
    return [(text, tuple(float(v) / 72 * PDF_DPI for v in box)) for *box, text in rows]


class TextLayer(DataTest):
    def test_words_and_boxes_agree_with_poppler(self) -> None:
        for rotate in (0, 90):
            path = make_pdf(self.folder / f"{rotate}.pdf", rotate=rotate)
            frame = FRAME if not rotate else Frame(FRAME.height, FRAME.width)
            found = read_text_layer(path, 0, frame, PDF_DPI)
            assert found is not None
            ours = sorted((w.text, w.box) for w in found.words)
            theirs = sorted(poppler_words(path))
            self.assertEqual([w for w, _ in ours], [w for w, _ in theirs], rotate)
            for (text, box), (_, other) in zip(ours, theirs, strict=True):
                middle = (box[0] + box[2]) / 2, (box[1] + box[3]) / 2
                self.assertTrue(other[0] - 4 <= middle[0] <= other[2] + 4 and other[1] - 8 <= middle[1] <= other[3] + 8,
                                (rotate, text, box, other))  # fmt: skip

    def test_lines_come_as_they_stand_and_are_certain(self) -> None:
        found = read_text_layer(make_pdf(self.folder / "a.pdf"), 0, FRAME, PDF_DPI)
        assert found is not None
        self.assertEqual(found.plain.splitlines(), [text for text, _, _ in LINES])
        self.assertEqual({w.confidence for w in found.words}, {1.0})

    def test_a_scan_or_a_meaningless_font_has_none(self) -> None:
        scan = self.folder / "scan.pdf"
        DocumentPlan("Bill", 1, 1).draw(dpi=100)[0].sheet.image.convert("L").save(scan, "PDF", resolution=100)
        self.assertIsNone(read_text_layer(scan, 0, FRAME, PDF_DPI))
        few = Canvas(str(self.folder / "few.pdf"), pagesize=SIZE)
        few.drawString(72, 700, "1 2")
        few.save()
        self.assertIsNone(read_text_layer(self.folder / "few.pdf", 0, FRAME, PDF_DPI))
        (self.folder / "bad.pdf").write_bytes(b"%PDF-1.7 nothing")
        with self.assertRaisesRegex(InputProblem, "broken PDF"):
            read_text_layer(self.folder / "bad.pdf", 0, FRAME, PDF_DPI)

    def test_the_routine_may_force_ocr(self) -> None:
        path = make_pdf(self.folder / "a.pdf")
        job = PageJob(path=str(path), name="a.pdf", kind=PageKind.PDF, frame=FRAME, steps=(True,) * 4)
        said = [PageText.from_bytes(read(replace(job, force_ocr=force))[0]) for force in (False, True)]
        self.assertEqual([w.text for w in said[0].words], [w.text for w in said[1].words], "both read the same here")
        self.assertLess(min(w.confidence for w in said[1].words), 1.0, "OCR is never quite certain")


class Formats(DataTest):
    def test_every_picture_format_is_told_by_its_bytes_and_decoded(self) -> None:
        # Source: files written by Pillow 13 and libheif; a lossless one comes back to the px, a lossy one nearly.
        page = DocumentPlan("Delivery note", 2, 4).draw(dpi=75)[0].sheet.image.convert("RGB")
        cases = {"WebP": ("WEBP", {"lossless": True}, 0), "JPEG 2000": ("JPEG2000", {"irreversible": False}, 0),
                 "BMP": ("BMP", {}, 0), "PNM": ("PPM", {}, 0), "HEIC": ("HEIF", {"quality": 90}, 30),
                 "JPEG": ("JPEG", {"quality": 90}, 60)}  # fmt: skip
        for kind, (writer, options, off) in cases.items():
            path = self.folder / f"{kind}.tif"
            out = io.BytesIO()
            if writer == "HEIF":
                pillow_heif.from_pillow(page).save(out, **options)
            else:
                page.save(out, writer, **options)
            path.write_bytes(out.getvalue())
            self.assertEqual((probe(path, path.name).kind, probe(path, path.name).pages), (kind, 1))
            found = decode(path, 0, name=path.name)
            self.assertEqual((found.width, found.height), page.size)
            difference = np.abs(
                found.pixels.astype(int) - np.asarray(page if found.pixels.ndim == 3 else page.convert("L"))
            )
            self.assertLessEqual(int(np.percentile(difference, 99.9)), off, kind)
            path.write_bytes(out.getvalue()[: len(out.getvalue()) // 2])
            with self.assertRaisesRegex(InputProblem, f"“{kind}.tif” is"):
                probe(path, path.name)
                decode(path, 0, name=path.name)

    def test_grey_and_bits_of_pnm(self) -> None:
        # Source: netpbm's pbm(5) and pgm(5): P1 is a bitmap in plain text, 1 is black; P2 a grey map.
        (self.folder / "a.pbm").write_text("P1\n4 2\n0 1 0 1\n1 1 0 0\n")
        bits = decode(self.folder / "a.pbm", 0)
        self.assertEqual((bits.mode, bits.pixels.tolist()), ("1-bit", [[255, 0, 255, 0], [0, 0, 255, 255]]))
        (self.folder / "a.pgm").write_text("P2\n3 1\n255\n0 128 255\n")
        self.assertEqual(decode(self.folder / "a.pgm", 0).pixels.tolist(), [[0, 128, 255]])
