"""Loading modules quickly: Python's collector does not look over what was just loaded, again and again."""

from __future__ import annotations

import contextlib
import gc
import importlib
from collections.abc import Iterator
from typing import Any


@contextlib.contextmanager
def loading() -> Iterator[None]:
    """Keep the collector out of what is loaded, and of what was loaded then: nothing of it ever becomes garbage.

    It takes a third of the time that SQLAlchemy takes to load, and looks over all modules once more as the process ends.
    """
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        if was_on:
            gc.enable()


class Later:
    """A module that is loaded when something of it is first asked for."""

    def __init__(self, name: str) -> None:
        self._name = name

    def __getattr__(self, name: str) -> Any:
        return getattr(importlib.import_module(self._name), name)
