"""Keeps registers that are read from databases up to date, in a thread of its own: one that hangs holds up nothing else."""

from __future__ import annotations

from collections.abc import Callable

from keybundle.core.workflows.session.behind import Behind
from keybundle.core.workflows.session.workspace import Workspace

LOOK_SECONDS = 20.0


def follow_sources(workspace: Workspace, look_seconds: float = LOOK_SECONDS) -> Behind:
    """Begin to read registers from their databases as their time comes, and go on until it is closed."""

    def refresh(at_once: bool, is_stopped: Callable[[], bool]) -> str:
        from keybundle.core.workflows.prepare.registers.register_sources import refresh_due

        return refresh_due(workspace, at_once=at_once, is_stopped=is_stopped)

    return Behind((refresh,), look_seconds)
