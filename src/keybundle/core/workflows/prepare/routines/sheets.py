"""Separator and patch sheets as a PDF to print."""

from __future__ import annotations

from pathlib import Path

from keybundle.core.base.files import write_atomic
from keybundle.core.marks.patches import print_patches
from keybundle.core.marks.printing import print_sheets
from keybundle.core.marks.sheets import KINDS, Separator
from keybundle.core.setup.routines import PATCH_PATTERNS


def write_separators(
    path: Path, type_name: str = "", *, kind: str = KINDS[0], count: int = 1, size: str = "A4"
) -> None:
    """Write separator sheets; with ``type_name`` the document that follows is of that type."""
    write_atomic(path, print_sheets(Separator(kind, type_name), count=count, size=size))


def write_patches(
    path: Path, symbol: str, table: dict[str, str] | None = None, *, count: int = 1, size: str = "A4"
) -> None:
    """Write patch sheets with a code; ``table`` is the set-up's, None the usual one."""
    write_atomic(path, print_patches(symbol, table or PATCH_PATTERNS, size=size, count=count))
