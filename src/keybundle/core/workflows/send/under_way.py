"""A sending under way: it holds the files that it reads, and what a kill leaves of it is found by its row and taken away."""

from __future__ import annotations

import contextlib
import shutil
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

from keybundle.core.base.errors import AppError
from keybundle.core.export.landing import sweep_parts
from keybundle.core.repository.model import FiledDocument
from keybundle.core.store import ledger, work
from keybundle.core.store.work import Taken
from keybundle.core.workflows.keep.trash.erasing import finish_erasing
from keybundle.core.workflows.session.behind import Duty, in_hand
from keybundle.core.workflows.session.workspace import Workspace


@contextlib.contextmanager
def sending(workspace: Workspace, root: Path) -> Iterator[str]:
    """Note that documents are on their way into a folder; give the name that this goes by, and its unfinished files too."""
    ref = workspace.clock.new_id()
    with in_hand(workspace, work.SENDING, ref, {"root": str(root)}):
        try:
            yield ref
        finally:
            with contextlib.suppress(AppError):  # on a full disk it is done by whoever clears up
                _let_go(workspace, ref)


def hold_files(workspace: Workspace, ref: str, documents: Iterable[FiledDocument]) -> None:
    """Let documents' files stay while they are read, also where they are erased meanwhile."""
    shas = {
        sha for d in documents for sha in (d.pdf_sha, *(s for p in d.pages for s in (p.file_sha, p.flat_sha))) if sha
    }
    with workspace.place.database.atomic() as c:
        ledger.hold(c, ledger.SENDING, ref, sorted(shas))


def _let_go(workspace: Workspace, ref: str) -> None:
    """Let go of the files of a sending; what was erased while it read them is taken away now."""
    with workspace.place.database.atomic() as c:
        left = ledger.let_go_of_all(c, ledger.SENDING, ref)
        ledger.take_away_unheld(c, workspace.clock.stamp(), left)
    if left:
        finish_erasing(workspace)


def clear_up(workspace: Workspace) -> Duty:
    """Return the duty of taking away what sendings left that a kill ended."""

    def finish(taken: Taken, outcome: Any) -> None:
        root = Path(taken.data["root"])
        if root.is_relative_to(workspace.place.cache):
            shutil.rmtree(root, ignore_errors=True)  # a message's files, made there for a moment
        else:
            sweep_parts(root, taken.ref)
        _let_go(workspace, taken.ref)
        with workspace.place.database.atomic() as c:
            work.done(c, taken)

    return Duty(work.SENDING, finish, "sendings.wait")
