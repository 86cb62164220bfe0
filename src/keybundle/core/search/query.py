"""The query line: words, phrases, ``field = value``, ``field > value``, and intervals of dates.

``=`` takes an ISO 8601 day, month or year, or ``from/to``; upper or lower case alike; two words mean both. Equal means
equal: ``Supplier = Oxlip*`` finds what begins so.
"""

from __future__ import annotations

import functools
import operator as _op
import re
from collections.abc import Sequence
from decimal import Decimal, InvalidOperation
from typing import Literal

from keybundle.core.base.folding import fold
from keybundle.core.base.messages import join_and, message
from keybundle.core.base.records import dataclass
from keybundle.core.fields.kinds import without_control

SPECIAL = ("type", "cabinet", "filed", "tag")
END = "\U0010ffff"
_DATE = re.compile(r"^\d{4}(-\d{2}(-\d{2})?)?$")

SAID = {"=": "is", ">": "over", "<": "under", ">=": "at-least", "<=": "at-most"}


@dataclass(frozen=True)
class Condition:
    """A field compared with a value; ``until`` is the upper end of an interval, empty when there is none.

    ``compared_as`` says how: as ``text`` (any case; a star at the end stands for any more letters), as ``number``, or
    as ``date``, where a year or a month means all its days. ``names`` are the ids of the types or cabinets that are meant,
    ``fields`` (type, field) those of the fields; type None: of any. ``moments`` are the first and the last moment (UTC) of
    the days that are meant, where it is moments that are compared.
    """

    field: str
    operator: str
    value: str
    until: str = ""
    compared_as: Literal["text", "number", "date"] = "text"
    names: tuple[str, ...] = ()
    fields: tuple[tuple[str | None, str], ...] = ()
    moments: tuple[str, str] | None = None

    def bounds(self) -> tuple[str | None, str | None]:
        """Return the least and the greatest folded text that meets it, None for no limit; both are met."""
        if self.moments is not None:
            low, high = self.moments
            return {
                "=": (low, high), ">": (high, None), ">=": (low, None), "<": (None, low), "<=": (None, high),
            }[self.operator]  # fmt: skip
        value, is_date = fold(self.value), self.compared_as == "date"
        last = fold(self.until or self.value) + END
        if self.operator == "=":
            if is_date or self.until:
                return value, last
            return (value[:-1], value[:-1] + END) if value.endswith("*") else (value, value)
        if self.operator == ">":
            return (last if is_date else value), None
        if self.operator == ">=":
            return value, None
        return None, (value if self.operator == "<" or not is_date else last)

    def is_beyond(self, folded: str) -> bool:
        """Whether a text at the very limit is left out: ``>`` and ``<`` do not mean the value itself."""
        return self.operator in ("<", ">") and folded == fold(self.value)

    def said(self) -> str:
        """Return the condition in words."""
        if self.until:
            return message("query.from-to", field=self.field, value=self.value, until=self.until)
        return message(f"query.{SAID[self.operator]}", field=self.field, value=self.value)


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
            words = ", ".join(self.words)
            parts.append(message("query.with-word" if len(self.words) == 1 else "query.with-words", words=words))
        parts += [message("query.with-phrase", phrase=p) for p in self.phrases]
        parts += [message("query.where", condition=c.said()) for c in self.conditions]
        return message("query.documents", conditions=join_and(parts)) if parts else message("query.all")

    def match_expression(self) -> str:
        """Return the words as an FTS5 expression; the last letters of a word may follow."""
        terms = ['"' + w.replace('"', '""') + '"*' for w in self.words]
        terms += ['"' + p.replace('"', '""') + '"' for p in self.phrases]
        return " AND ".join(terms)


_COMPARES = re.compile(r"[<>]=?|=")
_VALUE = re.compile(
    r"""(?:today|yesterday|(?:this|last)\s+(?:week|month|year))(?=\s|$)|"[^"]*"?|[^\s"]+""", re.IGNORECASE
)
_SPACE = re.compile(r"\s*")


@functools.lru_cache(maxsize=8)
def _field(names: tuple[str, ...]) -> re.Pattern[str]:
    """Return what a field before its sign looks like, in quotes or not; the longest name that fits is meant."""
    known = "|".join(re.escape(n).replace(r"\ ", r"\s+") for n in names)
    quoted = rf'["\u201c](?:{known})["\u201d]'
    return re.compile(rf"(?<!\w)(?:{quoted}|(?:{known}))(?=\s*(?:[<>]=?|=)\s*\S)", re.IGNORECASE)


Pieces = list[str | tuple[str, str, str]]


def _pieces(names: tuple[str, ...], line: str) -> Pieces:
    """Return words, phrases and (field, sign, value) of a line; where a sign lacks its value, the line is words alone."""
    found: Pieces = []
    at = _skip(line, 0)
    while at < len(line):
        field = _field(names).match(line, at)
        if field is not None:
            sign = _COMPARES.match(line, _skip(line, field.end()))
            value = _VALUE.match(line, _skip(line, sign.end())) if sign is not None else None
            if sign is None or value is None:
                return [word for part in line.replace('"', " ").split() if (word := part.strip("<>="))]
            found.append((field[0], sign[0], value[0]))
            at = value.end()
        else:
            end = line.find('"', at + 1) + 1 if line[at] == '"' else _end_of_word(line, at)
            found.append(line[at : end or len(line)])
            at = end or len(line)
        at = _skip(line, at)
    return found


def _skip(line: str, at: int) -> int:
    space = _SPACE.match(line, at)
    return space.end() if space is not None else at


def _end_of_word(line: str, at: int) -> int:
    return next((i for i in range(at, len(line)) if line[i] == '"' or line[i].isspace()), len(line))


def parse_query(line: str, fields: Sequence[str]) -> Query:
    """Understand a query line; ``fields`` are the index fields known by name. Any line is understood somehow.

    Control signs part words. A field of several words may stand in quotes.
    """
    line = without_control(line)
    names = tuple(sorted({*fields, *SPECIAL}, key=lambda n: (-len(n), n)))
    exact = {fold(n): n for n in names}
    words: list[str] = []
    phrases: list[str] = []
    conditions: list[Condition] = []
    for item in _pieces(names, line):
        if isinstance(item, str):
            body = item.strip('"').strip() if item.startswith('"') else item.strip(".,;:!?()")
            if any(ch.isalnum() for ch in body):
                (phrases if item.startswith('"') else words).append(body)
            continue
        field, operator, value = item
        value = value.strip('"').strip()
        low, slash, high = value.partition("/")
        is_interval = bool(slash) and bool(_DATE.match(low)) and bool(_DATE.match(high)) and operator == "="
        if value:
            name = exact[fold(" ".join(field.strip('"\u201c\u201d').split()))]
            conditions.append(Condition(name, operator, low, high) if is_interval else Condition(name, operator, value))
    return Query(tuple(words), tuple(phrases), tuple(conditions))


def meets(condition: Condition, texts: Sequence[str]) -> bool:
    """Whether a field that holds these values meets a condition; the same as the index answers."""
    return any(_meets(condition, text) for text in texts)


def _meets(condition: Condition, text: str) -> bool:
    if condition.compared_as == "number":
        have, wanted = _number(text), _number(condition.value)
        return have is not None and wanted is not None and _COMPARE[condition.operator](have, wanted)
    low, high = condition.bounds()
    folded = fold(text)
    return (low is None or folded >= low) and (high is None or folded <= high) and not condition.is_beyond(folded)


def _number(text: str) -> Decimal | None:
    try:
        return Decimal(text)
    except InvalidOperation:
        return None


_COMPARE = {"=": _op.eq, ">": _op.gt, "<": _op.lt, ">=": _op.ge, "<=": _op.le}
