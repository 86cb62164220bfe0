"""One page scanned to be looked at first: accepted into a batch, scanned again, or let go."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.files import write_atomic
from keybundle.core.base.ids import BatchId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken
from keybundle.core.base.records import dataclass
from keybundle.core.intake.scanner import Offers, Options, Scanner, Side, SimulatedScanner
from keybundle.core.jobs.pool import Pool
from keybundle.core.rights.model import Right
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.line.line import ON_SCREEN, Line
from keybundle.core.workflows.pages.page_jobs import PICTURE_WORK
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.take_in.capture import Captured, scan_stack

PREVIEW_PX = 900


@dataclass(frozen=True)
class Previewed:
    """A side that is not captured yet, how it was scanned, and a picture of it to show."""

    scanner: str
    side: Side
    options: Options
    picture: Path


class _Delivered:
    """Hands over a side that was delivered before, behind the scanner port."""

    def __init__(self, name: str, side: Side) -> None:
        self._name = name
        self._side = side

    @property
    def name(self) -> str:
        return self._name

    def sheets_in_feeder(self) -> int | None:
        return 1

    def offers(self) -> Offers:
        return Offers()

    def scan(self, options: Options, cancel: CancelToken) -> Iterator[Side]:
        yield self._side


@needs(Right.BRING_IN)
def scan_preview(session: Session, pool: Pool, scanner: Scanner, options: Options) -> Previewed:
    """Scan one side from the glass, or one sheet's front where there is only a feeder; nothing is captured yet.

    Raises Halt as any scan does, InputProblem for a picture that cannot be shown.
    """
    workspace = session.workspace
    one = replace(options, duplex=False, sides_per_minute=0.0)
    on_glass = replace(one, source="glass")
    asked = on_glass if scanner.offers().source_for(on_glass) is not None else one
    cancel, side = CancelToken(), None
    for delivered in scanner.scan(asked, cancel):
        side = side or delivered
        cancel.cancel()
    if side is None:
        raise InputProblem(message("previewing.scanner-delivered-nothing-lay-page"))
    folder = workspace.place.cache / "preview"
    folder.mkdir(parents=True, exist_ok=True)
    raw, shown = folder / "side", folder / f"{workspace.clock.new_id()}.jpg"
    for old in folder.glob("*.jpg"):
        old.unlink(missing_ok=True)
    write_atomic(raw, side.data, durable=False)
    pool.submit(f"{PICTURE_WORK}:draw_raw", str(raw), side.name, str(shown), PREVIEW_PX, priority=ON_SCREEN).result()
    return Previewed(scanner.name, side, asked, shown)


def let_go(scanner: Scanner | None) -> None:
    """Let a previewed sheet go; the simulated feeder takes it back, with a real one the operator does that."""
    if isinstance(scanner, SimulatedScanner):
        scanner.put_back()


@needs(Right.BRING_IN)
def accept_preview(
    session: Session, line: Line, routine: Routine, previewed: Previewed, *, into: BatchId | None = None,
    given: Mapping[str, str] | None = None,
) -> Captured:  # fmt: skip
    """Capture a previewed side as the first of a new batch, or (``into``) as one more of an open one."""
    scanner = _Delivered(previewed.scanner, previewed.side)
    return scan_stack(session, line, routine, scanner, options=previewed.options, into=into, given=given)
