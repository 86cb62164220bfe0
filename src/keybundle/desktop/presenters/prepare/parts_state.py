"""What an editor of a set-up's parts shows: the list, the chosen part and its form, where it is used, its history."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field
from typing import Any

from keybundle.core.base.records import dataclass
from keybundle.core.setup.parts import Named
from keybundle.desktop.presenters.drafts import Draft
from keybundle.desktop.presenters.prepare.forms import Section
from keybundle.desktop.words import trn

Spot = tuple[str, str]  # a part, and what of it


@dataclass(frozen=True)
class PartRow:
    """A part in the list: its id, its name, and a few words beside it."""

    id: str
    name: str
    note: str = ""


@dataclass(frozen=True)
class Used:
    """Where a part is used: the kind and id of what names it, and its name."""

    kind: str
    id: str
    name: str


@dataclass(frozen=True)
class PastState:
    """An earlier state of a part, or a time at which what it holds changed, in words.

    ``revision`` is its place in the part's history, or (``is_inner``) in that of what it holds; ``at`` sorts.
    """

    revision: int
    told: str
    can_go_back: bool
    at: str = ""
    is_inner: bool = False


@dataclass(frozen=True)
class PartsState:
    """All that an editor shows; ``problems`` are by the field that they stand at, ``problem`` is of the whole.

    ``left`` is what was typed for parts that are gone.
    """

    rows: tuple[PartRow, ...] = ()
    chosen: str = ""
    part: Named | None = None
    sections: tuple[Section, ...] = ()
    values: Mapping[str, Any] = field(default_factory=dict)
    problems: Mapping[str, str] = field(default_factory=dict)
    problem: str = ""
    uses: tuple[Used, ...] = ()
    touched: str = ""
    undo: str = ""
    can_change: bool = False
    left: tuple[Draft, ...] = ()


def say_documents(number: int) -> str:
    """Return how many documents lie somewhere."""
    return trn("{n:,} document", "{n:,} documents", number)
