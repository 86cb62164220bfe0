"""Taking arrivals in: one way for whatever brings them, each durable before it counts, and each with its end told.

A source (a scanner, files that were handed in) is a loop that calls ``take`` for one thing after another. What comes of each
is one of three: taken, with its pages; refused, with the reason; passed over. What holds other files is opened, and each of
them comes in as an arrival of its own, by the same way.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import field, replace
from pathlib import Path, PurePath
from typing import Any

from keybundle.core.base.errors import InputProblem, WorkerBug
from keybundle.core.base.ids import BatchId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.base.records import dataclass
from keybundle.core.batches.arrivals import Arrival, Fate
from keybundle.core.batches.model import Page
from keybundle.core.formats import names
from keybundle.core.formats.opened import Member, Opened
from keybundle.core.intake.files import InputFile, Refused
from keybundle.core.intake.halts import Halted
from keybundle.core.intake.naming import rename
from keybundle.core.intake.scanner import BACK, FRONT, Side
from keybundle.core.jobs.pool import Pool
from keybundle.core.setup.routines import Routine
from keybundle.core.store.files import Received, copy_file
from keybundle.core.workflows.line.line import EXAMINE, Line
from keybundle.core.workflows.pages.page_jobs import WORK
from keybundle.core.workflows.session.handles import OpenBatch
from keybundle.core.workflows.session.session import Session

A4_MM = (210.0, 297.0)
LOOK_SECONDS = 60
FILES = "files"
MOST_DEPTH, MOST_INSIDE, MOST_INSIDE_BYTES = 3, 10_000, 8 << 30
NOT_TAKEN = message("capture.something-went-wrong-inside-key")
PASSED_OVER_PARTS = ("__MACOSX",)


@dataclass
class Captured:
    """What a capture brought: the batch (None when nothing came), its sides, what was refused, why it halted.

    ``noted`` was taken, and there is something to know of it.
    """

    batch: BatchId | None = None
    sides: int = 0
    refused: list[Refused] = field(default_factory=list)
    noted: list[Refused] = field(default_factory=list)
    halt: str = ""
    halted: Halted | None = None
    first_sheet: int | None = None


@dataclass(frozen=True)
class Incoming:
    """A file that comes in.

    ``name`` is what it goes by, ``tree`` its path from what was handed in; ``values`` (of its tree) come along, by field.
    ``fill`` writes its bytes to a path; of a file inside others ``parent`` is the arrival it came in, ``depth`` how deep.
    """

    name: str
    tree: str
    origin: str
    values: Callable[[str], Mapping[str, str]]
    fill: Callable[[Path], None]
    parent: str | None = None
    depth: int = 0
    name_bytes: bytes = b""


@dataclass
class _Inside:
    """What was taken out of one file that was handed in, as far as it goes: against those that never end."""

    files: int = 0
    size: int = 0


def from_file(file: InputFile, values: Callable[[str], Mapping[str, str]]) -> Incoming:
    """Return a file that was handed in as one that comes in; ``values`` gives what comes along, by the file's tree."""
    return Incoming(
        file.name,
        file.tree,
        FILES,
        values,
        lambda target: copy_file(file.path, target, file.name),
        name_bytes=file.name_bytes,
    )


class TakingIn:
    """Takes what comes in into one batch: an open one, or one that begins with the first thing that is taken."""

    def __init__(
        self, session: Session, line: Line, pool: Pool | None, routine: Routine, into: BatchId | None, *, origin: str,
        two_sided: bool, paper_mm: tuple[float, float] = A4_MM, progress: Progress = silent, cancel: CancelToken | None = None,
    ) -> None:  # fmt: skip
        self._session, self._line, self._pool, self._routine = session, line, pool, routine
        self._workspace = session.workspace
        self._batch: OpenBatch | None = session.batch(into) if into is not None else None
        self._origin, self._two_sided, self._paper_mm = origin, two_sided, paper_mm
        self._cancel = cancel or CancelToken()
        self._early: list[str] = []
        self._inside = _Inside()
        self._day = self._workspace.clock.now().date()
        self._number = 0
        self._progress, self._done, self.expected = progress, 0, 0
        self.result = Captured(into)
        self._sheets = 0 if self._batch is None else _take_up(line, self._batch, two_sided=two_sided)

    # -- sides ---------------------------------------------------------------------------------------------------

    def take_side(self, side: Side, values: Mapping[str, str] | None) -> None:
        """Take a scanned side; its sheets count from 1 in this capture, whatever the device counts from."""
        files, result = self._workspace.place.files, self.result
        batch = self._begin()
        sha = files.put(side.data)
        if result.first_sheet is None:
            result.first_sheet = side.sheet
        sheet = self._sheets + side.sheet - result.first_sheet + 1
        arrival = Arrival(
            self._workspace.clock.new_id(), side.name, self._origin, sha=sha, size=len(side.data), values=values or None
        )
        self._add(batch, arrival, [Page(self._workspace.clock.new_id(), 0, side.name, 0, sheet, side.side, sha)])

    # -- files ---------------------------------------------------------------------------------------------------

    def take_file(self, incoming: Incoming) -> None:
        """Take a file, or what is in it; one that cannot be used is refused with its reason.

        Raises EnvironmentProblem where the store cannot take more; what was stored before is kept and goes on.
        """
        if incoming.depth == 0:
            self._number += 1
            self._inside = _Inside()
        self._take(incoming)
        self._done += 1
        self._progress(Step(self._done, self.expected, message("progress.taking-in", name=incoming.name)))

    def _take(self, incoming: Incoming) -> None:
        new_id, origin = self._workspace.clock.new_id(), incoming.origin
        arrival = Arrival(
            new_id, incoming.name, origin, parent_id=incoming.parent, tree=incoming.tree, name_bytes=incoming.name_bytes
        )
        files = self._workspace.place.files
        try:
            with files.receive(incoming.name, incoming.fill) as received:
                arrival = replace(arrival, sha=received.sha, size=received.size)
                name = rename(incoming.name, self._routine.naming, self._number, self._day)
                opened = self._look_at(received.path, incoming.name)
                note = opened.note or (
                    message("taking.name-no-utf8", name=incoming.name) if incoming.name_bytes else ""
                )
                arrival = replace(arrival, mime=opened.mime, why=note)
                if opened.is_container:
                    self._open(incoming, arrival, received, opened)
                    return
                files.keep(received)
        except InputProblem as error:
            self.refuse(arrival, str(error))
            return
        except WorkerBug:
            self.refuse(arrival, message("capture.could-not-looked", file_name=incoming.name, NOT_TAKEN=NOT_TAKEN))
            return
        if note:
            self.result.noted.append(Refused(incoming.name, note))
        batch = self._begin()
        arrival = replace(arrival, values=incoming.values(incoming.tree) or None)
        self._add(batch, arrival, self._pages_of(incoming, name, received, opened))

    def refuse(self, arrival: Arrival, why: str, fate: Fate = Fate.REFUSED) -> None:
        """Note what was not taken, and why."""
        self.result.refused.append(Refused(arrival.name, why))
        self._note(replace(arrival, fate=fate, why=why))

    def pass_over(self, told: Refused, origin: str = FILES) -> None:
        """Note what was passed over."""
        arrival = Arrival(self._workspace.clock.new_id(), told.source, origin)
        self.refuse(arrival, told.why, Fate.PASSED_OVER)

    def end(self) -> None:
        """Note that nothing more comes."""
        if self.result.batch is not None:
            self._line.ended(self.result.batch)

    def _look_at(self, path: Path, name: str) -> Opened:
        found: Opened = self._ask("look_at", str(path), name)
        return found

    def _ask(self, what: str, *args: object) -> Any:
        """Let a worker look at a file; raises as it does."""
        if self._pool is None:
            raise ValueError("files are looked at by workers, and there are none")
        return self._pool.submit(f"{WORK}:{what}", *args, priority=EXAMINE, limit_seconds=LOOK_SECONDS).result()

    def _open(self, incoming: Incoming, arrival: Arrival, received: Received, opened: Opened) -> None:
        """Take what is in a container, each file as an arrival of its own."""
        if incoming.depth >= MOST_DEPTH:
            raise InputProblem(message("taking.too-deep", name=incoming.name, most=MOST_DEPTH))
        self._note(arrival, is_container=True)
        self.expected += len(opened.members)
        for member in opened.members:
            self._cancel.check()
            self._take_member(incoming, arrival, received.path, member)

    def _take_member(self, outer: Incoming, container: Arrival, path: Path, member: Member) -> None:
        name, tree = f"{outer.name}/{member.name}", f"{outer.tree}/{member.name}"
        arrival = Arrival(
            self._workspace.clock.new_id(), name, outer.origin, parent_id=container.id, tree=tree, size=member.size
        )
        parts = PurePath(member.name).parts
        is_left = any(p.startswith(".") or p in PASSED_OVER_PARTS for p in parts)
        if is_left or PurePath(member.name).suffix.lower() not in names.ALL:
            self.refuse(arrival, message("files.no-page-file-so-passed", below=name), Fate.PASSED_OVER)
            return
        self._inside.files += 1
        self._inside.size += member.size
        if self._inside.files > MOST_INSIDE or self._inside.size > MOST_INSIDE_BYTES:
            said = message("taking.too-much-inside", name=name, files=MOST_INSIDE, size=MOST_INSIDE_BYTES >> 30)
            self.refuse(arrival, said)
        elif member.why:
            self.refuse(arrival, member.why)
        else:

            def fill(target: Path) -> None:
                self._ask("take_out", str(path), member.index, str(target), name)

            inner = replace(outer, name=name, tree=tree, fill=fill, parent=container.id, depth=outer.depth + 1)
            self.take_file(replace(inner, name_bytes=b""))

    def _pages_of(self, incoming: Incoming, name: str, received: Received, opened: Opened) -> list[Page]:
        """Return the pages of a file; where it is two-sided they are fronts and backs in turn, and two are a sheet."""
        pages = []
        for index in range(opened.pages):
            is_back = self._two_sided and index % 2 == 1
            self._sheets += not is_back
            pages.append(
                Page(
                    self._workspace.clock.new_id(), 0, incoming.name, index, self._sheets, BACK if is_back else FRONT,
                    received.sha, opened.kind, name=name,
                )
            )  # fmt: skip
        return pages

    # -- the batch -------------------------------------------------------------------------------------------------

    def _begin(self) -> OpenBatch:
        """Return the batch; it begins with the first thing that is taken."""
        if self._batch is None:
            self._batch = self._session.begin_batch(
                self._routine, self._origin, two_sided=self._two_sided, paper_mm=self._paper_mm
            )
            self._batch.let_join(self._early)
            self.result.batch = self._batch.id
            self._line.begin(self._batch.id, self._routine, paper_mm=self._paper_mm)
        return self._batch

    def _note(self, arrival: Arrival, *, is_container: bool = False) -> None:
        if self._batch is not None:
            self._batch.note_arrival(arrival, is_container=is_container)
            return
        self._session.note_arrival(arrival, is_container=is_container)
        self._early.append(arrival.id)

    def _add(self, batch: OpenBatch, arrival: Arrival, pages: list[Page]) -> None:
        for page in batch.take(arrival, pages):
            self._line.captured(batch.id, page)
            self.result.sides += 1


def _take_up(line: Line, own: OpenBatch, *, two_sided: bool) -> int:
    """Open a batch for more pages; return how many sheets it has. Raises InputProblem for a closed one."""
    batch = own.load()
    own.reopen_capture(two_sided=two_sided)
    line.go_on(own.id)
    return max((p.sheet for p in batch.pages), default=0)
