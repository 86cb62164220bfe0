"""How the copies of registers stand that are read from a database, and what is said of those whose database is away."""

from __future__ import annotations

from sqlalchemy import Connection, select

from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.setup.model import Setup, name_of
from keybundle.core.store import schema as t
from keybundle.core.store import work

_w = t.work.c


@dataclass(frozen=True)
class SourceState:
    """How the copy of a register stands: when it was read last, when it was tried last, and what was in the way then."""

    id: str
    at: str = ""
    tried_at: str = ""
    trouble: str = ""

    def said(self, setup: Setup) -> str:
        """Return what is in the way, as a sentence."""
        name = name_of(setup.registers, self.id)
        if not self.at:
            return message("sources.never", name=name, trouble=self.trouble)
        return message("sources.away", name=name, trouble=self.trouble, at=self.at[:16].replace("T", " "))


def load_states(c: Connection) -> dict[str, SourceState]:
    """Return how the copies of all registers with a source stand, by register."""
    rows = c.execute(select(_w.ref, _w.at, _w.trouble, _w.data).where(_w.kind == work.SOURCE))
    return {r.ref: SourceState(r.ref, (r.data or {}).get("read_at", ""), r.at, r.trouble) for r in rows}


def say_copies(c: Connection, setup: Setup) -> dict[str, str]:
    """Return what who looks a value up should know of registers whose database is away, by register: how old the copy is."""
    return {
        key: message("sources.copy", name=name_of(setup.registers, key), at=state.at[:16].replace("T", " ") or "-")
        for key, state in load_states(c).items()
        if state.trouble and setup.register(key) is not None
    }
