"""Opening a repository; and its stores, which are the session's and the machine's alone.

Whoever else works on batches and documents gets a handle from a session (``handles.py``), which asks first: an import
contract lets no other room come here.
"""

from __future__ import annotations

from pathlib import Path

from keybundle.core.base.clock import Clock
from keybundle.core.batches.store import BatchStore
from keybundle.core.repository.store import Repository
from keybundle.core.store import work
from keybundle.core.store.place import Place, drop_copies, open_place
from keybundle.core.store.reserve import keep_reserve
from keybundle.core.workflows.session.workspace import Workspace


class OpenWorkspace(Workspace):
    """A workspace with its stores; made by ``open_workspace``, handed on as a plain one."""

    def __init__(self, place: Place) -> None:
        super().__init__(place)
        self.batches = BatchStore(place.database, place.clock, self._settle)
        self.batches.size_of, self.batches.holder = place.files.size, place.holder
        self.repository = Repository(place.database, place.clock, lambda: self.setup.locale, place.files.size)


def open_workspace(root: Path, *, create: bool = True, clock: Clock | None = None, held: bool = False) -> OpenWorkspace:
    """Open a data directory; ``held`` says that the caller holds it. Raises EnvironmentProblem in words."""
    workspace = OpenWorkspace(open_place(root, create=create, clock=clock, held=held))
    if held:
        with workspace.place.database.atomic() as c:
            work.free_all_but(c, workspace.clock, workspace.place.holder)
        keep_reserve(workspace.place.root)
    if held and workspace.has_setup and workspace.setup and not workspace.place.was_brought_up:
        drop_copies(workspace.place)  # this start went well: the set-up could be read
    return workspace


def batches_of(workspace: Workspace) -> BatchStore:
    """Return all batches of a workspace, whosever they are: for the session's room and the machine's own work."""
    assert isinstance(workspace, OpenWorkspace)
    return workspace.batches


def repository_of(workspace: Workspace) -> Repository:
    """Return all documents of a workspace, whoever may see them: for the session's room and the machine's own work."""
    assert isinstance(workspace, OpenWorkspace)
    return workspace.repository
