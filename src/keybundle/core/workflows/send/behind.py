"""What is done behind a filing's back: the PDFs first, then the copies that hold them, and what is to be taken away."""

from __future__ import annotations

from collections.abc import Callable

from keybundle.core.jobs.pool import Pool
from keybundle.core.workflows.session.behind import LOOK_SECONDS, Behind, as_due_work
from keybundle.core.workflows.session.workspace import Workspace


def work_behind(workspace: Workspace, pool: Pool, look_seconds: float = LOOK_SECONDS) -> Behind:
    """Begin to do what is due of a repository, and go on until it is closed; it is loaded in the thread that does it."""

    def render(at_once: bool, is_stopped: Callable[[], bool]) -> str:
        from keybundle.core.workflows.file.renditions import render_behind

        return render_behind(workspace, pool, at_once=at_once, is_stopped=is_stopped)

    def copy(at_once: bool, is_stopped: Callable[[], bool]) -> str:
        from keybundle.core.workflows.send.copies import duty

        return as_due_work(workspace, duty(workspace, pool))(at_once, is_stopped)

    def clear_up(at_once: bool, is_stopped: Callable[[], bool]) -> str:
        from keybundle.core.workflows.send import under_way

        return as_due_work(workspace, under_way.clear_up(workspace))(at_once, is_stopped)

    def leave(at_once: bool, is_stopped: Callable[[], bool]) -> str:
        from keybundle.core.workflows.keep.areas.relocating import leaving

        return as_due_work(workspace, leaving(workspace))(at_once, is_stopped)

    def erase(at_once: bool, is_stopped: Callable[[], bool]) -> str:
        from keybundle.core.workflows.keep.trash.erasing import erase_behind

        return erase_behind(workspace, at_once=at_once, is_stopped=is_stopped)

    return Behind((render, copy, clear_up, leave, erase), look_seconds)
