"""The small sentences of a set-up: sums, orders of dates, folder levels, captions, defaults. Each is read here alone."""

from __future__ import annotations

import re
from collections.abc import Mapping

from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass

MADE = ("today", "received", "operator", "counter", "person")
_FOLDER = re.compile(r"^(year|month) of (.+)$")
_CAPTION = re.compile(r"\{([^{}]+)\}")
_MADE = re.compile(r"^\{(\w+)(?: ([^}]+))?\}$")


@dataclass(frozen=True)
class Level:
    """Where a folder level takes its value: from a field, or from a part of one (``year``, ``month``; empty: whole)."""

    field: str
    part: str = ""


@dataclass(frozen=True)
class Made:
    """A default that is made at the moment: what, and the counter or the person's value that it names."""

    what: str
    name: str = ""


def read_sum(text: str) -> tuple[tuple[str, ...], str]:
    """Return (names to add, name of their total) of ``A + B = C``; raises ValueError in words."""
    left, equals, total = text.partition("=")
    names = tuple(n.strip() for n in left.split("+"))
    if not equals or not total.strip() or not all(names) or "=" in total:
        raise ValueError(message("formulas.no-sum-write-like-net", text=text))
    return names, total.strip()


def read_order(text: str) -> tuple[str, str]:
    """Return (earlier, later) of ``A < B``; raises ValueError in words."""
    first, less, second = (part.strip() for part in text.partition("<"))
    if not less or not first or not second or "<" in second:
        raise ValueError(message("formulas.no-order-dates-write-like", text=text))
    return first, second


def map_sum(text: str, names: Mapping[str, str]) -> str:
    """Return a sum with other names in it; one that is no sum as it is."""
    try:
        added, total = read_sum(text)
    except ValueError:
        return text
    return f"{' + '.join(names.get(n, n) for n in added)} = {names.get(total, total)}"


def map_order(text: str, names: Mapping[str, str]) -> str:
    """Return an order of dates with other names in it; one that is none as it is."""
    try:
        first, second = read_order(text)
    except ValueError:
        return text
    return f"{names.get(first, first)} < {names.get(second, second)}"


def map_level(text: str, names: Mapping[str, str]) -> str:
    """Return where a folder level comes from, with another name in it."""
    level = read_level(text)
    name = names.get(level.field, level.field)
    return f"{level.part} of {name}" if level.part else name


def map_caption(pattern: str, names: Mapping[str, str]) -> str:
    """Return a caption pattern with other names in it."""
    return _CAPTION.sub(lambda m: "{" + names.get(m[1], m[1]) + "}", pattern)


def read_level(text: str) -> Level:
    """Return where a folder level comes from: ``X``, ``year of X`` or ``month of X``."""
    part = _FOLDER.match(text)
    return Level(part[2], part[1]) if part else Level(text)


def caption_names(pattern: str) -> list[str]:
    """Return the fields that a caption pattern names, in their order."""
    return _CAPTION.findall(pattern)


def fill_caption(pattern: str, texts: dict[str, str]) -> str:
    """Return a caption pattern with values in place of names; unknown ones are left out."""
    return " ".join(_CAPTION.sub(lambda m: texts.get(m[1], ""), pattern).split()).strip(" :")


def read_default(text: str) -> Made | None:
    """Return the default that is to be made, None for one that stands as it is; raises ValueError in words."""
    body = text.strip()
    if not (body.startswith("{") and body.endswith("}")):
        return None
    found = _MADE.match(body)
    if found is None or found[1] not in MADE:
        raise ValueError(
            message("formulas.no-default-can-made-known", text=text, list=", ".join("{" + m + "}" for m in MADE))
        )
    if (found[1] in ("counter", "person")) != bool(found[2]):
        raise ValueError(message("formulas.counter-person-s-value-need", text=text))
    return Made(found[1], found[2] or "")
