"""The filing record: what was filed where. It grows with each document, in the transaction that files it."""

from __future__ import annotations

import html
from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime, tzinfo
from typing import Any

from sqlalchemy import Connection, Row, func, insert, select, update

from keybundle.core.base.ids import FiledId
from keybundle.core.base.messages import SOURCE, say, word
from keybundle.core.base.records import dataclass
from keybundle.core.fields.locales import format_moment
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import name_of
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.handles import OpenBatch
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace


@dataclass(frozen=True)
class FiledEntry:
    """A line of the filing record."""

    id: FiledId
    caption: str
    type: str
    path: tuple[str, ...]
    pages: int
    number: int = 0


@dataclass(frozen=True)
class Record:
    """A filing record as kept; ``batch_told`` names its batch as people do, ``at`` is ISO 8601 in UTC."""

    id: str
    batch: str
    batch_told: str
    at: str
    who: str
    entries: tuple[FiledEntry, ...]
    left: tuple[tuple[str, str], ...]
    balance: dict[str, int]
    audit_head: str


def add_entry(c: Connection, record_id: str, own: OpenBatch, entry: FiledEntry, at: str, who: str) -> None:
    """Add a document of a batch to a record in its filing's transaction; the first one begins it."""
    r, e = t.filing_record.c, t.filing_entry.c
    state = {"balance": asdict(own.balance()), "audit_head": audit.head(c)}
    if c.execute(select(r.id).where(r.id == record_id)).first() is None:
        c.execute(insert(t.filing_record).values(id=record_id, batch_id=own.id, at=at, who=who, left=[], **state))
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


@needs(Right.LOOK)
def list_records(session: Session, limit: int = 20) -> list[Record]:
    """Return the newest filing records."""
    workspace = session.workspace
    r, e = t.filing_record.c, t.filing_entry.c
    with workspace.place.database.read() as c:
        b, d = t.batch.c, t.document.c
        named = select(t.filing_record, b.routine, b.origin).outerjoin(t.batch, b.id == r.batch_id)
        named = named.where(*session.batches())
        rows = c.execute(named.order_by(r.at.desc()).limit(limit)).all()
        entries: dict[str, list[FiledEntry]] = {}
        numbered = select(t.filing_entry, d.number).outerjoin(t.document, d.id == e.document_id)
        chosen = numbered.where(e.record_id.in_([row.id for row in rows]), *session.view(c).documents())
        for x in c.execute(chosen.order_by(e.record_id, e.position)):
            line = FiledEntry(x.document_id, x.caption, x.type, tuple(x.path), x.pages, x.number or 0)
            entries.setdefault(x.record_id, []).append(line)
    return [
        Record(
            row.id, row.batch_id, _name_batch(workspace, row), row.at,
            name_of(workspace.setup.people, row.who), tuple(entries.get(row.id, ())),
            tuple((name, why) for name, why in row.left), row.balance, row.audit_head,
        )
        for row in rows
    ]  # fmt: skip


def _name_batch(workspace: Workspace, row: Row[Any]) -> str:
    return f"{name_of(workspace.setup.routines, row.routine)}: {row.origin}" if row.routine else ""


STYLE = (
    "body{font-family:sans-serif;color:#1f2a2e;background:#fbfaf7;margin:24px}h1{font-size:20px;margin-bottom:4px}"
    "table{border-collapse:collapse}th{font-size:13px;color:#5a6668}"
    "td,th{padding:5px 18px 5px 0;text-align:left;border-bottom:1px solid #d9d5cb}a{color:#0f5b5e;text-decoration:none}"
)


def record_as_html(record: Record, zone: tzinfo, language: str = SOURCE) -> str:
    """Return a filing record as a page to print or save, in a language, its time told in a zone."""

    def w(code: str, **params: Any) -> str:
        return html.escape(word(f"record.{code}", params, language))

    rows = "".join(
        f"<tr><td><a href='keybundle:document/{e.id}'>{html.escape(e.caption)}</a></td>"
        f"<td>{html.escape(' / '.join(e.path))}</td><td>{e.pages}</td><td>{e.number or ''}</td></tr>"
        for e in record.entries
    )
    left = "".join(f"<li>{html.escape(name)}: {html.escape(say(why, language))}</li>" for name, why in record.left)
    b, at = record.balance, datetime.fromisoformat(record.at).astimezone(zone)
    sums = {k: b[k] for k in ("captured", "kept", "left_out", "filed", "set_aside", "waiting")}
    unplaced = word("record.unplaced", {"unplaced": b["unplaced"]}, language) if b.get("unplaced") else ""
    moment = format_moment(at, language)
    told = w("of-batch", moment=moment, batch=record.batch_told) if record.batch_told else html.escape(moment)
    heads = "".join(f"<th>{w(h)}</th>" for h in ("document", "folder", "pages", "number"))
    return (
        f"<!doctype html><meta charset='utf-8'><title>{w('title')}</title><style>{STYLE}</style>"
        f"<h1>{w('title')}</h1><p>{html.escape(record.who)}, {told}</p>"
        f"<table><tr>{heads}</tr>{rows}</table>"
        + (f"<h2>{w('not-filed')}</h2><ul>{left}</ul>" if left else "")
        + f"<p>{w('balance', unplaced=unplaced, **sums)}</p>"
        f"<p>{w('audit-head')} <code>{record.audit_head}</code></p>"
    )
