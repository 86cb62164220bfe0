"""Who would see more or fewer documents once they lie elsewhere: told before it is done."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import Connection

from keybundle.core.base.messages import join_comma, message
from keybundle.core.base.records import dataclass
from keybundle.core.repository import access
from keybundle.core.rights.model import AccessList, Holder, Right, effective_rights
from keybundle.core.setup.model import Setup


@dataclass(frozen=True)
class Seen:
    """How many documents somebody (by name) would see that they do not see now, and the other way round."""

    name: str
    more: int
    fewer: int

    @property
    def told(self) -> str:
        """The same in words."""
        said = [message("seen.more", name=self.name, n=self.more)] if self.more else []
        return join_comma([*said, *([message("seen.fewer", name=self.name, n=self.fewer)] if self.fewer else [])])


def who_sees(c: Connection, setup: Setup, moved: Mapping[tuple[str | None, str | None], int]) -> tuple[Seen, ...]:
    """Return for whom it makes a difference that so many documents are kept by another list: (before, after) by id."""
    lists = access.load_lists(c)
    differs = {pair: n for pair, n in moved.items() if pair[0] != pair[1] and n}
    found = []
    for person in (p for p in setup.people if p.active) if differs else ():
        holder = setup.holder(person.id)
        sees = {i: _looks(holder, lists.get(i or "")) for pair in differs for i in pair}
        more = sum(n for (before, after), n in differs.items() if sees[after] and not sees[before])
        fewer = sum(n for (before, after), n in differs.items() if sees[before] and not sees[after])
        if more or fewer:
            found.append(Seen(person.name, more, fewer))
    return tuple(found)


def _looks(holder: Holder, kept: AccessList | None) -> bool:
    return Right.LOOK in effective_rights(holder, kept)
