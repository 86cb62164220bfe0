"""Documents as rows: how values, tags, pages and versions are written and read."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import astuple
from decimal import Decimal, InvalidOperation
from typing import Any

from sqlalchemy import Connection, Row, Select, delete, insert, select

from keybundle.core.base.boxes import Frame
from keybundle.core.base.folding import fold
from keybundle.core.base.page_kind import PageKind
from keybundle.core.fields.values import FieldValue
from keybundle.core.repository.folders import follow_became, load_folders
from keybundle.core.repository.model import FiledDocument, FiledPage
from keybundle.core.repository.paths import split_path
from keybundle.core.repository.renaming import drop_unneeded
from keybundle.core.store import ledger, work
from keybundle.core.store import schema as t
from keybundle.core.store.texts import drop_texts, load_texts, put_text

PDFA = "pdfa"


def to_number(text: str) -> float | None:
    """Return the value as a number for range queries, or None."""
    try:
        number = float(Decimal(text))
    except (InvalidOperation, ValueError):
        return None
    return number if math.isfinite(number) else None


def documents_where(*where: Any) -> Select[Any]:
    """Return the question for documents that meet conditions, with the PDF of their current version."""
    d, r = t.document.c, t.rendition.c
    of_it = (r.document_id == d.id) & (r.version == d.version) & (r.kind == PDFA)
    return (
        select(t.document, r.sha.label("pdf_sha")).outerjoin(t.rendition, of_it).where(d.removed_at.is_(None), *where)
    )


def insert_pages(c: Connection, document_id: str, version: int, pages: Sequence[FiledPage]) -> list[int]:
    """Write the pages of a version and return the numbers of their texts."""
    texts = [p.text_id if p.text_id is not None else put_text(c, p.text) for p in pages]
    rows = [
        {
            "document_id": document_id, "version": version, "position": i, "file_sha": page.file_sha, "dpi": page.dpi,
            "source_index": page.source_index, "kind": page.kind.value, "page_id": page.page_id, "text_id": text_id,
            "frame": list(astuple(page.frame)), "flat_sha": page.flat_sha, "source": page.source, "name": page.name,
            "colour": page.colour, "steps": list(page.steps),
        }
        for i, (page, text_id) in enumerate(zip(pages, texts, strict=True))
    ]  # fmt: skip
    if rows:
        c.execute(insert(t.version_page), rows)
    ledger.hold(c, ledger.DOCUMENT, document_id, (sha for page in pages for sha in (page.file_sha, page.flat_sha)))
    return texts


def insert_rendition(c: Connection, document_id: str, version: int, sha: str, at: str) -> None:
    """Note the PDF of a version; one that is not there yet is to be made."""
    c.execute(insert(t.rendition).values(document_id=document_id, version=version, kind=PDFA, sha=sha or None))
    if sha:
        ledger.hold(c, ledger.DOCUMENT, document_id, [sha])
    else:
        work.due(c, at, work.RENDITION, rendition_ref(document_id, version))


def want_rendition(c: Connection, document_id: str, version: int, at: str) -> None:
    """Let the PDF of a version be made that is not there yet: of what was deleted meanwhile none was."""
    r = t.rendition.c
    own = (r.document_id == document_id, r.version == version, r.sha.is_(None))
    if c.execute(select(r.version).where(*own)).first() is not None:
        work.due(c, at, work.RENDITION, rendition_ref(document_id, version))


def rendition_ref(document_id: str, version: int) -> str:
    """Return what the work of making a version's PDF is called by."""
    return f"{document_id}/{version}"


def drop_versions(c: Connection, document_id: str, at: str) -> None:
    """Let go of all versions of a document, with their files and words where nothing else needs them."""
    p, r, v, d = t.version_page.c, t.rendition.c, t.version.c, t.document.c
    pages = c.execute(select(p.file_sha, p.flat_sha, p.text_id).where(p.document_id == document_id)).all()
    made = c.execute(select(r.sha).where(r.document_id == document_id, r.sha.is_not(None))).scalars()
    shas = {sha for page in pages for sha in (page.file_sha, page.flat_sha)} | set(made)
    versions = c.execute(select(v.number, v.folder_id).where(v.document_id == document_id)).all()
    here = c.execute(select(d.folder_id).where(d.id == document_id)).scalar()
    for table in (t.rendition, t.version_page, t.version):
        c.execute(delete(table).where(table.c.document_id == document_id))
    work.drop(c, work.RENDITION, [rendition_ref(document_id, row.number) for row in versions])
    work.drop(c, work.COPY, [document_id])
    drop_texts(c, sorted({page.text_id for page in pages}))
    drop_unneeded(c, sorted({row.folder_id for row in versions if row.folder_id not in (None, here)}))
    ledger.take_away_unheld(c, at, ledger.let_go(c, ledger.DOCUMENT, document_id, shas))


def load_pages(c: Connection, document_id: str, version: int) -> tuple[FiledPage, ...]:
    """Return the pages of a version with their texts."""
    p = t.version_page
    chosen = select(p).where(p.c.document_id == document_id, p.c.version == version).order_by(p.c.position)
    rows = c.execute(chosen).all()
    texts = load_texts(c, [r.text_id for r in rows])
    return tuple(
        FiledPage(
            r.page_id, r.file_sha, r.source_index, PageKind(r.kind), Frame(*r.frame), r.dpi, texts[r.text_id], r.flat_sha,
            r.source, r.name, r.text_id, r.colour, tuple(r.steps),
        )
        for r in rows
    )  # fmt: skip


def write_values(c: Connection, document_id: str, values: Mapping[str, FieldValue]) -> None:
    """Put values, in place of those there are, into the index of current values."""
    c.execute(delete(t.document_value).where(t.document_value.c.document_id == document_id))
    rows = [
        {"document_id": document_id, "field": name, "position": position, "value": item, "folded": fold(item),
         "number": to_number(item), "data": value.to_json()}
        for name, value in values.items() for position, item in enumerate(value.items)
    ]  # fmt: skip
    if rows:
        c.execute(insert(t.document_value), rows)


def write_tags(c: Connection, document_id: str, tags: Sequence[str]) -> None:
    """Put tags in place of those there are."""
    c.execute(delete(t.document_tag).where(t.document_tag.c.document_id == document_id))
    if tags:
        rows = [
            {"document_id": document_id, "position": i, "tag": tag, "folded": fold(tag)} for i, tag in enumerate(tags)
        ]
        c.execute(insert(t.document_tag), rows)


def load_tags(c: Connection, ids: Sequence[str]) -> dict[str, tuple[str, ...]]:
    """Return the tags of documents."""
    d, found = t.document_tag.c, dict[str, tuple[str, ...]]()
    for row in c.execute(select(t.document_tag).where(d.document_id.in_(ids)).order_by(d.document_id, d.position)):
        found[row.document_id] = (*found.get(row.document_id, ()), row.tag)
    return found


def load_values(c: Connection, ids: Sequence[str]) -> dict[str, dict[str, FieldValue]]:
    """Return the current values of documents by field."""
    found: dict[str, dict[str, FieldValue]] = {}
    for row in c.execute(select(t.document_value).where(t.document_value.c.document_id.in_(ids))):
        found.setdefault(row.document_id, {})[row.field] = FieldValue.from_json(row.data)
    return found


def to_document(
    row: Row[Any], folder: tuple[tuple[str, str], ...], values: dict[str, FieldValue], pages: tuple[FiledPage, ...],
    tags: tuple[str, ...],
) -> FiledDocument:  # fmt: skip
    """Return the document that a row of ``documents_where`` tells."""
    return FiledDocument(
        row.id, row.number, row.cabinet, folder, row.type, row.caption, row.filed_at, row.filed_by, row.version,
        row.pdf_sha or "", values, pages, tags, row.received_at, row.revision,
    )  # fmt: skip


def load_document(c: Connection, row: Row[Any], *, with_pages: bool = True) -> FiledDocument:
    """Return the document that a row of ``documents_where`` tells, with its values, tags, folder and pages."""
    pages = load_pages(c, row.id, row.version) if with_pages else ()
    values, tags = load_values(c, [row.id]), load_tags(c, [row.id])
    folder = load_folders(c, [row.folder_id])[row.folder_id] if row.folder_id is not None else ()
    return to_document(row, folder, values.get(row.id, {}), pages, tags.get(row.id, ()))


def as_placed(
    values: Mapping[str, FieldValue], said: Sequence[tuple[str, str]], placed: Sequence[tuple[str, str]]
) -> dict[str, FieldValue]:
    """Return values as they are in a folder: every document below a folder is found by what the folder's path says.

    ``said`` is the folder as the values have it, ``placed`` the one that it led to. What a document says otherwise on
    purpose stays.
    """
    found, names = dict(values), dict(said)
    for field, value in placed:
        own = found.get(field)
        if own is None or (own.items == (names.get(field),) and names.get(field) != value):
            found[field] = FieldValue((value,), 1.0, sure=True)
    return found


def load_version(c: Connection, document_id: str, number: int) -> FiledDocument | None:
    """Return a document as it was in a version, in the folder that it said then; None where there is none such."""
    d, v, f = t.document.c, t.version.c, t.folder.c
    of_it = select(
        t.document, v.type.label("then_type"), v.caption.label("then_caption"), v.folder_id.label("then_folder")
    )
    of_it = of_it.add_columns(v.data, v.tags, v.path.label("then_path"), f.cabinet.label("then_cabinet"))
    of_it = of_it.join(t.version, v.document_id == d.id).outerjoin(t.folder, f.id == v.folder_id)
    row = c.execute(of_it.where(d.id == document_id, v.number == number)).first()
    if row is None:
        return None
    values = {name: FieldValue.from_json(x) for name, x in row.data.items()}
    now = load_folders(c, [row.then_folder])[row.then_folder] if row.then_folder is not None else ()
    then = split_path(row.then_path) if row.then_path is not None else tuple(value for _, value in now)
    folder = tuple((field, value) for (field, _), value in zip(now, then, strict=False))
    return FiledDocument(
        row.id, row.number, row.then_cabinet or row.cabinet, folder, row.then_type, row.then_caption, row.filed_at, row.filed_by,
        number, "", values, load_pages(c, document_id, number), tuple(row.tags), row.received_at, row.revision,
    )  # fmt: skip


def folder_of_version(c: Connection, document_id: str, number: int) -> tuple[tuple[str, str], ...]:
    """Return the folder that a version lay in, as it is called now; that which it became, where it is no more."""
    v = t.version.c
    folder_id = c.execute(select(v.folder_id).where(v.document_id == document_id, v.number == number)).scalar()
    if folder_id is None:
        return ()
    there = follow_became(c, folder_id)
    return load_folders(c, [there])[there]
