"""What ``keybundle capture`` does, loaded while its workers are."""

from __future__ import annotations

import argparse
import json
import sys
import time

from keybundle.cli.common import several, signed_in, terminal_progress
from keybundle.core.base.errors import EnvironmentProblem, InputProblem
from keybundle.core.base.files import write_atomic
from keybundle.core.jobs.pool import Pool
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.file import renditions
from keybundle.core.workflows.file.filing import file_documents
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.oversee.report import make_report
from keybundle.core.workflows.send.copies import write_due
from keybundle.core.workflows.session.session import Session
from keybundle.core.workflows.take_in.capture import Captured, damaged_pages, find_routine, import_files, scan_stack
from keybundle.core.workflows.take_in.devices import Options, find_scanners

SCANNER = "scanner"


def capture(given: argparse.Namespace, pool: Pool) -> int:
    """Capture, wait for the reading, file if asked, report; return the exit status."""
    with signed_in(given, changes=True) as session:
        workspace = session.workspace
        routine = find_routine(session, given.routine)
        line = Line(workspace, pool)
        seconds: dict[str, float] = {}
        trouble = ""
        captured = Captured()
        try:
            start = time.perf_counter()
            try:
                captured = _bring_in(given, session, line, pool, routine)
            except EnvironmentProblem as error:
                trouble = str(error)
            seconds["capture"] = time.perf_counter() - start
            line.wait()
            trouble = trouble or line.problem
            if captured.batch is not None:
                seconds |= line.seconds(captured.batch)
                captured.refused += damaged_pages(session, captured.batch)
                if given.file:
                    filed = file_documents(session, pool, captured.batch, progress=terminal_progress())
                    seconds["file"] = filed.seconds
                    for told in (renditions.tell_trouble(workspace), write_due(workspace, pool, at_once=True)):
                        if told:
                            print(f"keybundle: {told}", file=sys.stderr)
        finally:
            line.close()
        return _tell(given, session, captured, routine.name, seconds, trouble)


def _bring_in(given: argparse.Namespace, session: Session, line: Line, pool: Pool, routine: Routine) -> Captured:
    progress = terminal_progress()
    if [str(i) for i in given.inputs] == [SCANNER]:
        scanners = find_scanners(session.workspace)
        if not scanners:
            raise InputProblem(
                "There is no scanner here. Make the demo world for the simulated one: keybundle init-demo."
            )
        options = Options(duplex=routine.duplex, resolution_dpi=routine.resolution_dpi, sides_per_minute=given.pace)
        return scan_stack(session, line, routine, scanners[0], options=options, progress=progress)
    return import_files(session, line, pool, routine, given.inputs, progress=progress)


def _tell(
    given: argparse.Namespace, session: Session, captured: Captured, routine: str, seconds: dict[str, float],
    trouble: str,
) -> int:  # fmt: skip
    report = make_report(session, captured.batch, routine, captured.refused, seconds)
    if given.report:
        write_atomic(given.report, (json.dumps(report, ensure_ascii=False, indent=1) + "\n").encode())
    for refused in (*captured.refused, *captured.noted):
        print(f"keybundle: {refused.why}", file=sys.stderr)
    if captured.halt:
        print(f"keybundle: {captured.halt}", file=sys.stderr)
    states: dict[str, int] = {}
    for document in report["documents"]:
        states[document["state"]] = states.get(document["state"], 0) + 1
    said = ", ".join(f"{n} {state}" for state, n in states.items()) or "no documents"
    print(f"{several(len(report['pages']), 'side', 'sides')} captured, {said}.")
    if trouble:
        kept = report["balance"]["captured"]
        print(
            f"keybundle: {trouble} {several(kept, 'captured side is', 'captured sides are')} safe in the batch.",
            file=sys.stderr,
        )
        return 3
    return 1 if captured.refused or captured.halt else 0
