"""``keybundle setup``: export, import or check the set-up file."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from keybundle.cli.common import opened
from keybundle.core.setup.ids import PARTS
from keybundle.core.workflows.prepare.setup_admin import (
    check_setup_file,
    export_setup,
    go_back,
    import_setup,
    list_setup_history,
)


def add_command(commands: Any) -> None:
    """Declare the command."""
    parser = commands.add_parser("setup", help="export, import or check the set-up file; its history")
    kinds = parser.add_subparsers(dest="what", required=True, metavar="WHAT")
    for what, told in (("export", "write it"), ("import", "put it in force"), ("check", "tell what is wrong with it")):
        kinds.add_parser(what, help=told).add_argument("file", type=Path, metavar="FILE")
    history = kinds.add_parser("history", help="tell who changed which part, and when")
    history.add_argument("part", nargs="?", default="", choices=("", *PARTS), metavar="PART")
    history.add_argument("name", nargs="?", default="", metavar="NAME")
    back = kinds.add_parser("back", help="put an earlier state of a part in force again")
    back.add_argument("part", choices=PARTS, metavar="PART")
    back.add_argument("name", metavar="NAME")
    back.add_argument("revision", type=int, metavar="REVISION")
    parser.set_defaults(run=run)


def run(given: argparse.Namespace) -> int:
    """Do what was asked; findings are told line by line, and nothing is changed then."""
    if given.what == "history":
        with opened(given.data, changes=False) as workspace:
            for s in reversed(list_setup_history(workspace, given.part, given.name)):
                told = s.data.get("name", "general") if s.data is not None else f"{s.id}, dropped"
                print(f"{s.at}  {s.who}  {s.kind}  {told}  revision {s.revision}")
        return 0
    if given.what == "back":
        with opened(given.data, changes=True) as workspace:
            who = workspace.person(None).id
            print(f"{go_back(workspace, who, given.part, given.name, given.revision)} is as it was then.")
        return 0
    if given.what == "export":
        with opened(given.data, changes=False) as workspace:
            export_setup(workspace, given.file)
        return 0
    report = check_setup_file(given.file)
    if not report.ok:
        for finding in report.findings:
            print(f"{given.file}: {finding}", file=sys.stderr)
        return 2
    if given.what == "import":
        with opened(given.data, changes=True, create=True) as workspace:
            who = workspace.person(None).id if workspace.has_setup else "command line"
            for line in import_setup(workspace, given.file, who).lines():
                print(line)
    return 0
