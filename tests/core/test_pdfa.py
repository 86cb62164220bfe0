"""Searchable PDF/A: the independent validator, and the words where an independent reader finds them."""

from __future__ import annotations

import html
import io
import os
import random
import re
import shutil
import subprocess
from collections import Counter
from dataclasses import replace
from pathlib import Path
from unittest import mock

import pikepdf
from PIL import Image

from keybundle.core.base.page_kind import PageKind
from keybundle.core.export.pdfa import SourcePage, build_pdf
from keybundle.core.formats.pages import load_sheets, read_native
from keybundle.core.formats.sheets import DPI
from keybundle.core.workflows.line import page_work
from keybundle.core.workflows.pages.page_jobs import PageJob
from keybundle.core.workflows.pages.pdf_work import make_pdf
from keybundle.demo.layouts import draw_document, fixed_layout
from keybundle.demo.names import make_world
from keybundle.demo.records import make_record
from keybundle.demo.scan import Effects, Scan, scan
from keybundle.demo.seed import true_text
from tests.support import DataTest

Box = tuple[float, float, float, float]


def bbox_words(path: Path) -> list[list[tuple[str, Box]]]:
    """The words of each page with boxes in points, by poppler's pdftotext -bbox."""
    said = subprocess.run(["pdftotext", "-bbox", path, "-"], capture_output=True, text=True, check=True).stdout
    pattern = re.compile(r'<word xMin="([\d.]+)" yMin="([\d.]+)" xMax="([\d.]+)" yMax="([\d.]+)">(.*?)</word>')
    return [
        [(html.unescape(m[5]), (float(m[1]), float(m[2]), float(m[3]), float(m[4]))) for m in pattern.finditer(page)]
        for page in said.split("<page ")[1:]
    ]


class Searchable(DataTest):
    def make(self) -> tuple[Path, list[Scan]]:
        scans, sources = [], []
        for i, effects in enumerate((Effects(mode="1-bit", rotation=180, skew_degrees=3),
                                     Effects(mode="grey", skew_degrees=-2), Effects(mode="colour", rotation=90))):  # fmt: skip
            rng = random.Random(i)
            kind = ("Bill", "Letter", "Mooring agreement")[i]
            layout = fixed_layout(kind, 1 + i)
            page = draw_document(make_record(kind, make_world(), rng), layout, rng, dpi=150, colour=i == 2)[0]
            made = scan(page.sheet.image, page.words, 150, effects, i)
            path = self.folder / f"{i}.img"
            path.write_bytes(made.encode())
            scans.append(made)
            sources.append(SourcePage(path, 0, PageKind.PICTURE, 150, true_text(made)))
        target = self.folder / "out.pdf"
        target.write_bytes(build_pdf(sources, "Bill <R-1> & more", "2026-04-03T10:00:00+00:00"))
        return target, scans

    def test_conformance(self) -> None:
        path, _ = self.make()
        self.check_conformance(path)

    def test_a_file_of_its_own_has_all_its_sheets_and_words(self) -> None:
        # Source: what poppler's pdftotext reads, beside the file itself.
        lines = [f"Sluice board {i}  {i}.50" for i in range(200)]
        native, target = self.folder / "prices.txt", self.folder / "out.pdf"
        native.write_text("\n".join(lines))
        page = SourcePage(native, 0, PageKind.TEXT, DPI, read_native(native, PageKind.TEXT))
        target.write_bytes(build_pdf([page], "Prices", "2026-04-03T10:00:00+00:00"))
        self.check_conformance(target)
        found = bbox_words(target)
        self.assertEqual(len(found), len(load_sheets(native, PageKind.TEXT).sheets))
        self.assertEqual(Counter(w for sheet in found for w, _ in sheet), Counter(" ".join(lines).split()))

    def check_conformance(self, path: Path) -> None:
        # Source: ISO 19005-1 level b by Apache PDFBox Preflight; ISO 32000 structure by qpdf --check.
        said = subprocess.run(
            ["java", "-cp", "/usr/share/java/*", "org.apache.pdfbox.preflight.Validator_A1b", str(path)],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        self.assertIn("is a valid PDF/A-1b file", said.stdout + said.stderr)
        checked = subprocess.run(["qpdf", "--check", path], capture_output=True, text=True, check=False)
        self.assertEqual(checked.returncode, 0, checked.stdout + checked.stderr)

    def test_words_sit_where_they_are(self) -> None:
        path, scans = self.make()
        for made, found in zip(scans, bbox_words(path), strict=True):
            truth = [(w.text, tuple(v * 72 / 150 for v in w.box)) for w in made.words]
            inside = 0
            for text, box in found:
                x, y = (box[0] + box[2]) / 2, (box[1] + box[3]) / 2
                inside += any(text == t and b[0] - 1 <= x <= b[2] + 1 and b[1] - 1 <= y <= b[3] + 1 for t, b in truth)
            self.assertGreaterEqual(len(found), 0.95 * len(truth))
            self.assertGreaterEqual(inside / len(found), 0.9)

    def test_what_was_cleaned_ahead_goes_in_where_it_is_whole_and_of_just_this_page(self) -> None:
        # Source: the PDF of the same pages with nothing made ahead, byte for byte.
        _, scans = self.make()
        job = PageJob(
            path=str(self.folder / "1.img"), name="1", page_id="p1", dpi=150, frame=true_text(scans[1]).frame,
            steps=(True, True, True, False), colour="1-bit", text=true_text(scans[1]).to_bytes(),
        )  # fmt: skip
        cache, target = self.folder / "cache", self.folder / "made.pdf"

        def made(of: PageJob) -> bytes:
            make_pdf([of], "2026-04-03T10:00:00+00:00", str(target), str(cache))
            return target.read_bytes()

        page_work.read(job, str(cache))
        (ahead,) = (p for p in cache.rglob("*") if p.is_file())
        kept = ahead.read_bytes()
        others = [
            replace(job, colour="grey"),
            replace(job, page_id="p2"),
            replace(job, path=str(self.folder / "0.img")),
        ]
        want, *wanted = [made(replace(j, text=job.text)) for j in (replace(job, page_id="none"), *others)]
        self.assertEqual(ahead.read_bytes(), kept, "what another page, picture or colour is made of leaves it alone")
        self.assertEqual(len({want, *wanted}), 3, "p2 looks like p1")
        with mock.patch("keybundle.core.export.pdfa.encode_cleaned", side_effect=AssertionError):
            self.assertEqual(made(job), want)
        self.assertFalse(ahead.exists(), "it is let go of")
        for harmed in (b"", kept[:-9], kept[:100] + bytes([kept[100] ^ 1]) + kept[101:]):
            ahead.write_bytes(harmed)
            self.assertEqual(made(job), want)
        self.assertTrue(page_work.read(replace(job, colour=""), str(cache))[0])
        cache.chmod(0o500) if os.getuid() else (shutil.rmtree(cache), cache.write_bytes(b""))
        self.assertTrue(page_work.read(job, str(cache))[0], "a cache that cannot be written costs time alone")
        self.assertEqual(made(job), want)

    def test_pixels_stay_as_captured(self) -> None:
        path, scans = self.make()
        with pikepdf.Pdf.open(path) as pdf:
            for made, page in zip(scans, pdf.pages, strict=True):
                raw = pikepdf.PdfImage(next(iter(page.Resources.XObject.values()))).as_pil_image()
                original = Image.open(io.BytesIO(made.encode()))
                self.assertEqual(raw.convert("RGB").tobytes(), original.convert("RGB").tobytes())
