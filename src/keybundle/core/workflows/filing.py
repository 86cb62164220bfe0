"""Filing a batch's documents, taking one back, and the filing record."""

from __future__ import annotations

import html
from collections.abc import Sequence
from concurrent.futures import Future
from dataclasses import asdict, dataclass, field
from typing import Any

from sqlalchemy import insert, select

from keybundle.core.base.changes import Changes
from keybundle.core.base.errors import AppError, InputProblem
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.batches.model import Batch, Document, State, balance
from keybundle.core.filing.commit import commit_document, compose_document, uncommit_document
from keybundle.core.filing.destination import Destination, compute_destination, make_caption
from keybundle.core.jobs.pool import Pool
from keybundle.core.reading.text import PageText
from keybundle.core.repository import audit
from keybundle.core.setup.model import DocumentType
from keybundle.core.setup.routines import Routine
from keybundle.core.store import schema as t
from keybundle.core.workflows.learning import learn, refresh_calibration, unlearn
from keybundle.core.workflows.page_facts import cleaning_steps, filed_colour
from keybundle.core.workflows.workspace import Workspace, may_work

PDF_WORK = "keybundle.core.workflows.pdf_work"
FILE_PRIORITY = 1


@dataclass(frozen=True)
class FiledEntry:
    """A line of the filing record."""

    id: str
    caption: str
    type: str
    path: tuple[str, ...]
    pages: int


@dataclass
class Filed:
    """What a filing brought: filed documents, and the others with what they still wait for."""

    batch: str
    entries: list[FiledEntry] = field(default_factory=list)
    left: list[tuple[str, str]] = field(default_factory=list)
    record: str | None = None
    seconds: float = 0.0

    def changes(self) -> Changes:
        """Return what this touched."""
        return Changes(frozenset([self.batch]), repository=True, text=f"{len(self.entries)} documents filed")


def why_not(workspace: Workspace, document: Document) -> str:
    """Return what stands between a document and its folder, as a sentence; empty when nothing does."""
    if document.state is State.READING:
        return "It is still being read."
    if document.state is State.SET_ASIDE:
        return f"It is set aside: {document.parked}."
    kind = workspace.setup.document_type(document.type)
    if kind is None:
        return "It has no document type yet."
    missing = compute_destination(kind, workspace.setup, document.values).missing
    if missing:
        return f"{', '.join(missing)} {'is' if len(missing) == 1 else 'are'} missing."
    unsure = [name for name, v in document.values.items() if not v.sure and kind.field(name)]
    return f"{', '.join(unsure)} {'is' if len(unsure) == 1 else 'are'} still unsure." if unsure else ""


def file_documents(
    workspace: Workspace, pool: Pool, batch_id: str, who: str, document_ids: Sequence[str] | None = None, *,
    progress: Progress = silent, cancel: CancelToken | None = None,
) -> Filed:  # fmt: skip
    """File the ready ones among the named documents (None: all of the batch), each all or nothing.

    The others are left and listed with the reason. Raises InputProblem for a person who may only look.
    """
    may_work(workspace.person(who))
    cancel = cancel or CancelToken()
    batch = workspace.batches.load(batch_id)
    result = Filed(batch_id)
    waiting: list[tuple[Document, DocumentType, Destination, dict[str, bytes], Future[Any]]] = []
    for document in batch.in_order():
        if document.filed_id or (document_ids is not None and document.id not in document_ids):
            continue
        kind = workspace.setup.document_type(document.type)
        if document.state is not State.READY or kind is None:
            result.left.append((_name(document, kind), why_not(workspace, document)))
            continue
        texts = workspace.batches.texts([p.id for p in batch.pages_of(document.id)])
        destination = compute_destination(kind, workspace.setup, document.values)
        waiting.append((document, kind, destination, texts, _start_pdf(workspace, pool, batch, document, kind, texts)))
    for number, (document, kind, destination, texts, future) in enumerate(waiting, 1):
        if cancel.cancelled:
            future.cancel()
            result.left.append((_name(document, kind), "Filing was cancelled before it."))
            continue
        try:
            sha, seconds = future.result()
            new = compose_document(batch, document, kind, destination, texts, sha)
            with workspace.place.database.atomic() as c:
                filed_id = commit_document(workspace.place.database, workspace.batches, workspace.repository, new, who)
                learn(c, workspace, document, kind, texts, was_seen=document_ids is not None)
        except AppError as error:
            result.left.append((_name(document, kind), str(error)))
            continue
        result.seconds += seconds
        path = (destination.cabinet, *(v for _, v in new.folder))
        result.entries.append(FiledEntry(filed_id, new.caption, kind.name, path, len(new.pages)))
        progress(Step(number, len(waiting), f"Filed {new.caption}"))
    if result.entries:
        result.record = _write_record(workspace, result, who)
        refresh_calibration(workspace, pool)
    return result


def _name(document: Document, kind: DocumentType | None) -> str:
    return make_caption(kind, document.values) if kind and document.values else document.type or "Document without type"


def _start_pdf(
    workspace: Workspace, pool: Pool, batch: Batch, document: Document, kind: DocumentType, texts: dict[str, bytes]
) -> Future[Any]:
    files = workspace.place.files
    routine = workspace.setup.routine(batch.routine) or Routine(name=batch.routine, sign="??")
    pages = [
        (str(files.path(p.picture[0])), *p.picture[1:], p.facts.dpi if p.facts else 300.0,
         texts.get(p.id) or PageText((), p.frame).to_bytes(), filed_colour(p, routine))
        for p in batch.pages_of(document.id)
    ]  # fmt: skip
    title = make_caption(kind, document.values)
    args = (pages, cleaning_steps(routine), title, batch.created_at, str(files.root))
    return pool.submit(f"{PDF_WORK}:make_pdf", *args, priority=FILE_PRIORITY)


def _write_record(workspace: Workspace, result: Filed, who: str) -> str:
    record_id = workspace.clock.new_id()
    with workspace.place.database.atomic() as c:
        data = {
            "entries": [asdict(e) for e in result.entries], "left": result.left,
            "balance": asdict(balance(workspace.batches.load(result.batch))), "audit_head": audit.head(c),
        }  # fmt: skip
        row = {"id": record_id, "batch_id": result.batch, "at": workspace.clock.stamp(), "who": who, "data": data}
        c.execute(insert(t.filing_record).values(row))
    return record_id


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


def list_records(workspace: Workspace, limit: int = 20) -> list[Record]:
    """Return the newest filing records."""
    with workspace.place.database.read() as c:
        rows = c.execute(select(t.filing_record).order_by(t.filing_record.c.at.desc()).limit(limit))
        return [
            Record(
                r.id, r.batch_id, r.at, r.who,
                tuple(FiledEntry(e["id"], e["caption"], e["type"], tuple(e["path"]), e["pages"]) for e in r.data["entries"]),
                tuple((name, why) for name, why in r.data["left"]), r.data["balance"], r.data["audit_head"],
            )
            for r in rows
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
    return (
        "<!doctype html><meta charset='utf-8'><title>Filing record</title>"
        "<style>body{font-family:sans-serif}td,th{padding:2px 12px 2px 0;text-align:left}</style>"
        f"<h1>Filing record</h1><p>{html.escape(record.who)}, {record.at[:16].replace('T', ' ')} UTC, batch {record.batch}</p>"
        f"<table><tr><th>Document</th><th>Folder</th><th>Pages</th><th>Number</th></tr>{rows}</table>"
        + (f"<h2>Not filed</h2><ul>{left}</ul>" if left else "")
        + f"<p>Page balance: {b['captured']} captured = {b['kept']} kept + {b['left_out']} left out; "
        f"{b['kept']} kept = {b['filed']} filed + {b['set_aside']} set aside + {b['waiting']} waiting.</p>"
        f"<p>Audit trail head: <code>{record.audit_head}</code></p>"
    )


def take_back(workspace: Workspace, batch_id: str, document_id: str, who: str) -> Changes:
    """Take a filed document back into its batch; raises InputProblem when it is not filed from there."""
    may_work(workspace.person(who))
    document = workspace.batches.load(batch_id).document(document_id)
    if document.filed_id is None:
        raise InputProblem("This document is not filed; there is nothing to take back.")
    with workspace.place.database.atomic() as c:
        uncommit_document(
            workspace.place.database,
            workspace.batches,
            workspace.repository,
            batch_id,
            document_id,
            document.filed_id,
            who,
        )
        unlearn(c, document_id)
    return Changes(frozenset([batch_id]), frozenset([document_id]), True, "Taken back from the repository")
