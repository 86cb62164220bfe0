"""Files that come in: the routine they come in under, folders that give values, and separator sheets to print."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.ids import BatchId
from keybundle.core.setup.model import called
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.take_in.capture import ImportPlan, plan_import
from keybundle.core.workflows.take_in.waiting import Waiting
from keybundle.desktop.presenters.incoming import Incoming, Source
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.work_state import MappingAsked, say_whose
from keybundle.desktop.words import mark, tr

ONE_SIDE = mark("Pictures, PDF, texts and ZIP, one document for each file. Drop files here, or onto a batch.")
BOTH_SIDES = mark(
    "Pictures and PDF whose pages are fronts and backs in turn: two are a sheet. Drop files here, or onto a batch."
)


class FilesIn(Source):
    """Verbs of the card for files."""

    mapping_asked = Signal(object)

    def __init__(
        self, seat: Seat, incoming: Incoming, routine_of: Callable[[BatchId | None], Routine | None],
        parent: QObject | None = None,
    ) -> None:  # fmt: skip
        super().__init__(seat, incoming, routine_of, parent)
        self._chosen = ""

    def parts(self) -> dict[str, Any]:
        """Return what the work place shows of it."""
        routine = self._routine(None)
        told = tr(BOTH_SIDES if routine is not None and routine.duplex else ONE_SIDE)
        if routine is not None and (routine.given_to.people or routine.given_to.groups):
            told += " " + say_whose(routine, self._s.workspace.setup)
        return {
            "file_routines": tuple(r.name for r in self._of_files()), "file_routine": routine.name if routine else "",
            "files_told": told,
            "types": tuple(k.name for k in self._s.workspace.setup.document_types),
        }  # fmt: skip

    def _of_files(self) -> list[Routine]:
        return [r for r in self._s.session.routines() if r.source == "files"]

    def _routine(self, into: BatchId | None) -> Routine | None:
        of_files = self._of_files()
        chosen = next((r for r in of_files if r.id == self._chosen), next(iter(of_files), None))
        return self._routine_of(into) or chosen

    def choose_routine(self, name: str) -> None:
        """Bring files in under another routine from now on."""
        found = called(self._of_files(), name)
        self._chosen = found.id if found is not None else name
        self.changed.emit()

    def import_files(
        self, files: list[Path], into: BatchId | None = None, given: Mapping[str, str] | None = None
    ) -> None:
        """Bring files in under the routine for files, or into an open batch; folders are asked about first."""
        s, routine = self._s, self._routine(into)
        if routine is None:
            self.failed.emit(tr("There is no routine for files yet; add one under Prepare."))
            return
        given = {**self._incoming.take_given(), **(given or {})}
        if not any(f.is_dir() for f in files):
            self.take_in(files, into, given, {})
            return

        def planned(plan: ImportPlan) -> None:
            if not plan.files:
                self.failed.emit(tr("There is no file in that folder that can be read; nothing was taken in."))
            elif plan.levels:
                self.mapping_asked.emit(MappingAsked(tuple(files), into, given, plan))
            else:
                self.take_in(files, into, given, {})

        s.runner.query(lambda: plan_import(s.session, routine, files), planned, key="plan", on_error=self.failed.emit)

    def take_in(
        self, files: Sequence[Path], into: BatchId | None, given: Mapping[str, str], levels: Mapping[int, str]
    ) -> None:
        """Bring files in, levels of their folders mapped to fields; after what is coming in now, and it can be stopped."""
        s, routine = self._s, self._routine(into)
        if routine is None:
            return
        waiting_id = s.workspace.clock.new_id()
        self._incoming.take_in(Waiting(waiting_id, routine.id, tuple(files), into, dict(given), dict(levels)))

    def leave_mapping(self, asked: MappingAsked) -> None:
        """Bring nothing in; values that were to come along wait for the next stack."""
        self._incoming.bring_along(asked.given)

    def save_sheets(self, path: Path, type_name: str) -> None:
        """Write a separator sheet to print; with a type the document that follows is of it."""

        def work() -> None:
            from keybundle.core.workflows.prepare.routines.sheets import (
                write_separators,  # draws, and the window starts without that
            )

            kind = called(self._s.workspace.setup.document_types, type_name) if type_name else None
            write_separators(path, kind.id if kind is not None else type_name)

        self._s.runner.long(
            work, lambda _: self.said.emit(tr("Written: {name}", name=path.name)), owner=self, on_error=self.failed.emit
        )
