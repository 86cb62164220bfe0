"""Worker processes that read each page once a run: the demo's sheets come in again in test after test, and say the same."""

from __future__ import annotations

import hashlib
import os
import pickle
import re
from concurrent.futures import Future
from dataclasses import astuple, is_dataclass, replace
from pathlib import Path
from typing import Any

from keybundle.core.jobs.pool import Pool
from keybundle.core.workflows.pages.page_jobs import WORK, PageJob

# What depends on the picture and what is asked of it alone, and leaves nothing beside its answer that counts.
REMEMBERED = {f"{WORK}:{name}" for name in ("read", "read_zones", "read_area", "read_lines_again")}
_SHA = re.compile(r"[0-9a-f]{64}")


class RememberingPool(Pool):
    """A pool whose readings are kept in a folder for all processes of a run; what is new is read by real workers."""

    def __init__(self, workers: int, folder: Path) -> None:
        super().__init__(workers)
        self._folder = folder

    def submit(self, name: str, *args: Any, **more: Any) -> Future[Any]:
        """Answer from what is known, else let a worker read."""
        kept = self._place_of(name, args)
        if kept is None:
            return super().submit(name, *args, **more)
        try:
            known = pickle.loads(kept.read_bytes())
        except FileNotFoundError:
            future = super().submit(name, *args, **more)
            future.add_done_callback(lambda done: self._keep(kept, done))
            return future
        future = Future()
        future.set_running_or_notify_cancel()
        future.set_result(known)
        return future

    def _place_of(self, name: str, args: tuple[Any, ...]) -> Path | None:
        """Return where the answer is kept; None for what is not remembered."""
        job = args[0] if args else None
        if name not in REMEMBERED or not isinstance(job, PageJob) or not _SHA.fullmatch(Path(job.path).name):
            return None
        same = replace(job, path=Path(job.path).name, name="", page_id="", text=b"")
        more = (
            () if name == f"{WORK}:read" else args[1:]
        )  # where it may leave what saves time says nothing of the words
        told = [name, astuple(same), *(astuple(a) if is_dataclass(a) and not isinstance(a, type) else a for a in more)]
        return self._folder / hashlib.sha256(repr(told).encode()).hexdigest()

    def _keep(self, kept: Path, done: Future[Any]) -> None:
        if done.cancelled() or done.exception() is not None:
            return
        self._folder.mkdir(parents=True, exist_ok=True)
        half = kept.with_suffix(f".{os.getpid()}")
        half.write_bytes(pickle.dumps(done.result()))
        half.replace(kept)
