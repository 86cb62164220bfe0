"""The scanners that can be used with a data directory: the simulated one, and what SANE sees."""

from __future__ import annotations

import threading

from keybundle.core.intake.scanner import Halt, Offers, Options, Scanner, SimulatedScanner, list_scanners
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.session.workspace import Workspace


def find_scanners(workspace: Workspace) -> list[SimulatedScanner]:
    """Return the simulated devices that can be used now."""
    return list_scanners(workspace.place.root / "feeder")


class Devices:
    """The known scanners and the chosen one. ``look`` asks SANE, takes seconds, and may be called from any thread."""

    def __init__(self, workspace: Workspace) -> None:
        self._workspace = workspace
        self._real: list[Scanner] = []
        self._chosen = ""
        self._lock = threading.Lock()

    def look(self) -> list[str]:
        """Ask for devices again and return the names of all."""
        from keybundle.core.intake import sane

        found: list[Scanner] = [sane.SaneScanner(d) for d in sane.list_devices()]
        with self._lock:
            self._real = found
        return self.names

    @property
    def all(self) -> list[Scanner]:
        """All known scanners, real ones first."""
        with self._lock:
            return [*self._real, *find_scanners(self._workspace)]

    @property
    def names(self) -> list[str]:
        """The names of all known scanners."""
        return [s.name for s in self.all]

    def choose(self, name: str) -> None:
        """Scan with this device from now on, whatever a routine says."""
        self._chosen = name

    def scanner_for(self, routine: Routine | None) -> Scanner | None:
        """Return the chosen scanner, else the one the routine names, else the first; None when it is not there."""
        wanted = self._chosen or (routine.device if routine else "")
        known = self.all
        if wanted:
            return next((s for s in known if s.name == wanted), None)
        return known[0] if known else None


__all__ = ["Devices", "Halt", "Offers", "Options", "Scanner", "SimulatedScanner", "find_scanners"]
