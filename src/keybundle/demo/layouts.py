"""Three layouts for each document type, and a family of layouts made at random.

A layout is plain data: label words, face, order, places, and the styles of dates and money. ``draw_document`` puts
a record on sheets by a layout and tells where every word stands.
"""

from __future__ import annotations

import random
from dataclasses import field
from datetime import date
from decimal import Decimal

from keybundle.core.base.records import dataclass
from keybundle.demo.names import FIRST, LAST, TOWNS
from keybundle.demo.paper import PlacedWord, Sheet
from keybundle.demo.records import Record

MONTHS = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
]
PHRASES = (
    "The towpath between the two bridges stays open to walkers while the work goes on.",
    "Boats longer than eighteen metres wind at the basin and not in the cut.",
    "Water is let down on the first working day of the month unless the level is low.",
    "The keeper looks after ropes, fenders and the gangway and tells the office of any damage.",
    "Ballast may be taken on at the wharf by arrangement with the lock keeper on duty.",
    "Paddles are lowered slowly and the gates are left closed behind every boat.",
    "Payment is made by transfer within thirty days of the date above.",
    "Nothing in this paper gives a right to a particular berth in the winter months.",
    "The trust keeps a record of each passage and publishes the totals in spring.",
    "A written answer is asked for before the next meeting of the committee.",
)
TITLES: dict[str, tuple[str, ...]] = {
    "Mooring agreement": ("Mooring agreement", "Agreement for a mooring", "Berth agreement"),
    "Safety certificate": ("Safety certificate", "Certificate of safety", "Boat safety examination"),
    "Inspection sheet": ("Inspection sheet", "Structure inspection", "Record of inspection"),
    "Bill": ("Bill", "Invoice", "Account rendered"),
    "Delivery note": ("Delivery note", "Advice of delivery", "Goods delivered"),
    "Letter": ("", "", ""),
    "E-mail": ("Printed message", "Electronic message", "Mail print-out"),
}
LABELS: dict[str, tuple[str, ...]] = {
    "Agreement number": ("Agreement number", "Agreement no", "Agreement ref"),
    "Boat number": ("Boat number", "Vessel number", "Craft no"), "Keeper": ("Keeper", "Boat keeper", "Name of keeper"),
    "Home mooring": ("Home mooring", "Mooring", "Berth"), "Start date": ("Start date", "Valid from", "Beginning"),
    "Annual charge": ("Annual charge", "Charge per year", "Yearly charge"),
    "Certificate number": ("Certificate number", "Certificate no", "Certificate"),
    "Examined on": ("Examined on", "Date of examination", "Examination date"),
    "Valid until": ("Valid until", "Expires on", "Valid to"), "Examiner": ("Examiner", "Examined by", "Examiner"),
    "Structure number": ("Structure number", "Structure no", "Asset number"), "Reach": ("Reach", "Reach", "Reach"),
    "Inspected on": ("Inspected on", "Date of inspection", "Date"),
    "Inspector": ("Inspector", "Inspected by", "Inspector"), "Grade": ("Grade", "Condition grade", "Grade"),
    "Follow-up": ("Follow-up", "Follow-up needed", "Follow-up"), "Defects": ("Defects", "Defects found", "Defects"),
    "Supplier": ("Supplier", "From", "Sold by"), "Bill number": ("Bill number", "Invoice number", "Bill no"),
    "Bill date": ("Bill date", "Invoice date", "Date"), "Net": ("Net", "Net amount", "Subtotal"),
    "VAT": ("VAT", "Value added tax", "VAT 20 %"), "Total": ("Total", "Amount due", "To pay"),
    "IBAN": ("IBAN", "IBAN", "IBAN"), "Order number": ("Order number", "Your order", "Purchase order"),
    "Delivery date": ("Delivery date", "Delivered on", "Date of delivery"), "Sender": ("From", "Sender", "Writer"),
    "Letter date": ("Date", "Written on", "Our date"), "Subject": ("Subject", "Re", "Concerning"),
    "Sent on": ("Sent", "Date", "Sent on"),
}  # fmt: skip
RANDOM_LABELS: dict[str, tuple[str, ...]] = {
    "Bill number": ("No. of bill", "Document number"), "Bill date": ("Issued", "Dated"), "Total": ("Grand total", "Sum"),
    "Start date": ("From date", "Commences"), "Examined on": ("Tested on",), "Valid until": ("Good until",),
    "Delivery date": ("Arrived",), "Letter date": ("Dated",), "Annual charge": ("Rent per year",),
    "Order number": ("Reference of order",), "Inspected on": ("Visited on",),
}  # fmt: skip
MONEY_FIELDS = {"Net", "VAT", "Total", "Annual charge"}
DATE_FIELDS = {"Start date", "Examined on", "Valid until", "Inspected on", "Bill date", "Delivery date", "Letter date",
               "Sent on"}  # fmt: skip


@dataclass(frozen=True)
class Layout:
    """How one sender lays out one type of document."""

    face: str = "plain"
    size_pt: float = 10.5
    title: str = ""
    labels: dict[str, str] = field(default_factory=dict)
    arrangement: str = "right"
    date_style: str = "iso"
    money_style: str = "point"
    head: str = "left"
    margin_mm: float = 22.0
    value_mm: float = 62.0
    colon: bool = True
    order: tuple[str, ...] = ()


_FACE = ("plain", "serif", "typewriter")
_ARRANGE = ("right", "above", "grid")
_DATES = ("day month year", "numeric", "iso")
_MONEY = ("EUR point", "comma", "point")
_HEAD = ("left", "centre", "right")


def fixed_layout(type_name: str, number: int) -> Layout:
    """Return layout 1, 2 or 3 of a type."""
    i = number - 1
    turn = (i + list(TITLES).index(type_name)) % 3 if i else 0
    return Layout(
        face=_FACE[i] if i else _FACE[turn], title=TITLES[type_name][i],
        labels={name: words[i] for name, words in LABELS.items()}, arrangement=_ARRANGE[i], date_style=_DATES[i],
        money_style=_MONEY[i], head=_HEAD[i], margin_mm=(22.0, 25.0, 20.0)[i], value_mm=(64.0, 70.0, 72.0)[i],
        colon=i != 2, size_pt=(10.5, 11.0, 10.0)[i],
    )  # fmt: skip


def random_layout(type_name: str, seed: int) -> Layout:
    """Return a layout of the family made at random; the same seed gives the same layout."""
    rng = random.Random(f"{type_name}/{seed}")
    labels = {name: rng.choice(words + RANDOM_LABELS.get(name, ())) for name, words in LABELS.items()}
    return Layout(
        face=rng.choice(("plain", "serif", "typewriter", "book", "firm")), title=rng.choice(TITLES[type_name]),
        labels=labels, arrangement=rng.choice(_ARRANGE), date_style=rng.choice((*_DATES, "month day")),
        money_style=rng.choice(_MONEY), head=rng.choice(_HEAD), margin_mm=rng.uniform(16, 30),
        value_mm=rng.uniform(58, 84), colon=rng.random() < 0.6, size_pt=rng.uniform(9, 11.5),
        order=tuple(rng.sample(sorted(LABELS), len(LABELS))),
    )  # fmt: skip


def say_date(iso: str, style: str) -> str:
    """Write a date in one of the layouts' styles."""
    day = date.fromisoformat(iso)
    return {
        "iso": iso, "numeric": f"{day.day:02d}/{day.month:02d}/{day.year}",
        "day month year": f"{day.day} {MONTHS[day.month - 1]} {day.year}",
        "month day": f"{MONTHS[day.month - 1]} {day.day}, {day.year}",
    }[style]  # fmt: skip


def say_money(amount: str, style: str) -> str:
    """Write an amount in one of the layouts' styles."""
    plain = f"{Decimal(amount):,.2f}"
    if style == "comma":
        return plain.replace(",", " ").replace(".", ",").replace(" ", ".") + " EUR"
    return f"EUR {plain}" if style == "EUR point" else plain


def _shown(name: str, record: Record, layout: Layout) -> list[str]:
    values = record.values.get(name, ())
    if name in MONEY_FIELDS:
        return [say_money(v, layout.money_style) for v in values]
    if name in DATE_FIELDS:
        return [say_date(v, layout.date_style) for v in values]
    if name == "IBAN":
        return [" ".join(v[i : i + 4] for i in range(0, len(v), 4)) for v in values]
    return list(values)


@dataclass(frozen=True)
class DrawnPage:
    """A drawn page with its true words."""

    sheet: Sheet

    @property
    def words(self) -> list[PlacedWord]:
        """The words in the order they were put."""
        return self.sheet.words


def draw_document(
    record: Record, layout: Layout, rng: random.Random, *, dpi: int = 300, colour: bool = False
) -> list[DrawnPage]:
    """Draw all pages of a document; the first carries the fields."""
    first = Sheet(dpi, colour)
    y = _draw_head(first, record, layout, rng)
    y = _draw_fields(first, record, layout, y)
    if record.items:
        y = _draw_items(first, record, layout, y + 8)
    _draw_body(first, record, layout, rng, y + 9, long=record.type_name in ("Letter", "E-mail", "Mooring agreement"))
    pages = [DrawnPage(first)]
    if record.sheets > 1:
        first.put(f"Page 1 of {record.sheets}", 188, 287, layout.face, 9, align="right")
    for number in range(2, record.sheets + 1):
        sheet = Sheet(dpi, colour)
        sheet.put(f"Page {number} of {record.sheets}", 188, 287, layout.face, 9, align="right")
        _draw_body(sheet, record, layout, rng, 34, long=True, paragraphs=7)
        pages.append(DrawnPage(sheet))
    return pages


def _draw_head(sheet: Sheet, record: Record, layout: Layout, rng: random.Random) -> float:
    m = layout.margin_mm
    x, align = {"left": (m, "left"), "centre": (105.0, "center"), "right": (210 - m, "right")}[layout.head]
    is_ours = record.type_name in ("Mooring agreement", "Inspection sheet", "Safety certificate")
    name = "Larkmere Navigation Trust" if is_ours else record.one("Supplier") or record.one("Sender")
    accent = (18, 74, 110) if sheet.colour else (24, 24, 28)
    sheet.put(name, x, 25, layout.face, 17, bold=True, align=align, ink=accent)
    place = f"{rng.randrange(1, 90)} {rng.choice(LAST)} Wharf, {rng.choice(TOWNS)}"
    sheet.put(place, x, 32, layout.face, 9, align=align)
    if sheet.colour:
        sheet.block(m, 36, 210 - m, 37, (180, 120, 40))
    else:
        sheet.rule(m, 36, 210 - m, 36)
    if not is_ours:
        for i, line in enumerate(("To the", "Larkmere Navigation Trust", "Office at Holmelock")):
            sheet.put(line, m, 47 + 5 * i, layout.face, layout.size_pt)
    if layout.title:
        sheet.put(layout.title, m, 74, layout.face, 20, bold=True)
    return 88.0


def _draw_fields(sheet: Sheet, record: Record, layout: Layout, y: float) -> float:
    names = [n for n in (layout.order or record.values) if n in record.values]
    totals = [n for n in ("Net", "VAT", "Total") if n in names] if record.items else []
    names = [n for n in names if n not in totals and n != "IBAN"]
    m, face, size = layout.margin_mm, layout.face, layout.size_pt
    if layout.arrangement == "above":
        columns = (m, m + 82)
        for i, name in enumerate(names):
            x = columns[i % 2]
            sheet.put(layout.labels[name], x, y, face, size * 0.85)
            for value in [", ".join(_shown(name, record, layout))]:
                sheet.put(value, x, y + 6, face, size, bold=False)
            y += 15 if i % 2 or i == len(names) - 1 else 0
        return y
    step = size * 1.75 / 72 * 25.4
    top = y - step * 0.7
    for name in names:
        label = layout.labels[name] + (":" if layout.colon else "")
        sheet.put(label, m + 2, y, face, size, bold=layout.arrangement == "right")
        shown = _shown(name, record, layout)
        for value in shown if name == "Defects" else [", ".join(shown)]:
            sheet.put(value, layout.value_mm + 10, y, face, size)
            y += step
        if layout.arrangement == "grid":
            sheet.rule(m, y - step * 0.65, 190, y - step * 0.65)
    if layout.arrangement == "grid":
        for x in (m, layout.value_mm + 6, 190):
            sheet.rule(x, top, x, y - step * 0.65)
        sheet.rule(m, top, 190, top)
    return y


def _draw_items(sheet: Sheet, record: Record, layout: Layout, y: float) -> float:
    m, face, size = layout.margin_mm, layout.face, layout.size_pt
    has_amounts = record.type_name == "Bill"
    sheet.put("Item", m, y, face, size, bold=True)
    sheet.put("Count", 130, y, face, size, bold=True, align="right")
    if has_amounts:
        sheet.put("Amount", 185, y, face, size, bold=True, align="right")
    sheet.rule(m, y + 2, 186, y + 2)
    for item in record.items:
        y += 6.5
        sheet.put(item.text, m, y, face, size)
        sheet.put(str(item.count), 130, y, face, size, align="right")
        if has_amounts:
            sheet.put(say_money(str(item.amount), "comma" if layout.money_style == "comma" else "point").removesuffix(
                " EUR"), 185, y, face, size, align="right")  # fmt: skip
    if has_amounts:
        sheet.rule(m, y + 3, 186, y + 3)
        y += 2
        for name in ("Net", "VAT", "Total"):
            y += 7
            sheet.put(layout.labels[name], 120, y, face, size, bold=name == "Total")
            shown = _shown(name, record, layout)[0]
            sheet.put(shown, 185, y, face, size, bold=name == "Total", align="right")
        y += 10
        label = layout.labels["IBAN"] + (":" if layout.colon else "")
        end = sheet.put(label, m, y, face, size)
        sheet.put(_shown("IBAN", record, layout)[0], end + 4, y, face, size)
    return y


def _draw_body(
    sheet: Sheet, record: Record, layout: Layout, rng: random.Random, y: float, *, long: bool, paragraphs: int = 0
) -> None:
    m = layout.margin_mm
    if record.type_name == "Letter" and not paragraphs:
        sheet.put("Dear Trust,", m, y, layout.face, layout.size_pt)
        y += 9
    count = paragraphs or (4 if long else 1)
    for _ in range(count):
        text = " ".join(rng.choice(PHRASES) for _ in range(4 if long else 2))
        y = sheet.paragraph(text, m, y, 210 - 2 * m, layout.face, layout.size_pt) + 3
        if y > 262:
            break
    if record.type_name == "Letter" and not paragraphs:
        sheet.put("Yours sincerely", m, y + 3, layout.face, layout.size_pt)
        sheet.put(f"{rng.choice(FIRST)} {rng.choice(LAST)}", m, y + 18, layout.face, layout.size_pt)
