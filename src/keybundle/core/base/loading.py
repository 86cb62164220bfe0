"""Loading modules quickly: nobody looks over what was just loaded, neither Python's collector again and again nor a hook."""

from __future__ import annotations

import builtins
import contextlib
import gc
import importlib
import threading
from collections.abc import Iterator
from typing import Any

_import = builtins.__import__


@contextlib.contextmanager
def loading() -> Iterator[None]:
    """Keep the collector out of what is loaded, and of what was loaded then: nothing of it ever becomes garbage.

    It takes a third of the time that SQLAlchemy takes to load, and looks over all modules once more as the process ends. The
    interface's library, once loaded, reads the source of every module that comes after it, for a way of writing that nothing
    here uses: it is passed by from then on.
    """
    was_on = gc.isenabled()
    gc.disable()
    builtins.__import__ = _import
    try:
        yield
    finally:
        builtins.__import__ = _import
        if threading.active_count() == 1:  # freezing beside a run of the collector in another thread would confuse it
            gc.freeze()
        if was_on:
            gc.enable()


class Later:
    """A module that is loaded when something of it is first asked for."""

    def __init__(self, name: str) -> None:
        self._name = name

    def __getattr__(self, name: str) -> Any:
        return getattr(importlib.import_module(self._name), name)
