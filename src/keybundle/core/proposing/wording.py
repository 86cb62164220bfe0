"""The words that may stand at a field's value: its own labels, its name, and what papers of the trade usually say instead.

A set-up names some labels; senders have others. ``CONCEPTS`` lists plain trade words that mean the same, by what is meant.
A field takes the words of a concept when its name or one of its labels is among them and its kind fits.
"""

from __future__ import annotations

import functools
import re

from keybundle.core.base.records import dataclass
from keybundle.core.fields.kinds import Kind
from keybundle.core.setup.model import FieldSpec

NAME_WEIGHT, TRADE_WEIGHT = 0.99, 0.9


@dataclass(frozen=True)
class Wording:
    """A label as it may be printed, plain, with how much it counts (1 for the set-up's own); ``tight`` without blanks."""

    plain: str
    words: int
    weight: float
    tight: str


@dataclass(frozen=True)
class Concept:
    """What several labels mean, and the kinds of field that can hold it."""

    name: str
    kinds: frozenset[Kind]
    phrases: frozenset[str]


def make_plain(text: str) -> str:
    """Return a label in small letters without signs, as labels are compared."""
    return re.sub(r"[^a-z0-9%]+", " ", text.casefold()).strip()


def _concept(name: str, kinds: str, phrases: str) -> Concept:
    return Concept(
        name, frozenset(Kind(k) for k in kinds.split(", ")), frozenset(make_plain(p) for p in phrases.split(", "))
    )


CODE, MONEY, DAY, NAME, COUNT = "text, register", "money, decimal", "date", "text, register", "whole number, decimal"
CONCEPTS = (
    _concept(
        "date",
        DAY,
        "date, dated, issued, issued on, issue date, date of issue, date issued, document date, bill date, "
        "invoice date, tax date, date and tax point, order date, delivery date, date of delivery, shipped on, "
        "dispatched, despatch date, letter date, written on, date of letter, receipt date, report date, date "
        "of report, statement date, inspection date, date of inspection, examined on, visit date, date of "
        "visit, signed on",
    ),
    _concept(
        "due",
        DAY,
        "due, due date, due on, due by, date due, payable by, payable until, pay by, please pay by, please "
        "pay before, pay before, payment due, payment due date, payment by, payment date, to be paid by, "
        "payable on, maturity",
    ),
    _concept(
        "start",
        DAY,
        "start, starts, start date, starts on, begin, begins, begins on, beginning, commencement, "
        "commencement date, commences on, valid from, from date, effective, effective date, effective from, "
        "in force from",
    ),
    _concept(
        "end",
        DAY,
        "end, ends, end date, ends on, ending, expiry, expires, expires on, expiry date, date of expiry, "
        "valid until, valid to, valid till, until, terminates on, termination date, last day",
    ),
    _concept(
        "number",
        CODE,
        "number, no, nr, reference, ref, reference no, reference number, our reference, our ref, document no, "
        "document number, bill no, bill number, invoice, invoice no, invoice number, invoice nr, voucher no, "
        "voucher number, receipt no, receipt number, note no, note number, delivery note no, delivery no, "
        "case no, case number, file no, file number, contract no, contract number, agreement no, agreement "
        "number, report no, report number, statement no, certificate no, certificate number, form no, serial "
        "no, serial number",
    ),
    _concept(
        "order",
        CODE,
        "order, order no, order nr, order number, order ref, order reference, your order, your order no, your "
        "ref, your reference, purchase order, purchase order no, purchase order number, purchase reference, "
        "po, po no, po number, customer order no, customer reference, customer ref, ordered under",
    ),
    _concept(
        "net",
        MONEY,
        "net, net amount, net total, net sum, subtotal, sub total, amount before tax, total before tax, total "
        "excl tax, total excluding tax, total excl vat, total excluding vat, total net, goods total, taxable "
        "amount",
    ),
    _concept(
        "tax",
        MONEY,
        "tax, vat, vat amount, tax amount, sales tax, total tax, total vat, value added tax, gst, mwst, mwst "
        "vat, tva, iva, moms, plus tax, plus vat, add vat",
    ),
    _concept(
        "total",
        MONEY,
        "total, total amount, total due, total to pay, grand total, amount, amount due, amount payable, "
        "balance, balance due, to pay, to be paid, please pay, sum, sum due, gross, gross amount, gross "
        "total, total gross, invoice total, bill total, total incl tax, total including tax, total incl vat, "
        "total including vat, payable",
    ),
    _concept(
        "rent",
        MONEY,
        "rent, monthly rent, rent per month, rent a month, rate, monthly rate, fee, yearly fee, annual fee, "
        "monthly fee, monthly amount, monthly payment, charge, monthly charge, yearly amount, annual amount, "
        "premium",
    ),
    _concept(
        "account",
        CODE,
        "iban, account, account no, account number, bank account, bank account no, pay to account, payable to "
        "account, transfer to, konto, credit account",
    ),
    _concept(
        "supplier",
        NAME,
        "supplier, supplier name, vendor, vendor name, creditor, seller, issued by, issuer, billed by, "
        "invoiced by, company, firm, payee, payable to, delivered by, shipper, consignor, contractor",
    ),
    _concept(
        "sender",
        NAME,
        "sender, sent by, from, writer, written by, correspondent, author, signed by",
    ),
    _concept(
        "customer",
        NAME,
        "customer, customer name, client, client name, name, full name, for, account holder, holder, member, "
        "member name, patient, patient name, tenant, tenant name, applicant, applicant name, name of "
        "applicant, purchaser, buyer, bill to, invoice to, sold to, deliver to, consignee, insured, lessee, "
        "licensee, student, pupil",
    ),
    _concept(
        "subject",
        "text",
        "subject, re, regarding, concerning, concerns, about, matter, topic",
    ),
    _concept(
        "place",
        CODE,
        "object, site, premises, location, place, ward, property, address of property, building, room, area, unit",
    ),
    _concept(
        "weight",
        "decimal",
        "weight, weight kg, gross weight, gross weight kg, total weight, net weight, weight in kg",
    ),
    _concept(
        "count",
        COUNT,
        "parcels, no of parcels, number of parcels, pieces, no of pieces, number of pieces, packages, no of "
        "packages, number of packages, cartons, boxes, quantity, items, colli",
    ),
    _concept(
        "grade",
        "choice, text",
        "grade, result, class, mark, rating, outcome, finding, score, category",
    ),
    _concept(
        "again",
        "yes/no, choice",
        "follow up, follow up needed, repeat, repeat needed, second visit, again, revisit, further visit, "
        "recheck, further action",
    ),
)
TITLES = tuple(
    frozenset(make_plain(p) for p in phrases.split(", "))
    for phrases in (
        "bill, invoice, tax invoice, supplier invoice, sales invoice, vat invoice, payable, account rendered, "
        "statement of charges",
        "delivery note, delivery slip, consignment note, packing slip, packing list, waybill, dispatch note, despatch note",
        "letter, correspondence, incoming letter, notice",
        "memo, memorandum, internal memo, internal note, internal, note for the file, file note",
        "agreement, contract, tenancy agreement, rental agreement, lease, lease agreement, service contract, service agreement, "
        "licence, license, licence agreement",
        "receipt, till receipt, sales receipt, cash receipt, expense slip, ticket",
        "order, purchase order, order form",
        "quotation, quote, offer, estimate",
        "report, inspection report, examination, examination report, test report, certificate",
        "application, application form, registration, request form",
        "credit note, credit memo",
        "reminder, payment reminder, dunning letter",
        "minutes, minutes of meeting",
    )
)
ALL_PHRASES = frozenset(p for c in CONCEPTS for p in c.phrases)


@functools.lru_cache(maxsize=2000)
def _wordings(name: str, kind: Kind, labels: tuple[str, ...]) -> tuple[Wording, ...]:
    own = {make_plain(x): 1.0 for x in labels}
    own.setdefault(make_plain(name), NAME_WEIGHT)
    meant = [c for c in CONCEPTS if kind in c.kinds and not c.phrases.isdisjoint(own)]
    trade = {p: TRADE_WEIGHT for c in meant for p in c.phrases}
    return tuple(Wording(p, len(p.split()), w, p.replace(" ", "")) for p, w in {**trade, **own}.items() if p)


def wordings_of(spec: FieldSpec) -> tuple[Wording, ...]:
    """Return the labels that may stand at a field's value, each once."""
    return _wordings(spec.name, spec.kind, spec.labels)


def meanings_of(spec: FieldSpec) -> frozenset[str]:
    """Return the names of the concepts that a field's name and labels speak of."""
    own = {make_plain(spec.name), *map(make_plain, spec.labels)}
    return frozenset(c.name for c in CONCEPTS if spec.kind in c.kinds and not c.phrases.isdisjoint(own))


@functools.lru_cache(maxsize=500)
def title_words(words: tuple[str, ...]) -> frozenset[str]:
    """Return other titles, plain, that papers of a type may have, by the words that the set-up knows; its own are not among."""
    own = {make_plain(w) for w in words}
    return frozenset(t for titles in TITLES if own & titles for t in titles) - own
