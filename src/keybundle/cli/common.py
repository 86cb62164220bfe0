"""What several commands share: opening a workspace for changes or for looking, and progress on a terminal."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Iterator
from pathlib import Path

from keybundle.core.base.progress import Progress, Step, silent
from keybundle.core.jobs.pool import Pool
from keybundle.core.store.place import hold
from keybundle.core.workflows.session.workspace import Workspace, open_workspace

WORKERS = 2


@contextlib.contextmanager
def opened(data: Path, *, changes: bool, create: bool = False) -> Iterator[Workspace]:
    """Open a data directory; for changes it is held, waiting up to 10 s for whoever has it."""
    with hold(data, who="the command line") if changes and (create or data.exists()) else contextlib.nullcontext():
        workspace = open_workspace(data, create=create, held=changes)
        try:
            yield workspace
        finally:
            workspace.close()


@contextlib.contextmanager
def working_pool() -> Iterator[Pool]:
    """Give worker processes, ended on the way out."""
    pool = Pool(WORKERS)
    try:
        yield pool
    finally:
        pool.close()


def terminal_progress() -> Progress:
    """Return a progress that writes one line on a terminal, and nothing anywhere else."""
    if not sys.stderr.isatty():
        return silent

    def show(step: Step) -> None:
        end = "\n" if step.done == step.total else ""
        print(f"\r{step.what}: {step.done} of {step.total}   ", end=end, file=sys.stderr, flush=True)

    return show
