"""What the demo documents say: values of each type from the registers, by seed."""

from __future__ import annotations

import random
from datetime import date, timedelta
from decimal import Decimal

from keybundle.core.base.records import dataclass
from keybundle.demo.names import DEFECTS, FIRM, ITEMS, SUBJECTS, TRADE, World, add_luhn_digit, person_name

TYPES = ("Mooring agreement", "Safety certificate", "Inspection sheet", "Bill", "Delivery note", "Letter", "E-mail")


@dataclass(frozen=True)
class Item:
    """A line of a bill or delivery."""

    text: str
    count: int
    amount: Decimal


@dataclass(frozen=True)
class Record:
    """One document's truth: its type, its normalised values, and what else stands on the paper."""

    type_name: str
    values: dict[str, tuple[str, ...]]
    items: tuple[Item, ...] = ()
    sheets: int = 1

    def one(self, name: str) -> str:
        """Return the single value of a field, empty when there is none."""
        return "; ".join(self.values.get(name, ()))


def _day(rng: random.Random, first: date = date(2024, 1, 3), days: int = 1000) -> date:
    return first + timedelta(days=rng.randrange(days))


def _agreement(world: World, rng: random.Random) -> Record:
    boat = rng.choice(world.boats)
    start = _day(rng)
    charge = Decimal(rng.randrange(60_000, 290_000)) / 100
    values = {
        "Agreement number": f"MA-{start.year}-{rng.randrange(100, 999)}", "Boat number": boat["Boat number"],
        "Keeper": boat["Keeper"], "Home mooring": boat["Home mooring"], "Start date": start.isoformat(),
        "Annual charge": str(charge.quantize(Decimal("0.01"))),
    }  # fmt: skip
    return Record("Mooring agreement", {k: (v,) for k, v in values.items()}, sheets=rng.choice((1, 2, 3, 4)))


def _certificate(world: World, rng: random.Random) -> Record:
    boat = rng.choice(world.boats)
    examined = _day(rng)
    values = {
        "Certificate number": add_luhn_digit(str(rng.randrange(1_000_000, 9_999_999))),
        "Boat number": boat["Boat number"], "Home mooring": boat["Home mooring"], "Examined on": examined.isoformat(),
        "Valid until": examined.replace(year=examined.year + 4, day=min(examined.day, 28)).isoformat(),
        "Examiner": person_name(rng),
    }  # fmt: skip
    return Record("Safety certificate", {k: (v,) for k, v in values.items()})


def _inspection(world: World, rng: random.Random) -> Record:
    structure = rng.choice(world.structures)
    defects = tuple(rng.sample(DEFECTS, rng.randrange(0, 4)))
    values: dict[str, tuple[str, ...]] = {
        "Structure number": (structure["Structure number"],), "Reach": (structure["Reach"],),
        "Inspected on": (_day(rng).isoformat(),), "Inspector": (person_name(rng),),
        "Grade": (rng.choice("ABCDE"),), "Follow-up": ("yes" if len(defects) > 1 else "no",),
    }  # fmt: skip
    if defects:
        values["Defects"] = defects
    return Record("Inspection sheet", values)


def _bill(world: World, rng: random.Random) -> Record:
    supplier = rng.choice(world.suppliers)
    items = tuple(
        Item(rng.choice(ITEMS), rng.randrange(1, 12), Decimal(rng.randrange(500, 60_000)) / 100)
        for _ in range(rng.choice((3, 4, 6, 9)))
    )
    net = sum((i.amount for i in items), Decimal(0)).quantize(Decimal("0.01"))
    vat = (net * Decimal("0.2")).quantize(Decimal("0.01"))
    values = {
        "Supplier": supplier["Name"], "Bill number": f"R-{rng.randrange(1000, 99999)}",
        "Bill date": _day(rng).isoformat(), "Net": str(net), "VAT": str(vat), "Total": str(net + vat),
        "IBAN": supplier["IBAN"], "Order number": f"PO-{rng.randrange(10000, 99999)}",
    }  # fmt: skip
    return Record("Bill", {k: (v,) for k, v in values.items()}, items)


def _delivery(world: World, rng: random.Random) -> Record:
    supplier = rng.choice(world.suppliers)
    items = tuple(Item(rng.choice(ITEMS), rng.randrange(1, 30), Decimal(0)) for _ in range(rng.randrange(2, 7)))
    values = {
        "Supplier": supplier["Name"], "Order number": f"PO-{rng.randrange(10000, 99999)}",
        "Delivery date": _day(rng).isoformat(),
    }  # fmt: skip
    return Record("Delivery note", {k: (v,) for k, v in values.items()}, items)


def _letter(world: World, rng: random.Random, kind: str = "Letter") -> Record:
    is_mail = kind == "E-mail"
    sender = person_name(rng) if is_mail or rng.random() < 0.5 else f"{rng.choice(FIRM)} {rng.choice(TRADE)}"
    values = {
        "Sender": sender, "Sent on" if is_mail else "Letter date": _day(rng).isoformat(),
        "Subject": rng.choice(SUBJECTS),
    }  # fmt: skip
    return Record(kind, {k: (v,) for k, v in values.items()}, sheets=1 if is_mail else rng.choice((1, 1, 2, 3)))


def make_record(type_name: str, world: World, rng: random.Random) -> Record:
    """Return one document of the type; raises KeyError for an unknown type."""
    if type_name == "E-mail":
        return _letter(world, rng, "E-mail")
    return {
        "Mooring agreement": _agreement, "Safety certificate": _certificate, "Inspection sheet": _inspection,
        "Bill": _bill, "Delivery note": _delivery, "Letter": _letter,
    }[type_name](world, rng)  # fmt: skip
