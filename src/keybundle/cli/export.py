"""``keybundle export``: write filed documents into a folder."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from keybundle.cli.common import add_person, signed_in, terminal_progress, working_pool
from keybundle.core.base.ids import FiledId
from keybundle.core.export.forms import FORMS, PDFA
from keybundle.core.export.naming import USUAL
from keybundle.core.workflows.find.find import find_filed_ids
from keybundle.core.workflows.keep.documents.browsing import load_rows
from keybundle.core.workflows.send.packages import write_package
from keybundle.core.workflows.send.sending import send_to_folder
from keybundle.core.workflows.send.wishes import Sent, Wish, say_shared
from keybundle.core.workflows.session.session import Session


def add_command(commands: Any) -> None:
    """Declare the command."""
    parser = commands.add_parser("export", help="write filed documents into a folder")
    parser.add_argument("what", nargs="+", metavar="QUERY|ID", help="a query as for find, or ids of documents")
    parser.add_argument("--to", type=Path, required=True, metavar="DIR")
    parser.add_argument(
        "--as", dest="form", default=PDFA, metavar="FORM", help=", ".join(f.key for f in FORMS) + f" (default {PDFA})"
    )
    parser.add_argument(
        "--names", default=USUAL, metavar="PATTERN", help="such as '{Supplier} {filed}' (default {caption})"
    )
    parser.add_argument("--together", action="store_true", help="all documents in one file")
    parser.add_argument("--folders", action="store_true", help="in folders as in their cabinets")
    parser.add_argument(
        "--package", action="store_true", help="as one hand-over package, with all that is needed to check it"
    )
    add_person(parser, "--person")
    parser.set_defaults(run=run)


def run(given: argparse.Namespace) -> int:
    """Write the documents and say what came of it."""
    with signed_in(given, changes=True) as session, working_pool() as pool:
        ids = choose(session, given.what)
        if not ids:
            print("keybundle: No filed document answers that; nothing was written.", file=sys.stderr)
            return 1
        if given.package:
            return tell(write_package(session, pool, [FiledId(i) for i in ids], given.to, progress=terminal_progress()))
        wish = Wish(given.form, given.together, given.names, given.folders)
        sent = send_to_folder(session, pool, [FiledId(i) for i in ids], wish, given.to, progress=terminal_progress())
        return tell(sent)


def choose(session: Session, what: Sequence[str]) -> list[str]:
    """Return the documents that are meant: those of these ids, or those that answer the query."""
    known = load_rows(session, [FiledId(i) for i in what])
    return list(what) if len(known) == len(set(what)) else find_filed_ids(session, " ".join(what))


def tell(sent: Sent) -> int:
    """Print what was written, and on stderr what was not; return the exit status."""
    for caption, why in sent.refused:
        print(f"keybundle: {caption}: {why}", file=sys.stderr)
    pages = sum(d.pages for d in sent.documents)
    print(f"{len(sent.documents)} documents ({pages} pages) in {len(sent.files)} files written.")
    if shared := say_shared(sent):
        print(f"keybundle: {shared}", file=sys.stderr)
    if sent.stopped:
        print(f"keybundle: {sent.stopped}", file=sys.stderr)
        return 3
    return 1 if sent.refused else 0
