"""``keybundle init-demo``: make the demo world in the data directory."""

from __future__ import annotations

import argparse

from keybundle.cli.common import opened, terminal_progress, working_pool
from keybundle.demo import seed


def run(given: argparse.Namespace) -> int:
    """Make what is missing; a second run finds it made."""
    with opened(given.data, changes=True, create=True) as workspace, working_pool() as pool:
        seed.begin(workspace)
        progress = terminal_progress()
        seed.file_documents(workspace, pool, given.documents, progress=progress)
        if given.sheets:
            seed.make_feeder(workspace, pool, sheets=given.sheets, progress=progress)
        print(f"The demo world of {workspace.setup.repository} is in {workspace.place.root}.")
    return 0
