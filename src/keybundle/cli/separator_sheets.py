"""``keybundle separator-sheets``: print separator or patch sheets as a PDF."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from keybundle.cli.common import opened
from keybundle.core.base.errors import EnvironmentProblem
from keybundle.core.marks.printing import SIZES
from keybundle.core.marks.sheets import KINDS
from keybundle.core.setup.routines import PATCH_PATTERNS, PATCH_SYMBOLS
from keybundle.core.workflows.prepare.routines.sheets import write_patches, write_separators


def add_command(commands: Any) -> None:
    """Declare the command."""
    parser = commands.add_parser("separator-sheets", help="print separator or patch sheets as a PDF")
    parser.add_argument("--out", type=Path, required=True, metavar="FILE.pdf")
    parser.add_argument("--kind", default=KINDS[0], choices=KINDS)
    parser.add_argument(
        "--type", default="", metavar="TYPE", help="the document type that follows; else a generic sheet"
    )
    parser.add_argument(
        "--patch",
        choices=PATCH_SYMBOLS,
        help="print patch sheets with this code instead (by the set-up's table)",
    )
    parser.add_argument("--count", type=int, default=1, metavar="N")
    parser.add_argument("--size", default="A4", choices=tuple(SIZES))
    parser.set_defaults(run=run)


def run(given: argparse.Namespace) -> int:
    """Write the PDF."""
    if given.patch:
        write_patches(given.out, given.patch, _patch_table(given.data), size=given.size, count=given.count)
    else:
        write_separators(given.out, given.type, kind=given.kind, count=given.count, size=given.size)
    return 0


def _patch_table(data: Path) -> dict[str, str]:
    """Return the table of the repository's set-up, the usual one where there is no repository."""
    try:
        with opened(data, changes=False) as workspace:
            return workspace.setup.patch_codes
    except EnvironmentProblem:
        return PATCH_PATTERNS
