"""A field's value as a document holds it: with its origin, its place on the page, and how sure it is."""

from __future__ import annotations

from dataclasses import asdict, field
from enum import StrEnum
from typing import Any

from keybundle.core.base.boxes import Box
from keybundle.core.base.messages import from_plain, to_plain
from keybundle.core.base.records import dataclass


class Origin(StrEnum):
    """Where a value came from."""

    PAGE = "page"
    REGISTER = "register"
    BARCODE = "barcode"
    SEPARATOR = "separator sheet"
    TYPED = "typed"
    LIFTED = "lifted"
    DEFAULT = "default"
    FOLDER = "folder"
    DERIVED = "derived"
    CARRIED = "carried over"
    STARTER = "starter"
    FILE = "file name"
    PROPERTY = "file property"
    TODAY = "today"


ASSUMED = frozenset({Origin.DEFAULT, Origin.FOLDER, Origin.CARRIED, Origin.STARTER})
MOST_OFFERED, LEAST_LEGIBLE = 5, 0.05


@dataclass(frozen=True)
class FieldValue:
    """One value of a document.

    ``items`` are normalised (one, unless the field takes several); ``confidence`` runs from 0 to 1; ``page`` is the
    page's id and ``box`` its place there in px of the captured picture; ``problem`` is the sentence of a failed
    check, ``note`` something worth knowing that fails none; ``confirmed_by`` names the person who confirmed it.
    ``given_by`` names the person who took it from elsewhere by a command (a starter, the document before): no proposal
    replaces it, it stays unsure until confirmed.
    ``guess`` is what the machine proposed, with its score, whatever a person made of it; ``legible`` how sure the reading
    of its words was, which is part of the confidence; ``read_twice`` whether a second reader was heard about it.
    """

    items: tuple[str, ...] = ()
    confidence: float = 0.0
    origin: Origin = Origin.PAGE
    sure: bool = False
    page: str | None = None
    box: Box | None = None
    as_read: str = ""
    problem: str = ""
    confirmed_by: str = ""
    confirmed_at: str = ""
    given_by: str = ""
    alternatives: tuple[str, ...] = field(default=())
    guess: str = ""
    guess_score: float = 0.0
    note: str = ""
    legible: float = 1.0
    read_twice: bool = False

    @property
    def is_emptied(self) -> bool:
        """Whether a person emptied the field, so that nothing fills it by itself."""
        return not self.items and bool(self.confirmed_by)

    @property
    def standing(self) -> float:
        """How likely the value is right if its words were read right, 0 to 1."""
        return min(1.0, self.confidence / max(self.legible, LEAST_LEGIBLE))

    @property
    def text(self) -> str:
        """All items on one line."""
        return "; ".join(self.items)

    def to_json(self) -> dict[str, Any]:
        """Return plain data for JSON."""
        return {**asdict(self), "problem": to_plain(self.problem), "note": to_plain(self.note)}

    @classmethod
    def from_json(cls, data: dict[str, Any]) -> FieldValue:
        """Return the value told by ``to_json``."""
        plain = dict(data)
        plain |= {name: from_plain(plain[name]) for name in ("problem", "note") if plain.get(name)}
        plain["items"] = tuple(plain["items"])
        plain["alternatives"] = tuple(plain.get("alternatives", ()))
        plain["origin"] = Origin(plain["origin"])
        plain["box"] = tuple(plain["box"]) if plain.get("box") else None
        return cls(**plain)
