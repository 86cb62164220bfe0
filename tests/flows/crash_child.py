"""Captures, reads and files without end, telling each durable page and filing, until it is killed."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path

from keybundle.core.batches.arrivals import Arrival
from keybundle.core.batches.model import Page
from keybundle.core.intake.scanner import Options
from keybundle.core.jobs.pool import Pool
from keybundle.core.store.place import hold
from keybundle.core.workflows.file.filing import file_documents
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.take_in.capture import find_routine, scan_stack
from keybundle.core.workflows.take_in.devices import find_scanners
from tests.support import acting


def say(*words: object) -> None:
    """Tell a line in one piece: several threads do."""
    sys.stdout.write(" ".join(map(str, words)) + "\n")
    sys.stdout.flush()


def main(data: Path) -> None:
    with hold(data, who="the crash test"):
        workspace = open_workspace(data, held=True)
        keep = workspace.batches.take

        def take_and_say(batch_id: str, arrival: Arrival, pages: Sequence[Page]) -> list[Page]:
            kept = keep(batch_id, arrival, pages)
            for page in kept:
                say("page", page.id)
            return kept

        workspace.batches.take = take_and_say  # type: ignore[method-assign]
        pool = Pool(2)
        line = Line(workspace, pool, lambda changes: say("step", "-"))
        line.resume()
        say("ready")
        routine, scanner = find_routine(acting(workspace), "Post"), find_scanners(workspace)[0]
        who = workspace.person(None).id
        while True:
            line.wait(0.05)
            for batch_id in workspace.batches.ids():
                for entry in file_documents(acting(workspace, who), pool, batch_id).entries:
                    say("filed", entry.id)
            if not line.busy:
                if not scanner.sheets_in_feeder():
                    scanner.refill()
                scan_stack(acting(workspace, who), line, routine, scanner, options=Options(sides_per_minute=0))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
