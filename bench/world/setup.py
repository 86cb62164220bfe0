"""The set-up that an administrator of an organisation would write: its types, their fields, some labels, its register."""

from __future__ import annotations

import random

from bench.world.organisation import AMOUNTS, DATES, KINDS, NAMES, Organisation, Value
from keybundle.core.fields.kinds import Kind, Rule
from keybundle.core.registers.book import Book
from keybundle.core.setup.model import DocumentType, FieldSpec

REGISTER = "Senders"
CODES = {"number", "order", "account", "parcels", "weight"}
KNOWN_SENDERS, KNOWN_LABELS = 0.85, 0.7
PLAIN = {
    "weight": {"kind": Kind.DECIMAL}, "parcels": {"kind": Kind.WHOLE}, "again": {"kind": Kind.YES_NO},
    "grade": {"kind": Kind.CHOICE, "choices": ("A", "B", "C", "D")}, "account": {"check": "IBAN"},
    "party": {"kind": Kind.REGISTER, "register": REGISTER, "column": "Name"},
}  # fmt: skip


def kind_of(part: str) -> str:
    """Return the kind of value that a figure is told by: ``date``, ``amount``, ``code`` or ``words``."""
    return "date" if part in DATES else "amount" if part in AMOUNTS else "code" if part in CODES else "words"


def make_types(of: Organisation) -> tuple[DocumentType, ...]:
    """Return the types, each field with most of the labels that papers use for it, as somebody thought of them."""
    rng = random.Random(f"setup/{of.seed}")
    return tuple(_make_type(of, kind, rng) for kind in KINDS)


def _make_type(of: Organisation, kind: str, rng: random.Random) -> DocumentType:
    name, fields = of.types[kind]
    specs = []
    for part, field in fields.items():
        told = (
            {"kind": Kind.DATE} if part in DATES else {"kind": Kind.MONEY} if part in AMOUNTS else PLAIN.get(part, {})
        )
        labels = tuple(x for x in NAMES[part][1] if rng.random() < KNOWN_LABELS) or NAMES[part][1][:1]
        specs.append(FieldSpec.model_validate({"name": field, "labels": labels, **told}))
    sums = (f"{fields['net']} + {fields['tax']} = {fields['total']}",) if kind == "bill" else ()
    titles = KINDS[kind][0]
    words = tuple(dict.fromkeys((name, *(x for x in titles if rng.random() < KNOWN_LABELS))))
    return DocumentType(name=name, cabinet="Papers", words=words, sums=sums, fields=tuple(specs))


def make_book(of: Organisation) -> Book:
    """Return the register of senders; some of them are not in it yet."""
    rng = random.Random(f"register/{of.seed}")
    known = [s for s in of.senders if rng.random() < KNOWN_SENDERS]
    return Book("Number", [{"Number": f"S{i:04d}", "Name": s.name} for i, s in enumerate(known, 1)])


def make_rule(of: Organisation, spec: FieldSpec) -> Rule:
    """Return the rule of a field in the organisation's locale, its home country's ways."""
    home = random.Random(f"home/{of.seed}").choice(of.senders).country
    return spec.rule(decimal_mark=home.decimal, day_first=home.order != "mdy")


def is_right(value: Value, items: tuple[str, ...]) -> bool:
    """Whether what is stored is what the paper says; spaces within codes do not count."""
    plain = lambda text: text.replace(" ", "").casefold()  # noqa: E731
    return len(items) == 1 and plain(items[0]) == plain(value.stored)
