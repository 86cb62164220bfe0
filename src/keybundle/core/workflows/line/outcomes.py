"""How a worker's task came out: what it found, a trouble in words, or nothing."""

from __future__ import annotations

import logging
from concurrent.futures import CancelledError, Future
from typing import Any

from keybundle.core.base.errors import A_BUG, AppError, Cancelled, Passing

log = logging.getLogger(__name__)


def outcome_of(future: Future[Any]) -> Any:
    """Return what a worker found, or its trouble as a sentence; None where it was called off.

    Raises Passing where another try may go well.
    """
    if future.cancelled():
        return None
    try:
        return future.result()
    except (Cancelled, CancelledError):
        return None
    except Passing:
        raise
    except AppError as error:
        return str(error)
    except Exception:
        log.exception("a worker's task failed")
        return A_BUG
