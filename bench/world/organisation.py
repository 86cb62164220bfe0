"""An organisation drawn from a seed: its name, its types with their fields, its register, and who sends it papers."""

from __future__ import annotations

import random
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from stdnum.iso7064 import mod_97_10

from bench.world.country import COUNTRIES, Country, person, say_amount, say_date

ROOTS = (
    "Alder", "Bram", "Cinder", "Dove", "Ember", "Fallow", "Gorse", "Hazel", "Ivory", "Juniper", "Kestrel", "Linden", "Merle",
    "Nettle", "Oriel", "Plover", "Quarry", "Rowan", "Sorrel", "Teasel", "Umber", "Vetch", "Willow", "Yarrow",
)  # fmt: skip
TAILS = ("mere", "holt", "wick", "ford", "combe", "stead", "gate", "haven", "croft", "field")
TRADES = (
    "Clinic", "Foundry", "Orchards", "Housing Society", "Museum", "Veterinary Practice", "Print Works", "Bakery", "Observatory",
    "Theatre", "Glass Works", "Seed Company", "School Board", "Ferry Line",
)  # fmt: skip
GOODS = (
    "hinge, brass", "filter cartridge", "paper, 80 g", "service call", "glass pane", "seed tray", "gasket set", "lamp, 9 W",
    "carriage", "hire of a hoist", "bearing 6204", "wood screws, 200", "sample bottles", "consultation",
)  # fmt: skip
SUBJECTS = (
    "Change of address", "Leaking roof over the east wing", "Request for a second copy", "Notice of termination",
    "Complaint about noise at night", "Confirmation of the visit", "Price list for the spring", "Loan of two paintings",
    "Delay of your shipment", "Permission to use the yard", "Reminder of the open items", "New opening hours",
)  # fmt: skip

# What a field may be called in a type, and what papers call it.
NAMES: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "party": (("Supplier", "Vendor", "Creditor"), ("From", "Seller", "Issued by")),
    "customer": (("Customer", "Member", "Patient", "Tenant"), ("Customer", "Name", "For", "Account holder")),
    "number": (("Bill number", "Voucher number", "Document number", "Case number"),
               ("Invoice no.", "No.", "Reference", "Our ref.", "Document no.", "Number")),
    "date": (("Bill date", "Document date", "Issue date"), ("Date", "Dated", "Issued on", "Invoice date", "Date of issue")),
    "due": (("Due date", "Payable by"), ("Due", "Payable by", "Due date", "Please pay before")),
    "order": (("Order number", "Purchase reference"), ("Your order", "PO no.", "Order no.", "Your ref.")),
    "net": (("Net", "Net amount"), ("Net", "Subtotal", "Net amount", "Amount before tax")),
    "tax": (("Tax", "VAT"), ("VAT", "Tax", "VAT 20 %", "Sales tax", "MwSt./VAT")),
    "total": (("Total", "Gross amount", "Amount due"), ("Total", "Amount due", "Grand total", "To pay", "Balance due")),
    "account": (("IBAN", "Bank account"), ("IBAN", "Account", "Bank account")),
    "start": (("Start date", "Valid from"), ("Start", "Valid from", "Begins on", "Effective date")),
    "end": (("End date", "Valid until"), ("End", "Valid until", "Expires", "Ends on")),
    "rent": (("Monthly rent", "Yearly fee"), ("Rent per month", "Fee", "Monthly amount", "Rate")),
    "place": (("Object", "Site", "Ward"), ("Object", "Site", "Premises", "Location")),
    "weight": (("Weight", "Gross weight"), ("Weight kg", "Gross weight", "Weight (kg)")),
    "parcels": (("Parcels", "Pieces"), ("Parcels", "Pieces", "No. of pieces")),
    "grade": (("Grade", "Result"), ("Grade", "Result", "Class")),
    "again": (("Follow-up", "Repeat"), ("Follow-up", "Repeat needed", "Second visit")),
    "sender": (("Sender", "Writer", "Correspondent"), ("From", "Sender")),
    "written": (("Letter date", "Written on"), ("Date", "Written on")),
    "subject": (("Subject", "Concerning"), ("Subject", "Re", "Regarding")),
}  # fmt: skip
KINDS: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "bill": (("Bill", "Supplier invoice", "Payable"),
             ("party", "number", "date", "due", "order", "net", "tax", "total", "account")),
    "delivery": (("Delivery note", "Consignment note"), ("party", "number", "date", "order", "weight", "parcels")),
    "form": (("Examination", "Application", "Inspection report"), ("customer", "number", "date", "place", "grade", "again")),
    "agreement": (("Tenancy agreement", "Service contract", "Licence"), ("customer", "number", "start", "end", "rent", "place")),
    "letter": (("Letter", "Correspondence"), ("sender", "written", "subject")),
    "memo": (("Memo", "Internal note"), ("sender", "written", "subject")),
    "receipt": (("Receipt", "Expense slip"), ("party", "date", "total")),
}  # fmt: skip
DATES = {"date", "due", "start", "end", "written"}
AMOUNTS = {"net", "tax", "total", "rent"}


@dataclass(frozen=True)
class Sender:
    """Who sends papers: a firm with its country, its own face and size, its address and small print."""

    name: str
    country: Country
    face: str
    size_pt: float
    address: tuple[str, ...]
    registered: str
    account: str
    labels: dict[str, str]
    titles: dict[str, str]


@dataclass(frozen=True)
class Value:
    """A field's truth on a paper: its part in the type, the paper's label, the stored value, and as it is written."""

    part: str
    label: str
    stored: str
    shown: str


@dataclass(frozen=True)
class Item:
    """A line of goods."""

    text: str
    count: int
    price: Decimal
    amount: Decimal


@dataclass(frozen=True)
class Paper:
    """What a document says, before it is laid out."""

    kind: str
    title: str
    sender: Sender
    receiver: tuple[str, ...]
    values: tuple[Value, ...]
    items: tuple[Item, ...]

    def value(self, part: str) -> Value | None:
        """Return the value of a part."""
        return next((v for v in self.values if v.part == part), None)


@dataclass(frozen=True)
class Organisation:
    """An organisation: its types (kind of paper to type name and field names) and its senders."""

    seed: int
    name: str
    types: dict[str, tuple[str, dict[str, str]]]
    senders: tuple[Sender, ...]


def firm(rng: random.Random) -> str:
    """Return the name of a firm."""
    return f"{rng.choice(ROOTS)}{rng.choice(TAILS)} {rng.choice(TRADES)}"


def make_organisation(seed: int, senders: int = 24) -> Organisation:
    """Draw an organisation; the same seed gives the same one."""
    rng = random.Random(f"organisation/{seed}")
    types = {
        kind: (rng.choice(names), {p: rng.choice(NAMES[p][0]) for p in parts}) for kind, (names, parts) in KINDS.items()
    }
    return Organisation(seed, firm(rng), types, tuple(_sender(rng) for _ in range(senders)))


def _sender(rng: random.Random) -> Sender:
    country = rng.choice(COUNTRIES)
    digits = lambda n: "".join(rng.choice("0123456789") for _ in range(n))  # noqa: E731
    address = (f"{rng.randrange(1, 180)} {rng.choice(ROOTS)} {rng.choice(('Street', 'Row', 'Quay', 'Lane'))}",
               f"{digits(5)} {rng.choice(country.towns)}")  # fmt: skip
    registered = (
        f"Registered at {rng.choice(country.towns)}, no. {digits(6)}. Tax no. {digits(3)}/{digits(4)}/{digits(4)}"
    )
    code, bank = country.name[:2].upper(), digits(16)
    check = mod_97_10.calc_check_digits(bank + code)
    account = " ".join([f"{code}{check}", *(bank[i : i + 4] for i in range(0, 16, 4))])
    labels = {part: rng.choice(words) for part, (_, words) in NAMES.items()}
    titles = {kind: rng.choice(names) for kind, (names, _) in KINDS.items()}
    return Sender(firm(rng), country, rng.choice(("plain", "serif", "typewriter", "book", "firm")), rng.uniform(7, 12), address,
                  registered, account, labels, titles)  # fmt: skip


def make_paper(
    organisation: Organisation, kind: str, rng: random.Random, *, items: int = 0, sender: Sender | None = None
) -> Paper:
    """Draw what a document of a kind says; some sender's unless one is given."""
    sender = sender or rng.choice(organisation.senders)
    country = sender.country
    day = date(2024, 1, 2) + timedelta(days=rng.randrange(900))
    lines = (
        tuple(_item(rng) for _ in range(items or rng.randrange(2, 8)))
        if kind in ("bill", "delivery", "receipt")
        else ()
    )
    net = sum((x.amount for x in lines), Decimal(0)) or Decimal(rng.randrange(5_000, 900_000)) / 100
    tax = (net * Decimal("0.2")).quantize(Decimal("0.01"))
    amounts = {"net": net, "tax": tax, "total": net + tax, "rent": Decimal(rng.randrange(20_000, 300_000)) / 100}
    days = {"due": day + timedelta(days=30), "end": day + timedelta(days=rng.randrange(300, 1500))}
    name = person(country, rng)
    plain = {
        "party": sender.name, "customer": name, "number": f"{rng.choice('ABCDEFGH')}{rng.randrange(10_000, 999_999)}",
        "order": f"PO-{rng.randrange(10_000, 99_999)}", "account": sender.account,
        "place": f"{rng.choice(ROOTS)} {rng.randrange(1, 60)}",
        "weight": f"{rng.randrange(10, 9000) / 10:.1f}", "parcels": str(rng.randrange(1, 40)), "grade": rng.choice("ABCD"),
        "again": rng.choice(("yes", "no")), "sender": name if rng.random() < 0.5 else sender.name,
        "subject": rng.choice(SUBJECTS),
    }  # fmt: skip
    values = []
    for part in KINDS[kind][1]:
        if part in DATES:
            at = days.get(part, day)
            values.append(Value(part, sender.labels[part], at.isoformat(), say_date(at, country, rng)))
        elif part in AMOUNTS:
            shown = say_amount(amounts[part], country, sign=rng.random() < 0.6)
            values.append(Value(part, sender.labels[part], f"{amounts[part]:.2f}", shown))
        else:
            values.append(Value(part, sender.labels[part], plain[part], plain[part]))
    receiver = (organisation.name, *sender.address[:1])
    return Paper(kind, sender.titles[kind], sender, receiver, tuple(values), lines)


def _item(rng: random.Random) -> Item:
    count, price = rng.randrange(1, 24), Decimal(rng.randrange(120, 40_000)) / 100
    return Item(rng.choice(GOODS), count, price, count * price)
