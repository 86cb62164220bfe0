"""``keybundle open``: hand files to the running desktop, or start one with them."""

from __future__ import annotations

import argparse
import os
import shutil
import sys
from pathlib import Path

from keybundle.core.base.errors import InputProblem
from keybundle.core.workflows.take_in.opening import hand_over, write_entry


def run(given: argparse.Namespace) -> int:
    """Hand over, else start."""
    if given.register:
        data_home = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
        command = shutil.which("keybundle") or sys.argv[0]
        print(f"Written: {write_entry(data_home / 'applications', command)}")
        return 0
    missing = [f for f in given.inputs if not f.exists()]
    if missing or not given.inputs:
        raise InputProblem(
            f"“{missing[0]}” is not there; nothing was handed over." if missing else "Name the files to open."
        )
    if hand_over(given.data, given.inputs):
        return 0
    if given.start_desktop is None:
        raise InputProblem("No desktop runs on this data directory; start one with: keybundle.")
    status: int = given.start_desktop(given.data, False, given.inputs)
    return status
