"""Routines in Prepare: the chosen one, its changes, and the rehearsal on a sample batch."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from keybundle.core.base.boxes import Box
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.progress import CancelToken
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import called, name_of
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.arrange import separating
from keybundle.core.workflows.arrange.separating import Rehearsal
from keybundle.core.workflows.prepare import parts, pointing, routines, types
from keybundle.core.workflows.prepare.pointing import PointedBarcode, PointedPage
from keybundle.core.workflows.prepare.routines import Sample
from keybundle.desktop.presenters.bench_state import PageShown
from keybundle.desktop.presenters.editing import Editing, Kept, tell_parts
from keybundle.desktop.presenters.seat import Seat, say_grantees
from keybundle.desktop.words import tr, trn, worded

WAIT_MS = 250


__all__ = ["PointedBarcode", "RehearsedSide", "RoutineState", "RoutinesPresenter", "tell_sides"]


@dataclass(frozen=True)
class RehearsedSide:
    """What a routine would do with a side, in a sentence; ``kind`` is break, kept or left out."""

    number: int
    kind: str
    told: str
    note: str


@dataclass(frozen=True)
class RoutineState:
    """All that the routine's editor shows; ``chosen`` is the routine's id, ``name`` what it was called when kept last."""

    names: tuple[str, ...] = ()
    chosen: str = ""
    name: str = ""
    type_name: str = ""
    routine: Routine | None = None
    problem: str = ""
    samples: tuple[Sample, ...] = ()
    sample: str = ""
    sides: tuple[RehearsedSide, ...] = ()
    figures: str = ""
    open_batches: int = 0
    types: tuple[str, ...] = ()
    cabinets: tuple[str, ...] = ()
    can_change: bool = False
    grantees: tuple[tuple[str, str], ...] = ()
    undo: str = ""
    rehearsing: bool = False


class RoutinesPresenter(QObject):
    """State and verbs of the routine's editor."""

    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)
    conflicts_found = Signal(object)
    pointed = Signal(object, object)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.state = RoutineState()
        self._cancel = CancelToken()
        self._pointed = ""
        self._editing = Editing(seat, self.said.emit, self.failed.emit, self.refresh)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(WAIT_MS)
        self._timer.timeout.connect(self.rehearse)

    def _show(self, **changes: Any) -> None:
        if (routine := changes.get("routine")) is not None:
            changes["type_name"] = name_of(self._s.workspace.setup.document_types, routine.document_type)
        self.state = replace(self.state, **changes)
        self.changed.emit(self.state)

    def refresh(self) -> None:
        """Ask for the routines and the sample batches again."""
        ws, chosen = self._s.workspace, self.state.chosen

        def load() -> tuple[list[Sample], int]:
            known = chosen or (ws.setup.routines[0].id if ws.setup.routines else "")
            return routines.list_samples(self._s.session), len(routines.open_batches(self._s.session, known))

        self._s.runner.query(load, self._loaded, key="routines")

    def _loaded(self, found: tuple[list[Sample], int]) -> None:
        if self._editing.is_keeping:
            return
        setup = self._s.workspace.setup
        routine = setup.routine(self.state.chosen) or (setup.routines[0] if setup.routines else None)
        samples = tuple(found[0])
        sample = self.state.sample or next((s.id for s in samples), "")
        self._show(
            names=tuple(r.name for r in setup.routines), routine=routine, chosen=routine.id if routine else "",
            name=routine.name if routine else "",
            samples=samples, sample=sample,
            open_batches=found[1], types=tuple(t.name for t in setup.document_types),
            cabinets=tuple(c.name for c in setup.cabinets),
            can_change=self._s.may(Right.PREPARE), undo=self._editing.undo_told,
            grantees=say_grantees(self._s.session),
        )  # fmt: skip
        self._timer.start()

    def choose(self, name: str) -> None:
        """Show another routine."""
        routine = called(self._s.workspace.setup.routines, name)
        if routine is not None and routine.id != self.state.chosen:
            self._show(routine=routine, chosen=routine.id, name=routine.name, problem="")
            self.refresh()

    def choose_sample(self, batch_id: str) -> None:
        """Rehearse on another batch."""
        self._show(sample=batch_id, sides=(), figures="")
        self.rehearse()

    def change(self, changes: Mapping[str, Any]) -> None:
        """Change parts of the routine; kept at once, told in words where it does not hold together."""
        base, s = self.state.routine, self._s
        if base is None:
            return
        if kind := called(s.workspace.setup.document_types, changes.get("document_type") or ""):
            changes = {**changes, "document_type": kind.id}
        try:
            routine = parts.change_part(base, changes)
        except InputProblem as error:
            self._show(problem=worded(error))
            return
        if routine == base:
            self._show(problem="")
            return
        before = routine.id
        self._show(routine=routine, problem="")

        def kept(_: object) -> Kept:
            told = tell_parts(routine.name, base.model_dump(), routine.model_dump())
            return Kept(told, lambda: parts.save_part(s.session, "routines", base, routine))

        def done(_: object) -> None:
            self.said.emit(tr("Kept: {name}", name=routine.name))
            self.refresh()

        def refused(told: str) -> None:
            if self.state.chosen == before:
                self._show(routine=s.workspace.setup.routine(before), problem=told)
            else:
                self.failed.emit(tr("{name} stays as it was. {told}", name=base.name, told=told))

        self._editing.keep(lambda: parts.save_part(s.session, "routines", routine, base), kept, done, refused)

    def undo(self) -> None:
        """Put back what one changed last here."""
        self._editing.undo()

    def copy(self) -> None:
        """Make a copy of the routine and show it."""
        chosen = self.state.chosen
        if chosen:
            self._add(lambda: (parts.copy_part(self._s.session, "routines", chosen), ()))

    def remove(self) -> None:
        """Remove the routine; refused in words while batches of it are open."""
        s, base = self._s, self.state.routine
        if base is None:
            return
        name = base.name

        def done(_: object) -> None:
            self.said.emit(tr("Removed: {name}", name=name))
            self._show(chosen="" if self.state.chosen == base.id else self.state.chosen)
            self.refresh()

        self._editing.keep(
            lambda: parts.remove_part(s.session, "routines", base.id, base),
            lambda place: Kept(tr("{name}, removed", name=name), lambda: parts.put_part(s.session, "routines", base, place)),
            done, self.failed.emit,
        )  # fmt: skip

    def _add(self, add: Callable[[], tuple[str, tuple[str, ...]]]) -> None:
        """Add a routine and show it; ``add`` returns its id and what it still needs."""
        s = self._s

        def kept(found: tuple[str, tuple[str, ...]]) -> Kept:
            added = found[0]
            name = name_of(s.workspace.setup.routines, added)
            return Kept(tr("{name}, added", name=name), lambda: parts.remove_part(s.session, "routines", added))

        def done(found: tuple[str, tuple[str, ...]]) -> None:
            self._show(chosen=found[0])
            self.refresh()
            self.said.emit(
                " ".join(found[1]) or tr("Added: {routines}", routines=name_of(s.workspace.setup.routines, found[0]))
            )

        self._editing.keep(add, kept, done, self.failed.emit)

    def export(self, path: Path) -> None:
        """Write the routine as a text file."""
        s, name = self._s, self.state.chosen
        s.runner.change(
            lambda: routines.export_routine(s.session, name, path),
            lambda _: self.said.emit(tr("Written: {name}", name=path.name)),
            on_error=self.failed.emit,
        )  # fmt: skip

    def bring_in(self, path: Path) -> None:
        """Bring in the routines of a text file, and show the first of them."""
        self._add(lambda: routines.import_routines(self._s.session, path))

    def make_type(self, name: str, cabinet: str) -> None:
        """Make a document type that the routine is to have, its cabinet too where it is missing."""
        s = self._s
        s.runner.change(
            lambda: types.make_type(s.session, name, cabinet),
            lambda made: self.change({"document_type": made}), on_error=self.failed.emit,
        )  # fmt: skip

    def point(self, offset: int = 0) -> None:
        """Show a page of the sample batch to point at, or the next one from there."""
        s, sample, before = self._s, self.state.sample, self._pointed

        def load() -> PointedPage | None:
            ids = pointing.pages_to_point_at(s.session, sample) if sample else ()
            if not ids:
                return None
            here = ids.index(before) + offset if before in ids else 0
            return pointing.load_page(s.session, s.pool, sample, ids[max(0, min(len(ids) - 1, here))])

        def done(found: PointedPage | None) -> None:
            if found is None:
                self.failed.emit(tr("There is no page to point at; scan or import a sample batch first."))
                return
            self._pointed = found.id
            words = found.text.words if found.text else ()
            shown = PageShown(found.id, str(found.picture), found.width, found.height, words, told=found.told)
            self.pointed.emit(shown, found.barcodes)

        s.runner.query(load, done, key="point", on_error=self.failed.emit)

    def zone_of(self, shown: PageShown, box: Box, *, margin: float = 0.0) -> dict[str, float]:
        """Return the zone of a box on a shown page, as rules hold it."""
        return pointing.zone_of(box, shown.width, shown.height, margin=margin).model_dump()

    def rule_at(self, shown: PageShown, barcode: PointedBarcode, *, margin: float) -> dict[str, Any]:
        """Return the parts of a rule that finds barcodes like one on a shown page, at its place."""
        zone = self.zone_of(shown, barcode.box, margin=margin)
        return {"zone": zone, "format": barcode.format, "pattern": pointing.pattern_like(barcode.text)}

    def rehearse(self) -> None:
        """Try the routine on the sample batch; a newer try takes the place of an older one."""
        s, routine, sample = self._s, self.state.routine, self.state.sample
        self._cancel.cancel()
        if routine is None or not sample:
            return
        cancel = self._cancel = CancelToken()
        self._show(rehearsing=True)
        s.runner.query(
            lambda: separating.rehearse(s.session, s.pool, sample, routine, cancel=cancel), self._rehearsed,
            key="rehearsal", owner=self, kind="rehearsal", on_error=lambda told: self._show(rehearsing=False, figures=told),
        )  # fmt: skip

    def _rehearsed(self, found: Rehearsal) -> None:
        sides = tell_sides(found.placings)
        become, out = (
            trn("{n:,} document", "{n:,} documents", found.documents),
            trn("{n:,} side", "{n:,} sides", found.left_out),
        )
        is_are = "is" if found.left_out == 1 else "are"
        said = tr(
            "{sides} become {become}; {out} {is_are} left out.",
            sides=trn("{n:,} side", "{n:,} sides", len(sides)),
            become=become,
            out=out,
            is_are=is_are,
        )
        beside = tr("the confirmed batch") if found.is_confirmed else tr("the batch as it is cut now")
        same = tr(
            "{breaks} {more} the same",
            breaks=trn("{n:,} break", "{n:,} breaks", found.right),
            more="is" if found.right == 1 else "are",
        )
        against = tr(
            " Compared with {beside}: {same}, {missed} missing, {false} new.",
            beside=beside,
            same=same,
            missed=_none(found.missed),
            false=_none(found.false),
        )
        self._show(sides=sides, figures=said + against, rehearsing=False)

    def separate_open_batches(self) -> None:
        """Cut the open batches of the routine by its present rules; what people did stays."""
        s, name = self._s, self.state.chosen

        def work() -> tuple[int, tuple[str, ...]]:
            told: list[str] = []
            batches = routines.open_batches(s.session, name)
            for batch_id in batches:
                found = separating.separate_batch_again(s.session, s.line, s.pool, batch_id)
                s.bus.tell(found.changes)
                told += found.conflicts
            return len(batches), tuple(told)

        def done(found: tuple[int, tuple[str, ...]]) -> None:
            self.said.emit(
                tr("{batchs} separated again", batchs=trn("{n:,} open batch", "{n:,} open batches", found[0]))
            )
            self.conflicts_found.emit(found[1])

        s.runner.long(work, done, on_error=self.failed.emit)


def _none(number: int) -> str:
    return trn("{n:,} is", "{n:,} are", number) if number else tr("none is")


def tell_sides(placings: Sequence[Any]) -> tuple[RehearsedSide, ...]:
    """Return each side with what would become of it: the document it begins, or the side it goes with."""
    found: list[RehearsedSide] = []
    documents, begins = 0, 0
    for number, placing in enumerate(placings, 1):
        kind, told = "kept", tr("goes with side {begins}", begins=begins)
        if not placing.kept:
            kind, told = "left out", tr("left out ({reason})", reason=worded(placing.reason))
        elif placing.starts or not begins:
            kind, documents, begins = "break", documents + 1, number
            told = tr(
                "begins document {documents} ({break_reason})",
                documents=documents,
                break_reason=placing.break_reason or tr("first page"),
            )
        found.append(RehearsedSide(number, kind, tr("Side {number}: {told}", number=number, told=told), placing.note))
    return tuple(found)
