"""``keybundle find``: find documents by words and fields."""

from __future__ import annotations

import argparse
import json
from typing import Any

from keybundle.cli.common import signed_in
from keybundle.core.workflows.find.find import MARK_END, MARK_START, FoundDocument, find


def run(given: argparse.Namespace) -> int:
    """Print the hits."""
    with signed_in(given, changes=False) as session:
        found = find(session, given.query)
        if given.as_json:
            hits = [_plain(h) for h in found.hits]
            print(json.dumps({"query": found.said, "hits": hits}, ensure_ascii=False, indent=1))
            return 0
        print(found.said)
        for hit in found.hits:
            place = " / ".join((hit.cabinet, *hit.folder)) if hit.is_filed else f"in batch {hit.batch}"
            print(f"{hit.id}  {hit.caption}  [{place}]")
            if hit.snippet:
                print(f"    {_unmarked(hit.snippet, '*')}")
        if found.has_next:
            number = f"more than {found.total:,}" if found.is_more else f"{found.total:,}"
            print(f"These are the first {len(found.hits)} of {number}. Add a word or a condition.")
        if found.unread_pages:
            print(f"{found.unread_pages} pages are still to be read.")
    return 0


def _unmarked(snippet: str, mark: str = "") -> str:
    return snippet.replace(MARK_START, mark).replace(MARK_END, mark)


def _plain(hit: FoundDocument) -> dict[str, Any]:
    values = {k: v.items[0] if len(v.items) == 1 else list(v.items) for k, v in hit.values.items() if v.items}
    return {
        "id": hit.id, "caption": hit.caption, "cabinet": hit.cabinet or None, "folder": list(hit.folder),
        "type": hit.type or None, "values": values, "snippet": _unmarked(hit.snippet), "filed": hit.is_filed,
    }  # fmt: skip
