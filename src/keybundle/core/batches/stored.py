"""Batches in the database: reading them, and weighing values and states anew after each change."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from sqlalchemy import Connection, bindparam, delete, func, insert, select, update

from keybundle.core.base.clock import Clock
from keybundle.core.batches.delta import (
    diff,
    write,
)
from keybundle.core.batches.model import Balance, Batch, stage_of
from keybundle.core.batches.rows import batch_of, count_sides, load_batch
from keybundle.core.batches.whose import belongs
from keybundle.core.store import schema as t
from keybundle.core.store.database import Database

Settle = Callable[[Batch], Batch]
MOST_BOUND = 500

_TEXTS = select(t.page.c.id, t.page_text.c.bytes).join(t.page_text, t.page_text.c.id == t.page.c.text_id)
_TEXTS = _TEXTS.where(t.page.c.id.in_(bindparam("pages", expanding=True)))
_TEXT_IDS = select(t.page.c.id, t.page.c.text_id).where(t.page.c.id.in_(bindparam("pages", expanding=True)))
_DOCUMENT_OF = select(t.page.c.document_id).where(t.page.c.id == bindparam("page"))
_SET_STATE = update(t.batch_document).where(t.batch_document.c.id == bindparam("document"))
_SET_STATE = _SET_STATE.values(state=bindparam("found"))
_SET_STAGE = update(t.page).where(t.page.c.id == bindparam("page")).values(stage=bindparam("found"))
_TOUCH = update(t.batch_document).where(t.batch_document.c.id.in_(bindparam("documents", expanding=True)))
_TOUCH = _TOUCH.values(revision=t.batch_document.c.revision + 1)


class StoredBatches:
    """What all that writes batches builds on. ``settle`` weighs values and states anew."""

    def __init__(self, database: Database, clock: Clock, settle: Settle) -> None:
        self._db = database
        self._clock = clock
        self._settle = settle
        self.size_of: Callable[[str], int] = lambda sha: 0  # the bytes of a stored file, by its SHA-256
        self._windows: dict[tuple[str, int], str] = {}  # in which window steps were made, by batch and revision
        self.holder = ""  # in whose name documents are claimed

    def batch_of_page(self, page_id: str) -> str | None:
        """Return the batch that a page lies in, None where there is no such page."""
        with self._db.read() as c:
            found: str | None = c.execute(select(t.page.c.batch_id).where(t.page.c.id == page_id)).scalar()
            return found

    def pages_of_batch(self, batch_id: str, page_ids: Sequence[str]) -> list[str]:
        """Return those of the pages that lie in a batch, in the order asked for."""
        p, found = t.page.c, set[str]()
        with self._db.read() as c:
            for start in range(0, len(page_ids), MOST_BOUND):
                some = page_ids[start : start + MOST_BOUND]
                found |= set(c.execute(select(p.id).where(p.batch_id == batch_id, p.id.in_(some))).scalars())
        return [i for i in page_ids if i in found]

    def batch_of_document(self, document_id: str) -> str | None:
        """Return the batch that a document waits in or came from, None where there is no such document."""
        d = t.batch_document.c
        with self._db.read() as c:
            found: str | None = c.execute(select(d.batch_id).where(d.id == document_id)).scalar()
            return found

    def texts(self, page_ids: Iterable[str]) -> dict[str, bytes]:
        """Return the stored text of pages that have one, in the order asked for."""
        with self._db.read() as c:
            return self._texts(c, page_ids)

    def _texts(self, c: Connection, page_ids: Iterable[str]) -> dict[str, bytes]:
        wanted = list(page_ids)
        found = {row.id: row.bytes for row in c.execute(_TEXTS, {"pages": wanted})}
        return {i: found[i] for i in wanted if i in found}

    def text_ids(self, page_ids: Iterable[str]) -> dict[str, int]:
        """Return the numbers of the texts of pages that have one."""
        with self._db.read() as c:
            rows = c.execute(_TEXT_IDS, {"pages": list(page_ids)})
            return {row.id: row.text_id for row in rows if row.text_id is not None}

    def load(self, batch_id: str) -> Batch:
        """Return the whole batch without its texts; raises InputProblem for an unknown id."""
        with self._db.read() as c:
            return load_batch(c, batch_id)

    def balance(self, batch_id: str) -> Balance:
        """Return the page balance of a batch; all zero for one that is gone."""
        with self._db.read() as c:
            return count_sides(c, batch_id)

    def belongs_to(self, batch_id: str, person: str, groups: Iterable[str]) -> bool:
        """Whether a batch is somebody's, or was given to them or to a group of theirs."""
        with self._db.read() as c:
            return (
                c.execute(select(t.batch.c.id).where(t.batch.c.id == batch_id, belongs(person, groups))).first()
                is not None
            )

    def routine_of(self, batch_id: str) -> str:
        """Return the routine of a batch; empty for one that is gone."""
        with self._db.read() as c:
            return c.execute(select(t.batch.c.routine).where(t.batch.c.id == batch_id)).scalar() or ""

    def shared_with(self, batch_id: str) -> set[tuple[str, str]]:
        """Return whom a batch was given to: (``person`` or ``group``, id)."""
        s = t.batch_share.c
        with self._db.read() as c:
            return {(r.kind, r.grantee) for r in c.execute(select(s.kind, s.grantee).where(s.batch_id == batch_id))}

    def share(self, batch_id: str, kind: str, grantee: str, *, shared: bool = True) -> None:
        """Give a batch to a person or a group too (``kind``), or no longer; once more changes nothing."""
        s = t.batch_share.c
        with self._db.atomic() as c:
            c.execute(delete(t.batch_share).where(s.batch_id == batch_id, s.kind == kind, s.grantee == grantee))
            if shared:
                c.execute(insert(t.batch_share).values(batch_id=batch_id, kind=kind, grantee=grantee))

    def owner(self, batch_id: str) -> str:
        """Return whose batch it is; nobody for one that is gone."""
        with self._db.read() as c:
            return c.execute(select(t.batch.c.owner).where(t.batch.c.id == batch_id)).scalar() or ""

    def hand_over(self, batch_id: str, owner: str) -> None:
        """Make somebody else a batch's owner; what it was given to them as is no longer needed."""
        with self._db.atomic() as c:
            c.execute(update(t.batch).where(t.batch.c.id == batch_id).values(owner=owner))
            self.share(batch_id, "person", owner, shared=False)

    def load_document(self, document_id: str) -> Batch:
        """Return a batch that shows one document alone, with its pages; raises InputProblem for an unknown id."""
        with self._db.read() as c:
            return load_batch(c, batch_of(c, document_id), document_id)

    def load_around(self, page_id: str) -> Batch | None:
        """Return the document a page belongs to, as a batch of that document alone; None when it is left out."""
        with self._db.read() as c:
            found = c.execute(_DOCUMENT_OF, {"page": page_id}).scalar()
            return load_batch(c, batch_of(c, found), found) if found else None

    def document_before(self, document_id: str, type_name: str) -> str | None:
        """Return the nearest document of a type that stands before this one in its batch."""
        p, d = t.page.c, t.batch_document.c
        here = select(func.min(p.position)).where(p.document_id == document_id).scalar_subquery()
        with self._db.read() as c:
            chosen = (
                select(p.document_id)
                .join(t.batch_document, d.id == p.document_id)
                .where(p.batch_id == batch_of(c, document_id), p.position < here, d.type == type_name)
            )
            found: str | None = c.execute(chosen.order_by(p.position.desc()).limit(1)).scalar()
            return found

    def settle(self, batch_id: str) -> Batch:
        """Weigh the batch's values and states anew."""
        with self._db.atomic() as c:
            return self._settle_all(c, batch_id)

    def _settle_all(self, c: Connection, batch_id: str, only: str | None = None) -> Batch:
        before = load_batch(c, batch_id, only)
        after = self._settle(before)
        write(c, batch_id, [d for d in diff(before, after) if d[0] == "value"])
        for document in after.documents.values():
            if document.state is not before.documents[document.id].state:
                c.execute(_SET_STATE, {"document": document.id, "found": document.state.value})
        for page in before.pages:
            if page.stage is not (stage := stage_of(page)):
                c.execute(_SET_STAGE, {"page": page.id, "found": stage.value})
        return after

    def _touch(self, c: Connection, document_ids: Iterable[str]) -> None:
        c.execute(_TOUCH, {"documents": list(document_ids)})
