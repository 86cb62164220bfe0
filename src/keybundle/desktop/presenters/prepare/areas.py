"""Storage areas in Prepare: where each is and how full, which cabinets use it, and files brought to where they belong."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from PySide6.QtCore import QObject

from keybundle.core.base.records import dataclass
from keybundle.core.setup.model import Setup, StorageArea, name_of
from keybundle.core.setup.parts import Named
from keybundle.core.workflows.keep.areas import relocating
from keybundle.core.workflows.prepare.cabinets import areas
from keybundle.core.workflows.prepare.cabinets.areas import AreaState
from keybundle.core.workflows.prepare.parts import parts
from keybundle.desktop.presenters.doing import Doing
from keybundle.desktop.presenters.prepare.editing import LANE
from keybundle.desktop.presenters.prepare.forms import FormField, Section
from keybundle.desktop.presenters.prepare.parts import PartsPresenter, PartsState
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr, trn, worded

GB = 1 << 30


@dataclass(frozen=True)
class AreasState(PartsState):
    """What is shown besides: the cabinets (id, name, name of their area), and what does not lie where it belongs."""

    away: tuple[str, ...] = ()
    cabinets: tuple[tuple[str, str, str], ...] = ()
    astray: int = 0
    told: str = ""
    doing: str = ""


class AreasPresenter(PartsPresenter):
    """State and verbs."""

    kind = "storage_areas"

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        self._known: dict[str, AreaState] = {}
        super().__init__(seat, parent)
        self.doing = Doing(seat.runner, self)
        self.doing.changed.connect(lambda: self._show(doing=self.doing.told))

    def first_state(self) -> AreasState:
        """Return the state before anything is known."""
        return AreasState()

    def note(self, setup: Setup, part: Named) -> str:
        """Return how full an area is, as far as that is known."""
        known = self._known.get(part.id)
        return _say_area(known) if known is not None else ""

    def form(self, setup: Setup, part: Named) -> tuple[Section, ...]:
        """Return what can be changed about an area."""
        told = tr(
            "Another folder can be chosen as long as nothing lies in this one; else add an area, and bring the files there."
        )
        return (
            Section(tr("Storage area"), (
                FormField("name", tr("Name"), longest=80),
                FormField("path", tr("Folder"), "folder", help=told),
            ), help=self.note(setup, part)),
        )  # fmt: skip

    def values(self, setup: Setup, part: Named, sections: tuple[Section, ...]) -> dict[str, Any]:
        """Return an area's name and its folder, whole."""
        assert isinstance(part, StorageArea)
        return {"name": part.name, "path": str(self._s.workspace.place.root / part.path)}

    def more(self, setup: Setup, part: Named | None) -> dict[str, Any]:
        """Return the cabinets with the area of each."""
        return {"cabinets": tuple((c.id, c.name, name_of(setup.storage_areas, c.storage_area)) for c in setup.cabinets)}

    def was_shown(self) -> None:
        """Ask how full the areas are, and what lies elsewhere."""
        s = self._s

        def done(found: tuple[list[AreaState], int]) -> None:
            rows, astray = found
            self._known = {a.id: a for a in rows}
            lie = trn(
                "{n:,} file lies elsewhere than its cabinet says.",
                "{n:,} files lie elsewhere than their cabinets say.",
                astray,
            )
            setup = s.workspace.setup
            known = {a.id: a for a in setup.storage_areas}
            part = self.state.part
            self._show(
                rows=tuple(replace(r, note=self.note(setup, known[r.id])) for r in self.state.rows if r.id in known),
                sections=self.form(setup, part) if part is not None else (), away=tuple(a.id for a in rows if a.is_away),
                astray=astray, told=lie if astray else tr("All files lie where their cabinets say."),
            )  # fmt: skip

        s.runner.query(
            lambda: (areas.list_areas(s.session), relocating.count_astray(s.session)), done, key="areas", owner=self,
            on_error=self.failed.emit,
        )  # fmt: skip

    def add(self, name: str) -> None:
        """Add an area in a folder of its own; another folder is chosen in its form."""
        session = self._s.session
        if name.strip():
            self._add(lambda: areas.add_area(session, name), typed=name)

    def copy(self) -> None:
        """Add another area: two of them in one folder would be one."""
        if self.state.part is not None:
            self.add(parts.free_name(self.state.part.name, [row.name for row in self.state.rows]))

    def with_changes(self, part: Any, changes: Mapping[str, Any]) -> Any:
        """Return an area as changes make it; a folder that is the same is no change."""
        root = self._s.workspace.place.root
        same = "path" in changes and (root / str(changes["path"])).resolve() == (root / part.path).resolve()
        return super().with_changes(part, {k: v for k, v in changes.items() if not (same and k == "path")})

    def put(self, cabinets: Sequence[str]) -> None:
        """Let cabinets' files lie in the chosen area from now on; what is filed already is moved by ``relocate``."""
        s, chosen, area = self._s, list(cabinets), self.state.chosen
        if area and chosen:
            s.runner.change(
                lambda: areas.set_cabinets_area(s.session, chosen, area),
                lane=LANE,
                owner=self,
                on_error=self.failed.emit,
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


def _say_area(area: AreaState) -> str:
    files = trn("{n:,} file", "{n:,} files", area.files)
    if area.is_away:
        return tr("away just now, with {files}; what is filed there waits", files=files)
    free, size = f"{area.free / GB:,.1f}", f"{area.size / GB:,.1f}"
    return tr("{free} of {size} GB free, {files}", free=free, size=size, files=files)
