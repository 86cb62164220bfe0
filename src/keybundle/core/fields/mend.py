"""Slips of the reading that a field's own checks can mend: letters read for figures and figures for letters."""

from __future__ import annotations

import itertools
import re

from keybundle.core.fields.kinds import Kind, Refusal, Rule, normalise

TO_FIGURE = str.maketrans(
    {"O": "0", "Q": "0", "D": "0", "I": "1", "L": "1", "S": "5", "B": "8", "Z": "2", "G": "6", "T": "7"}
)
TO_LETTER = str.maketrans({"0": "O", "1": "I", "5": "S", "8": "B", "2": "Z", "6": "G"})
PAIRS = {
    "0": "O",
    "O": "0",
    "1": "I",
    "I": "1",
    "5": "S",
    "S": "5",
    "8": "B",
    "B": "8",
    "2": "Z",
    "Z": "2",
    "6": "G",
    "G": "6",
}
MOST_DOUBTFUL = 5
EDGES = "=|.,;:'\"-\u2013\u2014\u2022_ "
_DECIMALS = re.compile(r"(?<=\d)\s?[:;\u00b7](?=\d\d\b)")
_MARKS = re.compile(r"[.,:;]{2,}|(?<=\d)[,:;](?=\d)")


def mend(text: str, rule: Rule) -> str | None:
    """Return the value that a text was meant to be, where the rule's check digits or pattern leave exactly one; else None.

    Only what a check confirms is mended: of rules with neither, marks of dates and decimals that were read as others.
    """
    if _value(text, rule):
        return None
    if rule.kind is Kind.DATE:
        return _value(_MARKS.sub(".", text.strip(EDGES)), rule) or None
    if rule.kind is Kind.MONEY:
        return _value(_DECIMALS.sub(".", text.strip(EDGES)), rule) or None
    body = (
        "".join(c for c in text.upper() if c.isalnum())
        if text.isupper()
        else "".join(text.upper().split()).strip(EDGES)
    )
    tries = _account_forms(body) if rule.check else _swapped(text.strip(EDGES)) if rule.pattern else ()
    found = {value for t in tries if t != text and (value := _value(t, rule))}
    return found.pop() if len(found) == 1 else None


def _value(text: str, rule: Rule) -> str:
    value = normalise(text, rule)
    return "" if isinstance(value, Refusal) else value


def _account_forms(body: str) -> tuple[str, ...]:
    """Return an account or card number with figures where figures stand: after two letters, or everywhere."""
    head = body[:2].translate(TO_LETTER)
    return (
        head + body[2:4].translate(TO_FIGURE) + body[4:],
        head + body[2:].translate(TO_FIGURE),
        body.translate(TO_FIGURE),
    )


def _swapped(text: str) -> list[str]:
    """Return a text with any of its doubtful signs exchanged; nothing where too many are doubtful."""
    at = [i for i, c in enumerate(text) if c in PAIRS]
    if not 0 < len(at) <= MOST_DOUBTFUL:
        return []
    some = (chosen for count in range(1, len(at) + 1) for chosen in itertools.combinations(at, count))
    return ["".join(PAIRS[c] if i in chosen else c for i, c in enumerate(text)) for chosen in some]
