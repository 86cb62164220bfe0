"""``keybundle import-package``: bring in a hand-over package as a batch, checked against its hashes."""

from __future__ import annotations

import argparse
import sys

from keybundle.cli.common import several, signed_in, terminal_progress, working_pool
from keybundle.core.workflows.arrange.bench import load_bench
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.send.packages import import_package
from keybundle.core.workflows.take_in.capture import find_routine


def run(given: argparse.Namespace) -> int:
    """Check the package, take it in, wait for the reading."""
    with signed_in(given, changes=True) as session, working_pool() as pool:
        workspace = session.workspace
        routine = find_routine(session, given.routine)
        line = Line(workspace, pool)
        try:
            taken = import_package(session, line, pool, routine, given.folder, progress=terminal_progress())
            line.wait()
        finally:
            line.close()
        for refused in taken.refused:
            print(f"keybundle: {refused.why}", file=sys.stderr)
        documents = len(load_bench(session, taken.batch).facts) if taken.batch else 0
        wait = several(documents, "document of the package waits", "documents of the package wait")
        print(f"{wait} in a batch, {several(taken.sides, 'side', 'sides')}.")
        return 1 if taken.refused else 0
