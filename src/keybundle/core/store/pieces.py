"""Large changes in pieces: many transactions, none of them long, so that whoever else writes gets a turn in between."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from typing import TypeVar

from sqlalchemy import Connection

from keybundle.core.store.database import Database

Item = TypeVar("Item")
PIECE_SECONDS = 0.05


def in_pieces(database: Database, items: Sequence[Item], work: Callable[[Connection, Item], None]) -> None:
    """Do something to each item, in transactions that end once they have lasted ``PIECE_SECONDS``.

    What must hold for all of them is looked at before. What ``work`` raises ends it: the piece under way is taken back,
    those before stand.
    """
    done = 0
    while done < len(items):
        with database.atomic() as c:
            end = time.monotonic() + PIECE_SECONDS
            while done < len(items):
                work(c, items[done])
                done += 1
                if time.monotonic() >= end:
                    break
