"""The commit from batch to repository: all or nothing, once.

The transaction writes the document, its values, the audit row, the index, that its PDF is due, and the batch's note that it
is filed. The filing key is the batch document's id: filing it again finds what is there.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

from sqlalchemy import select

from keybundle.core.batches.model import Batch, Document, Page
from keybundle.core.batches.store import BatchStore
from keybundle.core.fields.values import FieldValue
from keybundle.core.filing.destination import Destination, make_caption
from keybundle.core.filing.gate import By, Change, allow
from keybundle.core.reading.text import PageText
from keybundle.core.repository.access import load_list
from keybundle.core.repository.model import FiledDocument, FiledPage, NewDocument
from keybundle.core.repository.store import Repository
from keybundle.core.search import index
from keybundle.core.setup.model import DocumentType
from keybundle.core.store import schema as t
from keybundle.core.store.database import Database


def compose_document(
    batch: Batch,
    document: Document,
    kind: DocumentType,
    destination: Destination,
    texts: Mapping[str, bytes],
    text_ids: Mapping[str, int],
    cleaned: Callable[[Page], tuple[str, tuple[bool, ...]]] = lambda page: ("", ()),
) -> NewDocument:
    """Put together all that the repository keeps of a batch's document; ``text_ids`` are the texts' numbers in the store.

    ``cleaned`` tells what a page is filed in: its colour, and the steps by which it is cleaned.
    """
    pages = tuple(
        FiledPage(
            p.id, p.file_sha, p.source_index, p.kind, p.frame, p.facts.dpi if p.facts else 300.0,
            texts.get(p.id) or PageText((), p.frame).to_bytes(), p.facts.flat_sha if p.facts else "", p.source, p.name,
            text_ids.get(p.id), *cleaned(p),
        )
        for p in batch.pages_of(document.id)
    )  # fmt: skip
    folder = tuple((name, value or "") for name, value in destination.folder)
    return NewDocument(
        document.id, destination.cabinet, folder, kind.id, make_caption(kind, document.values), document.values,
        pages, "", batch.id, document.tags, batch.created_at, (kind.name, destination.titles[0]),
    )  # fmt: skip


def index_text(values: Mapping[str, FieldValue], folder: Sequence[tuple[str, str]], tags: Sequence[str]) -> str:
    """Return values, folder and tags as findable text, each once: folder values lie among the values of what is filed."""
    return " ".join(dict.fromkeys((*(v.text for v in values.values()), *(value for _, value in folder), *tags)))


def retag_document(database: Database, repository: Repository, document_id: str, tags: Sequence[str], by: By) -> None:
    """Give a filed document other tags, and let it be found by them, in one transaction; raises NotAllowed."""
    with database.atomic() as c:
        allow(c, by, document_id, Change.TAGS)
        repository.set_tags(document_id, tags, by.person)
        found = repository.load(document_id, with_pages=False)
        index.change(c, document_id, values=index_text(found.values, found.folder, tags))


def commit_document(database: Database, batches: BatchStore, repository: Repository, new: NewDocument, who: str) -> str:
    """File one document in one transaction and return its id in the repository."""
    with database.atomic() as c:
        filed_id = repository.add(new, who)
        texts = repository.text_ids(filed_id)
        index.remove(c, [p.page_id for p in new.pages])
        of = index.Kept(new.type, new.cabinet, repository.filed_month(filed_id))
        index.put(c, index.FILED, filed_id, new.caption, index_text(new.values, new.folder, new.tags), texts, of)
        if new.batch_id is not None:
            batches.set_filed(new.batch_id, new.key, filed_id)
        return filed_id


def uncommit_document(
    database: Database,
    batches: BatchStore,
    repository: Repository,
    batch_id: str,
    document_id: str,
    filed_id: str,
    by: By,
) -> None:
    """Take a document back from the repository into its batch, in one transaction; raises NotAllowed.

    Its type, values, tags and list of today go along, whatever was corrected since it was filed.
    """
    with database.atomic() as c:
        allow(c, by, filed_id, Change.TAKE_BACK)
        now = repository.load(filed_id, with_pages=False)
        own = load_list(c, c.execute(select(t.document.c.access_id).where(t.document.c.id == filed_id)).scalar())
        kept_to = json.dumps(own.to_json()) if own is not None else None
        repository.take_back(filed_id, by.person)
        index.remove(c, [filed_id])
        batches.set_filed(batch_id, document_id, None)
        batches.take_over(batch_id, document_id, lambda d: _as_filed(d, now, kept_to, by.person))
        batch = batches.load(batch_id)
        pages = batch.pages_of(document_id)
        for page_id, text_id in batches.text_ids([p.id for p in pages]).items():
            index.put(c, index.WAITING, page_id, "", "", [text_id])


def _as_filed(document: Document, now: FiledDocument, kept_to: str | None, who: str) -> Document:
    """Return a batch's document with what the filed one has by now; a value that was emptied there stays empty."""
    gone = {name for name, value in document.values.items() if value.items and name not in now.values}
    emptied = {name: replace(document.values[name], items=(), confirmed_by=who) for name in gone}
    placed = {name for name, _ in now.folder} if now.type == document.type else set()
    own = {k: v for k, v in now.values.items() if k in document.values or k not in placed}
    return replace(
        document, type=now.type, values={**document.values, **emptied, **own}, tags=now.tags, kept_to=kept_to
    )
