"""``keybundle separator-sheets``: print separator sheets as a PDF."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from keybundle.core.base.files import write_atomic
from keybundle.core.marks.printing import SIZES, print_sheets
from keybundle.core.marks.sheets import KINDS, Separator


def add_command(commands: Any) -> None:
    """Declare the command."""
    parser = commands.add_parser("separator-sheets", help="print separator sheets as a PDF")
    parser.add_argument("--out", type=Path, required=True, metavar="FILE.pdf")
    parser.add_argument("--kind", default=KINDS[0], choices=KINDS)
    parser.add_argument(
        "--type", default="", metavar="TYPE", help="the document type that follows; else a generic sheet"
    )
    parser.add_argument("--count", type=int, default=1, metavar="N")
    parser.add_argument("--size", default="A4", choices=tuple(SIZES))
    parser.set_defaults(run=run)


def run(given: argparse.Namespace) -> int:
    """Write the PDF."""
    write_atomic(given.out, print_sheets(Separator(given.kind, given.type), count=given.count, size=given.size))
    return 0
