"""Whole tasks through the command line: the contract, the stack from paper to filed, and bad input."""

from __future__ import annotations

import json
import os
import subprocess
import time
from pathlib import Path

import numpy as np
import pikepdf
from PIL import Image
from reportlab.pdfgen.canvas import Canvas

from keybundle.core.imaging.picture import decode
from keybundle.core.marks.patches import find_patch
from keybundle.core.setup.routines import PATCH_PATTERNS
from keybundle.core.store.place import hold
from keybundle.demo import seed
from keybundle.demo.stack import plan_stack, true_documents
from tests.support import WHOLE, DataTest, run_cli


class Stack(DataTest):
    def test_from_paper_to_filed_and_found(self) -> None:
        data, report_file = self.demo_data(), self.folder / "report.json"
        done = run_cli(
            "--data", data, "capture", "--routine", "post", "--file", "--pace", "0", "--report", report_file, "scanner"
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        report = json.loads(report_file.read_text())
        plan = plan_stack(8, seed.STACK_SEED)
        truth = true_documents(plan)
        sides = [s for sheet in plan.sheets for s in (sheet.front, sheet.back)]
        self.assertEqual([p["disposition"] for p in report["pages"]],
                         ["kept" if s.kind == "page" else "left out" for s in sides])  # fmt: skip
        for page, side in zip(report["pages"], sides, strict=True):
            if side.kind == "page":
                self.assertEqual(page["rotation"], side.effects.rotation)
                self.assertAlmostEqual(page["skew_degrees"], side.effects.skew_degrees, delta=0.2)
            elif side.kind == "separator":
                self.assertEqual(page["reason"], "separator")
        self.assertEqual([d["type"] for d in report["documents"]], [t.type_name for t in truth])
        for found, record in zip(report["documents"], truth, strict=True):
            for name, value in found["values"].items():
                if value["sure"] and name in record.values and name != "Defects":
                    self.assertEqual(value["value"], record.one(name), name)
                if value["box"]:
                    self.assertEqual(len(value["box"]), 4)
        b = report["balance"]
        self.assertEqual(b["captured"], b["kept"] + b["left_out"])
        self.assertEqual(b["kept"], b["filed"] + b["set_aside"] + b["waiting"])
        filed = [d for d in report["documents"] if d["state"] == "filed"]
        self.assertGreaterEqual(len(filed), 2)
        self.check_found(data, filed[0])

    def check_found(self, data: Path, document: dict[str, object]) -> None:
        caption = str(document["caption"])
        found = json.loads(run_cli("--data", data, "find", caption.replace(":", ""), "--json").stdout)
        hit = next(h for h in found["hits"] if h["caption"] == caption)
        self.assertEqual([hit["cabinet"], *hit["folder"]], document["destination"])
        self.assertTrue(hit["filed"])
        verified = json.loads(run_cli("--data", data, "verify", "--json").stdout)
        self.assertEqual((verified["bad"], verified["trail"]), ([], "whole"))

    def test_patch_sheets_are_printed_and_found(self) -> None:
        out = self.folder / "patches.pdf"
        done = run_cli("separator-sheets", "--out", out, "--patch", "T", "--count", "2")
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        found = [find_patch(decode(out, i, is_pdf=True), PATCH_PATTERNS) for i in (0, 1)]
        self.assertEqual([f.symbol for f in found if f], ["T", "T"])
        self.assertEqual(run_cli("separator-sheets", "--out", out, "--patch", "9").returncode, 2)

    def test_usage(self) -> None:
        data = self.demo_data()
        self.assertEqual(run_cli("--data", data, "capture", "--routine", "Nope", "x.tif").returncode, 2)
        self.assertIn("known are: Post", run_cli("--data", data, "capture", "--routine", "Nope", "x.tif").stderr)
        self.assertEqual(run_cli("nonsense").returncode, 2)
        reader = run_cli("--data", data, "capture", "--routine", "Files", "--as", "Hollin Waterhen", "x.tif")
        self.assertEqual(reader.returncode, 2)
        self.assertIn("may only look", reader.stderr)
        self.assertIn("init-demo", run_cli("--data", self.folder / "none", "find", "x").stderr)

    def test_a_changing_command_waits_for_the_holder_then_ends(self) -> None:
        data = self.demo_data()
        with hold(data, who="the desktop"):
            file, start = self._setup_file(data), time.monotonic()
            done = run_cli("--data", data, "setup", "import", file, apart=WHOLE)
            self.assertEqual(done.returncode, 3)
            self.assertGreater(time.monotonic() - start, 9)
            self.assertIn("in use by the desktop", done.stderr)

    def _setup_file(self, data: Path) -> Path:
        target = self.folder / "setup.toml"
        self.assertEqual(run_cli("--data", data, "setup", "export", target).returncode, 0)
        return target

    def test_setup_goes_out_and_in(self) -> None:
        target = self._setup_file(self.demo_data())
        self.assertEqual(run_cli("setup", "check", target).returncode, 0)
        fresh = self.folder / "fresh"
        self.assertEqual(run_cli("--data", fresh, "setup", "import", target).returncode, 0)
        again = self.folder / "again.toml"
        run_cli("--data", fresh, "setup", "export", again)
        self.assertEqual(again.read_text(), target.read_text())
        target.write_text(target.read_text().replace('register = "boats"', 'register = "bots"', 1))
        bad = run_cli("--data", fresh, "setup", "import", target)
        self.assertEqual(bad.returncode, 2)
        self.assertRegex(bad.stderr, r"line \d+: there is no register “bots”")

    def test_separator_sheets(self) -> None:
        target = self.folder / "sheets.pdf"
        self.assertEqual(run_cli("separator-sheets", "--out", target, "--type", "Bill", "--count", "2").returncode, 0)
        # Source: poppler's pdfinfo and pdftotext.
        self.assertIn(
            "Pages:           2", subprocess.run(["pdfinfo", target], capture_output=True, text=True, check=True).stdout
        )


class BadInput(DataTest):
    def make_files(self) -> dict[str, Path]:
        noise = Image.fromarray(np.random.default_rng(1).integers(0, 255, (600, 400), dtype=np.uint8))
        here = self.folder / "in"
        here.mkdir()
        noise.save(here / "cut.jpg")
        noise.save(here / "cut.tif", compression="tiff_lzw")
        for name in ("cut.jpg", "cut.tif"):
            (here / name).write_bytes((here / name).read_bytes()[:-9000])
        (here / "empty.png").write_bytes(b"")
        (here / "words.tif").write_text("no picture at all\n" * 9)
        (here / "broken.pdf").write_bytes(b"%PDF-1.5\n1 0 obj << nothing")
        canvas = Canvas(str(here / "plain.pdf"))
        canvas.setFont("Helvetica", 14)
        canvas.drawString(72, 700, "Printed message")
        canvas.drawString(72, 660, "From:      Wendra Otterstile")
        canvas.save()
        with pikepdf.Pdf.open(here / "plain.pdf") as pdf:
            pdf.save(here / "locked.pdf", encryption=pikepdf.Encryption(owner="o", user="u"))
        Image.new("L", (1240, 1754), "white").save(here / "no words.png", dpi=(150, 150))
        return {p.name: p for p in here.iterdir()}

    def test_each_is_told_and_the_rest_goes_on(self) -> None:
        data, files, report_file = self.demo_data(), self.make_files(), self.folder / "r.json"
        order = sorted(files.values())
        done = run_cli(
            "--data", data, "capture", "--routine", "Files", "--report", report_file, *order, self.folder / "gone.tif"
        )
        self.assertEqual(done.returncode, 1, done.stderr)
        report = json.loads(report_file.read_text())
        told = {r["source"]: r["why"] for r in report["refused"]}
        for name, word in (("cut.jpg", "cut short"), ("cut.tif", "cut short"), ("empty.png", "is empty"),
                           ("words.tif", "neither TIFF"), ("broken.pdf", "broken PDF"), ("locked.pdf", "password"),
                           ("gone.tif", "not there")):  # fmt: skip
            self.assertIn(word, told.get(name, ""), name)
            self.assertIn(name, told[name])
            self.assertIn(told[name], done.stderr)
        self.assertEqual(len(told), 7)
        kept = {p["source"]: p for p in report["pages"] if p["disposition"] == "kept"}
        self.assertIn("Wendra Otterstile", kept["plain.pdf"]["text"])
        blank = next(p for p in report["pages"] if p["source"] == "no words.png")
        self.assertEqual((blank["disposition"], blank["reason"]), ("left out", "blank"))
        damaged = [p for p in report["pages"] if p["reason"] == "damaged"]
        self.assertTrue(all(p["disposition"] == "left out" and p["note"] for p in damaged))
        self.assertEqual(run_cli("--data", data, "verify").returncode, 0)

    def test_missing_language_data_keeps_the_pages(self) -> None:
        data, files = self.demo_data(), self.make_files()
        done = run_cli(
            "--data",
            data,
            "capture",
            "--routine",
            "Files",
            files["plain.pdf"],
            env={"TESSDATA_PREFIX": str(self.folder)},
        )
        self.assertEqual(done.returncode, 3, done.stderr)
        self.assertIn("tesseract-ocr-eng", done.stderr)
        self.assertIn("1 captured side is safe", done.stderr)

    def test_no_space_left(self) -> None:
        data, files = self.demo_data(), self.make_files()
        small = self.folder / "small"
        small.mkdir()
        mount = ["mount", "-t", "tmpfs", "-o", "size=2600k", "none", str(small)]
        if os.getuid() != 0 or subprocess.run(mount, capture_output=True, check=False).returncode:
            self.skipTest("a small file system can only be mounted as root; tests/core/test_store.py injects ENOSPC")
        self.addCleanup(subprocess.run, ["umount", str(small)], check=False)
        target = small / "data"
        run_cli("--data", target, "setup", "import", self._export(data))
        noise = Image.fromarray(np.random.default_rng(2).integers(0, 255, (2400, 1600), dtype=np.uint8))
        noise.save(self.folder / "big.png")
        done = run_cli("--data", target, "capture", "--routine", "Files", files["plain.pdf"], self.folder / "big.png")
        self.assertEqual(done.returncode, 3, done.stderr)
        self.assertIn("no space left", done.stderr)
        self.assertIn("safe", done.stderr)

    def _export(self, data: Path) -> Path:
        target = self.folder / "setup.toml"
        run_cli("--data", data, "setup", "export", target)
        return target
