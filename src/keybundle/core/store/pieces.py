"""Large changes in pieces: many transactions, none of them long, so that whoever else writes gets a turn in between."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Sequence
from typing import Generic, TypeVar

from sqlalchemy import Connection

from keybundle.core.base.errors import A_BUG, AppError
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.store.database import Database

log = logging.getLogger(__name__)
Item = TypeVar("Item")
Result = TypeVar("Result")
PIECE_SECONDS = 0.05


@dataclass(frozen=True)
class Partly(Generic[Result]):
    """What was done, in the order of the items, and what stopped it before the end (empty: nothing did).

    What is told of it must say both: so many are changed, and what stopped the others.
    """

    done: tuple[Result, ...]
    stopped: str = ""


def in_pieces(database: Database, items: Sequence[Item], work: Callable[[Connection, Item], Result]) -> Partly[Result]:
    """Do something to each item, in transactions that end once they have lasted ``PIECE_SECONDS``.

    What ``work`` raises ends it: the piece under way is taken back, those before stand and are returned together with what
    was raised. Raises that itself where nothing stands.
    """
    done: list[Result] = []
    while len(done) < len(items):
        piece: list[Result] = []
        try:
            with database.atomic() as c:
                end = time.monotonic() + PIECE_SECONDS
                for item in items[len(done) :]:
                    piece.append(work(c, item))
                    if time.monotonic() >= end:
                        break
        except Exception as error:
            if not done:
                raise
            if not isinstance(error, AppError):
                log.exception("a change of many was stopped")
            return Partly(tuple(done), str(error) if isinstance(error, AppError) else A_BUG)
        done += piece
    return Partly(tuple(done))


def say_stopped(done: int, of: int, stopped: str) -> str:
    """Return in words how far a change of many came before it was stopped; empty where nothing stopped it."""
    return message("pieces.stopped", n=done, of=of, why=stopped) if stopped else ""
