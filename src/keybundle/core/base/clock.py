"""The one clock and the one source of ids, handed in so that tests decide them."""

from __future__ import annotations

import secrets
from collections.abc import Callable
from datetime import UTC, datetime

from keybundle.core.base.records import dataclass

_ALPHABET = "0123456789abcdefghjkmnpqrstvwxyz"


def _utc_now() -> datetime:
    return datetime.now(UTC)


def make_id() -> str:
    """Return a new id: 16 characters, sortable by time to the second, without look-alike letters."""
    seconds = int(_utc_now().timestamp())
    head = ""
    for _ in range(7):
        head = _ALPHABET[seconds & 31] + head
        seconds >>= 5
    return head + "".join(secrets.choice(_ALPHABET) for _ in range(9))


@dataclass(frozen=True)
class Clock:
    """Now (aware, UTC) and fresh ids."""

    now: Callable[[], datetime] = _utc_now
    new_id: Callable[[], str] = make_id

    def stamp(self) -> str:
        """Now as ISO 8601 in UTC with milliseconds."""
        return self.now().astimezone(UTC).isoformat(timespec="milliseconds")
