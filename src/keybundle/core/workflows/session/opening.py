"""Opening a repository; and its stores, which are the session's and the machine's alone.

Whoever else works on batches and documents gets a handle from a session (``handles.py``), which asks first: an import
contract lets no other room come here.
"""

from __future__ import annotations

import threading
from pathlib import Path
from typing import TYPE_CHECKING

from keybundle.core.base.clock import Clock
from keybundle.core.store import work
from keybundle.core.store.place import Place, drop_copies, open_place
from keybundle.core.store.reserve import keep_reserve
from keybundle.core.workflows.session.workspace import Workspace

if TYPE_CHECKING:
    from keybundle.core.batches.store import BatchStore
    from keybundle.core.repository.store import Repository


class OpenWorkspace(Workspace):
    """A workspace with its stores; made by ``open_workspace``, handed on as a plain one.

    A store is loaded when it is asked for first: who looks something up need not load what batches are made with.
    """

    def __init__(self, place: Place) -> None:
        super().__init__(place)
        self._stores = threading.Lock()
        self._batches: BatchStore | None = None
        self._repository: Repository | None = None

    @property
    def batches(self) -> BatchStore:
        """All batches."""
        from keybundle.core.batches.store import BatchStore

        with self._stores:
            if self._batches is None:
                self._batches = BatchStore(self.place.database, self.place.clock, self._settle)
                self._batches.size_of, self._batches.holder = self.place.files.size, self.place.holder
            return self._batches

    @property
    def repository(self) -> Repository:
        """All filed documents."""
        from keybundle.core.repository.store import Repository

        with self._stores:
            if self._repository is None:
                clock, files = self.place.clock, self.place.files
                self._repository = Repository(self.place.database, clock, lambda: self.setup.locale, files.size)
            return self._repository


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
