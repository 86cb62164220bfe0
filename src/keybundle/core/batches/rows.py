"""Batches as rows: how each is read into plain data, and the few columns of a page that a step can change."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import BindParameter, Connection, Row, Select, and_, bindparam, exists, func, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.base.page_kind import PageKind
from keybundle.core.batches.arrivals import count_arrivals, load_values
from keybundle.core.batches.model import KEPT, LEFT_OUT, Balance, Batch, Came, Document, Facts, Page, Stage, State
from keybundle.core.fields.values import FieldValue
from keybundle.core.store import schema as t
from keybundle.core.store import work

PAGE_COLUMNS = (
    "id", "captured", "source", "source_index", "sheet", "side", "file_sha", "trouble", "turn",
    "disposition", "reason", "note", "document_id", "text_rotation", "hand_break", "hand_kept", "name", "language",
    "text_origin", "quality", "arrival", "cut",
)  # fmt: skip
PAGE_STEP = (
    "turn", "disposition", "reason", "note", "document_id", "hand_break", "hand_kept", "sheet", "side", "language",
)  # fmt: skip
DOCUMENT_STEP = ("break_reason", "type", "type_confidence", "type_origin", "parked", "proposed", "tags", "type_because",
                 "type_rival", "kept_to")  # fmt: skip
_OF_PAGE = [*(t.page.c[name] for name in PAGE_COLUMNS), t.page.c.kind, t.page.c.stage, t.page.c.facts]


def to_page(row: Row[Any]) -> Page:
    """Return the page that a row tells."""
    plain = {name: getattr(row, name) for name in PAGE_COLUMNS}
    return Page(
        **plain,
        kind=PageKind(row.kind),
        stage=Stage(row.stage),
        facts=Facts.from_json(row.facts) if row.facts else None,
    )


def _to_document(row: Row[Any], values: Mapping[str, FieldValue]) -> Document:
    return Document(
        row.id, row.break_reason, row.type, row.type_confidence, row.type_origin, State(row.state), row.parked,
        row.filed_id, row.proposed, tuple(row.tags or ()), values, row.claim, row.revision, row.trouble,
        row.type_because, row.type_rival, row.kept_to,
    )  # fmt: skip


def pages_where(*where: Any, order: Any = t.page.c.captured, limit: int | None = None) -> Select[Any]:
    """Return the question for the pages that meet conditions, in the order they were captured, for ``load_pages``."""
    return select(*_OF_PAGE).where(*where).order_by(order).limit(limit)


# Questions that are asked for each page are put together once: building one costs several times what asking it does.
_BATCH: BindParameter[str] = bindparam("batch")
_DOCUMENT: BindParameter[str] = bindparam("document")
_HEAD = select(t.batch).where(t.batch.c.id == _BATCH)
_PAGES_OF_BATCH = pages_where(t.page.c.batch_id == _BATCH, order=t.page.c.position)
_PAGES_OF_DOCUMENT = pages_where(t.page.c.document_id == _DOCUMENT, order=t.page.c.position)
_DOCUMENTS_OF_BATCH = select(t.batch_document, work.CLAIM).where(t.batch_document.c.batch_id == _BATCH)
_DOCUMENT_ALONE = select(t.batch_document, work.CLAIM).where(t.batch_document.c.id == _DOCUMENT)
_VALUES_OF_BATCH = select(t.batch_value).join(t.batch_document).where(t.batch_document.c.batch_id == _BATCH)
_VALUES_OF_DOCUMENT = select(t.batch_value).where(t.batch_value.c.document_id == _DOCUMENT)
_LAST_DOCUMENT = (
    select(t.batch_document.c.id, t.batch_document.c.filed_id, work.CLAIM, t.batch_document.c.parked)
    .join(t.page, t.page.c.document_id == t.batch_document.c.id)
    .where(t.page.c.batch_id == _BATCH)
    .order_by(t.page.c.position.desc())
    .limit(1)
)
_d, _p, _v = t.batch_document.c, t.page.c, t.version_page.c
_IS_HELD = exists().where(_v.page_id == _p.id, _v.document_id == _d.filed_id, _v.version == 1)
_IS_ASIDE = and_(_d.parked != "", _d.filed_id.is_(None))
_COUNTED = (
    _p.id.is_not(None), _p.disposition == KEPT, _p.disposition == LEFT_OUT, _p.disposition.is_(None), _d.id.is_not(None),
    _IS_HELD, _IS_ASIDE,
)  # fmt: skip
_COUNTS = (
    select(*(func.count().filter(those) for those in _COUNTED))
    .select_from(t.page.outerjoin(t.batch_document, _d.id == _p.document_id))
    .where(_p.batch_id == _BATCH)
)
_BATCH_OF = select(t.batch_document.c.batch_id).where(t.batch_document.c.id == _DOCUMENT)


def load_pages(c: Connection, asked: Select[Any], bound: Mapping[str, Any]) -> list[Page]:
    """Return the pages that a question of ``pages_where`` asks for."""
    return [to_page(row) for row in c.execute(asked, bound)]


def load_batch(c: Connection, batch_id: str, only: str | None = None) -> Batch:
    """Return a batch, or one that shows one document alone with its pages; raises InputProblem for an unknown id."""
    head = c.execute(_HEAD, {"batch": batch_id}).first()
    if head is None:
        raise InputProblem(message("rows.batch-no-longer-here"))
    bound = {"batch": batch_id} if only is None else {"document": only}
    values: dict[str, dict[str, FieldValue]] = {}
    for row in c.execute(_VALUES_OF_BATCH if only is None else _VALUES_OF_DOCUMENT, bound):
        values.setdefault(row.document_id, {})[row.field] = FieldValue.from_json(row.data)
    rows = c.execute(_DOCUMENTS_OF_BATCH if only is None else _DOCUMENT_ALONE, bound)
    documents = {row.id: _to_document(row, values.get(row.id, {})) for row in rows}
    return Batch(
        head.id, head.routine, head.origin, head.owner, head.created_at, head.captured_at, head.closed_at,
        tuple(load_pages(c, _PAGES_OF_BATCH if only is None else _PAGES_OF_DOCUMENT, bound)), documents,
        None if head.captured_at else last_document(c, batch_id),
        load_values(c, batch_id, only),
        held_pages(c, [d.filed_id for d in documents.values() if d.filed_id]), head.two_sided, tuple(head.paper_mm),
        head.revision, only is None, count_arrivals(c, batch_id) if only is None else Came(),
    )  # fmt: skip


def count_sides(c: Connection, batch_id: str) -> Balance:
    """Return the ``balance`` of a batch, without reading its pages."""
    counted = list(c.execute(_COUNTS, {"batch": batch_id}).one())
    captured, kept, left_out, unplaced, placed, filed, aside = counted
    return Balance(captured, kept, left_out, filed, aside, placed - filed - aside, unplaced)


def held_pages(c: Connection, filed: Sequence[str]) -> dict[str, str]:
    """Return the pages that the repository holds of filed documents, as they were filed, each with its document."""
    v, found = t.version_page.c, dict[str, str]()
    for start in range(0, len(filed), 500):
        chosen = select(v.page_id, v.document_id).where(v.document_id.in_(filed[start : start + 500]), v.version == 1)
        found |= {row.page_id: row.document_id for row in c.execute(chosen)}
    return found


def last_document(c: Connection, batch_id: str) -> str | None:
    """Return the document of a batch's last kept page, where pages that come late may still join it."""
    row = c.execute(_LAST_DOCUMENT, {"batch": batch_id}).first()
    return None if row is None or row.filed_id or row.claim or row.parked else str(row.id)


def batch_of(c: Connection, document_id: str) -> str:
    """Return the batch of a document; raises InputProblem when it is gone."""
    found: str | None = c.execute(_BATCH_OF, {"document": document_id}).scalar()
    if found is None:
        raise InputProblem(message("rows.document-no-longer-batch"))
    return found
