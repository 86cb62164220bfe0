"""The state of a batch that a person saw, in one of their windows, when they asked for something.

It holds for all that is done for them until then: where somebody else has changed one of the same pages or fields since,
the store refuses in words instead of overwriting what was not seen.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_SEEN: ContextVar[tuple[str, int, str]] = ContextVar("seen", default=("", 0, ""))


@contextmanager
def seen(batch_id: str, revision: int, window: str = "") -> Iterator[None]:
    """Let commands in this block act for somebody who saw the batch at this revision, in a window of that name."""
    token = _SEEN.set((batch_id, revision, window))
    try:
        yield
    finally:
        _SEEN.reset(token)


def seen_revision(batch_id: str) -> int | None:
    """Return the revision at which the batch was seen; None where nobody said."""
    batch, revision, _ = _SEEN.get()
    return revision if batch == batch_id else None


def seen_window() -> str:
    """Return the window in which it was seen; empty where nobody said."""
    return _SEEN.get()[2]
