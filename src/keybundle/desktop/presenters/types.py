"""Document types in Prepare: the chosen one, its caption with a live example, and what each field asks."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.boxes import Box
from keybundle.core.base.errors import InputProblem
from keybundle.core.fields.kinds import Kind
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import DocumentType, called
from keybundle.core.workflows.prepare import parts, pointing, routines, types
from keybundle.core.workflows.prepare.pointing import PointedPage
from keybundle.desktop.presenters.bench_state import PageShown
from keybundle.desktop.presenters.editing import Editing, Kept, tell_parts
from keybundle.desktop.presenters.seat import Seat, say_grantees
from keybundle.desktop.words import tr, worded

ZONE_MARGIN = 0.004


@dataclass(frozen=True)
class TypesState:
    """All that the editor of types shows; ``caption`` and ``key`` in the names of the fields, as people write them."""

    names: tuple[str, ...] = ()
    kind: DocumentType | None = None
    caption: str = ""
    key: tuple[str, ...] = ()
    captions: tuple[str, ...] = ()
    told: Mapping[str, str] = field(default_factory=dict)
    registers: tuple[str, ...] = ()
    example: str = ""
    problem: str = ""
    undo: str = ""
    can_change: bool = False
    grantees: tuple[tuple[str, str], ...] = ()


class TypesPresenter(QObject):
    """State and verbs of the editor of types; every change is kept at once."""

    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)
    pointed = Signal(object)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.state = TypesState()
        self._pointed = ""
        self._editing = Editing(seat, self.said.emit, self.failed.emit, self.refresh)

    def choose(self, name: str) -> None:
        """Show another type."""
        found = called(self._s.workspace.setup.document_types, name)
        if found is not None:
            self.refresh(found.id)

    def refresh(self, chosen: str = "") -> None:
        """Show a type by its id (else the one shown before, else the first)."""
        if self._editing.is_keeping and not chosen:
            return
        ws, chosen = self._s.workspace, chosen or (self.state.kind.id if self.state.kind else "")
        setup = ws.setup
        kind = setup.document_type(chosen) or (setup.document_types[0] if setup.document_types else None)
        can_change = self._s.may(Right.PREPARE)
        captions = tuple(types.prepared_captions(kind)) if kind else ()
        names = tuple(k.name for k in setup.document_types)
        told = types.told_patterns(kind) if kind else {}
        registers = tuple(r.name for r in setup.registers)
        self._show(names=names, **_shown(kind), captions=captions, told=told, registers=registers, can_change=can_change,
                   grantees=say_grantees(self._s.session),
                   problem="", undo=self._editing.undo_told)  # fmt: skip
        if kind is not None:
            self._ask_example(kind)

    def _show(self, **changes: Any) -> None:
        self.state = replace(self.state, **changes)
        self.changed.emit(self.state)

    def _ask_example(self, kind: DocumentType) -> None:
        self._s.runner.query(
            lambda: types.example_caption(self._s.session, kind), lambda x: self._show(example=x), key="example"
        )

    def try_caption(self, caption: str) -> None:
        """Show what a caption pattern makes of a filed document, before it is kept."""
        if self.state.kind is not None:
            self._ask_example(
                self.state.kind.model_copy(update=types.from_words(self.state.kind, {"caption": caption}))
            )

    def change(self, changes: Mapping[str, Any]) -> None:
        """Change parts of the type."""
        kind = self.state.kind
        if kind is not None:
            self._keep(lambda: types.change_type(kind, types.from_words(kind, changes)))

    def change_field(self, name: str, changes: Mapping[str, Any]) -> None:
        """Change parts of one of its fields."""
        kind = self.state.kind
        if kind is not None:
            self._keep(lambda: types.change_field(kind, name, changes))

    def change_told(self, on: str, pattern: str) -> None:
        """Change what tells the type for certain: its words, a barcode, its source."""
        kind = self.state.kind
        if kind is not None and self.state.told.get(on, "") != pattern:
            self._keep(lambda: types.change_told(kind, on, pattern))

    def add_field(self, name: str, value_kind: str, register: str) -> None:
        """Add a field at the end."""
        kind = self.state.kind
        if kind is not None:
            ws = self._s.workspace
            found = called(ws.setup.registers, register) if register else None
            used = ws.used_ids().get(f"document_types/{kind.id}", set())
            known = found.id if found is not None else register
            self._keep(lambda: types.add_field(kind, name, Kind(value_kind), register=known, used=used))

    def remove_field(self, name: str) -> None:
        """Ask for a field no more; documents that are filed keep their values."""
        kind = self.state.kind
        if kind is not None:
            self._keep(lambda: types.remove_field(kind, name))

    def _keep(self, make: Callable[[], DocumentType]) -> None:
        s, before = self._s, self.state.kind
        try:
            kind = make()
        except InputProblem as error:
            self._show(problem=worded(error))
            return
        if before is None or kind == before:
            self._show(problem="")
            return
        # Shown at once, so that the next change builds on this one while it is still being kept.
        self._show(**_shown(kind), problem="")

        def kept(_: object) -> Kept:
            told = tell_parts(kind.name, before.model_dump(), kind.model_dump())
            return Kept(told, lambda: parts.save_part(s.session, "document_types", before, kind))

        def done(documents: int) -> None:
            stay = (
                tr(" The {documents:,} filed already stay as they are.", documents=documents) if documents > 1 else ""
            )
            self.said.emit(
                tr(
                    "Kept: {name}.{stay}",
                    name=kind.name,
                    stay=stay or (tr(" The one filed already stays as it is.") if documents else ""),
                )
            )
            self.refresh()

        def refused(told: str) -> None:
            if self.state.kind is not None and self.state.kind.id == kind.id:
                self.refresh(kind.id)
                self._show(problem=told)
            else:
                self.failed.emit(tr("{name} stays as it was. {told}", name=kind.name, told=told))

        self._editing.keep(lambda: parts.save_part(s.session, "document_types", kind, before), kept, done, refused)

    def undo(self) -> None:
        """Put back what one changed last here."""
        self._editing.undo()

    def point(self, offset: int = 0) -> None:
        """Show a first page of the type (else any page of the newest batch) to point at, or the next one from there."""
        s, before, kind = self._s, self._pointed, self.state.kind.id if self.state.kind else ""

        def load() -> PointedPage | None:
            samples = [sample.id for sample in routines.list_samples(s.session, 5)]
            batch = pointing.choose_sample(s.session, samples, kind)
            if batch is None:
                return None
            ids = pointing.pages_to_point_at(s.session, batch, kind)
            here = ids.index(before) + offset if offset and before in ids else 0
            return pointing.load_page(s.session, s.pool, batch, ids[max(0, min(len(ids) - 1, here))])

        def done(found: PointedPage | None) -> None:
            if found is None:
                self.failed.emit(tr("There is no page to point at; scan or import a sample batch first."))
                return
            self._pointed = found.id
            words = found.text.words if found.text else ()
            self.pointed.emit(
                PageShown(found.id, str(found.picture), found.width, found.height, words, told=found.told)
            )

        s.runner.query(load, done, key="point type", on_error=self.failed.emit)

    def take_zone(self, field: str, shown: PageShown, box: Box) -> None:
        """Let a field stand in a zone of every first page."""
        zone = pointing.zone_of(box, shown.width, shown.height, margin=ZONE_MARGIN).model_dump()
        self.change_field(field, {"zone": zone})


def _shown(kind: DocumentType | None) -> dict[str, Any]:
    return {"kind": kind, **(types.in_words(kind) if kind is not None else {})}
