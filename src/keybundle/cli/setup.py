"""``keybundle setup``: export, import or check the set-up file."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from keybundle.cli.common import opened, signed_in
from keybundle.core.workflows.prepare.parts.setup_admin import (
    begin_with_setup,
    check_setup_file,
    export_setup,
    go_back,
    import_setup,
    list_setup_history,
    missing_in_file,
)
from keybundle.core.workflows.prepare.registers.registers import find_register, go_back_entries, list_entries_history
from keybundle.core.workflows.session.session import Session


def run(given: argparse.Namespace) -> int:
    """Do what was asked; findings are told line by line, and nothing is changed then."""
    if given.what == "history":
        with signed_in(given, changes=False) as session:
            for s in reversed(list_setup_history(session, given.part, given.name)):
                told = s.data.get("name", "general") if s.data is not None else f"{s.id}, dropped"
                print(f"{s.at}  {s.who}  {s.kind}  {told}  revision {s.revision}")
        return 0
    if given.what == "back":
        with signed_in(given, changes=True) as session:
            print(f"{go_back(session, given.part, given.name, given.revision)} is as it was then.")
        return 0
    if given.what == "entries":
        with signed_in(given, changes=given.back is not None) as session:
            return _entries(session, given.name, given.back)
    if given.what == "export":
        with signed_in(given, changes=False) as session:
            export_setup(session, given.file)
        return 0
    report = check_setup_file(given.file)
    if not report.ok:
        for finding in report.findings:
            print(f"{given.file}: {finding}", file=sys.stderr)
        return 2
    for missing in missing_in_file(given.file):
        print(f"{given.file}: not ready yet: {missing}")
    if given.what == "import":
        if not _has_begun(given.data):
            with opened(given.data, changes=True, create=True) as workspace:
                begin_with_setup(workspace, given.file)
            return 0
        with signed_in(given, changes=True) as session:
            for line in import_setup(session, given.file).lines():
                print(line)
    return 0


def _entries(session: Session, name: str, back: int | None) -> int:
    register = find_register(session, name)
    if back is not None:
        found = go_back_entries(session, register, back)
        print(f"{len(found.keys)} entries brought back, {len(found.before)} say again what they said.")
        return 0
    for past in reversed(list_entries_history(session, register)):
        print(
            f"{past.at}  {past.who}  {past.removed} taken away, {past.changed} changed, {past.added} added  ({past.seq})"
        )
    return 0


def _has_begun(data: Path) -> bool:
    """Whether there is a repository with a set-up already: then it takes somebody who may change it."""
    if not data.exists():
        return False
    with opened(data, changes=True, create=True) as workspace:
        return workspace.has_setup
