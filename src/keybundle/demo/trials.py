"""Sides that are hard on cleaning, with their truth: degraded pages, nearly blank sides, blank backs.

Everything is decided by a seed, so that tests and measurements speak of the same sides.
"""

from __future__ import annotations

import random
from dataclasses import replace

import cv2
import numpy as np
from PIL import Image

from keybundle.core.imaging.picture import Pixels
from keybundle.demo.layouts import DrawnPage, draw_document, fixed_layout
from keybundle.demo.names import make_world
from keybundle.demo.paper import Sheet
from keybundle.demo.records import TYPES, make_record
from keybundle.demo.scan import Effects, Scan, scan

HARD = ("faint", "shows through", "specks", "edges and holes", "shaded", "1-bit dirt", "all of it")
MARKS = ("line", "signature", "stamp", "pencil")


def draw_page(seed: int, dpi: int) -> DrawnPage:
    """Draw some page of some document; every type and layout comes."""
    rng = random.Random(seed)
    name = TYPES[seed % len(TYPES)]
    pages = draw_document(make_record(name, make_world(), rng), fixed_layout(name, 1 + seed % 3), rng, dpi=dpi)
    return pages[rng.randrange(len(pages))]


def skewed_page(seed: int, dpi: int = 200) -> tuple[Scan, Effects]:
    """Scan a page of text skewed by up to 10 degrees and turned any way, with everyday dirt."""
    rng = random.Random(seed + 5000)
    effects = Effects(
        mode=rng.choice(("1-bit", "grey")), skew_degrees=rng.uniform(-10, 10), rotation=rng.choice((0, 90, 180, 270)),
        speckle=rng.choice((0, 0.1, 0.3)), blur_px=rng.choice((0, 0.6)), faint=rng.choice((0, 0, 0.3)),
        dark_edges=rng.random() < 0.25, punch_holes=rng.random() < 0.3,
    )  # fmt: skip
    page = draw_page(seed, dpi)
    return scan(page.sheet.image, page.words, dpi, effects, seed), effects


def hard_page(kind: str, seed: int, dpi: int = 300) -> Scan:
    """Scan a page of text degraded in one way of ``HARD``; ``clean`` gives one without faults."""
    rng = random.Random(seed + 7000)
    common = Effects(skew_degrees=rng.uniform(-2, 2), blur_px=rng.choice((0.0, 0.6)))
    effects = {
        "clean": common,
        "faint": replace(common, faint=rng.uniform(0.45, 0.65), paper=235, noise=5),
        "shows through": replace(common, show_through=rng.uniform(0.25, 0.45)),
        "specks": replace(common, speckle=rng.uniform(1, 4)),
        "edges and holes": replace(common, dark_edges=True, punch_holes=True, speckle=0.5),
        "shaded": replace(common, paper=225, faint=0.3, shade=0.6),
        "1-bit dirt": replace(common, mode="1-bit", speckle=rng.uniform(1, 3), dark_edges=True, faint=0.2),
        "all of it": replace(common, faint=0.4, show_through=0.3, speckle=1.5, dark_edges=True, punch_holes=True,
                             paper=225, shade=0.6),
    }[kind]  # fmt: skip
    page = draw_page(seed, dpi)
    other = draw_page(seed + 3, dpi).sheet.image if effects.show_through else None
    return scan(page.sheet.image, page.words, dpi, effects, seed, other)


def nearly_blank(kind: str, seed: int, dpi: int = 200) -> Scan:
    """Scan a sheet that holds one mark of ``MARKS`` and nothing else."""
    rng = random.Random(seed + 100)
    mode = rng.choice(("grey", "colour")) if kind == "pencil" else rng.choice(("grey", "grey", "colour", "1-bit"))
    effects = Effects(
        mode=mode, skew_degrees=rng.uniform(-3, 3), speckle=rng.choice((0, 0.1)), dark_edges=rng.random() < 0.2,
        punch_holes=rng.random() < 0.3, paper=rng.choice((244, 248, 252)),
    )  # fmt: skip
    return scan(Image.fromarray(_draw_mark(kind, rng, dpi)), [], dpi, effects, seed)


def _draw_mark(kind: str, rng: random.Random, dpi: int) -> Pixels:
    sheet = Sheet(dpi, False)
    x, y = rng.uniform(25, 120), rng.uniform(30, 260)
    if kind == "line":
        sheet.put(
            rng.choice(("Paid in full", "See over", "cc office", "No. 14")), x, y, "plain", rng.choice((8, 9, 11))
        )
    out = np.array(sheet.image.convert("L"), dtype=np.uint8)
    px = dpi / 25.4
    thick = max(1, round(dpi / 100))
    if kind == "signature":
        t = np.linspace(0, 1, 120)
        wave = np.sin(t * rng.uniform(18, 40)) * rng.uniform(2, 5) * (1 - 0.6 * t)
        line = np.stack([(x + t * rng.uniform(25, 50)) * px, (y + wave) * px], 1).astype(np.int32)
        cv2.polylines(out, [line], False, rng.choice((20, 60, 90)), thick, cv2.LINE_AA)
    elif kind == "stamp":
        ink, width, height = rng.choice((90, 120, 150)), rng.uniform(30, 45), rng.uniform(10, 16)
        corners = [(round(a * px), round(b * px)) for a, b in ((x, y), (x + width, y + height))]
        cv2.rectangle(out, corners[0], corners[1], ink, thick)
        cv2.putText(out, rng.choice(("RECEIVED", "PAID", "ENTERED")), (corners[0][0] + 8, corners[1][1] - 20),
                    cv2.FONT_HERSHEY_SIMPLEX, 1.1 * dpi / 200, ink, thick + 1, cv2.LINE_AA)  # fmt: skip
    elif kind == "pencil":
        said, ink = rng.choice(("ok", "AB", "14/3", "see B")), rng.choice((120, 150, 170))
        cv2.putText(out, said, (round(x * px), round(y * px)), cv2.FONT_HERSHEY_SCRIPT_SIMPLEX,
                    rng.uniform(0.8, 1.4) * dpi / 200, ink, thick, cv2.LINE_AA)  # fmt: skip
    return out


def blank_back(seed: int, dpi: int = 200) -> Scan:
    """Scan a blank side: a third with show-through, others with specks, punch holes and scan edges."""
    rng = random.Random(seed + 900)
    veil = rng.uniform(0.08, 0.3) if seed % 3 == 0 else 0.0
    effects = Effects(
        mode=rng.choice(("grey", "grey", "colour", "1-bit")), skew_degrees=rng.uniform(-3, 3),
        speckle=rng.choice((0, 0.1, 0.3)), dark_edges=rng.random() < 0.4, punch_holes=rng.random() < 0.5,
        show_through=veil, paper=rng.choice((236, 244, 248, 252)),
    )  # fmt: skip
    paper = Image.new("L", (round(210 / 25.4 * dpi), round(297 / 25.4 * dpi)), "white")
    return scan(paper, [], dpi, effects, seed, draw_page(seed, dpi).sheet.image if veil else None)
