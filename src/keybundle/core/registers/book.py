"""Registers as looked up while indexing: by key, by near match, by the first letters."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from rapidfuzz import fuzz, process, utils

Entry = dict[str, str]


class RegisterSource(Protocol):
    """Gives the entries of a register, wherever they are kept."""

    def entries(self, register: str) -> Sequence[Entry]:
        """Return all entries by column name."""
        ...


@dataclass(frozen=True)
class Near:
    """A register entry near to a text; ``likeness`` runs from 0 to 1."""

    entry: Entry
    value: str
    likeness: float
    lead: float


class Book:
    """One register's entries, with the look-ups over one column."""

    def __init__(self, key: str, entries: Sequence[Entry]) -> None:
        self.key = key
        self.entries = tuple(entries)
        self._by_column: dict[str, dict[str, list[Entry]]] = {}

    def _column(self, column: str) -> dict[str, list[Entry]]:
        if column not in self._by_column:
            table: dict[str, list[Entry]] = {}
            for entry in self.entries:
                table.setdefault(utils.default_process(entry.get(column, "")), []).append(entry)
            self._by_column[column] = table
        return self._by_column[column]

    def find(self, text: str, column: str = "") -> Entry | None:
        """Return the one entry whose column says ``text``, in any case of letters; None when none or several."""
        found = self._column(column or self.key).get(utils.default_process(text), [])
        return found[0] if len(found) == 1 else None

    def nearest(self, text: str, column: str = "", *, bar: float = 0.8) -> Near | None:
        """Return the entry most like ``text`` at or above ``bar``; ``lead`` tells how far the next one is behind."""
        column = column or self.key
        table = self._column(column)
        hits = process.extract(
            utils.default_process(text), table.keys(), scorer=fuzz.ratio, limit=2, score_cutoff=bar * 100
        )
        if not hits:
            return None
        second = hits[1][1] if len(hits) > 1 else bar * 100
        entry = table[hits[0][0]][0]
        return Near(entry, entry[column], hits[0][1] / 100, (hits[0][1] - second) / 100)

    def complete(self, typed: str, column: str = "", *, limit: int = 8) -> list[Entry]:
        """Return entries for a type-ahead list: first those that begin with ``typed``, then those that hold it."""
        wanted = typed.casefold().strip()
        column = column or self.key
        begins: list[Entry] = []
        holds: list[Entry] = []
        for entry in self.entries:
            if entry[column].casefold().startswith(wanted):
                begins.append(entry)
            elif any(wanted in v.casefold() for v in entry.values()):
                holds.append(entry)
            if len(begins) >= limit:
                break
        return (begins + holds)[:limit]
