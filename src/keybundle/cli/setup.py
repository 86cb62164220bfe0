"""``keybundle setup``: export, import or check the set-up file."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from keybundle.cli.common import add_person, opened, signed_in
from keybundle.core.setup.ids import PARTS
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


def add_command(commands: Any) -> None:
    """Declare the command."""
    parser = commands.add_parser("setup", help="export, import or check the set-up file; its history")
    kinds = parser.add_subparsers(dest="what", required=True, metavar="WHAT")
    for what, told in (("export", "write it"), ("import", "put it in force"), ("check", "tell what is wrong with it")):
        kind = kinds.add_parser(what, help=told)
        kind.add_argument("file", type=Path, metavar="FILE")
        if what != "check":
            add_person(kind)
    history = kinds.add_parser("history", help="tell who changed which part, and when")
    history.add_argument("part", nargs="?", default="", choices=("", *PARTS), metavar="PART")
    history.add_argument("name", nargs="?", default="", metavar="NAME")
    add_person(history)
    back = kinds.add_parser("back", help="put an earlier state of a part in force again")
    back.add_argument("part", choices=PARTS, metavar="PART")
    back.add_argument("name", metavar="NAME")
    back.add_argument("revision", type=int, metavar="REVISION")
    add_person(back)
    entries = kinds.add_parser(
        "entries", help="tell when entries of a register were taken away or changed by many at once"
    )
    entries.add_argument("name", metavar="REGISTER")
    entries.add_argument("--back", type=int, metavar="N", help="bring back what was taken away or changed at that time")
    add_person(entries)
    parser.set_defaults(run=run)


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
