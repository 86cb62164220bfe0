"""The scanner: which one, under which routine, with which options; scanning, previews, and the ways on after a halt."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.ids import BatchId
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import called, name_of
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.propose.under import cabinets_under
from keybundle.core.workflows.take_in.capture import Captured, scan_stack
from keybundle.core.workflows.take_in.devices import Offers, Options, SimulatedScanner, find_scanners
from keybundle.core.workflows.take_in.scan_choices import options_of, scan_choices
from keybundle.desktop.presenters.incoming import BUSY, Incoming, Source
from keybundle.desktop.presenters.preview import PreviewPresenter
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.work_state import HaltShown, ScanChoice, say_again, say_feeder, say_whose
from keybundle.desktop.words import tr, trn

SAID_CABINETS = 3


def say_or(names: Sequence[str]) -> str:
    """Return ``a, b or c``."""
    if len(names) < 2:
        return "".join(names)
    return tr("{first} or {last}", first=", ".join(names[:-1]), last=names[-1])


class Scanning(Source):
    """Verbs of the card for scans."""

    halted = Signal(object)

    def __init__(
        self, seat: Seat, incoming: Incoming, routine_of: Callable[[BatchId | None], Routine | None],
        parent: QObject | None = None,
    ) -> None:  # fmt: skip
        super().__init__(seat, incoming, routine_of, parent)
        self._sheets: int | None = 0
        self._offers = Offers()
        self._has_looked = False
        self._changed: dict[str, dict[str, str]] = {}
        self._routine = str(seat.remembered.get("scan routine"))
        self.preview = PreviewPresenter(seat, self)
        self.preview.accepted.connect(self._preview_kept)
        self.preview.failed.connect(self.failed)
        self.preview.said.connect(self.said)

    # -- the device --------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Ask the device what lies in it and what it offers; the first time also which devices there are."""
        devices, routine = self._s.devices, self.routine()

        def ask() -> tuple[int | None, Offers]:
            scanner = devices.scanner_for(routine)
            return (scanner.sheets_in_feeder(), scanner.offers()) if scanner else (-1, Offers())

        self._s.runner.query(
            ask, self._device_told, key="device", owner=self, kind="devices", on_error=self._device_silent
        )
        if not self._has_looked:
            self._has_looked = True
            self.look()

    def look(self) -> None:
        """Ask for devices again; takes seconds, off the interface thread."""
        self._s.runner.query(self._s.devices.look, lambda names: self.refresh(), key="look", owner=self, kind="devices")

    def choose_scanner(self, name: str) -> None:
        """Scan with another device from now on."""
        self._s.devices.choose(name)
        self.refresh()

    def refill(self) -> None:
        """Put the demo stack into the simulated feeder again."""
        for scanner in find_scanners(self._s.workspace):
            scanner.refill()
        self.refresh()

    def _device_told(self, found: tuple[int | None, Offers]) -> None:
        self._sheets, self._offers = found
        self.changed.emit()

    def _device_silent(self, told: str) -> None:
        self._sheets, self._offers = -1, Offers()
        self.failed.emit(told)
        self.changed.emit()

    # -- under which routine, with which options ---------------------------------------------------------------

    def routine(self) -> Routine | None:
        """Return the chosen routine, the first one where that is gone, or there was none before."""
        of_scanner = [r for r in self._s.session.routines() if r.source == "scanner"]
        return next((r for r in of_scanner if r.id == self._routine), of_scanner[0] if of_scanner else None)

    def choose_routine(self, name: str) -> None:
        """Scan under another routine from now on."""
        found = called(self._s.session.routines(), name)
        self._routine = found.id if found is not None else name
        self._s.remembered.put("scan routine", self._routine)
        self.refresh()

    def change_option(self, name: str, value: str) -> None:
        """Scan with another option under the chosen routine from now on."""
        if (routine := self.routine()) is not None:
            self._changed.setdefault(routine.id, {})[name] = value
            self.changed.emit()

    def clear_options(self) -> None:
        """Scan as the routine has it again."""
        if (routine := self.routine()) is not None:
            self._changed.pop(routine.id, None)
            self.changed.emit()

    def _choices(self, routine: Routine | None) -> tuple[ScanChoice, ...]:
        return scan_choices(routine, self._offers, self._changed.get(routine.id, {})) if routine else ()

    def parts(self) -> dict[str, Any]:
        """Return what the work place shows of it."""
        routine = self.routine()
        scanner = self._s.devices.scanner_for(routine)
        choices = self._choices(routine)
        options = options_of(choices) if choices else Options(duplex=False)
        sheets = min(1, max(0, self._sheets or 0)) if options.source == "glass" else max(0, self._sheets or 0)
        sides = trn("{n:,} side", "{n:,} sides", sheets * (2 if options.duplex else 1))
        of = trn("{n:,} sheet", "{n:,} sheets", sheets)
        said = "{sheets}, two-sided: {sides}" if options.duplex else "{sheets}, one-sided: {sides}"
        plan = tr(said, sheets=of, sides=sides)
        of_scanner = [r for r in self._s.session.routines() if r.source == "scanner"]
        has_paper = sheets > 0 or self._sheets is None
        return {
            "routines": tuple(r.name for r in of_scanner), "routine": routine.name if routine else "",
            "routine_told": routine.description if routine else "",
            "routine_keys": tuple((r.key, r.name) for r in of_scanner if r.key),
            "scanner": scanner.name if scanner else self._missing(routine), "scanners": tuple(self._s.devices.names),
            "feeder": say_feeder(self._sheets), "plan": plan if sheets else "",
            "destination": self._say_destination(routine), "unusual": self._say_unusual(routine), "options": choices,
            "options_told": ", ".join(tr(choice.value) for choice in choices),
            "can_scan": has_paper and not self._incoming.is_busy and routine is not None and self._s.may(Right.BRING_IN),
        }  # fmt: skip

    def _say_destination(self, routine: Routine | None) -> str:
        setup = self._s.workspace.setup
        goes = [name_of(setup.cabinets, i) for i in cabinets_under(routine, setup)]
        told = say_whose(routine, setup)
        if 0 < len(goes) <= SAID_CABINETS:
            told += " " + tr("Its documents go to {cabinets}.", cabinets=say_or(goes))
        elif goes:
            told += " " + tr("Its documents go to one of {n:,} cabinets, by their type.", n=len(goes))
        if self._incoming.given:
            values = ", ".join(f"{k} = {v}" for k, v in self._incoming.given.items())
            told += tr("\nThe next stack gets {values}, to be confirmed.", values=values)
        return told

    def _say_unusual(self, routine: Routine | None) -> str:
        """Return that a stack meant for one cabinet would be filed in others; empty where it goes where it is meant to."""
        setup, meant = self._s.workspace.setup, self._incoming.meant_for
        goes = cabinets_under(routine, setup)
        if not meant or not goes or meant in goes:
            return ""
        there = [name_of(setup.cabinets, i) for i in goes]
        return tr(
            "Not to {meant}, where you come from: under {routine} documents are filed in {cabinets}.",
            meant=name_of(setup.cabinets, meant), routine=routine.name if routine else "", cabinets=say_or(there[:SAID_CABINETS]),
        )  # fmt: skip

    def bring_along(self, values: Mapping[str, str], meant_for: str) -> None:
        """Let the next stack take over what was chosen in a cabinet, under a routine that files there, where there is one."""
        setup, now = self._s.workspace.setup, self.routine()
        of_scanner = [r for r in self._s.session.routines() if r.source == "scanner"]
        fitting = [r for r in of_scanner if meant_for in cabinets_under(r, setup)]
        told = tr("Put the stack in the feeder and press S.") if self._sheets == 0 else tr("Press S to scan.")
        if values:
            told = tr("The next stack gets these values. {told}", told=told)
        if fitting and now not in fitting:
            # The one that files nowhere else says best what the stack is.
            best = min(fitting, key=lambda r: len(cabinets_under(r, setup)))
            self._routine = best.id  # not remembered: the person did not choose it
            told = tr("Routine {routine}, which files there, is chosen. {told}", routine=best.name, told=told)
        self._incoming.bring_along(values, meant_for)
        self.refresh()
        self.said.emit(told)

    def _missing(self, routine: Routine | None) -> str:
        return (
            tr("{device} is not there", device=routine.device)
            if routine is not None and routine.device
            else tr("No scanner")
        )

    # -- scanning ----------------------------------------------------------------------------------------------

    def start(self, routine: str) -> None:
        """Scan under a routine by its start key."""
        self.choose_routine(routine)
        self.scan()

    def lack(self, into: BatchId | None = None) -> str:
        """Return what is in the way of scanning now, in words; empty where nothing is."""
        routine = self._routine_of(into) or self.routine()
        if routine is None:
            return tr("There is no routine for a scanner yet. Under Prepare (Ctrl+4) one is made.")
        if self._incoming.is_busy or self.preview.is_scanning:
            return tr(BUSY)
        if self._s.devices.scanner_for(routine) is None:
            return tr(
                "{routine}. Plug it in and look for scanners again, or choose another one.",
                routine=self._missing(routine),
            )
        return ""

    def scan(self, into: BatchId | None = None) -> None:
        """Scan what lies in the feeder, as a new batch or into an open one."""
        s, routine = self._s, self._routine_of(into) or self.routine()
        scanner = s.devices.scanner_for(routine)
        if (lack := self.lack(into)) or routine is None or scanner is None:
            self.failed.emit(lack)
            return
        options, given = options_of(self._choices(routine)), self._incoming.take_given()
        self._incoming.begin(
            tr("Starting the scanner"),
            lambda tell, cancel: scan_stack(s.session, s.line, routine, scanner, options=options, into=into,
                                            given=given, progress=tell, cancel=cancel),
        )  # fmt: skip

    def scan_preview(self) -> bool:
        """Scan a page to look at first; False where there is no scanner."""
        routine = self.routine()
        scanner = self._s.devices.scanner_for(routine)
        if (lack := self.lack()) or routine is None or scanner is None:
            self.failed.emit(lack)
            return False
        self.preview.scan(routine, scanner, options_of(self._choices(routine)), self._incoming.take_given())
        return True

    def _preview_kept(self, result: Captured) -> None:
        """A page that was looked at is captured; what comes in beside goes on."""
        self.said.emit(tr("{sides} captured and safe", sides=trn("{n:,} side", "{n:,} sides", result.sides)))
        self.changed.emit()

    # -- after a halt ------------------------------------------------------------------------------------------

    def tell_halt(self, result: Captured) -> None:
        """Show why the feeder stopped, two pictures, and what to feed again."""
        s, batch_id, halted = self._s, result.batch, result.halted
        if batch_id is None or halted is None:
            return

        def load() -> HaltShown:
            from keybundle.core.workflows.arrange import bench

            pages = sorted(bench.list_pages(s.session, batch_id), key=lambda p: p.captured)
            last = pages[-1].sheet if pages else 0
            upto = next((i for i, p in enumerate(pages, 1) if halted.sheet and p.sheet == halted.sheet), len(pages))
            pictures = tuple(
                (str(bench.preview(s.session, s.pool, p.id, p.picture, p.frame)),
                 tr("Sheet {sheet}, {side}", sheet=p.sheet, side=p.side))
                for p in pages[max(0, upto - 2) : upto] if p.facts is not None
            )  # fmt: skip
            after = last - halted.sheet if halted.sheet else 0
            return HaltShown(result.halt, batch_id, halted.sheet, after, say_again(halted.sheet, last), pictures)

        s.runner.query(load, self.halted.emit, key="halt", owner=self)

    def go_on(self, halt: HaltShown, way: str) -> None:
        """Go on after a halt: as it is, with its sheets scanned again, or with its sheet left out."""
        s = self._s
        scanner = s.devices.scanner_for(self._routine_of(BatchId(halt.batch)) or self.routine())

        def prepare() -> None:
            from keybundle.core.workflows.take_in import rescan

            if way != "go on" and halt.sheet:
                only = way == "leave out"
                s.bus.tell(rescan.leave_out_from(s.session, s.line, BatchId(halt.batch), halt.sheet, only=only))
                if not only and isinstance(scanner, SimulatedScanner):
                    scanner.put_back(halt.sheets_after + 1)

        s.runner.change(
            prepare,
            lambda _: self.scan(BatchId(halt.batch)),
            lane=f"batch {halt.batch}",
            owner=self,
            on_error=self.failed.emit,
        )
