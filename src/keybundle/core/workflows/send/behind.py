"""What is done behind a filing's back: the PDFs first, then the copies that hold them."""

from __future__ import annotations

from collections.abc import Callable

from keybundle.core.jobs.pool import Pool
from keybundle.core.workflows.file import renditions
from keybundle.core.workflows.file.due import LOOK_SECONDS, Behind
from keybundle.core.workflows.send import copies
from keybundle.core.workflows.session.workspace import Workspace


def work_behind(workspace: Workspace, pool: Pool, look_seconds: float = LOOK_SECONDS) -> Behind:
    """Begin to do what is due of a repository, and go on until it is closed."""

    def render(at_once: bool, is_stopped: Callable[[], bool]) -> str:
        renditions.make_due(workspace, pool, at_once=at_once, is_stopped=is_stopped)
        return renditions.tell_trouble(workspace)

    def copy(at_once: bool, is_stopped: Callable[[], bool]) -> str:
        return copies.write_due(workspace, pool, at_once=at_once, is_stopped=is_stopped)

    return Behind((render, copy), look_seconds)
