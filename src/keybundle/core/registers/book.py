"""Registers as looked up while indexing: by key, by near match, by the first letters."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from rapidfuzz import fuzz, process, utils

from keybundle.core.base.folding import fold
from keybundle.core.base.records import dataclass

if TYPE_CHECKING:
    from keybundle.core.registers.grams import GramIndex

Entry = dict[str, str]
LONG_COLUMN = 2000


@dataclass(frozen=True)
class Near:
    """A register entry near to a text; ``likeness`` runs from 0 to 1."""

    entry: Entry
    value: str
    likeness: float
    lead: float


def _plain(text: str) -> str:
    """Return a text without its signs, in small letters, its words one blank apart."""
    return " ".join(utils.default_process(text).split())


class Book:
    """One register's entries, with the look-ups over one column."""

    def __init__(self, key: str, entries: Sequence[Entry], name: str = "") -> None:
        self.key, self.name = key, name
        self.entries = tuple(entries)
        self._by_column: dict[str, dict[str, list[Entry]]] = {}
        self._indexes: dict[str, GramIndex] = {}
        self._folded: list[str] | None = None

    def _column(self, column: str) -> dict[str, list[Entry]]:
        if column not in self._by_column:
            table: dict[str, list[Entry]] = {}
            for entry in self.entries:
                table.setdefault(_plain(entry.get(column, "")), []).append(entry)
            self._by_column[column] = table
        return self._by_column[column]

    def find(self, text: str, column: str = "") -> Entry | None:
        """Return the one entry whose column says ``text``, in any case and with any signs; None when none or several."""
        found = self._column(column or self.key).get(_plain(text), [])
        if len(found) > 1:
            # Entries that differ in their signs alone ("C" and "C++") are told apart by them.
            found = [e for e in found if fold(e.get(column or self.key, "")).split() == fold(text).split()]
        return found[0] if len(found) == 1 else None

    def nearest(self, text: str, column: str = "", *, bar: float = 0.8) -> Near | None:
        """Return the entry most like ``text`` at or above ``bar``; ``lead`` tells how far the next one is behind."""
        column = column or self.key
        table, wanted = self._column(column), _plain(text)
        among = self._grams(column).shortlist(wanted) if len(table) > LONG_COLUMN else table.keys()
        hits = process.extract(wanted, among, scorer=fuzz.ratio, limit=2, score_cutoff=bar * 100)
        if not hits:
            return None
        second = hits[1][1] if len(hits) > 1 else bar * 100
        entry = table[hits[0][0]][0]
        return Near(entry, entry[column], hits[0][1] / 100, (hits[0][1] - second) / 100)

    def _grams(self, column: str) -> GramIndex:
        from keybundle.core.registers.grams import GramIndex  # NumPy comes with the first long register that is asked

        if column not in self._indexes:
            self._indexes[column] = GramIndex(list(self._column(column)))
        return self._indexes[column]

    def complete(self, typed: str, column: str = "", *, limit: int = 8) -> list[Entry]:
        """Return entries for a type-ahead list: first those that begin with ``typed``, then those that hold its words."""
        wanted = typed.casefold().strip()
        column = column or self.key
        begins = [e for e in self.entries if e[column].casefold().startswith(wanted)][:limit]
        if len(begins) < limit:
            known = {id(e) for e in begins}
            begins += [e for e in self.search(typed, limit=2 * limit) if id(e) not in known]
        return begins[:limit]

    def search(self, typed: str, *, limit: int = 200) -> list[Entry]:
        """Return entries that hold every typed word in some column, any case of letters, in their order."""
        if self._folded is None:
            self._folded = [" ".join(e.values()).casefold() for e in self.entries]
        words, found = typed.casefold().split(), []
        for entry, folded in zip(self.entries, self._folded, strict=True):
            if all(w in folded for w in words):
                found.append(entry)
                if len(found) >= limit:
                    break
        return found
