"""``keybundle verify``: check every stored file against its hash, and the audit trail."""

from __future__ import annotations

import argparse
import json

from keybundle.cli.common import signed_in, terminal_progress
from keybundle.core.workflows.oversee.verify import list_trail, verify


def run(given: argparse.Namespace) -> int:
    """Check and tell; status 3 when something is wrong."""
    with signed_in(given, changes=False) as session:
        if given.trail:
            for line in list_trail(session):
                print(line)
            return 0
        found = verify(session, progress=terminal_progress())
    if given.as_json:
        bad = [{"file": sha, "why": why} for sha, why in found.bad]
        print(
            json.dumps(
                {
                    "files": found.files,
                    "bad": bad,
                    "trail": found.trail,
                    "head": found.head,
                    "renditions": found.renditions,
                    "due": found.due,
                }
            )
        )
    else:
        print(f"{found.files} files, {len(found.bad)} bad. The audit trail is {found.trail}; its head is {found.head}.")
        if found.due:
            print(f"{found.due} PDFs are still to be made; they are when the desktop runs.")
        for sha, why in found.bad:
            print(f"  {sha}: {why}. Bring it back from a backup.")
    return 0 if found.is_whole else 3
