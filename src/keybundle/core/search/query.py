"""The query line: words, phrases, ``field = value``, ``field > value``, and intervals of dates.

``=`` takes an ISO 8601 day, month or year, or ``from/to``; upper or lower case alike; two words mean both.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

SPECIAL = ("type", "cabinet", "filed", "tag")
_OPERATOR = r"(>=|<=|=|>|<)"
_DATE = re.compile(r"^\d{4}(-\d{2}(-\d{2})?)?$")


@dataclass(frozen=True)
class Condition:
    """A field compared with a value; ``until`` is the upper end of an interval, empty when there is none."""

    field: str
    operator: str
    value: str
    until: str = ""

    def said(self) -> str:
        """Return the condition in words."""
        if self.until:
            return f"{self.field} from {self.value} to {self.until}"
        words = {"=": "is", ">": "is over", "<": "is under", ">=": "is at least", "<=": "is at most"}
        return f"{self.field} {words[self.operator]} {self.value}"


@dataclass(frozen=True)
class Query:
    """A query line as understood."""

    words: tuple[str, ...] = ()
    phrases: tuple[str, ...] = ()
    conditions: tuple[Condition, ...] = ()

    def said(self) -> str:
        """Return the query as a sentence."""
        parts = []
        if self.words:
            parts.append("with the word " + self.words[0] if len(self.words) == 1 else
                         "with all of the words " + ", ".join(self.words))  # fmt: skip
        parts += [f"with the phrase “{p}”" for p in self.phrases]
        parts += [f"where {c.said()}" for c in self.conditions]
        return "Documents " + " and ".join(parts) if parts else "All documents"

    def match_expression(self) -> str:
        """Return the words as an FTS5 expression; the last letters of a word may follow."""
        terms = ['"' + w.replace('"', '""') + '"*' for w in self.words]
        terms += ['"' + p.replace('"', '""') + '"' for p in self.phrases]
        return " AND ".join(terms)


def parse_query(line: str, fields: Sequence[str]) -> Query:
    """Understand a query line; ``fields`` are the index fields known by name."""
    names = sorted({*fields, *SPECIAL}, key=len, reverse=True)
    pattern = re.compile(
        r"(?P<field>" + "|".join(re.escape(n).replace(r"\ ", r"\s+") for n in names) + r")\s*"
        + _OPERATOR + r"\s*(?P<value>\"[^\"]*\"|\S+)",
        re.IGNORECASE,
    )  # fmt: skip
    exact = {n.casefold(): n for n in names}
    conditions: list[Condition] = []

    def take(match: re.Match[str]) -> str:
        name = exact[" ".join(match["field"].split()).casefold()]
        value = match["value"].strip('"')
        low, slash, high = value.partition("/")
        is_interval = bool(slash) and bool(_DATE.match(low)) and bool(_DATE.match(high)) and match[2] == "="
        conditions.append(Condition(name, match[2], low, high) if is_interval else Condition(name, match[2], value))
        return " "

    rest = pattern.sub(take, line)
    phrases = tuple(p for p in re.findall(r'"([^"]+)"', rest) if p.strip())
    rest = re.sub(r'"[^"]*"?', " ", rest)
    words = tuple(w for w in (x.strip(".,;:!?()") for x in rest.split()) if any(ch.isalnum() for ch in w))
    return Query(words, phrases, tuple(conditions))
