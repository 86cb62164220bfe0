"""Numbers and money as people write them: text in, ``Decimal`` or None out."""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation

# Codes: ISO 4217; signs and words: Unicode CLDR 44. A sign that several currencies share stands for the commonest one.
_WORDS = {
    "EUR": ("eur", "euro", "euros", "€"), "GBP": ("gbp", "pound", "pounds", "£"), "CHF": ("chf", "sfr"),
    "USD": ("usd", "dollar", "dollars", "us$", "$"), "SEK": ("sek", "kronor", "kr"), "NOK": ("nok",), "DKK": ("dkk",),
    "PLN": ("pln", "zł"), "CZK": ("czk", "kč"), "HUF": ("huf",), "JPY": ("jpy", "¥"), "CAD": ("cad", "ca$"),
    "AUD": ("aud", "a$"),
}  # fmt: skip
_CODES = {word: code for code, words in _WORDS.items() for word in words}
_CURRENCY = re.compile(
    "|".join(
        rf"(?<![^\W\d_]){re.escape(w)}(?![^\W\d_])" if w.isalpha() else re.escape(w)
        for w in sorted(_CODES, key=lambda w: (-len(w), w))
    ),
    re.IGNORECASE,
)
_GROUP_SPACE = re.compile(r"(?<=\d)[\s'](?=\d{3}(?!\d))|\s+(?=[.,])|(?<=[.,])\s+")
_BODY = re.compile(r"^[-+]?\d[\d.,'\u00a0\u202f ]*$")


def parse_number(text: str, *, decimal_mark: str = ".") -> Decimal | None:
    """Return the number in ``text``, or None when it is none.

    Spaces, apostrophes and the other mark group thousands; a space between other figures parts two numbers. A lone mark is
    read as the decimal mark unless exactly three digits follow it and it is not the locale's ``decimal_mark``. A minus may
    stand behind, as in accounts.
    """
    body = text.strip().replace("\u2212", "-")
    if body.endswith("-") and not body.startswith(("-", "+")):
        body = "-" + body[:-1].rstrip()
    if not _BODY.match(body):
        return None
    body = _GROUP_SPACE.sub("", body)
    if not re.fullmatch(r"[-+]?[\d.,]+", body):
        return None
    last = max(body.rfind("."), body.rfind(","))
    if last >= 0:
        mark = body[last]
        other = "," if mark == "." else "."
        digits_after = len(body) - last - 1
        single = body.count(mark) == 1
        is_decimal = single and (other in body or digits_after != 3 or mark == decimal_mark)
        head = body[:last] if is_decimal else body
        if not _groups_are_whole(head):
            return None
        body = body.replace(other, "")
        body = body.replace(mark, ".") if is_decimal else body.replace(mark, "")
    try:
        return Decimal(body)
    except InvalidOperation:
        return None


def _groups_are_whole(head: str) -> bool:
    groups = re.split(r"[.,]", head.lstrip("+-"))
    return len(groups) == 1 or (1 <= len(groups[0]) <= 3 and all(len(g) == 3 for g in groups[1:]))


def find_currency(text: str) -> str:
    """Return the ISO 4217 code of the currency that a text names; empty where it names none, or several."""
    codes = {_CODES[word.casefold()] for word in _CURRENCY.findall(text)}
    return codes.pop() if len(codes) == 1 else ""


def parse_money(text: str, *, decimal_mark: str = ".") -> Decimal | None:
    """Return an amount with two decimals, currency words and signs taken off; None when it is none."""
    amount = parse_number(_CURRENCY.sub(" ", text).strip(" :"), decimal_mark=decimal_mark)
    if amount is None:
        return None
    exponent = amount.as_tuple().exponent
    if not isinstance(exponent, int) or exponent < -2:
        return None
    return amount.quantize(Decimal("0.01"))
