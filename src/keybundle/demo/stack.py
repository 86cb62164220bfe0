"""The stack in the demo feeder: which sheets lie in it, and how each side is drawn. The truth of every side is known."""

from __future__ import annotations

import json
import random
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import pypdfium2 as pdfium
from PIL import Image

from keybundle.core.base.files import write_atomic
from keybundle.core.base.records import dataclass
from keybundle.core.imaging.picture import Pixels
from keybundle.core.marks.printing import print_sheets
from keybundle.core.marks.sheets import Separator
from keybundle.demo.layouts import DrawnPage, draw_document, fixed_layout
from keybundle.demo.names import make_world
from keybundle.demo.records import TYPES, Record, make_record
from keybundle.demo.scan import Effects, Scan, scan

SUFFIXES = {"1-bit": "tif", "grey": "png", "colour": "jpg"}


@dataclass(frozen=True)
class DocumentPlan:
    """A document in the stack: its type, layout, and the seed of its values."""

    type_name: str
    layout: int
    seed: int

    def record(self) -> Record:
        """Return what the document says."""
        return make_record(self.type_name, make_world(), random.Random(self.seed))

    def draw(self, *, dpi: int = 300, colour: bool = False) -> list[DrawnPage]:
        """Draw its pages."""
        layout = fixed_layout(self.type_name, self.layout)
        return draw_document(self.record(), layout, random.Random(self.seed + 1), dpi=dpi, colour=colour)


@dataclass(frozen=True)
class SidePlan:
    """A side: ``page`` of document number ``document``, a ``separator`` (with its type, perhaps empty), or ``blank``."""

    kind: str
    effects: Effects
    seed: int
    document: int = -1
    page: int = 0
    separator_type: str = ""

    @property
    def suffix(self) -> str:
        """The suffix of the file a scanner would deliver."""
        return SUFFIXES[self.effects.mode]


@dataclass(frozen=True)
class SheetPlan:
    """A sheet with its two sides."""

    front: SidePlan
    back: SidePlan


@dataclass(frozen=True)
class StackPlan:
    """A whole stack."""

    documents: tuple[DocumentPlan, ...]
    sheets: tuple[SheetPlan, ...]


def _effects(rng: random.Random) -> Effects:
    mode = rng.choice(("1-bit", "grey", "grey", "colour"))
    return Effects(
        mode=mode, skew_degrees=round(rng.uniform(-1.2, 1.2), 2), blur_px=rng.choice((0.0, 0.6)),
        speckle=rng.choice((0.0, 0.05, 0.15)), faint=rng.choice((0.0, 0.0, 0.25)), dark_edges=rng.random() < 0.15,
        punch_holes=rng.random() < 0.3, paper=rng.choice((244, 248, 252)),
    )  # fmt: skip


def plan_stack(sheets: int = 40, seed: int = 40) -> StackPlan:
    """Plan a duplex stack of exactly so many sheets: a separator sheet before each document, mixed modes."""
    rng = random.Random(seed)
    documents: list[DocumentPlan] = []
    made: list[SheetPlan] = []
    while len(made) < sheets:
        room = sheets - len(made) - 1
        if room < 1:
            made[-1] = SheetPlan(made[-1].front, _blank(_effects(rng), rng))
            blank = _effects(rng)
            made.append(SheetPlan(_blank(blank, rng), _blank(blank, rng)))
            break
        type_name = TYPES[len(documents) % len(TYPES)]
        plan = DocumentPlan(type_name, rng.choice((1, 1, 2, 3)), rng.randrange(10**6))
        pages = plan.record().sheets
        both_sides = pages > 1 and rng.random() < 0.5
        number = len(documents)
        documents.append(plan)
        said = type_name if rng.random() < 0.5 else ""
        effects = _effects(rng)
        made.append(
            SheetPlan(SidePlan("separator", effects, rng.randrange(10**6), separator_type=said), _blank(effects, rng))
        )
        effects = _effects(rng)
        if number == 1:
            effects = Effects(mode="grey", skew_degrees=6.5)
        if number == 3:
            effects = Effects(mode="1-bit", rotation=180, skew_degrees=-0.8)
        sides = [SidePlan("page", effects, rng.randrange(10**6), number, i) for i in range(pages)]
        step = 2 if both_sides else 1
        for i in range(0, min(pages, step * (sheets - len(made))), step):
            veil = 0.0 if both_sides else rng.choice((0.0, 0.0, 0.12))
            back = sides[i + 1] if both_sides and i + 1 < pages else _blank(effects, rng, veil, number, i)
            made.append(SheetPlan(sides[i], back))
    return StackPlan(tuple(documents), tuple(made[:sheets]))


def _blank(effects: Effects, rng: random.Random, veil: float = 0.0, document: int = -1, page: int = 0) -> SidePlan:
    worn = Effects(mode=effects.mode, speckle=effects.speckle, dark_edges=effects.dark_edges, show_through=veil,
                   punch_holes=effects.punch_holes, paper=effects.paper)  # fmt: skip
    return SidePlan("blank", worn, rng.randrange(10**6), document, page)


def draw_separator(type_name: str, dpi: int = 300, size: str = "A4") -> Pixels:
    """Return a printed separator sheet as a grey picture."""
    document = pdfium.PdfDocument(print_sheets(Separator(type_name=type_name), size=size))
    try:
        pixels = np.array(document[0].render(scale=dpi / 72, grayscale=True).to_numpy(), dtype=np.uint8)
        return pixels[:, :, 0] if pixels.ndim == 3 else pixels
    finally:
        document.close()


def make_side(plan: StackPlan, side: SidePlan) -> Scan:
    """Draw and scan one side of a stack."""
    colour = side.effects.mode == "colour"
    if side.kind == "separator":
        return scan(Image.fromarray(draw_separator(side.separator_type)), [], 300, side.effects, side.seed)
    if side.kind == "blank":
        paper = Image.new("RGB" if colour else "L", (2480, 3508), "white")
        other = None
        if side.effects.show_through and side.document >= 0:
            other = plan.documents[side.document].draw()[side.page].sheet.image
        return scan(paper, [], 300, side.effects, side.seed, other)
    page = plan.documents[side.document].draw(colour=colour)[side.page]
    return scan(page.sheet.image, page.words, 300, side.effects, side.seed)


def write_stack_list(folder: Path, plan: StackPlan) -> None:
    """Tell the simulated scanner which files its sheets are; the pictures may still be in the making."""
    sheets = [
        {"front": f"{i:04d}-front.{s.front.suffix}", "back": f"{i:04d}-back.{s.back.suffix}"}
        for i, s in enumerate(plan.sheets, 1)
    ]
    write_atomic(folder / "stack.json", json.dumps(sheets).encode(), durable=False)


def make_stack_file(folder: str, sheets: int, seed: int, number: int, which: str) -> None:
    """Make the picture of one side where it is missing; runs in a worker. ``number`` counts sheets from 1."""
    plan = plan_stack(sheets, seed)
    side = getattr(plan.sheets[number - 1], which)
    path = Path(folder) / f"{number:04d}-{which}.{side.suffix}"
    if not path.exists():
        write_atomic(path, make_side(plan, side).encode(), durable=False)


def true_documents(plan: StackPlan) -> Sequence[Record]:
    """Return what the documents of a stack say, in order."""
    return [d.record() for d in plan.documents]
