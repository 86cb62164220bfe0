"""``keybundle purge-details``: forget what the audit trail tells in detail of one document, where a law asks for it."""

from __future__ import annotations

import argparse

from keybundle.cli.common import signed_in
from keybundle.core.workflows.oversee.forgetting import purge_details


def run(given: argparse.Namespace) -> int:
    """Forget and tell of how many rows."""
    with signed_in(given, changes=True) as session:
        count = purge_details(session, given.subject, given.reason)
    print(f"The details of {count} rows are forgotten; that it was done, and why, is a row of its own.")
    return 0
