"""Storage areas in Prepare: how full they are, which cabinets use them, and files brought to where they belong."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import called, name_of
from keybundle.core.workflows.keep import relocating
from keybundle.core.workflows.prepare import areas
from keybundle.core.workflows.prepare.areas import AreaState
from keybundle.desktop.presenters.doing import Doing
from keybundle.desktop.presenters.prepare.editing import LANE
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr, trn, worded

GB = 1 << 30


@dataclass(frozen=True)
class AreaRow:
    """A storage area: its name, its place, its room and files in words, and whether it is there just now."""

    name: str
    place: str
    told: str
    is_away: bool


@dataclass(frozen=True)
class AreasState:
    """All that is shown: the areas, the cabinets (id, name, name of their area), and what does not lie where it belongs."""

    rows: tuple[AreaRow, ...] = ()
    cabinets: tuple[tuple[str, str, str], ...] = ()
    astray: int = 0
    told: str = ""
    doing: str = ""
    may_change: bool = False


class AreasPresenter(QObject):
    """State and verbs."""

    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.state = AreasState()
        self.doing = Doing(seat.runner, self)
        self.doing.changed.connect(self._publish)
        seat.bus.changed.connect(self._on_changes)

    def _on_changes(self, changes: Changes) -> None:
        if changes.setup:
            self.refresh()

    @property
    def may_prepare(self) -> bool:
        """Whether who is at work here may change areas; the others see the list alone."""
        return self._s.may(Right.PREPARE)

    def refresh(self) -> None:
        """Ask anew how things stand."""
        s = self._s
        if not self.may_prepare:
            return

        def done(found: tuple[list[AreaState], int]) -> None:
            rows, astray = found
            setup = s.workspace.setup
            lie = trn(
                "{n:,} file lies elsewhere than its cabinet says.",
                "{n:,} files lie elsewhere than their cabinets say.",
                astray,
            )
            self.state = replace(
                self.state, rows=tuple(_row(a) for a in rows), may_change=True, astray=astray,
                cabinets=tuple((c.id, c.name, name_of(setup.storage_areas, c.storage_area)) for c in setup.cabinets),
                told=lie if astray else tr("All files lie where their cabinets say."),
            )  # fmt: skip
            self._publish()

        s.runner.query(
            lambda: (areas.list_areas(s.session), relocating.count_astray(s.session)), done, key="areas", owner=self,
            on_error=self.failed.emit,
        )  # fmt: skip

    def _publish(self) -> None:
        self.state = replace(self.state, doing=self.doing.told)
        self.changed.emit(self.state)

    def add(self, name: str, folder: Path) -> None:
        """Add an area in a folder."""
        s = self._s
        s.runner.change(
            lambda: areas.add_area(s.session, name, folder), lambda _: self.said.emit(tr("Added: {name}", name=name)),
            lane=LANE, owner=self, on_error=self._refused,
        )  # fmt: skip

    def _refused(self, told: str) -> None:
        self.failed.emit(told)
        self.refresh()

    def put(self, cabinet: str, area_name: str) -> None:
        """Let a cabinet's files lie in another area from now on; what is filed already is moved by ``relocate``."""
        s = self._s
        area = called(s.workspace.setup.storage_areas, area_name)
        if area is None:
            return

        s.runner.change(
            lambda: areas.set_cabinet_area(s.session, cabinet, area.id), lane=LANE, owner=self, on_error=self._refused
        )

    def relocate(self) -> None:
        """Bring files where they belong; it can be stopped, and goes on from there when it is begun again."""
        s = self._s

        def done(found: relocating.Relocated) -> None:
            self.said.emit(
                tr(
                    "{brought} brought, {gone} taken away",
                    brought=trn("{n:,} file", "{n:,} files", found.brought),
                    gone=trn("{n:,} file", "{n:,} files", found.taken_away),
                )
            )
            if found.left:
                files = trn("{n:,} file", "{n:,} files", len(found.left))
                self.failed.emit(tr("{files} stay for now: {why}", files=files, why=worded(found.left[0][1])))
            self.refresh()

        self.doing.begin(
            tr("Bringing files where they belong"),
            lambda tell, cancel: relocating.relocate(s.session, progress=tell, cancel=cancel), done, self.failed.emit, owner=self,
        )  # fmt: skip

    def stop(self) -> None:
        """Stop after the file in hand."""
        self.doing.stop()


def _row(area: AreaState) -> AreaRow:
    files = trn("{n:,} file", "{n:,} files", area.files)
    if area.is_away:
        return AreaRow(
            area.name, area.root, tr("away just now, with {files}; what is filed there waits", files=files), True
        )
    free, size = f"{area.free / GB:,.1f}", f"{area.size / GB:,.1f}"
    return AreaRow(
        area.name, area.root, tr("{free} of {size} GB free, {files}", free=free, size=size, files=files), False
    )
