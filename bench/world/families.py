"""Families of layouts: each puts a paper on sheets in its own way; ``FAMILIES`` names them all.

Three families stand in ``JUDGED_ONLY``: nothing may be tuned on them.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from bench.world.country import say_amount
from bench.world.organisation import AMOUNTS, Item, Paper, Value
from keybundle.demo.paper import Sheet

TEXTS = (
    "Please check the particulars above and tell us within two weeks of anything that is not as it should be.",
    "The goods remain the property of the seller until they have been paid in full.",
    "Our office is open on weekdays from nine to noon, and on Thursdays until six in the evening.",
    "The work was done in the presence of the caretaker, who has kept the keys since.",
    "Cheques are no longer accepted; payment is made by transfer to the account below.",
    "Nothing in this paper replaces the agreement that was signed by both sides.",
    "The parts that were taken out are kept for a month and can be looked at on the premises.",
    "A copy of this paper goes to the committee and to the keeper of the store.",
)
HANDWRITING = "hand"
MARGIN_MM, RIGHT_MM, FOOT_MM = 20.0, 190.0, 280.0


@dataclass(frozen=True)
class Chance:
    """Sources of chance: of the ``form``, the same for all papers of a sender's form, and of the single ``paper``."""

    form: random.Random
    paper: random.Random


Draw = Callable[[Paper, Chance, int], list[Sheet]]


@dataclass(frozen=True)
class Family:
    """A family: the kinds of papers it can lay out, how, and how its pages lie in the scanner (turns in degrees)."""

    name: str
    kinds: tuple[str, ...]
    draw: Draw
    turns: tuple[int, ...] = (0,)


def _size(paper: Paper, least: float = 7.0) -> float:
    return max(least, paper.sender.size_pt)


def _head(sheet: Sheet, paper: Paper, rng: random.Random, *, title: bool = True) -> float:
    """Put the letterhead, the receiver and the title; return where the rest may begin in mm."""
    sender, face = paper.sender, paper.sender.face
    x, align = rng.choice(((MARGIN_MM, "left"), (105.0, "center"), (RIGHT_MM, "right")))
    sheet.put(sender.name, x, 24, face, rng.uniform(14, 20), bold=True, align=align)
    sheet.put(", ".join(sender.address), x, 31, face, 8.5, align=align)
    for i, line in enumerate(paper.receiver):
        sheet.put(line, MARGIN_MM, 48 + 5 * i, face, _size(paper, 9))
    if title:
        sheet.put(paper.title, MARGIN_MM, 74, face, rng.uniform(14, 20), bold=True)
    return 86.0


def _foot(sheet: Sheet, paper: Paper, page: int = 1, pages: int = 1) -> None:
    """Put the small print: registration, a second account, perhaps the page."""
    face = paper.sender.face
    sheet.rule(MARGIN_MM, FOOT_MM - 5, RIGHT_MM, FOOT_MM - 5, 0.15)
    sheet.put(paper.sender.registered, MARGIN_MM, FOOT_MM, face, 7)
    if pages > 1:
        sheet.put(f"Page {page} of {pages}", RIGHT_MM, FOOT_MM + 5, face, 8, align="right")


def _prose(sheet: Sheet, paper: Paper, rng: random.Random, y: float, paragraphs: int = 2) -> float:
    for _ in range(paragraphs):
        text = " ".join(rng.sample(TEXTS, 3))
        if y > FOOT_MM - 30:
            break
        y = sheet.paragraph(text, MARGIN_MM, y, RIGHT_MM - MARGIN_MM, paper.sender.face, _size(paper)) + 3
    return y


def _label(value: Value, rng: random.Random) -> str:
    return value.label + (":" if rng.random() < 0.6 and not value.label.endswith(".") else "")


def _labelled(paper: Paper) -> list[Value]:
    """Return the values that stand at labels; amounts and account of a bill stand at its table instead."""
    at_table = {*AMOUNTS, "account"} if paper.items and paper.kind == "bill" else set()
    return [v for v in paper.values if v.part not in at_table]


def _step(size_pt: float, leading: float = 1.75) -> float:
    return size_pt * leading / 72 * 25.4


# -- values at labels ----------------------------------------------------------------------------------------------


def _label_left(paper: Paper, by: Chance, dpi: int) -> list[Sheet]:
    sheet, face, size = Sheet(dpi), paper.sender.face, _size(paper)
    y, at = _head(sheet, paper, by.form), by.form.uniform(60, 90)
    for value in _labelled(paper):
        sheet.put(_label(value, by.form), MARGIN_MM, y, face, size, bold=by.form.random() < 0.4)
        sheet.put(value.shown, at, y, face, size)
        y += _step(size)
    y = _table(sheet, paper, y + 6, by.form, style="open") if paper.items else y
    _prose(sheet, paper, by.form, y + 8)
    _foot(sheet, paper)
    return [sheet]


def _label_above(paper: Paper, by: Chance, dpi: int) -> list[Sheet]:
    sheet, face, size = Sheet(dpi), paper.sender.face, _size(paper)
    y, columns = _head(sheet, paper, by.form), by.form.choice((2, 3))
    width = (RIGHT_MM - MARGIN_MM) / columns
    for i, value in enumerate(_labelled(paper)):
        x = MARGIN_MM + width * (i % columns)
        sheet.put(value.label, x, y, face, max(6.5, size * 0.75))
        sheet.put(value.shown, x, y + _step(size, 1.3), face, size)
        if i % columns == columns - 1:
            y += _step(size, 3.4)
    y = _table(sheet, paper, y + 12, by.form, style="open") if paper.items else y + 10
    _prose(sheet, paper, by.form, y + 6)
    _foot(sheet, paper)
    return [sheet]


def _grid(paper: Paper, by: Chance, dpi: int) -> list[Sheet]:
    """Put a row of labels above a row of values, in boxes."""
    sheet, face, size = Sheet(dpi), paper.sender.face, min(_size(paper), 9.5)
    y, values = _head(sheet, paper, by.form), _labelled(paper)
    for start in range(0, len(values), 4):
        row = values[start : start + 4]
        width, high = (RIGHT_MM - MARGIN_MM) / len(row), _step(size, 3.6)
        for edge in (y, y + high / 2, y + high):
            sheet.rule(MARGIN_MM, edge, RIGHT_MM, edge)
        for i, value in enumerate(row):
            x = MARGIN_MM + width * i
            sheet.rule(x, y, x, y + high)
            sheet.put(value.label, x + 1.5, y + high / 2 - 1.6, face, size * 0.85, bold=True)
            sheet.put(value.shown, x + 1.5, y + high - 1.6, face, size)
        sheet.rule(RIGHT_MM, y, RIGHT_MM, y + high)
        y += high + 4
    y = _table(sheet, paper, y + 8, by.form, style="ruled") if paper.items else y
    _prose(sheet, paper, by.form, y + 10)
    _foot(sheet, paper)
    return [sheet]


def _blocks(paper: Paper, by: Chance, dpi: int) -> list[Sheet]:
    """Put several blocks of labels side by side."""
    sheet, face, size = Sheet(dpi), paper.sender.face, min(_size(paper), 10)
    y, values = _head(sheet, paper, by.form), _labelled(paper)
    half = (len(values) + 1) // 2
    for x, block in ((MARGIN_MM, values[:half]), (112.0, values[half:])):
        at = y
        for value in block:
            sheet.put(_label(value, by.form), x, at, face, size)
            sheet.put(value.shown, x + 36, at, face, size)
            at += _step(size)
    y += _step(size) * half
    y = _table(sheet, paper, y + 8, by.form, style="striped") if paper.items else y
    _prose(sheet, paper, by.form, y + 10)
    _foot(sheet, paper)
    return [sheet]


def _filled_form(paper: Paper, by: Chance, dpi: int) -> list[Sheet]:
    """Put printed labels with boxes or leader dots, filled in by another face."""
    sheet, face, size = Sheet(dpi), paper.sender.face, min(_size(paper), 10)
    y, hand = _head(sheet, paper, by.form), by.form.choice([f for f in ("typewriter", "serif", "plain") if f != face])
    dots = by.form.random() < 0.5
    for value in _labelled(paper):
        end = sheet.put(value.label, MARGIN_MM, y, face, size)
        if dots:
            sheet.put("." * 46, max(70.0, end + 2), y + 0.6, "plain", 9)
        else:
            for x0, x1 in ((70.0, 165.0),):
                for edge in (y - 5, y + 2):
                    sheet.rule(x0, edge, x1, edge)
                for edge in (x0, x1):
                    sheet.rule(edge, y - 5, edge, y + 2)
        sheet.put(value.shown, 73, y, hand, by.form.uniform(10, 12))
        y += 10
    _prose(sheet, paper, by.form, y + 8)
    _foot(sheet, paper)
    return [sheet]


def _stamped(paper: Paper, by: Chance, dpi: int) -> list[Sheet]:
    """Put a paper with labels, and a stamp and somebody's note over its text."""
    (sheet,) = _label_left(paper, by, dpi)
    truth, runs = len(sheet.words), len(sheet.runs)
    x, y = by.paper.uniform(95, 130), by.paper.uniform(92, 130)
    for edge in (y - 8, y + 8):
        sheet.rule(x, edge, x + 52, edge, 0.8)
    for edge in (x, x + 52):
        sheet.rule(edge, y - 8, edge, y + 8, 0.8)
    sheet.put("RECEIVED", x + 26, y - 1, "firm", 13, bold=True, align="center", ink=(70, 70, 110))
    sheet.put(f"{by.paper.randrange(1, 28):02d} MAY 2026", x + 26, y + 6, "firm", 11, align="center", ink=(70, 70, 110))
    sheet.put(
        by.paper.choice(("ok, pay", "to file", "ask Reto", "seen")),
        by.paper.uniform(30, 90),
        by.paper.uniform(150, 220),
        HANDWRITING,
        22,
    )
    del sheet.words[truth:], sheet.runs[runs:]  # what was stamped and scribbled is no text of the paper
    return [sheet]


# -- tables --------------------------------------------------------------------------------------------------------


def _columns(paper: Paper) -> tuple[tuple[str, float, str], ...]:
    if paper.kind == "delivery":
        return (("Article", MARGIN_MM + 1, "left"), ("Pieces", RIGHT_MM - 2, "right"))
    return (("Article", MARGIN_MM + 1, "left"), ("Count", 110.0, "right"), ("Price", 138.0, "right"),
            ("Tax %", 158.0, "right"), ("Amount", RIGHT_MM - 2, "right"))  # fmt: skip


def _cells(paper: Paper, item: Item) -> tuple[str, ...]:
    if paper.kind == "delivery":
        return item.text, str(item.count)
    country = paper.sender.country
    say = lambda amount: say_amount(amount, country, sign=False)  # noqa: E731
    return item.text, str(item.count), say(item.price), "20", say(item.amount)


def _table(
    sheet: Sheet, paper: Paper, y: float, rng: random.Random, *, style: str, items: Sequence[Item] | None = None,
    totals: bool = True,
) -> float:  # fmt: skip
    """Put the goods, ruled, striped or open, and their sums below them; return where the rest may begin in mm."""
    face, size = paper.sender.face, min(_size(paper), 9.5)
    columns, step, rule = _columns(paper), _step(size, 1.9), rng.choice((0.1, 0.2, 0.35))
    rows = [
        tuple(name for name, _, _ in columns),
        *(_cells(paper, x) for x in (paper.items if items is None else items)),
    ]
    top = y - step * 0.7
    for number, row in enumerate(rows):
        base = y + step * number
        if style == "striped" and number % 2:
            sheet.block(MARGIN_MM, base - step * 0.7, RIGHT_MM, base + step * 0.3, (226, 228, 232))
        if style == "dark head" and not number:
            sheet.block(MARGIN_MM, base - step * 0.7, RIGHT_MM, base + step * 0.3, (30, 34, 40))
        light = style == "dark head" and not number
        for (_, x, align), text in zip(columns, row, strict=True):
            sheet.put(
                text, x, base, face, size, bold=not number, align=align, ink=(250, 250, 250) if light else (24, 24, 28)
            )
        if style == "ruled" or (style != "striped" and not number):
            sheet.rule(MARGIN_MM, base + step * 0.3, RIGHT_MM, base + step * 0.3, rule)
    end = top + step * len(rows)
    if style == "ruled":
        sheet.rule(MARGIN_MM, top, RIGHT_MM, top)
        for x in (MARGIN_MM, *(x + 2 for _, x, align in columns if align == "right")):
            sheet.rule(x, top, x, end)
        if len(columns) > 2:
            sheet.rule(96, top, 96, end)
    return _totals(sheet, paper, end + step) if totals and paper.kind == "bill" else end + step


def _totals(sheet: Sheet, paper: Paper, y: float) -> float:
    face, size = paper.sender.face, min(_size(paper), 10)
    for part in ("net", "tax", "total"):
        value = paper.value(part)
        if value is not None:
            sheet.put(value.label, 118, y, face, size, bold=part == "total")
            sheet.put(value.shown, RIGHT_MM - 2, y, face, size, bold=part == "total", align="right")
            y += _step(size, 1.6)
    account = paper.value("account")
    if account is not None:
        y += 3
        end = sheet.put(account.label, MARGIN_MM, y, face, size)
        sheet.put(account.shown, end + 4, y, face, size)
        y += _step(size, 1.6)
    return y


def _with_table(style: str) -> Draw:
    def draw(paper: Paper, by: Chance, dpi: int) -> list[Sheet]:
        sheet, face, size = Sheet(dpi), paper.sender.face, min(_size(paper), 10)
        y = _head(sheet, paper, by.form)
        for value in _labelled(paper):
            sheet.put(_label(value, by.form), 118, y, face, size)
            sheet.put(value.shown, RIGHT_MM, y, face, size, align="right")
            y += _step(size, 1.5)
        y = _table(sheet, paper, y + 10, by.form, style=style)
        _prose(sheet, paper, by.form, y + 8, 1)
        _foot(sheet, paper)
        return [sheet]

    return draw


def _long_bill(paper: Paper, by: Chance, dpi: int) -> list[Sheet]:
    """Put a bill over several pages: each ends with what is carried forward, the last one with the totals."""
    from decimal import Decimal

    face, size, country = paper.sender.face, min(_size(paper), 9.5), paper.sender.country
    per_page, sheets, carried, style = 22, [], Decimal(0), by.form.choice(("ruled", "open"))
    chunks = [paper.items[i : i + per_page] for i in range(0, len(paper.items), per_page)]
    for number, chunk in enumerate(chunks, 1):
        sheet = Sheet(dpi)
        if number == 1:
            y = _head(sheet, paper, by.form)
            for value in _labelled(paper):
                sheet.put(value.label, 118, y, face, size)
                sheet.put(value.shown, RIGHT_MM, y, face, size, align="right")
                y += _step(size, 1.4)
        else:
            y = 30.0
            sheet.put("Carried forward", MARGIN_MM, y, face, size)
            sheet.put(say_amount(carried, country, sign=False), RIGHT_MM - 2, y, face, size, align="right")
        is_last = number == len(chunks)
        y = _table(sheet, paper, y + 9, by.form, style=style, items=chunk, totals=is_last)
        carried += sum((x.amount for x in chunk), Decimal(0))
        if not is_last:
            sheet.put("To be carried forward", MARGIN_MM, y + 2, face, size)
            sheet.put(say_amount(carried, country, sign=False), RIGHT_MM - 2, y + 2, face, size, align="right")
        _foot(sheet, paper, number, len(chunks))
        sheets.append(sheet)
    return sheets


# -- running text --------------------------------------------------------------------------------------------------


def _letter(paper: Paper, by: Chance, dpi: int) -> list[Sheet]:
    """Put a letter without a label: the sender in the letterhead or the signature, a bare date, perhaps a subject in bold."""
    sheet, face, size = Sheet(dpi), paper.sender.face, _size(paper, 9)
    sender, written, subject = (paper.value(p) for p in ("sender", "written", "subject"))
    assert sender is not None and written is not None and subject is not None
    where = by.form.choice(("letterhead", "signature", "foot"))
    if where == "letterhead":
        sheet.put(sender.shown, MARGIN_MM, 24, face, 16, bold=True)
        sheet.put(", ".join(paper.sender.address), MARGIN_MM, 31, face, 8.5)
    for i, line in enumerate(paper.receiver):
        sheet.put(line, MARGIN_MM, 52 + 5 * i, face, size)
    sheet.put(f"{paper.sender.address[1].split()[-1]}, {written.shown}", RIGHT_MM, 74, face, size, align="right")
    way = by.form.choice(("", "Re: ", "Subject: ", "Regarding: ", "none"))
    if way != "none":
        sheet.put(f"{way}{subject.shown}", MARGIN_MM, 90, face, size, bold=True)
    sheet.put("Dear Sir or Madam,", MARGIN_MM, 101, face, size)
    opening = f"we write to you about the following: {subject.shown.lower()}." if way == "none" else ""
    y = sheet.paragraph(f"{opening} {' '.join(by.paper.sample(TEXTS, 3))}", MARGIN_MM, 110, 170, face, size) + 3
    y = _prose(sheet, paper, by.paper, y, 2)
    sheet.put("Yours faithfully", MARGIN_MM, y + 4, face, size)
    truth, runs = len(sheet.words), len(sheet.runs)
    sheet.put(
        sender.shown, MARGIN_MM + by.paper.uniform(0, 20), y + 14, HANDWRITING, by.paper.uniform(18, 26), bold=True
    )
    del sheet.words[truth:], sheet.runs[runs:]  # a signature is no print
    if where == "signature":
        sheet.put(sender.shown, MARGIN_MM, y + 22, face, size)
    if where == "foot":
        sheet.put(f"{sender.shown}, {', '.join(paper.sender.address)}", 105, FOOT_MM, face, 8, align="center")
    return [sheet]


def _memo(paper: Paper, by: Chance, dpi: int) -> list[Sheet]:
    sheet, face, size = Sheet(dpi), paper.sender.face, _size(paper, 9)
    sheet.put(by.form.choice(("MEMO", "Note for the file", "Internal")), MARGIN_MM, 28, face, 18, bold=True)
    rows = [("To", paper.receiver[0]), *((v.label, v.shown) for v in paper.values)]
    y = 44.0
    for label, text in rows:
        sheet.put(f"{label}:", MARGIN_MM, y, face, size, bold=True)
        sheet.put(text, 52, y, face, size)
        y += _step(size)
    sheet.rule(MARGIN_MM, y - 2, RIGHT_MM, y - 2)
    _prose(sheet, paper, by.paper, y + 8, 3)
    return [sheet]


def _agreement(paper: Paper, by: Chance, dpi: int) -> list[Sheet]:
    """Put an agreement in running prose, its values in sentences, over two or three pages."""
    face, size = paper.sender.face, _size(paper, 8.5)
    said = {v.part: v.shown for v in paper.values}
    sentences = [
        f"This agreement, kept under the number {said['number']}, is made between {paper.sender.name} and {said['customer']}.",
        f"It concerns {said['place']} and begins on {said['start']}.",
        f"Unless one side gives notice it ends on {said['end']}.",
        f"A sum of {said['rent']} is paid in advance on the first working day of each month.",
    ]
    sheets = []
    pages = by.paper.choice((2, 3))
    for number in range(1, pages + 1):
        sheet = Sheet(dpi)
        y = 30.0
        if number == 1:
            sheet.put(paper.title, 105, 32, face, 18, bold=True, align="center")
            y = 48.0
        for paragraph in range(4):
            text = " ".join(
                [*(sentences[paragraph : paragraph + 1] if number == 1 else ()), *by.paper.sample(TEXTS, 3)]
            )
            y = sheet.paragraph(f"{paragraph + 1 + 4 * (number - 1)}. {text}", MARGIN_MM, y, 170, face, size) + 4
        if number == pages:
            for x, who in ((MARGIN_MM, paper.sender.name), (120.0, said["customer"])):
                sheet.rule(x, y + 20, x + 60, y + 20)
                sheet.put(who, x, y + 25, face, 8.5)
        _foot(sheet, paper, number, pages)
        sheets.append(sheet)
    return sheets


def _two_columns(paper: Paper, by: Chance, dpi: int) -> list[Sheet]:
    """Put a paper with its values on top and terms in two columns of small print below them."""
    sheet, face = Sheet(dpi), paper.sender.face
    y, size = _head(sheet, paper, by.form), _size(paper, 8)
    for value in paper.values:
        sheet.put(_label(value, by.form), MARGIN_MM, y, face, size)
        sheet.put(value.shown, 80, y, face, size)
        y += _step(size)
    for x in (MARGIN_MM, 108.0):
        at = y + 8
        for _ in range(5):
            if at > FOOT_MM - 24:
                break
            at = sheet.paragraph(" ".join(by.form.sample(TEXTS, 2)), x, at, 80, face, 7.5) + 2
    _foot(sheet, paper)
    return [sheet]


def _receipt(paper: Paper, by: Chance, dpi: int) -> list[Sheet]:
    """Put a till receipt on a narrow strip."""
    width, face, size = by.form.uniform(58, 80), by.form.choice(("typewriter", "plain")), by.form.uniform(7.5, 9.5)
    high = 62 + 4.4 * len(paper.items)
    sheet = Sheet(dpi, size_mm=(width, high))
    party, day, total = (paper.value(p) for p in ("party", "date", "total"))
    assert party is not None and day is not None and total is not None
    sheet.put(party.shown, width / 2, 9, face, size + 1, bold=True, align="center")
    sheet.put(paper.sender.address[0], width / 2, 14, face, size, align="center")
    y = 24.0
    for item in paper.items:
        sheet.put(item.text[:18], 4, y, face, size)
        sheet.put(say_amount(item.amount, paper.sender.country, sign=False), width - 4, y, face, size, align="right")
        y += 4.4
    sheet.rule(4, y - 2, width - 4, y - 2, 0.2)
    sheet.put(total.label.upper(), 4, y + 4, face, size + 2, bold=True)
    sheet.put(total.shown, width - 4, y + 4, face, size + 2, bold=True, align="right")
    sheet.put(day.shown, 4, y + 13, face, size)
    sheet.put(f"No. {by.paper.randrange(1000, 99999)}", width - 4, y + 13, face, size, align="right")
    sheet.put("Thank you", width / 2, y + 22, face, size, align="center")
    return [sheet]


def next_pages(paper: Paper, by: Chance, dpi: int, count: int) -> list[Sheet]:
    """Return pages that follow a paper's own: enclosures with a running head, prose, terms in columns or a list."""
    face, size, sheets = paper.sender.face, _size(paper, 8), []
    for number in range(2, count + 2):
        sheet, y = Sheet(dpi), 40.0
        sheet.put(paper.sender.name, MARGIN_MM, 20, face, 9)
        sheet.put(f"Page {number} of {count + 1}", RIGHT_MM, 20, face, 9, align="right")
        way = by.form.choice(("prose", "terms", "list"))
        width, point = (80, 7.5) if way == "terms" else (170, size)
        if way == "terms":
            sheet.put("Terms and conditions", MARGIN_MM, 32, face, 13, bold=True)
        for column in (MARGIN_MM, 108.0) if way == "terms" else (MARGIN_MM,):
            at = y
            for paragraph in range(by.paper.randrange(3, 9)):
                if at > FOOT_MM - 30:
                    break
                text = " ".join((by.form if way == "terms" else by.paper).sample(TEXTS, 2))
                if way == "list":
                    sheet.put(f"{paragraph + 1}.", column, at, face, size)
                    at = sheet.paragraph(text, column + 10, at, 155, face, size) + 3
                else:
                    at = sheet.paragraph(text, column, at, width, face, point) + 3
        _foot(sheet, paper)
        sheets.append(sheet)
    return sheets


MANY = ("bill", "delivery", "form", "agreement")
FAMILIES = (
    Family("label left", MANY, _label_left), Family("label above", MANY, _label_above), Family("grid", MANY, _grid),
    Family("blocks side by side", MANY, _blocks), Family("ruled table", ("bill", "delivery"), _with_table("ruled")),
    Family("striped table", ("bill", "delivery"), _with_table("striped")),
    Family("open table", ("bill", "delivery"), _with_table("open")),
    Family("table with a dark head", ("bill", "delivery"), _with_table("dark head")),
    Family("bill over pages", ("bill",), _long_bill), Family("two columns", MANY, _two_columns),
    Family("letter without labels", ("letter",), _letter), Family("memo", ("memo",), _memo),
    Family("prose agreement", ("agreement",), _agreement), Family("till receipt", ("receipt",), _receipt),
    Family("filled form", ("form", "agreement"), _filled_form), Family("stamped", MANY, _stamped),
    Family("sideways", MANY, _label_left, (90, 180, 270)),
)  # fmt: skip
JUDGED_ONLY = frozenset({"blocks side by side", "table with a dark head", "till receipt"})


def family(name: str) -> Family:
    """Return a family by its name; raises StopIteration for an unknown one."""
    return next(f for f in FAMILIES if f.name == name)
