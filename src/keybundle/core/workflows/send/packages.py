"""Hand-over packages out and in: documents with values, text, pages and their part of the audit trail, with hashes."""

from __future__ import annotations

import json
import shutil
from collections.abc import Iterator, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from sqlalchemy import select

from keybundle.core.base.errors import AppError, EnvironmentProblem, InputProblem, explain_os_error
from keybundle.core.base.ids import FiledId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.export import package
from keybundle.core.export.forms import AS_PACKAGE, PACKAGE
from keybundle.core.export.landing import Landing
from keybundle.core.export.naming import safe_name, suffix_of, unlike
from keybundle.core.export.package import list_documents, read_values
from keybundle.core.fields.kinds import Kept
from keybundle.core.jobs.pool import Pool
from keybundle.core.reading.text import PageText
from keybundle.core.repository import audit
from keybundle.core.repository.model import FiledDocument
from keybundle.core.rights.model import Right
from keybundle.core.setup.routines import Routine
from keybundle.core.store import schema as t
from keybundle.core.workflows.keep.documents.browsing import load_document
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.propose.defaults import local_day
from keybundle.core.workflows.send.sending import (
    GONE_MEANWHILE,
    NOT_TO_SEND,
    SEND_PRIORITY,
    SEND_WORK,
    STOPPED,
    copy_stored,
    head_of,
    make_pdfs,
    received_files,
    require_made,
)
from keybundle.core.workflows.send.wishes import Sent, SentDocument, note_sent
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.core.workflows.take_in.capture import Captured, import_files

ROOM = 120
README = """Documents handed over by {repository} on {day}.

This folder is a BagIt bag (RFC 8493). manifest-sha256.txt lists the SHA-256 of every file below data/; from this folder
`sha256sum -c manifest-sha256.txt` checks them all.

Each folder in data/documents is one document:
  document.pdf   the document as a searchable PDF/A
  received/      the files its pages came in, untouched
  pages.json     its pages in order: which file and which page of it, the turn and skew that make it upright
  text.txt       its text, pages parted by form feeds
  values.json    type, caption, cabinet, folder, values
  trail.tsv      what the audit trail says of it: in each line the hash of the row before, the row's own line
                 (number, time, who, what, subject, detail), and the row's hash, parted by tabs.
                 The hash is the SHA-256 of the hash before, a line feed, and the line.
"""


@needs(Right.SEND)
def write_package(
    session: Session, pool: Pool, ids: Sequence[FiledId], target: Path, *,
    progress: Progress = silent, cancel: CancelToken | None = None,
) -> Sent:  # fmt: skip
    """Write documents as one package into a folder, whole or not at all; what cannot be part of it is left out and told."""
    workspace = session.workspace
    cancel, sent, landing = cancel or CancelToken(), Sent(), Landing(target)
    day = local_day(workspace, workspace.clock.stamp())
    make_pdfs(session, pool, ids, PACKAGE, progress, cancel)
    part: Path | None = None
    try:
        home = landing.folder()
        part = landing.part(home)
        named: set[str] = set()
        for number, document_id in enumerate(ids, 1):
            if cancel.cancelled:
                sent.stopped = STOPPED
                return sent
            _add_document(session, document_id, part, sent, named)
            progress(Step(number, len(ids) + 1, message("progress.sending")))
        if not sent.documents:
            return sent
        name = f"{workspace.setup.repository} {day}"
        final = landing.plan(home, safe_name(name))
        told = {"how": "folder", "to": str(final), "form": "package", "together": True, "names": "", "folders": False}
        (part / "README.txt").write_text(
            README.format(repository=workspace.setup.repository, day=day), encoding="utf-8"
        )
        info = {
            "Source-Organization": workspace.setup.repository,
            "External-Description": f"{len(sent.documents)} documents",
        }
        pool.submit(f"{SEND_WORK}:close_package", str(part), info, priority=SEND_PRIORITY).result()
        sent.size = sum(p.stat().st_size for p in part.rglob("*") if p.is_file())
        sent.documents = [SentDocument(d.id, d.caption, d.pages, (final,)) for d in sent.documents]
        if len(note_sent(session, sent.documents, told)) < len(sent.documents):
            raise EnvironmentProblem(GONE_MEANWHILE)
        part.rename(final)
    except OSError as error:
        _fail(sent, explain_os_error(error, message("thing.package-in", target=target)))
    except EnvironmentProblem as error:
        _fail(sent, error)
    finally:
        if part is not None:
            shutil.rmtree(part, ignore_errors=True)
    progress(Step(len(ids) + 1, len(ids) + 1, message("progress.sending")))
    return sent


def _fail(sent: Sent, error: AppError) -> None:
    sent.stopped = str(error)
    sent.documents.clear()


def _add_document(session: Session, document_id: FiledId, part: Path, sent: Sent, named: set[str]) -> None:
    caption, workspace = str(document_id), session.workspace
    try:
        document = load_document(session, document_id)
        with workspace.place.database.read() as c:
            if document_id not in session.documents(c, [document_id], Right.SEND):
                raise InputProblem(NOT_TO_SEND)
        caption = document.caption
        require_made(document, AS_PACKAGE)
        folder = (
            part / package.DOCUMENTS / unlike(f"{document.number:06d} {safe_name(caption)[:ROOM].rstrip(' .')}", named)
        )
        (folder / package.RECEIVED).mkdir(parents=True)
        _fill(workspace, document, folder)
    except InputProblem as error:
        sent.refused.append((caption, str(error)))
        if caption != document_id:
            shutil.rmtree(folder, ignore_errors=True)
        return
    sent.documents.append(SentDocument(document.id, caption, len(document.pages), (folder,)))


def _fill(workspace: Workspace, document: FiledDocument, folder: Path) -> None:
    landing, names, taken = Landing(folder), dict[str, str](), set[str]()
    # As it is kept, by the hash that the trail speaks of; what it is called stands in the values.
    landing.name(copy_stored(workspace, document.pdf_sha, landing, folder), folder / package.PDF)
    for count, (sha, source) in enumerate(received_files(document), 1):
        stem = Path(source).stem or f"{count:04d}"
        names[sha] = unlike(safe_name(stem, suffix_of(source, head_of(workspace, sha))), taken)
        home = folder / package.RECEIVED
        landing.name(copy_stored(workspace, sha, landing, home), home / names[sha])
    pages = [
        {"file": f"{package.RECEIVED}/{names[p.file_sha]}", "page": p.source_index, "received as": p.source,
         "dpi": p.dpi, **{k: v for k, v in asdict(p.frame).items()}}
        for p in document.pages
    ]  # fmt: skip
    values = {n: v.items[0] if len(v.items) == 1 else list(v.items) for n, v in document.values.items() if v.items}
    told: dict[str, Any] = {
        "number": document.number, "type": document.type, "caption": document.caption, "cabinet": document.cabinet,
        "folder": [list(pair) for pair in document.folder], "filed": document.filed_at, "filed by": document.filed_by,
        "version": document.version, "tags": list(document.tags), "values": values,
    }  # fmt: skip
    text = "\f".join(f"{PageText.from_bytes(p.text).plain}\n" for p in document.pages)
    for name, body in (
        (package.VALUES, _as_json(told)), (package.PAGES, _as_json(pages)), (package.TEXT, text),
        (package.TRAIL, "".join(f"{line}\n" for line in _trail(workspace, document.id))),
        (package.DETAILS, "".join(f"{line}\n" for line in _details(workspace, document.id))),
    ):  # fmt: skip
        (folder / name).write_text(body, encoding="utf-8")


def _as_json(data: object) -> str:
    return json.dumps(data, ensure_ascii=False, indent=1) + "\n"


def _trail(workspace: Workspace, document_id: str) -> Iterator[str]:
    """Yield ``hash before<TAB>line<TAB>hash`` of each row about a document."""
    a = t.audit
    with workspace.place.database.read() as c:
        for row in c.execute(select(a).where(a.c.subject == document_id).order_by(a.c.seq)).all():
            before = c.execute(select(a.c.hash).where(a.c.seq == row.seq - 1)).scalar() or audit.START
            yield f"{before}\t{audit.make_line(row)}\t{row.hash}"


def _details(workspace: Workspace, document_id: str) -> Iterator[str]:
    """Yield what each row about a document says in detail, with the salt of its digest, as JSON."""
    a, d = t.audit.c, t.audit_detail.c
    chosen = select(t.audit_detail).join(t.audit, a.seq == d.seq).where(a.subject == document_id).order_by(d.seq)
    with workspace.place.database.read() as c:
        for row in c.execute(chosen).all():
            yield json.dumps({"number": row.seq, "salt": row.salt, "data": row.data}, ensure_ascii=False)


@needs(Right.BRING_IN)
def import_package(
    session: Session, line: Line, pool: Pool, routine: Routine, folder: Path, *,
    progress: Progress = silent, cancel: CancelToken | None = None,
) -> Captured:  # fmt: skip
    """Bring a package in as one batch, a file for each document, its values to be confirmed.

    Raises InputProblem, before anything is taken in, for one that is not whole or not what was handed over.
    """
    workspace, who = session.workspace, session.person
    if not folder.is_dir():
        raise InputProblem(message("packages.no-folder-name-folder-hand", folder=folder))
    pool.submit(f"{SEND_WORK}:check_package", str(folder), priority=SEND_PRIORITY).result()
    told = {document / package.PDF: read_values(document) for document in list_documents(folder)}
    given = {
        path: {n: Kept("; ".join(v) if isinstance(v, list) else str(v)) for n, v in said["values"].items()}
        for path, said in told.items()
    }
    result = import_files(session, line, pool, routine, list(told), each=given, progress=progress, cancel=cancel)
    with workspace.place.database.atomic() as c:
        detail = {"package": folder.name, "documents": [said.get("caption", "") for said in told.values()]}
        audit.append(c, workspace.clock.stamp(), who, "package taken in", str(result.batch), detail)
    return result
