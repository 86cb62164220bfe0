"""``keybundle relocate``: bring files to the storage areas that their folders say by now."""

from __future__ import annotations

import argparse
import sys

from keybundle.cli.common import signed_in, terminal_progress
from keybundle.core.workflows.keep.areas.relocating import count_astray, relocate
from keybundle.core.workflows.prepare.cabinets.areas import list_areas

GB = 1 << 30


def run(given: argparse.Namespace) -> int:
    """Bring files, or tell what there is; status 1 when some could not be brought."""
    with signed_in(given, changes=not given.look) as session:
        if given.look:
            for area in list_areas(session):
                room = "away" if area.is_away else f"{area.free / GB:.1f} of {area.size / GB:.1f} GB free"
                print(f"{area.name}: {area.files} files, {room}, {area.root}")
            print(f"{count_astray(session)} files lie elsewhere than their folders say.")
            return 0
        found = relocate(session, progress=terminal_progress())
    print(f"{found.brought} files brought, {found.taken_away} taken away where no folder needs them any more.")
    for sha, why in found.left:
        print(f"keybundle: {sha[:12]}: {why}", file=sys.stderr)
    return 1 if found.left else 0
