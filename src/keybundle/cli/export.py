"""``keybundle export``: write filed documents into a folder."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence

from keybundle.cli.common import signed_in, terminal_progress, working_pool
from keybundle.core.base.ids import FiledId
from keybundle.core.workflows.find.find import find_filed_ids
from keybundle.core.workflows.keep.documents.browsing import load_rows
from keybundle.core.workflows.send.packages import write_package
from keybundle.core.workflows.send.sending import send_to_folder
from keybundle.core.workflows.send.wishes import Sent, Wish, say_shared
from keybundle.core.workflows.session.session import Session


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
