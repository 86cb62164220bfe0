"""A page scanned to be looked at first: shown, then accepted, scanned again, or let go."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.ids import BatchId
from keybundle.core.base.records import dataclass
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.take_in import previewing
from keybundle.core.workflows.take_in.capture import Captured
from keybundle.core.workflows.take_in.devices import Options, Scanner
from keybundle.core.workflows.take_in.previewing import Previewed
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr


@dataclass(frozen=True)
class PreviewShown:
    """The picture of the page, and what it would become part of."""

    picture: str
    told: str


class PreviewPresenter(QObject):
    """Verbs of the preview; ``into`` is the batch that accepted pages go to, from the second one on."""

    shown = Signal(object)
    accepted = Signal(object)
    failed = Signal(str)
    said = Signal(str)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self._found: Previewed | None = None
        self._asked: tuple[Routine, Scanner, Options, Mapping[str, str]] | None = None
        self.into: BatchId | None = None
        self.is_scanning = False

    def scan(self, routine: Routine, scanner: Scanner, options: Options, given: Mapping[str, str]) -> None:
        """Scan a page to look at."""
        self._asked, self.into = (routine, scanner, options, given), None
        self._scan()

    def _scan(self) -> None:
        if self._asked is None:
            return
        s, (routine, scanner, options, _) = self._s, self._asked
        self.said.emit(tr("Scanning a page to look at..."))
        self.is_scanning = True

        def failed(told: str) -> None:
            self.is_scanning = False
            self.failed.emit(told)

        def done(found: Previewed) -> None:
            self._found, self.is_scanning = found, False
            o = found.options
            colour = tr("colour by itself") if o.mode == "automatic" else o.mode
            target = (
                tr("goes to the batch begun here")
                if self.into
                else tr("begins a new batch ({name})", name=routine.name)
            )
            told = tr(
                "Scanned from the {source} at {resolution_dpi} dpi, {colour}. If you accept it, it {target}.",
                source=o.source,
                resolution_dpi=o.resolution_dpi,
                colour=colour,
                target=target,
            )
            self.shown.emit(PreviewShown(str(found.picture), told))

        s.runner.long(lambda: previewing.scan_preview(s.session, s.pool, scanner, options), done, on_error=failed)

    def again(self) -> None:
        """Let the page go and scan it again."""
        self.let_go()
        self._scan()

    def let_go(self) -> None:
        """Let the page go; nothing was captured of it."""
        if self._found is not None and self._asked is not None:
            previewing.let_go(self._asked[1])
        self._found = None

    def accept(self, *, next_page: bool = False) -> None:
        """Capture the page as it is; with ``next_page`` the next one is scanned to be looked at."""
        if self._found is None or self._asked is None:
            return
        s, found, (routine, _, _, given) = self._s, self._found, self._asked
        self._found = None

        def not_kept(told: str) -> None:
            self._found = found
            self.failed.emit(told)

        def done(result: Captured) -> None:
            self.into = result.batch
            self.accepted.emit(result)
            if next_page:
                self._scan()

        s.runner.long(
            lambda: previewing.accept_preview(s.session, s.line, routine, found, into=self.into, given=given),
            done, on_error=not_kept,
        )  # fmt: skip
