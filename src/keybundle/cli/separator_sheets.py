"""``keybundle separator-sheets``: print separator or patch sheets as a PDF."""

from __future__ import annotations

import argparse
from pathlib import Path

from keybundle.cli.common import opened
from keybundle.core.base.errors import EnvironmentProblem
from keybundle.core.setup.routines import PATCH_PATTERNS
from keybundle.core.workflows.prepare.routines.sheets import write_patches, write_separators


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
