"""What is asked for when documents leave, what a sending brought, and its note in the audit trail."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import field
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import FiledId
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.export import forms
from keybundle.core.export.forms import Form, find_form
from keybundle.core.export.naming import USUAL, unknown_names
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace


@dataclass(frozen=True)
class Wish:
    """How documents are to leave: the form, all in one file or one for each, names by a pattern, with their folders."""

    form: str = forms.PDFA
    together: bool = False
    names: str = USUAL
    folders: bool = False

    @property
    def told(self) -> Form:
        """The form; raises InputProblem for one that is none."""
        return find_form(self.form)


@dataclass(frozen=True)
class SentDocument:
    """A document that left, and the files that hold it."""

    id: FiledId
    caption: str
    pages: int
    files: tuple[Path, ...]


@dataclass
class Sent:
    """What a sending brought. ``refused`` are (caption, why); ``stopped`` says why it ended early, empty: it did not.

    ``shared`` are the captions of documents whose files as they came hold pages of other documents too.
    """

    documents: list[SentDocument] = field(default_factory=list)
    refused: list[tuple[str, str]] = field(default_factory=list)
    stopped: str = ""
    size: int = 0
    shared: list[str] = field(default_factory=list)

    @property
    def files(self) -> list[Path]:
        """The files, each once."""
        return list(dict.fromkeys(path for d in self.documents for path in d.files))


def say_shared(sent: Sent) -> str:
    """Return that files went which hold pages of other documents too; empty where none did."""
    if not sent.shared:
        return ""
    more = f" and {len(sent.shared) - 1} more" if len(sent.shared) > 1 else ""
    return message("sending.files-they-came-hold-pages", item=sent.shared[0], more=more)


def check_wish(workspace: Workspace, wish: Wish) -> None:
    """Raise InputProblem for a form that is none, or a name pattern that asks for what no document has."""
    form = wish.told
    if wish.together and not form.joins:
        raise InputProblem(message("sending.cannot-hold-several-documents-one", title=form.title))
    parts = [f for k in workspace.setup.document_types for f in k.fields]
    levels = [f for cabinet in workspace.setup.cabinets for f in cabinet.folder_fields]
    fields = {x for f in (*parts, *levels) for x in (f.name, f.id)}
    unknown = unknown_names(wish.names, fields)
    if unknown:
        raise InputProblem(message("sending.no-document-field-name-besides", unknown=unknown[0]))


@needs(Right.SEND)
def note_sent(session: Session, sent: Sequence[SentDocument], told: dict[str, Any]) -> set[FiledId]:
    """Note in the audit trail that documents leave: to whom or where, in which form, as which files.

    What was deleted or erased meanwhile, or may be sent no longer, is not noted and may not leave: return the others.
    """
    return note_leaving(session, session.person, sent, told)


@needs(Right.SEND)
def note_leaving(session: Session, who: str, sent: Sequence[SentDocument], told: dict[str, Any]) -> set[FiledId]:
    """Note in the audit trail that documents leave for somebody, who may have asked for it long before; return which may."""
    workspace = session.workspace
    at = workspace.clock.stamp()
    with workspace.place.database.atomic() as c:
        may = still_to_send(session, c, sent)
        rows = [(d.id, {**told, "files": [p.name for p in d.files]}) for d in sent if d.id in may]
        audit.append_all(c, at, who, "sent", rows)
    return may


@needs(Right.SEND)
def still_to_send(session: Session, c: Connection, sent: Sequence[SentDocument]) -> set[FiledId]:
    """Return which of some documents are still there and may be sent."""
    return {FiledId(i) for i in session.documents(c, [d.id for d in sent], Right.SEND, with_values=False)}


@needs(Right.LOOK)
def last_wish(session: Session, document_id: FiledId) -> tuple[Wish, dict[str, Any]] | None:
    """Return how a document was sent last and what else was noted of it, for sending it so again."""
    workspace = session.workspace
    a, d = t.audit.c, t.audit_detail.c
    chosen = select(d.data).join(t.audit, a.seq == d.seq).where(a.subject == document_id, a.what == "sent")
    with workspace.place.database.read() as c:
        session.document(document_id)
        chosen = chosen.order_by(a.seq.desc()).limit(1)
        found = c.execute(chosen).scalar()
    if found is None:
        return None
    told = json.loads(found)
    return Wish(told["form"], told["together"], told["names"], told["folders"]), told


@needs(Right.SEND)
def stored_size(session: Session, ids: Sequence[FiledId]) -> int:
    """Return how many bytes the documents' PDFs are together, of those that somebody may send."""
    workspace = session.workspace
    with workspace.place.database.read() as c:
        found = session.documents(c, ids, Right.SEND, with_values=False).values()
    return sum(workspace.place.files.size(d.pdf_sha) for d in found if d.pdf_sha)
