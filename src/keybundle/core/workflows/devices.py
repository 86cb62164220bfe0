"""The scanners that can be used with a data directory."""

from __future__ import annotations

from keybundle.core.intake.scanner import Halt, Options, SimulatedScanner, list_scanners
from keybundle.core.workflows.workspace import Workspace


def find_scanners(workspace: Workspace) -> list[SimulatedScanner]:
    """Return the devices that can be used now."""
    return list_scanners(workspace.place.root / "feeder")


__all__ = ["Halt", "Options", "find_scanners"]
