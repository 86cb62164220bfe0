"""How people of a country write dates, amounts and names."""

from __future__ import annotations

import random
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

MONTHS = ("January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November",
          "December")  # fmt: skip
NO_BREAK = "\u00a0"


@dataclass(frozen=True)
class Country:
    """A way to write: ``order`` of a numeric date, separators of an amount, the currency and where its sign stands."""

    name: str
    order: str
    date_mark: str
    thousands: str
    decimal: str
    currency: str
    sign: str
    sign_is_before: bool
    first: tuple[str, ...]
    last: tuple[str, ...]
    towns: tuple[str, ...]


COUNTRIES = (
    Country("Anmere", "dmy", "/", ",", ".", "GBP", "£", True,
            ("Hettie", "Corwin", "Maude", "Alaric", "Prudence", "Leofric"), ("Thistlewood", "Harrowgate", "Pennyfeather",
            "Cobblestone", "Larkrise", "Underhay"), ("Nether Anmere", "Cray Hollow", "Stowhurst", "Pell Green")),
    Country("Vastmark", "dmy", ".", ".", ",", "EUR", "€", False,
            ("Jürgen", "Wiebke", "Sören", "Käthe", "Götz", "Heidrun"), ("Möllenbrink", "Straßburger-Voß", "Ährenfeld",
            "Tönning", "Größl", "Uhlenhorst"), ("Kleinwörth", "Bad Öhlen", "Südermoor", "Altenfürth")),
    Country("Couvraine", "dmy", "/", " ", ",", "EUR", "€", False,
            ("Étienne", "Anaïs", "Benoît", "Solène", "Théo", "Maëlle"), ("Deschênes", "Lafôret", "Garçonnet", "Hébrard",
            "d'Aubépine", "Rivoüal"), ("Saint-Évrard", "Pont-l'Âbe", "Châtelneuf", "La Roquière")),
    Country("Helvoran", "dmy", ".", "'", ".", "CHF", "CHF", True,
            ("Reto", "Séverine", "Urs", "Chiara", "Beat", "Ladina"), ("Zürrer", "Caflisch", "Bärtschi", "Jeanrenaud",
            "Inäbnit", "Foppa"), ("Oberwyl", "Val Sogn", "Neuville-le-Lac", "Höfli")),
    Country("Harland", "mdy", "/", ",", ".", "USD", "$", True,
            ("Wyatt", "Clementine", "Boone", "Delphine", "Amos", "Loretta"), ("Stillwater", "Hackberry", "Copperfield",
            "McAdder", "Two Pines", "Okafor"), ("Dry Fork", "Amity Falls", "Port Calder", "Sweetgrass")),
    Country("Nordvik", "ymd", "-", " ", ",", "SEK", "kr", False,
            ("Åsa", "Björn", "Märta", "Øystein", "Ingvild", "Håkan"), ("Sjögren-Ek", "Ødegård", "Lindqvist", "Åkerblom",
            "Nørgaard", "Fjällström"), ("Österåsen", "Lilla Sjö", "Brønnvik", "Hålsta")),
)  # fmt: skip


def say_date(day: date, country: Country, rng: random.Random) -> str:
    """Write a date in one of the ways of a country: in digits, or with the month's name."""
    m, dd, mm = country.date_mark, f"{day.day:02d}", f"{day.month:02d}"
    digits = {"dmy": f"{dd}{m}{mm}{m}{day.year}", "mdy": f"{mm}{m}{dd}{m}{day.year}", "ymd": day.isoformat()}[
        country.order
    ]
    month = MONTHS[day.month - 1]
    named = f"{month} {day.day}, {day.year}" if country.order == "mdy" else f"{day.day} {month} {day.year}"
    ways = [digits, named, f"{day.day} {month[:3]} {day.year}", day.isoformat()]
    if country.order == "dmy":
        ways.append(f"{dd}{m}{mm}{m}{day.year % 100:02d}")
    return rng.choice(ways)


def say_amount(amount: Decimal, country: Country, *, sign: bool) -> str:
    """Write an amount with the separators of a country, with its currency's sign or code where asked."""
    plain = f"{abs(amount):,.2f}".replace(",", "\0").replace(".", country.decimal).replace("\0", country.thousands)
    plain = ("-" if amount < 0 else "") + plain
    if not sign:
        return plain
    glue = "" if country.sign in "£$€" and country.sign_is_before else " "
    return f"{country.sign}{glue}{plain}" if country.sign_is_before else f"{plain} {country.sign}"


def person(country: Country, rng: random.Random) -> str:
    """Return a name."""
    return f"{rng.choice(country.first)} {rng.choice(country.last)}"
