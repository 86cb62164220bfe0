"""What is done behind a filing's back: the PDFs first, then the copies that hold them, and what is to be taken away."""

from __future__ import annotations

from collections.abc import Callable

from keybundle.core.jobs.pool import Pool
from keybundle.core.workflows.file import renditions
from keybundle.core.workflows.keep.areas.relocating import leaving
from keybundle.core.workflows.keep.trash.erasing import erase_behind
from keybundle.core.workflows.send import copies, under_way
from keybundle.core.workflows.session.behind import LOOK_SECONDS, Behind, as_due_work
from keybundle.core.workflows.session.workspace import Workspace


def work_behind(workspace: Workspace, pool: Pool, look_seconds: float = LOOK_SECONDS) -> Behind:
    """Begin to do what is due of a repository, and go on until it is closed."""

    def render(at_once: bool, is_stopped: Callable[[], bool]) -> str:
        return renditions.render_behind(workspace, pool, at_once=at_once, is_stopped=is_stopped)

    def erase(at_once: bool, is_stopped: Callable[[], bool]) -> str:
        return erase_behind(workspace, at_once=at_once, is_stopped=is_stopped)

    duties = [copies.duty(workspace, pool), under_way.clear_up(workspace), leaving(workspace)]
    return Behind((render, *(as_due_work(workspace, duty) for duty in duties), erase), look_seconds)
