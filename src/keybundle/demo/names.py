"""The invented names and registers of the Larkmere Navigation Trust, made from one seed."""

from __future__ import annotations

import random

from keybundle.core.base.records import dataclass

FIRST = [
    "Ambrick",
    "Osmunda",
    "Tarvin",
    "Fennet",
    "Jorwen",
    "Elspra",
    "Corvick",
    "Wendra",
    "Hollin",
    "Quentra",
    "Bertrice",
    "Ludovan",
    "Marisk",
    "Ysolind",
    "Perrick",
    "Oswinna",
    "Garreth",
    "Tamsela",
    "Rodrick",
    "Evanna",
    "Silvane",
    "Thaddow",
    "Merriel",
    "Callowyn",
]
LAST = [
    "Brackwater",
    "Sedgewort",
    "Towpath",
    "Lockspear",
    "Reedmace",
    "Otterstile",
    "Windlass",
    "Saltmarrow",
    "Fernyhough",
    "Duckworthy",
    "Bargeman",
    "Culverwell",
    "Hawserby",
    "Kingcupper",
    "Mudlark",
    "Osierbank",
    "Puddlecote",
    "Quantock-Vale",
    "Rushbearer",
    "Sluicegate",
    "Tillerman",
    "Waterhen",
    "Yarrowfield",
    "Bulrushton",
]
FIRM = [
    "Quillfeather",
    "Marrowby",
    "Thistledown",
    "Oxlip",
    "Bramblewick",
    "Dunnockby",
    "Fernhollow",
    "Gannetry",
    "Hobbletide",
    "Inkleaf",
    "Juddercombe",
    "Kestrelway",
    "Larchpuddle",
    "Mothwing",
    "Nettlebank",
    "Otterlea",
    "Pumblewick",
    "Rushlight",
    "Sallowfen",
    "Tanglewharf",
]
TRADE = ("Lock Gates", "Chain Works", "Dredging", "Paint and Varnish", "Rope Walk", "Pump Repairs", "Timber Yard",
         "Brickmakers", "Signwriting", "Boiler Works")  # fmt: skip
TOWNS = (
    "Ashwold Basin",
    "Tarnbridge",
    "Mallowford",
    "Nether Quay",
    "Pennywharf",
    "Holmelock",
    "Sternhithe",
    "Oakpound",
)
MOORINGS = ("Heron Basin", "Withy Bank", "Kingfisher Arm", "Millpond Quay", "Otter Wharf", "Swan Lay-by",
            "Teasel Cut", "Winding Hole")  # fmt: skip
REACHES = ("Upper Larkmere", "Ashwold Summit", "Mallow Flight", "Tarn Embankment", "Nether Pound", "Stern Level")
BOAT_WORDS = ("Heron", "Marigold", "Patience", "Dragonfly", "Old Copper", "Bittern", "Hazel", "Juniper", "Lapwing",
              "Mistral", "Nutmeg", "Perseverance", "Quicksilver", "Rosehip", "Skylark", "Tansy", "Umber", "Vesper",
              "Wagtail", "Zephyr")  # fmt: skip
STRUCTURE_WORDS = ("Lock", "Bridge", "Weir", "Culvert", "Aqueduct", "Sluice")
DEFECTS = ("spalled coping", "loose ladder", "leaking gate heel", "cracked quoin", "silted sump", "corroded paddle",
           "missing fender", "undercut footing", "worn mitre post", "blocked by-wash")  # fmt: skip
ITEMS = ("oak balance beam", "galvanised shackle", "mooring ring", "bitumen, 20 litre", "paddle rack", "hawser, 30 m",
         "gate collar", "coping stone", "bilge pump", "lock key", "towpath gravel, tonne", "rubbing strake")  # fmt: skip
SUBJECTS = ("Towpath closure near Mallow Flight", "Complaint about night mooring", "Request for winter storage",
            "Offer of volunteer work party", "Fish rescue before draining", "Change of keeper", "Noise from pump house",
            "Permission to hold a regatta", "Damage to footbridge railing", "Water level at Nether Pound")  # fmt: skip
PEOPLE = (("Oswinna Reedmace", "administrator"), ("Tarvin Windlass", "supervisor"), ("Elspra Towpath", "operator"),
          ("Corvick Sluicegate", "operator"), ("Merriel Osierbank", "operator"), ("Hollin Waterhen", "reader"))  # fmt: skip
GROUPS = {
    "Boats office": ("Elspra Towpath", "Merriel Osierbank"), "Purchasing": ("Tarvin Windlass", "Corvick Sluicegate"),
}  # fmt: skip

OFFICES = {"Corvick Sluicegate": "Sternhithe", "Merriel Osierbank": "Tarnbridge"}

Row = dict[str, str]


@dataclass(frozen=True)
class World:
    """The registers' rows by column name."""

    boats: tuple[Row, ...]
    structures: tuple[Row, ...]
    suppliers: tuple[Row, ...]


def make_iban(rng: random.Random) -> str:
    """Return an IBAN whose check digits are right (ISO 7064 mod 97-10) and whose bank code is unassigned."""
    body = "00000000" + "".join(rng.choice("0123456789") for _ in range(10))
    number = int(body + "1314" + "00")
    return f"DE{98 - number % 97:02d}{body}"


def add_luhn_digit(body: str) -> str:
    """Return the digits with their check digit (ISO/IEC 7812)."""
    total = 0
    for i, digit in enumerate(reversed(body)):
        value = int(digit) * (2 if i % 2 == 0 else 1)
        total += value - 9 if value > 9 else value
    return body + str(-total % 10)


def person_name(rng: random.Random) -> str:
    """Return an invented person."""
    return f"{rng.choice(FIRST)} {rng.choice(LAST)}"


def make_world(seed: int = 7) -> World:
    """Return the registers; the same seed gives the same world."""
    rng = random.Random(seed)
    boats = tuple(
        {
            "Boat number": f"LN{1000 + i * 7}",
            "Name": f"{rng.choice(BOAT_WORDS)} {rng.choice(('of Larkmere', 'II', 'Rose', 'Star', 'Maid', 'Belle'))}",
            "Keeper": person_name(rng),
            "Home mooring": rng.choice(MOORINGS),
        }
        for i in range(120)
    )
    structures = tuple(
        {
            "Structure number": f"{kind[0]}{100 + i}",
            "Name": f"{rng.choice(LAST)} {kind}",
            "Reach": rng.choice(REACHES),
        }
        for i in range(60)
        for kind in [STRUCTURE_WORDS[i % len(STRUCTURE_WORDS)]]
    )
    firms = [f"{firm} {trade}" for firm in FIRM for trade in TRADE]
    rng.shuffle(firms)
    named = ["Quillfeather Lock Gates", *[f for f in firms if f != "Quillfeather Lock Gates"]][:80]
    suppliers = tuple(
        {"Name": name, "Supplier number": f"S{2001 + i}", "IBAN": make_iban(rng), "Town": rng.choice(TOWNS)}
        for i, name in enumerate(named)
    )
    return World(boats, structures, suppliers)
