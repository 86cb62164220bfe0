"""Check digits: IBAN (ISO 13616, ISO 7064 mod 97-10) and Luhn (ISO/IEC 7812)."""

from __future__ import annotations

import re
from collections.abc import Callable


def is_iban(text: str) -> bool:
    """Whether the check digits are right; the bank code is not looked up."""
    from stdnum.iso7064 import mod_97_10

    body = re.sub(r"\s", "", text).upper()
    if not re.fullmatch(r"[A-Z]{2}\d{2}[A-Z0-9]{10,30}", body):
        return False
    return bool(mod_97_10.is_valid(body[4:] + body[:4]))


def is_luhn(text: str) -> bool:
    """Whether the digits of ``text`` (letters and dashes passed over) end in a right Luhn digit."""
    from stdnum import luhn

    body = re.sub(r"\D", "", text)
    return len(body) > 1 and bool(luhn.is_valid(body))


CHECKS: dict[str, Callable[[str], bool]] = {"IBAN": is_iban, "Luhn": is_luhn}
