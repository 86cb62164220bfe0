"""Values of documents as tables that any program reads: CSV (RFC 4180) and JSON (RFC 8259)."""

from __future__ import annotations

import csv
import io
import json
import re
import unicodedata
from collections.abc import Sequence
from typing import Any

from keybundle.core.repository.model import FiledDocument

HEADS = ("number", "caption", "type", "cabinet", "folder", "filed", "filed by", "version", "tags", "pages")
FORMULA = tuple("=+-@")
NUMBER = re.compile(r"[+-][0-9]+(\.[0-9]+)?")


def as_csv(documents: Sequence[FiledDocument], pages: Sequence[int]) -> str:
    """Return a line for each document, a column for each field that one of them has; ``pages`` are their numbers.

    A text (a head too) that a spreadsheet would compute is kept one by an apostrophe before it, unless it is a number.
    """
    fields = _fields(documents)
    out = io.StringIO()
    lines = csv.writer(out)
    lines.writerow([_inert(head) for head in (*HEADS, *fields)])
    for document, count in zip(documents, pages, strict=True):
        told = _facts(document, count)
        row = [" / ".join(v) if isinstance(v, list) else str(v) for v in (told[h] for h in HEADS)]
        values = [document.values[f].text if f in document.values else "" for f in fields]
        lines.writerow([_inert(cell) for cell in (*row, *values)])
    return out.getvalue()


def as_json(documents: Sequence[FiledDocument], pages: Sequence[int]) -> str:
    """Return a list with an object for each document; a value is a text, or a list where it holds several."""
    told = [{**_facts(d, n), "id": d.id, "values": _values(d)} for d, n in zip(documents, pages, strict=True)]
    return json.dumps(told, ensure_ascii=False, indent=1) + "\n"


def _fields(documents: Sequence[FiledDocument]) -> list[str]:
    return list(dict.fromkeys(name for d in documents for name in d.values))


def _facts(document: FiledDocument, pages: int) -> dict[str, Any]:
    return {
        "number": document.number, "caption": document.caption, "type": document.type, "cabinet": document.cabinet,
        "folder": [value for _, value in document.folder], "filed": document.filed_at, "filed by": document.filed_by,
        "version": document.version, "tags": list(document.tags), "pages": pages,
    }  # fmt: skip


def _values(document: FiledDocument) -> dict[str, Any]:
    return {n: v.items[0] if len(v.items) == 1 else list(v.items) for n, v in document.values.items() if v.items}


def _inert(cell: str) -> str:
    # Blanks, controls and letters without width are passed over by some readers, and wide signs taken as narrow ones.
    seen = "".join(x for x in unicodedata.normalize("NFKC", cell) if unicodedata.category(x)[0] not in "ZC")
    return f"'{cell}" if (seen.startswith(FORMULA) or cell[:1] in ("\t", "\r")) and not NUMBER.fullmatch(cell) else cell
