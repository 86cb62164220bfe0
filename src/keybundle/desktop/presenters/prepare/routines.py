"""Routines in Prepare: the chosen one as step cards, and the rehearsal on a sample batch."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from keybundle.core.base.boxes import Box
from keybundle.core.base.changes import Changes
from keybundle.core.base.ids import BatchId, PageId
from keybundle.core.base.progress import CancelToken
from keybundle.core.base.records import dataclass
from keybundle.core.export.forms import FORMS
from keybundle.core.reading.languages import list_languages
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Setup
from keybundle.core.setup.parts import Named
from keybundle.core.setup.routines import ALLOWED, Routine, SeparationRule
from keybundle.core.workflows.arrange import separating
from keybundle.core.workflows.arrange.separating import Rehearsal
from keybundle.core.workflows.file.throwing_away import throw_batch_away
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.prepare.routines import routines
from keybundle.core.workflows.prepare.routines.breaking import Suggested, rules_at
from keybundle.core.workflows.prepare.routines.rehearsing import RehearsedDocument, rehearse_values
from keybundle.core.workflows.prepare.routines.routines import Sample
from keybundle.core.workflows.prepare.routines.sentences import say_routine
from keybundle.core.workflows.prepare.types import pointing
from keybundle.core.workflows.prepare.types.pointing import PointedBarcode, PointedPage
from keybundle.desktop.presenters.bench_state import PageShown
from keybundle.desktop.presenters.prepare.forms import FormField, Section, of_parts
from keybundle.desktop.presenters.prepare.parts import PartsPresenter, PartsState
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import mark, say_language, tr, trn, worded

WAIT_MS = 250
STEPS = (
    ("photographs", mark("Lay photographs of paper flat")),
    ("upright", mark("Turn upright")), ("deskew", mark("Straighten")), ("crop", mark("Take dark scan edges away")),
    ("fill_holes", mark("Fill punch holes")), ("despeckle", mark("Take specks away")), ("flatten", mark("Even out the paper")),
)  # fmt: skip
LOCKS = {
    "feed": mark("source"), "duplex": mark("sides"), "resolution_dpi": mark("resolution"), "mode": mark("colour"),
    "paper": mark("paper"),
}  # fmt: skip

__all__ = ["PointedBarcode", "RehearsedSide", "RoutineState", "RoutinesPresenter", "Suggested", "tell_sides"]


@dataclass(frozen=True)
class RehearsedSide:
    """What a routine would do with a side, in a sentence; ``kind`` is break, kept or left out."""

    number: int
    kind: str
    told: str
    note: str


@dataclass(frozen=True)
class RoutineState(PartsState):
    """What the editor of routines shows besides: a sentence of what the routine does, and its rehearsal."""

    sentence: str = ""
    samples: tuple[Sample, ...] = ()
    sample: str = ""
    can_throw: bool = False
    sides: tuple[RehearsedSide, ...] = ()
    figures: str = ""
    documents: tuple[RehearsedDocument, ...] = ()
    open_batches: int = 0
    rehearsing: bool = False

    @property
    def routine(self) -> Routine | None:
        """The routine that is shown."""
        return self.part if isinstance(self.part, Routine) else None


def _who_works(seat: Seat) -> tuple[tuple[str, str], ...]:
    """Return the groups and people that a batch can be given to."""
    return tuple((key, told) for key, told in seat.say_grantees() if not key.startswith("roles "))


def _codes(*codes: str) -> tuple[tuple[str, str], ...]:
    return tuple((code, tr(code)) for code in codes)


class RoutinesPresenter(PartsPresenter):
    """State and verbs of the routine's editor."""

    kind = "routines"
    conflicts_found = Signal(object)
    pointed = Signal(object, object)
    breaks_found = Signal(int, object)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        self._languages: tuple[str, ...] = ()
        super().__init__(seat, parent)
        self._cancel, self._breaks = CancelToken(), CancelToken()
        self._pointed = ""
        self._rehearsed_for: Named | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(WAIT_MS)
        self._timer.timeout.connect(self.rehearse)

    def first_state(self) -> RoutineState:
        """Return the state before anything is known."""
        return RoutineState()

    def note(self, setup: Setup, part: Named) -> str:
        """Return the key that starts a routine, and what its sign is."""
        assert isinstance(part, Routine)
        return (
            tr("{sign}   Alt+{key}", sign=part.sign, key=part.key.upper()) if part.key else tr("{sign}", sign=part.sign)
        )

    def more(self, setup: Setup, part: Named | None) -> dict[str, Any]:
        """Return what a routine does, in a sentence."""
        return {"sentence": worded(say_routine(part, setup)) if isinstance(part, Routine) else ""}

    # -- the step cards -------------------------------------------------------------------------------------------------

    def form(self, setup: Setup, part: Named) -> tuple[Section, ...]:
        """Return the step cards of a routine, in the order of the work."""
        assert isinstance(part, Routine)
        return (
            self._head(part), self._bring_in(), self._clean(), self._separate(), self._read(part), self._index(setup),
            self._file(part),
        )  # fmt: skip

    def _head(self, part: Routine) -> Section:
        return Section(tr("Routine"), (
            FormField("name", tr("Name"), longest=80),
            FormField("description", tr("Description")),
            FormField("kept_to", tr("Who may use it"), "kept to", choices=self._s.say_grantees(), unit=part.name),
            FormField("given_to", tr("It becomes the work of"), "kept to", choices=_who_works(self._s),
                      unit=part.name, none=tr("who brought it in")),
            FormField("allows", tr("Others than overseers may"), "picks", choices=_codes(*ALLOWED)),
            FormField("sign", tr("Sign"), longest=2, help=tr("Two letters that stand beside its batches.")),
            FormField("key", tr("Start key, with Alt"), longest=1),
        ))  # fmt: skip

    def _bring_in(self) -> Section:
        return Section(tr("Bring in"), (
            FormField("source", tr("Source"), "pick", choices=_codes("scanner", "files")),
            FormField("device", tr("Scanner"), hint=tr("any")),
            FormField("feed", tr("From"), "pick", choices=_codes("feeder", "glass")),
            FormField("duplex", tr("Two-sided (in files: front, back, front, ...)"), "check"),
            FormField("resolution_dpi", tr("Resolution"), "whole", unit=tr("dpi"), low=75, high=1200),
            FormField("mode", tr("Colour"), "pick", choices=_codes("automatic", "1-bit", "grey", "colour")),
            FormField("paper", tr("Paper"), "pick", choices=(("A4", "A4"), ("Letter", tr("Letter")))),
            FormField("locked", tr("Locked at the scan"), "picks", choices=tuple((k, tr(t)) for k, t in LOCKS.items())),
            FormField("naming.prefix", tr("Put before file names"), hint=tr("such as {date}-{number}-")),
            FormField("naming.pattern", tr("Replace in file names"), hint=tr("a pattern")),
            FormField("naming.into", tr("Put in its place"), hint=tr("what takes its place; \\1 is its first group")),
            FormField("halts", tr("Stop the feeder at"), "halts"),
        ))  # fmt: skip

    def _clean(self) -> Section:
        return Section(tr("Clean"), (
            *(FormField(f"cleaning.{name}", tr(label), "check") for name, label in STEPS),
            FormField("leave_out_blank", tr("Leave blank sides out"), "check"),
            FormField("cleaning.colour", tr("Pages are filed in"), "pick",
                      choices=_codes("by content", "as captured", "grey", "1-bit")),
        ))  # fmt: skip

    def _separate(self) -> Section:
        return Section(tr("Separate"), (FormField("separation.rules", tr("Rules"), "rules"),))

    def _read(self, part: Routine) -> Section:
        known = tuple(dict.fromkeys((*self._languages, *part.language.split("+"))))
        return Section(tr("Read"), (
            FormField("language", tr("Languages"), "picks", choices=tuple((code, say_language(code)) for code in known),
                      help=tr("The first one is the main one; each further one takes time.")),
            FormField("language_locked", tr("Nobody reads a page in another language"), "check"),
            FormField("force_ocr", tr("Read a PDF by OCR even where it has text"), "check"),
        ))  # fmt: skip

    def _index(self, setup: Setup) -> Section:
        return Section(tr("Index"), (
            FormField("document_type", tr("Type"), "pick", choices=of_parts(setup.document_types), none=tr("proposed"),
                      make=tr("Make a new type")),
            FormField("types", tr("Or one of these"), "picks", choices=of_parts(setup.document_types),
                      help=tr("Nothing checked: all of them.")),
            FormField("bar", tr("Values count as sure from"), "share", high=1),
            FormField("wrong_one_in", tr("Or 1 wrong in"), "whole", high=100_000, none=tr("not used")),
        ))  # fmt: skip

    def _file(self, part: Routine) -> Section:
        fields = [FormField("copies.folder", tr("Copies go to"), "folder", hint=tr("a folder; empty: no copies"))]
        if part.copies.folder:
            fields += [
                FormField(
                    "copies.form", tr("Copies as"), "pick", choices=tuple((f.key, worded(f.title)) for f in FORMS)
                ),
                FormField("copies.names", tr("Copies named"), hint=tr("such as {Supplier} {Bill number}")),
                FormField(
                    "copies.sub_folders", tr("In sub-folders"), hint=tr("such as {Year}/{Supplier}; empty: none")
                ),
            ]
        return Section(tr("File"), tuple(fields))

    def values(self, setup: Setup, part: Named, sections: tuple[Section, ...]) -> dict[str, Any]:
        """Return what a routine has in each field; languages one by one."""
        found = super().values(setup, part, sections)
        return {**found, "language": tuple(str(found["language"]).split("+"))}

    def with_changes(self, part: Any, changes: Mapping[str, Any]) -> Any:
        """Return a routine as changes make it."""
        if "language" in changes:
            kept = [code for code in part.language.split("+") if code in changes["language"]]
            added = [code for code in changes["language"] if code not in kept]
            return parts.change_part(part, {"language": "+".join((*kept, *added)) or part.language})
        return parts.change_part(part, changes)

    # -- samples and the rehearsal ---------------------------------------------------------------------------------------

    def was_shown(self) -> None:
        """Ask for the sample batches and the languages, and try the routine."""
        chosen = self.state.chosen

        def load() -> tuple[list[Sample], int, tuple[str, ...]]:
            languages = self._languages or tuple(list_languages())
            return (
                routines.list_samples(self._s.session),
                len(routines.open_batches(self._s.session, chosen)),
                languages,
            )

        self._s.runner.query(load, self._loaded, key="routines", owner=self)

    def _loaded(self, found: tuple[list[Sample], int, tuple[str, ...]]) -> None:
        samples, open_batches, languages = tuple(found[0]), found[1], found[2]
        sample = self.state.sample or next((s.id for s in samples), "")
        is_new, self._languages = self._languages != languages, languages
        self._show(samples=samples, sample=sample, open_batches=open_batches, can_throw=self._s.may(Right.FILE))
        if is_new and self.state.part is not None:
            self._show_part(self._s.workspace.setup, self.state.part)
        self._timer.start()

    def change(self, changes: Mapping[str, Any]) -> None:
        """Change parts of the routine, and try what that does."""
        super().change(changes)
        self._timer.start()

    def choose_sample(self, batch_id: BatchId) -> None:
        """Rehearse on another batch."""
        self._show(sample=batch_id, sides=(), figures="")
        self.rehearse()

    def throw_sample_away(self) -> None:
        """Take the sample batch off the work list; the next newest is tried then."""
        s, batch_id = self._s, self.state.sample

        def done(changes: Changes) -> None:
            s.bus.tell(changes)
            if self.state.sample == batch_id:
                self._show(sample="", sides=(), figures="")
            self.was_shown()

        s.runner.change(
            lambda: throw_batch_away(s.session, batch_id), done, lane=f"batch {batch_id}", owner=self,
            on_error=self.failed.emit,
        )  # fmt: skip

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
        told: list[str] = []

        def bring() -> str:
            first, still = routines.import_routines(self._s.session, path)
            told[:] = still
            return first

        self._add(bring, lambda: " ".join(worded(t) for t in told))

    def make_type(self) -> None:
        """Make a document type for this routine, and go there."""
        session, part = self._s.session, self.state.part
        if part is None:
            return
        free = parts.free_name(part.name, [k.name for k in self._s.workspace.setup.document_types])

        change = self.bound(self.change)

        def done(made: str) -> None:
            change({"document_type": made})
            self.opened.emit("document_types", made)

        self._s.runner.change(
            lambda: parts.add_part(session, "document_types", free), done, lane="setup", owner=self,
            on_error=self._could_not,
        )  # fmt: skip

    def point(self, offset: int = 0) -> None:
        """Show a page of the sample batch to point at, or the next one from there."""
        s, sample, before = self._s, self.state.sample, self._pointed

        def load() -> PointedPage | None:
            ids = pointing.pages_to_point_at(s.session, sample) if sample else ()
            if not ids:
                return None
            here = ids.index(before) + offset if before in ids else 0
            return pointing.load_page(s.session, s.pool, sample, PageId(ids[max(0, min(len(ids) - 1, here))]))

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

    def ask_break(self, number: int) -> None:
        """Ask which rules would break at a side of the sample batch (its number from 1)."""
        s, sample, routine = self._s, self.state.sample, self.state.routine
        if routine is not None and sample:
            self.said.emit(tr("Looking at what is on side {number}, and where else that is...", number=number))
            self._breaks.cancel()
            cancel = self._breaks = CancelToken()

            def found_for(found: tuple[Suggested, ...]) -> None:
                if self.state.chosen == routine.id:
                    self.breaks_found.emit(number, found)

            s.runner.query(
                lambda: rules_at(s.session, s.pool, sample, number - 1, routine, cancel),
                found_for, key="breaks", owner=self, kind="rehearsal", on_error=self.failed.emit,
            )  # fmt: skip

    def break_by(self, rule: SeparationRule) -> None:
        """Let the routine break by one more rule."""
        if self.state.routine is not None:
            self.change({"separation.rules": (*self.state.routine.separation.rules, rule)})

    def rehearse(self) -> None:
        """Try the routine on the sample batch; a newer try takes the place of an older one."""
        s, routine, sample = self._s, self.state.routine, self.state.sample
        self._cancel.cancel()
        if routine is None or not sample:
            return
        cancel = self._cancel = CancelToken()
        self._show(rehearsing=True)

        def work() -> tuple[Rehearsal, list[RehearsedDocument]]:
            found = separating.rehearse(s.session, s.pool, sample, routine, cancel=cancel)
            return found, rehearse_values(s.session, sample, routine, cancel)

        s.runner.query(
            work, self._rehearsed, key="rehearsal", owner=self, kind="rehearsal",
            on_error=lambda told: self._show(rehearsing=False, figures=told),
        )  # fmt: skip

    def _rehearsed(self, both: tuple[Rehearsal, list[RehearsedDocument]]) -> None:
        found = both[0]
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
        ready = sum(d.is_ready for d in both[1])
        of_them = trn("{n:,} document", "{n:,} documents", len(both[1]))
        values = tr(" As they are cut now, {ready} of {documents} would need no look.", ready=ready, documents=of_them)
        self._show(
            sides=sides,
            documents=tuple(both[1]),
            figures=said + against + (values if both[1] else ""),
            rehearsing=False,
        )

    def separate_open_batches(self) -> None:
        """Cut the open batches of the routine by its present rules; what people did stays."""
        s, name = self._s, self.state.chosen

        def work() -> tuple[int, tuple[str, ...]]:
            told: list[str] = []
            batches = routines.open_batches(s.session, name)
            for batch_id in batches:
                found = separating.separate_batch_again(s.session, s.line, s.pool, BatchId(batch_id))
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
