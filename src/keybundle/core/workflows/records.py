"""The filing record: what was filed where. It grows with each document, in the transaction that files it."""

from __future__ import annotations

import html
from collections.abc import Sequence
from dataclasses import asdict, dataclass

from sqlalchemy import Connection, func, insert, select, update

from keybundle.core.batches.model import Batch, balance
from keybundle.core.repository import audit
from keybundle.core.store import schema as t
from keybundle.core.workflows.workspace import Workspace


@dataclass(frozen=True)
class FiledEntry:
    """A line of the filing record."""

    id: str
    caption: str
    type: str
    path: tuple[str, ...]
    pages: int


@dataclass(frozen=True)
class Record:
    """A filing record as kept."""

    id: str
    batch: str
    at: str
    who: str
    entries: tuple[FiledEntry, ...]
    left: tuple[tuple[str, str], ...]
    balance: dict[str, int]
    audit_head: str


def add_entry(c: Connection, record_id: str, batch: Batch, entry: FiledEntry, at: str, who: str) -> None:
    """Add a document to a record in its filing's transaction; the first one begins it. ``batch`` is as it is after it."""
    r, e = t.filing_record.c, t.filing_entry.c
    state = {"balance": asdict(balance(batch)), "audit_head": audit.head(c)}
    if c.execute(select(r.id).where(r.id == record_id)).first() is None:
        c.execute(insert(t.filing_record).values(id=record_id, batch_id=batch.id, at=at, who=who, left=[], **state))
    else:
        c.execute(update(t.filing_record).where(r.id == record_id).values(state))
    number = c.execute(select(func.count()).where(e.record_id == record_id)).scalar_one()
    row = {"document_id": entry.id, "caption": entry.caption, "type": entry.type, "path": list(entry.path)}
    c.execute(insert(t.filing_entry).values(record_id=record_id, position=number, pages=entry.pages, **row))


def end_record(workspace: Workspace, record_id: str, left: Sequence[tuple[str, str]]) -> None:
    """Note what was left, with the reasons."""
    with workspace.place.database.atomic() as c:
        changed = update(t.filing_record).where(t.filing_record.c.id == record_id)
        c.execute(changed.values(left=[list(pair) for pair in left]))


def list_records(workspace: Workspace, limit: int = 20) -> list[Record]:
    """Return the newest filing records."""
    r, e = t.filing_record.c, t.filing_entry.c
    with workspace.place.database.read() as c:
        rows = c.execute(select(t.filing_record).order_by(r.at.desc()).limit(limit)).all()
        entries: dict[str, list[FiledEntry]] = {}
        chosen = select(t.filing_entry).where(e.record_id.in_([row.id for row in rows]))
        for x in c.execute(chosen.order_by(e.record_id, e.position)):
            line = FiledEntry(x.document_id, x.caption, x.type, tuple(x.path), x.pages)
            entries.setdefault(x.record_id, []).append(line)
    return [
        Record(
            row.id, row.batch_id, row.at, row.who, tuple(entries.get(row.id, ())),
            tuple((name, why) for name, why in row.left), row.balance, row.audit_head,
        )
        for row in rows
    ]  # fmt: skip


def record_as_html(record: Record) -> str:
    """Return a filing record as a page to print or save."""
    rows = "".join(
        f"<tr><td>{html.escape(e.caption)}</td><td>{html.escape(' / '.join(e.path))}</td><td>{e.pages}</td>"
        f"<td><a href='keybundle:document/{e.id}'>{e.id}</a></td></tr>"
        for e in record.entries
    )
    left = "".join(f"<li>{html.escape(name)}: {html.escape(why)}</li>" for name, why in record.left)
    b = record.balance
    unplaced = f" + {b['unplaced']} without a place yet" if b.get("unplaced") else ""
    return (
        "<!doctype html><meta charset='utf-8'><title>Filing record</title>"
        "<style>body{font-family:sans-serif}td,th{padding:2px 12px 2px 0;text-align:left}</style>"
        f"<h1>Filing record</h1><p>{html.escape(record.who)}, {record.at[:16].replace('T', ' ')} UTC, batch {record.batch}</p>"
        f"<table><tr><th>Document</th><th>Folder</th><th>Pages</th><th>Number</th></tr>{rows}</table>"
        + (f"<h2>Not filed</h2><ul>{left}</ul>" if left else "")
        + f"<p>Page balance: {b['captured']} captured = {b['kept']} kept + {b['left_out']} left out{unplaced}; "
        f"{b['kept']} kept = {b['filed']} filed + {b['set_aside']} set aside + {b['waiting']} waiting.</p>"
        f"<p>Audit trail head: <code>{record.audit_head}</code></p>"
    )
