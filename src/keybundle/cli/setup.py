"""``keybundle setup``: export, import or check the set-up file."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from keybundle.cli.common import opened
from keybundle.core.workflows.setup_admin import check_setup_file, export_setup, import_setup


def add_command(commands: Any) -> None:
    """Declare the command."""
    parser = commands.add_parser("setup", help="export, import or check the set-up file")
    parser.add_argument("what", choices=("export", "import", "check"))
    parser.add_argument("file", type=Path)
    parser.set_defaults(run=run)


def run(given: argparse.Namespace) -> int:
    """Do what was asked; findings are told line by line, and nothing is changed then."""
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
            who = workspace.person(None).name if workspace.has_setup else "command line"
            import_setup(workspace, given.file, who)
    return 0
