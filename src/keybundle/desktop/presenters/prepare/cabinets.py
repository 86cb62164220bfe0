"""Cabinets in Prepare: levels, where each type takes them from, and a table of all."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.records import dataclass
from keybundle.core.setup.formulas import read_level
from keybundle.core.setup.model import Cabinet, DocumentType, Setup
from keybundle.core.setup.parts import Named
from keybundle.core.workflows.keep.documents.correcting import Corrected, take_back_correction
from keybundle.core.workflows.prepare.cabinets import cabinets, refiling
from keybundle.core.workflows.prepare.cabinets.cabinets import CabinetRow
from keybundle.core.workflows.prepare.cabinets.refiling import Refiled, Rehearsed
from keybundle.core.workflows.prepare.parts import parts
from keybundle.desktop.presenters.doing import Doing
from keybundle.desktop.presenters.partly import say_rest
from keybundle.desktop.presenters.prepare.forms import Choices, FormField, Section, of_parts, values_of
from keybundle.desktop.presenters.prepare.parts import PartsPresenter, PartsState, say_documents
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.undoing import Undo
from keybundle.desktop.words import tr

SOURCE = "source"


@dataclass(frozen=True)
class CabinetsState(PartsState):
    """What the editor of cabinets shows; ``like`` is another cabinet (id, name) of the same levels."""

    like: tuple[str, str] = ("", "")
    doing: str = ""


@dataclass(frozen=True)
class Levels:
    """Other levels of a cabinet that holds documents, and what they would do."""

    cabinet: Cabinet
    base: Cabinet
    rehearsed: Rehearsed


class CabinetsPresenter(PartsPresenter):
    """State and verbs of the editor of cabinets."""

    kind = "cabinets"
    table_found = Signal(object)
    rehearsed = Signal(object)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(seat, parent)
        self.doing = Doing(seat.runner, self)
        self.doing.changed.connect(lambda: self._show(doing=self.doing.told))

    def first_state(self) -> CabinetsState:
        """Return the state before anything is known."""
        return CabinetsState()

    def note(self, setup: Setup, part: Named) -> str:
        """Return the levels of a cabinet."""
        assert isinstance(part, Cabinet)
        return " / ".join(level.name for level in part.folder_fields)

    def form(self, setup: Setup, part: Named) -> tuple[Section, ...]:
        """Return what can be changed about a cabinet, and where each of its types takes its levels from."""
        assert isinstance(part, Cabinet)
        own = Section(
            tr("Cabinet"),
            (
                FormField("name", tr("Name"), longest=80),
                FormField("description", tr("Description")),
                FormField(
                    "storage_area", tr("Storage area"), "pick", choices=of_parts(setup.storage_areas),
                    help=tr("Where its files lie; filers never meet the question."),
                ),
            ),
        )  # fmt: skip
        levels = Section(
            tr("Folder fields"),
            (
                FormField(
                    "folder_fields", tr("Levels, the highest first"), "items", hint=tr("Name of a level, Enter"),
                    help=tr("Each document lies in the folder that its values say: one level for each field here."),
                ),
            ),
        )  # fmt: skip
        kinds = [k for k in setup.document_types if k.cabinet == part.id]
        sources = tuple(source_section(k, part) for k in kinds if part.folder_fields)
        return (own, levels, *sources)

    def more(self, setup: Setup, part: Named | None) -> dict[str, Any]:
        """Return another cabinet with the same levels, where nothing is used of this one yet but its levels."""
        like = cabinets.same_levels(setup, part) if isinstance(part, Cabinet) else None
        return {"like": (like.id, like.name) if like is not None else ("", "")}

    def values(self, setup: Setup, part: Named, sections: tuple[Section, ...]) -> dict[str, Any]:
        """Return what a cabinet has in each field, and where its types take its levels from."""
        assert isinstance(part, Cabinet)
        own = values_of(part, sections[:2])
        kinds = [k for k in setup.document_types if k.cabinet == part.id]
        return {**own, **{f"{SOURCE} {k.id} {level}": source_of(k, level) for k in kinds for level in part.levels}}

    def with_changes(self, part: Any, changes: Mapping[str, Any]) -> Any:
        """Return a cabinet as changes make it."""
        if "folder_fields" in changes:
            used = self._s.workspace.used_ids().get(f"cabinets/{part.id}", set())
            return cabinets.with_levels(part, changes["folder_fields"], used)
        return super().with_changes(part, changes)

    def change(self, changes: Mapping[str, Any]) -> None:
        """Change the cabinet, or where one of its types takes a level from."""
        name = next(iter(changes))
        if name == "folder_fields":
            self._change_levels(changes)
            return
        if not name.startswith(SOURCE):
            super().change(changes)
            return
        setup = self._s.workspace.setup
        kind = next(k for k in setup.document_types if name.startswith(f"{SOURCE} {k.id} "))
        level = name.removeprefix(f"{SOURCE} {kind.id} ")
        self._change_source(kind, level, str(changes[name]))

    def _change_levels(self, changes: Mapping[str, Any]) -> None:
        """Change the levels; where documents lie in the cabinet, say first what that would do to them."""
        session, base = self._s.session, self.state.part
        assert isinstance(base, Cabinet)
        try:
            cabinet = self.with_changes(base, changes)
        except InputProblem:
            super().change(changes)  # it is refused there, beside its field
            return
        if cabinet.levels == base.levels:
            super().change(changes)
            return

        def done(found: Rehearsed) -> None:
            if found.documents:
                self.rehearsed.emit(Levels(cabinet, base, found))
            else:
                super(CabinetsPresenter, self).change(changes)

        self._s.runner.query(
            lambda: refiling.rehearse_levels(session, cabinet), done, key="levels", owner=self, on_error=self._could_not
        )

    def refile(self, levels: Levels) -> None:
        """Give the cabinet other levels and file its documents anew; it can be stopped, and Undo takes all of it back."""
        session = self._s.session

        def done(found: Refiled) -> None:
            moved = say_documents(len(found.corrected.versions))
            self.said.emit(tr("{name}: {moved} filed anew", name=levels.cabinet.name, moved=moved))
            if rest := say_rest(found.corrected):
                self.failed.emit(rest)
            self._editing.note(
                Undo(tr("{name}: levels", name=levels.cabinet.name), lambda: refiling.take_back_levels(session, found))
            )
            self._s.bus.tell(Changes(repository=True, setup=True))
            self.refresh()

        self.doing.begin(
            tr("Filing anew"),
            lambda tell, cancel: refiling.change_levels(session, levels.cabinet, levels.base, progress=tell, cancel=cancel),
            done, self._could_not, owner=self,
        )  # fmt: skip

    def go_on(self) -> None:
        """Go on filing anew what was left when it was stopped."""
        session, chosen = self._s.session, self.state.chosen

        def done(found: Corrected) -> None:
            self.said.emit(tr("{moved} filed anew", moved=say_documents(len(found.versions))))
            if rest := say_rest(found):
                self.failed.emit(rest)
            self._editing.note(Undo(tr("filed anew"), lambda: take_back_correction(session, found)))
            self._s.bus.tell(Changes(repository=True))
            self.refresh()

        self.doing.begin(
            tr("Filing anew"), lambda tell, cancel: refiling.refile(session, chosen, progress=tell, cancel=cancel), done,
            self._could_not, owner=self,
        )  # fmt: skip

    def _change_source(self, kind: DocumentType, level: str, source: str) -> None:
        session = self._s.session
        changed = kind.model_copy(update={"folder": {**kind.folder, level: source}})

        def done(documents: int) -> None:
            stay = tr(" What is filed stays where it is: {n}.", n=say_documents(documents)) if documents else ""
            self.said.emit(tr("Kept: {name}", name=kind.name) + stay)
            self.refresh()

        self._editing.keep(
            lambda: parts.save_part(session, "document_types", changed, kind),
            lambda _: Undo(
                tr("{name}: folder", name=kind.name), lambda: parts.save_part(session, "document_types", kind, changed)
            ),
            done, self._could_not,
        )  # fmt: skip

    def tell_kept(self, part: Named, touched: int) -> str:
        """Return what is said once a cabinet is kept, with how many documents lie in it."""
        return tr("Kept: {name}, with {documents}", name=part.name, documents=say_documents(touched))

    def share_instead(self) -> None:
        """Let the types of this cabinet go to the one with the same levels, and remove this one."""
        session, part, (other, _) = self._s.session, self.state.part, self.state.like
        if part is None or not other:
            return

        def done(_: object) -> None:
            self._show(chosen=other)
            self.refresh()

        self._s.runner.change(
            lambda: cabinets.share_instead(session, part.id, other), done, lane="setup", owner=self,
            on_error=self._could_not,
        )  # fmt: skip

    def ask_table(self) -> None:
        """Ask for the table of all cabinets."""
        session = self._s.session

        def done(rows: list[CabinetRow]) -> None:
            self.table_found.emit(tuple((r.id, self._tell(r)) for r in rows))

        self._s.runner.query(
            lambda: cabinets.list_cabinets(session), done, key="cabinets", owner=self, on_error=self.failed.emit
        )

    def _tell(self, row: CabinetRow) -> tuple[str, ...]:
        last = self._s.say_time(row.last_filed) if row.last_filed else ""
        return (
            row.name, ", ".join(row.levels), f"{row.fields:,}", f"{row.folders:,}", f"{row.documents:,}", last, row.area
        )  # fmt: skip


def source_section(kind: DocumentType, cabinet: Cabinet) -> Section:
    """Return the part of a form that says where a type takes each level of a cabinet from."""
    choices = source_choices(kind)
    return Section(
        tr("{type} lies in the folder of", type=kind.name),
        tuple(
            FormField(
                f"{SOURCE} {kind.id} {level.id}", level.name, "pick", choices=choices, none=tr("nothing says it yet")
            )
            for level in cabinet.folder_fields
        ),
    )


def source_of(kind: DocumentType, level: str) -> str:
    """Return where a type takes a level from, empty for nowhere yet."""
    return kind.folder.get(level, level if kind.field(level) is not None else "")


def source_choices(kind: DocumentType) -> Choices:
    """Return all that a level can come from in a type, in words."""
    return tuple((source, say_source(kind, source)) for source in cabinets.level_sources(kind))


def say_source(kind: DocumentType, source: str) -> str:
    """Return where a level comes from, in words."""
    level = read_level(source)
    name = kind.label(level.field)
    if not level.part:
        return name
    return tr("year of {field}", field=name) if level.part == "year" else tr("month of {field}", field=name)
