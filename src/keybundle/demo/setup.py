"""The set-up of the demo world: cabinets, document types, registers, routines, people."""

from __future__ import annotations

from typing import Any

from keybundle.core.setup.model import Setup
from keybundle.demo.names import GROUPS, OFFICES, PEOPLE, Row, World

BOAT = {"kind": "register", "register": "boats", "column": "Boat number", "required": True, "help": "As on the plate at the bow.",
        "labels": ["Boat number", "Boat no", "Vessel number", "Craft no"]}  # fmt: skip
SUPPLIER = {"kind": "register", "register": "suppliers", "column": "Name", "required": True,
            "labels": ["Supplier", "From", "Sold by"]}  # fmt: skip
STRUCTURE = {"kind": "register", "register": "structures", "column": "Structure number", "required": True,
             "labels": ["Structure number", "Structure no", "Structure", "Asset number"]}  # fmt: skip
ORDER = {"pattern": r"PO-\d{5}", "labels": ["Order number", "Your order", "Order no", "Purchase order", "Our order"]}


def _field(name: str, kind: str = "text", *labels: str, **more: Any) -> dict[str, Any]:
    return {"name": name, "kind": kind, "labels": list(labels), **more}


def _types() -> list[dict[str, Any]]:
    return [
        {
            "name": "Mooring agreement", "cabinet": "Boats", "key": ["Agreement number"],
            "caption": "{Agreement number} {Boat number}",
            "words": ["Mooring agreement", "Agreement for a mooring", "Berth agreement"],
            "folder": {"Home mooring": "Home mooring", "Boat number": "Boat number"},
            "fields": [
                _field("Agreement number", "text", "Agreement number", "Agreement no", "Agreement ref", required=True,
                       pattern=r"MA-\d{4}-\d{3}"),
                {"name": "Boat number", **BOAT},
                _field("Keeper", "text", "Keeper", "Boat keeper", "Name of keeper", register="boats", column="Keeper",
                       required=True),
                _field("Home mooring", "text", "Home mooring", "Mooring", "Berth", register="boats",
                       column="Home mooring", required=True),
                _field("Start date", "date", "Start date", "Starts on", "Valid from", "Beginning", required=True),
                _field("Annual charge", "money", "Annual charge", "Charge per year", "Yearly charge", required=True),
            ],
        },
        {
            "name": "Safety certificate", "cabinet": "Boats", "key": ["Certificate number"],
            "caption": "Certificate {Certificate number}",
            "words": ["Safety certificate", "Certificate of safety", "Boat safety examination"],
            "folder": {"Home mooring": "Home mooring", "Boat number": "Boat number"},
            "order": ["Examined on < Valid until"],
            "fields": [
                _field("Certificate number", "text", "Certificate number", "Certificate no", "Certificate",
                       required=True, pattern=r"\d{8}", check="Luhn"),
                {"name": "Boat number", **BOAT},
                _field("Home mooring", "text", "Home mooring", register="boats", column="Home mooring", required=True),
                _field("Examined on", "date", "Examined on", "Date of examination", "Examination date", required=True),
                _field("Valid until", "date", "Valid until", "Expires on", "Valid to", required=True),
                _field("Examiner", "text", "Examiner", "Examined by", required=True),
            ],
        },
        {
            "name": "Inspection sheet", "cabinet": "Structures", "caption": "{Structure number} grade {Grade}",
            "words": ["Inspection sheet", "Structure inspection", "Record of inspection"],
            "folder": {"Reach": "Reach", "Structure number": "Structure number"},
            "fields": [
                {"name": "Structure number", **STRUCTURE},
                _field("Reach", "text", "Reach", register="structures", column="Reach", required=True),
                _field("Inspected on", "date", "Inspected on", "Date of inspection", "Date", required=True),
                _field("Inspector", "text", "Inspector", "Inspected by", required=True),
                _field("Grade", "choice", "Grade", "Condition grade", choices=list("ABCDE"), required=True),
                _field("Follow-up", "yes/no", "Follow-up", "Follow-up needed", default="no"),
                _field("Defects", "text", "Defects", "Defects found", several=True),
            ],
        },
        {
            "name": "Bill", "cabinet": "Purchasing", "caption": "{Supplier} {Bill number}",
            "words": ["Bill", "Invoice", "Account rendered"],
            "folder": {"Year": "year of Bill date", "Supplier": "Supplier"}, "key": ["Supplier", "Bill number"],
            "sums": ["Net + VAT = Total"],
            "fields": [
                {"name": "Supplier", **SUPPLIER},
                _field("Bill number", "text", "Bill number", "Bill no", "Invoice number", required=True,
                       pattern=r"R-\d{4,6}"),
                _field("Bill date", "date", "Bill date", "Date of bill", "Invoice date", "Date", required=True),
                _field("Net", "money", "Net", "Net amount", "Subtotal", required=True),
                _field("VAT", "money", "VAT", "VAT 20 %", "Value added tax", required=True),
                _field("Total", "money", "Total", "Total due", "Amount due", "To pay", required=True),
                _field("IBAN", "text", "IBAN", check="IBAN", register="suppliers", column="IBAN"),
                _field("Order number", "text", *ORDER["labels"], pattern=ORDER["pattern"]),
            ],
        },
        {
            "name": "Delivery note", "cabinet": "Purchasing", "caption": "Delivery {Order number}",
            "words": ["Delivery note", "Advice of delivery", "Goods delivered"],
            "folder": {"Year": "year of Delivery date", "Supplier": "Supplier"}, "key": ["Supplier", "Order number"],
            "fields": [
                {"name": "Supplier", **SUPPLIER},
                _field("Order number", "text", *ORDER["labels"], pattern=ORDER["pattern"], required=True),
                _field("Delivery date", "date", "Delivery date", "Delivered on", "Date of delivery", required=True),
            ],
        },
        {
            "name": "Letter", "cabinet": "Letters", "caption": "{Sender}: {Subject}",
            "words": ["Yours sincerely", "Yours faithfully", "Dear Trust"],
            "folder": {"Year": "year of Letter date", "Month": "month of Letter date"},
            "fields": [
                _field("Sender", "text", "From", "Sender", "Writer", required=True),
                _field("Letter date", "date", "Date", "Written on", "Our date", required=True),
                _field("Subject", "text", "Subject", "Re", "Concerning", required=True),
            ],
        },
        {
            "name": "E-mail", "cabinet": "Letters", "caption": "{Sender}: {Subject}",
            "words": ["Printed message", "Electronic message", "Mail print-out"],
            "folder": {"Year": "year of Sent on", "Month": "month of Sent on"},
            "fields": [
                _field("Sender", "text", "From", "Sender", "Sent by", "Writer", required=True),
                _field("Sent on", "date", "Sent", "Date", "Sent on", required=True),
                _field("Subject", "text", "Subject", "Re", "Concerning", "About", "Topic", required=True),
            ],
        },
    ]  # fmt: skip


def _rows(rows: tuple[Row, ...]) -> list[list[str]]:
    return [list(row.values()) for row in rows]


def make_setup(world: World) -> Setup:
    """Return the whole set-up of the demo repository."""
    registers = {
        "boats": ("Boat number", world.boats),
        "structures": ("Structure number", world.structures),
        "suppliers": ("Name", world.suppliers),
    }
    return Setup.model_validate(
        {
            "repository": "Larkmere Navigation Trust",
            "cabinets": [
                {"name": "Boats", "description": "What belongs to one boat",
                 "folder_fields": ["Home mooring", "Boat number"]},
                {"name": "Structures", "description": "Locks, bridges, weirs and what was found on them",
                 "folder_fields": ["Reach", "Structure number"]},
                {"name": "Purchasing", "description": "Bills and deliveries", "folder_fields": ["Year", "Supplier"]},
                {"name": "Letters", "description": "Letters and e-mails", "folder_fields": ["Year", "Month"]},
            ],
            "document_types": _types(),
            "registers": [
                {"name": name, "key": key, "columns": list(rows[0]), "rows": _rows(rows)}
                for name, (key, rows) in registers.items()
            ],
            "routines": [
                {"name": "Post", "sign": "PO", "key": "P", "duplex": True, "source": "scanner",
                 "halts": [{"on": "double feed", "words": "Staples are the usual reason."}, {"on": "first side blank"}],
                 "description": "The day's post, two-sided, a separator sheet before each document"},
                {"name": "Bills", "sign": "BI", "key": "B", "duplex": True, "source": "scanner", "document_type": "Bill",
                 "separation": {"rules": [{"rule": "separator sheet"}, {"rule": "known first page"}]},
                 "description": "Bills, two-sided, a separator sheet before each or a first page that is known"},
                {"name": "Inspections", "sign": "IN", "source": "scanner", "document_type": "Inspection sheet",
                 "separation": {"by": "every n sheets", "sheets": 1},
                 "description": "Inspection sheets, one side, one sheet each"},
                {"name": "Files", "sign": "FI", "source": "files", "separation": {"by": "each source file"},
                 "description": "Imported files, one document for each file"},
            ],
            "groups": [{"name": "Boats office"}, {"name": "Purchasing"}],
            "people": [
                {"name": name, "role": role, "groups": [g for g, members in GROUPS.items() if name in members],
                 "values": {"Office": OFFICES.get(name, "Holmelock")}}
                for name, role in PEOPLE
            ],
            "sign_in": ["choose", "password", "system"],
        }
    )  # fmt: skip
