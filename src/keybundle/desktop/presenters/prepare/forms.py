"""Forms as data: what can be changed about a part, field by field; ``views/prepare/form_view.py`` shows any of them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from keybundle.core.base.records import dataclass
from keybundle.core.setup.parts import Named
from keybundle.core.workflows.prepare.parts.parts import value_at

Choices = tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class FormField:
    """A field of a form; ``name`` is the dotted path of its value, ``label`` and ``help`` are in the language that is spoken.

    ``kind``: ``line``, ``list`` (several, apart by commas), ``lines`` (several, one on each line), ``password``, ``whole``,
    ``value`` (an index value, with type-ahead), ``decimal``, ``share`` (0 to 1, shown in %), ``check``, ``pick`` (one of
    ``choices``, by its code), ``picks`` (several of them), ``kept to``, ``folder``,
    ``items`` (named things in an order, known by ids), ``zone``, ``sums``, ``orders``,
    ``rules``, ``halts``. ``none`` stands for an empty value, ``hint`` in an empty line. ``make`` offers to make what is
    missing among the choices. ``offers`` are texts that a line can be filled from, ``longest`` the most letters of a
    line, or lines of a list, that are in sight.
    """

    name: str
    label: str
    kind: str = "line"
    help: str = ""
    unit: str = ""
    low: float = 0
    high: float = 0
    choices: Choices = ()
    none: str | None = None
    hint: str = ""
    make: str = ""
    offers: tuple[str, ...] = ()
    longest: int = 0


@dataclass(frozen=True)
class Section:
    """Fields that belong together, under a title."""

    title: str
    fields: tuple[FormField, ...]
    help: str = ""


def values_of(part: Named | None, sections: Iterable[Section]) -> dict[str, Any]:
    """Return what a part has in each field of a form."""
    return {} if part is None else {f.name: value_at(part, f.name) for s in sections for f in s.fields}


def of_parts(parts: Iterable[Named]) -> Choices:
    """Return parts as choices: by id, shown by name."""
    return tuple((p.id, p.name) for p in parts)


def in_codes(told: Mapping[str, str]) -> Choices:
    """Return codes as choices, each with what is said for it."""
    return tuple(told.items())
