"""What all presenters share: the session of who is working, the line, the pool, the job runner."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import field
from functools import cached_property
from zoneinfo import ZoneInfo

from PySide6.QtCore import QObject, QSettings, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.base.records import dataclass
from keybundle.core.jobs.pool import Pool
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Setup
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.session import access
from keybundle.core.workflows.session.behind import Behind
from keybundle.core.workflows.session.session import Session
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.core.workflows.take_in.devices import Devices
from keybundle.desktop.jobs.runner import JobRunner
from keybundle.desktop.presenters.picture_cache import PictureCache
from keybundle.desktop.presenters.remembered import Remembered
from keybundle.desktop.presenters.texts import say_time
from keybundle.desktop.presenters.typed import Typed
from keybundle.desktop.words import spoken, worded


class Bus(QObject):
    """Carries changes from any thread to the presenters on the interface thread.

    Each person has one of their own beside the ``common`` one: what changed is heard by all, what is said by them alone.
    """

    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)

    def __init__(self, parent: QObject | None = None, *, common: Bus | None = None) -> None:
        super().__init__(parent)
        self._common = common
        if common is not None:
            common.changed.connect(self.changed)

    def tell(self, changes: Changes) -> None:
        """Let everybody know what changed, and say it to whose bus this is."""
        self.spread(changes)
        if changes.text:
            told = worded(changes.text)
            self.said.emit(told[:1].upper() + told[1:])

    def spread(self, changes: Changes) -> None:
        """Let everybody know what changed."""
        if self._common is not None:
            self._common.spread(changes)
        else:
            self.changed.emit(changes)


@dataclass
class Hand:
    """Pages that were cut and wait to be pasted, and the batch where they lie until then."""

    batch: str = ""
    pages: tuple[str, ...] = ()

    def take(self, batch: str, pages: Sequence[str]) -> None:
        """Take pages in hand in place of others."""
        self.batch, self.pages = batch, tuple(pages)

    def let_go(self) -> None:
        """Hold nothing any more."""
        self.batch, self.pages = "", ()


@dataclass(frozen=True)
class Seat:
    """One desktop at work: the session of who signed in, and what all its places share."""

    session: Session
    pool: Pool
    line: Line
    runner: JobRunner
    bus: Bus
    devices: Devices
    hand: Hand = field(default_factory=Hand)
    pictures: PictureCache = field(default_factory=PictureCache)
    behind: Behind | None = None
    remembered: Remembered = field(default_factory=lambda: Remembered(QSettings(), ""))
    _grantees: list[tuple[Setup, str, tuple[tuple[str, str], ...]]] = field(default_factory=list)

    @property
    def workspace(self) -> Workspace:
        """The repository that is worked on; its set-up, clock and registers are for everybody to read."""
        return self.session.workspace

    @property
    def who(self) -> str:
        """The id of the person at work."""
        return self.session.person

    @cached_property
    def typed(self) -> Typed:
        """What the person typed and did not keep yet, in all their windows."""
        return Typed(self.session, self.runner)

    def may(self, right: Right) -> bool:
        """Whether the person at work has a right now; what they lack is not offered."""
        return self.session.may(right)

    def say_grantees(self) -> tuple[tuple[str, str], ...]:
        """Return all that a list of a type or routine can name: its kind and id as one key, and in words.

        Thousands of people are put into words once for each state of the set-up, not for each part that is looked at.
        """
        setup, language = self.workspace.setup, spoken()
        if not any(of is setup and said_in == language for of, said_in, _ in self._grantees):
            many = {"group": "groups", "role": "roles", "person": "people"}
            told = ((f"{many[g.kind]} {g.id}", worded(said)) for g, said in access.list_grantees(self.session))
            self._grantees[:] = [(setup, language, tuple(told))]
        return self._grantees[0][2]

    @property
    def may_work(self) -> bool:
        """Whether the person at work may do more than look."""
        return bool(self.session.holder.rights - {Right.LOOK})

    def clock_now(self) -> str:
        """Return the time of the day."""
        return f"{self.workspace.clock.now().astimezone(ZoneInfo(self.workspace.setup.time_zone)):%H:%M}"

    def say_time(self, stamp: str) -> str:
        """Return a moment as the clock on the wall says it."""
        return say_time(stamp, self.workspace.clock.now(), ZoneInfo(self.workspace.setup.time_zone))
