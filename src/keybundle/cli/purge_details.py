"""``keybundle purge-details``: forget what the audit trail tells in detail of one document, where a law asks for it."""

from __future__ import annotations

import argparse
from typing import Any

from keybundle.cli.common import add_person, signed_in
from keybundle.core.workflows.oversee.forgetting import purge_details


def add_command(commands: Any) -> None:
    """Declare the command."""
    parser = commands.add_parser("purge-details", help="forget the audit trail's details about one document")
    parser.add_argument("subject", metavar="DOCUMENT", help="the document's id, as find --json and the trail tell it")
    parser.add_argument("--reason", required=True, help="why; the trail keeps it")
    add_person(parser)
    parser.set_defaults(run=run)


def run(given: argparse.Namespace) -> int:
    """Forget and tell of how many rows."""
    with signed_in(given, changes=True) as session:
        count = purge_details(session, given.subject, given.reason)
    print(f"The details of {count} rows are forgotten; that it was done, and why, is a row of its own.")
    return 0
