"""What the machine writes of a batch: captured sides, facts, texts, places, proposals; and what it still has to do.

Each write counts only if what it was made from is still so, and never against what a person decided; none of them makes
a person's command fail.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import asdict, field, replace
from typing import Any

from sqlalchemy import BindParameter, Connection, Select, bindparam, case, func, insert, or_, select, update

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.batches import transfer
from keybundle.core.batches.arrivals import Arrival, insert_arrival, join_batch
from keybundle.core.batches.delta import (
    diff,
    insert_document,
    write,
)
from keybundle.core.batches.model import KEPT, LEFT_OUT, TYPED, Batch, Facts, Page, Stage, stage_of
from keybundle.core.batches.next_steps import Work
from keybundle.core.batches.rows import PAGE_COLUMNS, batch_of, load_batch, load_pages, pages_where
from keybundle.core.batches.stored import StoredBatches
from keybundle.core.separation.cut import CutState
from keybundle.core.separation.facts import Placing
from keybundle.core.store import ledger, work
from keybundle.core.store import schema as t
from keybundle.core.store.texts import put_text

Decide = Callable[[Sequence[Page], Mapping[str, bytes], CutState], tuple[Sequence[Placing], CutState]]

# What is asked and written for each page is put together once: see ``rows``.
_BATCH: BindParameter[str] = bindparam("batch")
_PAGE: BindParameter[str] = bindparam("page")
_DOCUMENT: BindParameter[str] = bindparam("document")
_PAGES: BindParameter[list[str]] = bindparam("pages", expanding=True)
_DOCUMENTS: BindParameter[list[str]] = bindparam("documents", expanding=True)
_p, _d, _b = t.page.c, t.batch_document.c, t.batch.c

_ONE_PAGE = pages_where(_p.id == _PAGE)
_UNPLACED = pages_where(_p.batch_id == _BATCH, _p.id.in_(_PAGES), _p.cut.is_(False), _p.document_id.is_(None))
_LOOSE = pages_where(
    _p.batch_id == _BATCH, t.IN_WORK, _p.stage.in_([Stage.CAPTURED.value, Stage.LOOKED_AT.value]), _p.cut.is_(False),
    _p.document_id.is_(None), limit=2,
)  # fmt: skip
_UNFINISHED = pages_where(_p.batch_id == _BATCH, t.IN_WORK)
_UNFINISHED_OF = pages_where(_p.batch_id == _BATCH, t.IN_WORK, _p.id.in_(_PAGES))
_FLAGS = select(_b.two_sided, _b.captured_at, _b.closed_at).where(_b.id == _BATCH)
_CUT = select(_b.cut).where(_b.id == _BATCH)
_SET_CUT = update(t.batch).where(_b.id == _BATCH).values(cut=bindparam("state"))
_IS_SHUT = or_(_d.filed_id.is_not(None), work.IS_CLAIMED)
_PROPOSE_ANEW = update(t.batch_document).where(_d.id == _DOCUMENT)
_PROPOSE_ANEW = _PROPOSE_ANEW.values(proposed=case((_IS_SHUT, _d.proposed), else_=False), revision=_d.revision + 1)
_ONE_DOCUMENT = select(t.batch_document, work.CLAIM).where(_d.id == _DOCUMENT)
_NO_TROUBLE = update(t.batch_document).where(_d.id == _DOCUMENT).values(trouble="")
_HERE = select(_p.position).where(_p.id == _PAGE).scalar_subquery()
_NEAR = select(_d.id, _d.filed_id, work.CLAIM, _d.parked).join(t.page, _p.document_id == _d.id)
_NEAR = _NEAR.where(_p.batch_id == _BATCH).limit(1)
_BEFORE = _NEAR.where(_p.position < _HERE).order_by(_p.position.desc())
_AFTER = _NEAR.where(_p.position > _HERE).order_by(_p.position)
_BEGINS = select(func.min(_p.position)).where(_p.document_id == _DOCUMENT).scalar_subquery()
_STOOD_LAST = select(_p.document_id).where(
    _p.batch_id == _BATCH, _p.position < _BEGINS, _p.document_id.is_not(None)
).order_by(_p.position.desc()).limit(1)  # fmt: skip
_FIRSTS = select(_p.document_id.label("d"), func.min(_p.position).label("n")).group_by(_p.document_id)
_FIRSTS_FOUND = _FIRSTS.where(_p.document_id.in_(_DOCUMENTS)).subquery()
_FIRST_PAGES = select(_p.id).join(
    _FIRSTS_FOUND, (_FIRSTS_FOUND.c.d == _p.document_id) & (_FIRSTS_FOUND.c.n == _p.position)
)
_DUE = select(_d.id).where(_d.batch_id == _BATCH, _d.proposed.is_(False), _d.filed_id.is_(None), ~work.IS_CLAIMED)
_DUE_OF = _DUE.where(_d.id.in_(select(_p.document_id).where(_p.id.in_(_PAGES), _p.document_id.is_not(None))))
_READ_FIRSTS = select(_p.document_id).where(
    _p.id.in_(_PAGES), _p.stage.in_([Stage.READ.value, Stage.FAILED.value])
).order_by(_p.position)  # fmt: skip


@dataclass(frozen=True)
class Placed:
    """What placing a sheet brought: the pages' decisions, the documents it touched, those it began, where the cut stands."""

    placings: tuple[Placing, ...] = ()
    documents: tuple[str, ...] = ()
    begun: tuple[str, ...] = ()
    state: CutState = field(default_factory=CutState)


class MachineWrites(StoredBatches):
    """Captures pages, and keeps what was found out about them."""

    # -- capture -----------------------------------------------------------------------------------------------

    def create(
        self, routine: str, origin: str, owner: str, *, two_sided: bool = False,
        paper_mm: tuple[float, float] = (210.0, 297.0),
    ) -> str:  # fmt: skip
        """Make an empty batch and return its id."""
        batch_id = self._clock.new_id()
        with self._db.atomic() as c:
            c.execute(
                insert(t.batch).values(
                    id=batch_id, routine=routine, origin=origin, owner=owner, created_at=self._clock.stamp(),
                    two_sided=two_sided, paper_mm=list(paper_mm), next_captured=0, cut=asdict(CutState()), revision=0,
                )
            )  # fmt: skip
        return batch_id

    def take(self, batch_id: str, arrival: Arrival, pages: Sequence[Page]) -> list[Page]:
        """Take an arrival in with all its pages, which count as captured from now on; return them with their numbers.

        Its file must be stored before.
        """
        at = self._clock.stamp()
        with self._db.atomic() as c:
            insert_arrival(c, batch_id, arrival, at)
            first = transfer.take_numbers(c, batch_id, len(pages))
            taken = [replace(p, captured=first + i, arrival=arrival.id) for i, p in enumerate(pages)]
            c.execute(insert(t.page), [
                {name: getattr(p, name) for name in PAGE_COLUMNS} | {
                    "kind": p.kind.value, "batch_id": batch_id, "position": p.captured, "captured_at": at,
                    "stage": stage_of(p).value,
                }
                for p in taken
            ])  # fmt: skip
            for page in taken:
                self._hold(c, page.id, page.file_sha)
        return taken

    def note_arrival(self, batch_id: str | None, arrival: Arrival, *, is_container: bool = False) -> None:
        """Note what came in without pages of its own: what holds other files, and what was not taken."""
        with self._db.atomic() as c:
            insert_arrival(c, batch_id, arrival, self._clock.stamp(), is_container=is_container)

    def let_join(self, batch_id: str, arrival_ids: Sequence[str]) -> None:
        """Let arrivals that were noted before there was a batch belong to it."""
        with self._db.atomic() as c:
            join_batch(c, arrival_ids, batch_id)

    def _hold(self, c: Connection, page_id: str, sha: str) -> None:
        if not ledger.is_known(c, sha):
            ledger.know_file(c, sha, self._clock.stamp(), self.size_of(sha))
        ledger.hold(c, ledger.PAGE, page_id, [sha])

    def end_capture(self, batch_id: str) -> None:
        """Note that no more sides will come."""
        with self._db.atomic() as c:
            c.execute(update(t.batch).where(t.batch.c.id == batch_id).values(captured_at=self._clock.stamp()))

    def reopen_capture(self, batch_id: str, *, two_sided: bool = False) -> None:
        """Note that more sides will come to an open batch; raises InputProblem for a closed one."""
        with self._db.atomic() as c:
            b = t.batch.c
            changed = update(t.batch).where(b.id == batch_id, b.closed_at.is_(None))
            if not c.execute(changed.values(captured_at=None, two_sided=two_sided)).rowcount:
                raise InputProblem(message("machine.batch-closed-scan-into-new"))

    # -- what the machine finds --------------------------------------------------------------------------------

    def set_facts(self, page_id: str, facts: Facts | None, trouble: str = "", *, again: bool = False) -> bool:
        """Keep what was measured of a side, or why it could not be; False where that is known already.

        ``again`` replaces what was measured before.
        """
        with self._db.atomic() as c:
            pages = [p for p in load_pages(c, _ONE_PAGE, {"page": page_id}) if again or p.stage is Stage.CAPTURED]
            if pages and facts is not None and facts.flat_sha:
                self._hold(c, page_id, facts.flat_sha)
            plain = asdict(facts) if facts else None
            found: dict[str, Any] = {"trouble": trouble}
            return self._change_page(c, pages, lambda p: replace(p, facts=facts, **found), facts=plain, **found)

    def set_text(
        self, page_id: str, text: bytes | None, rotation: int | None, trouble: str = "", *, origin: str = "",
        quality: float | None = None, language: str | None = None,
    ) -> bool:  # fmt: skip
        """Keep a page's text and the turn in which it was read; False, and nothing changed, where that no longer fits.

        The text that it had before stays until it can no longer be found by it (``store.texts.drop_texts``).

        What a person typed is not read over by the machine, and neither does a reading count that was made in another
        turn or (``language``, None: any) another language than the page has now.
        """
        by_hand = origin == TYPED

        def fits(page: Page) -> bool:
            if by_hand:
                return True
            in_turn = rotation is None or (page.facts is not None and page.frame.rotation == rotation)
            return in_turn and page.text_origin != TYPED and language in (None, page.language)

        with self._db.atomic() as c:
            pages = [p for p in load_pages(c, _ONE_PAGE, {"page": page_id}) if fits(p)]
            found: dict[str, Any] = {
                "text_rotation": rotation,
                "trouble": trouble,
                "text_origin": origin,
                "quality": quality,
            }
            if not pages:
                return False
            text_id = put_text(c, text) if text is not None else None
            return self._change_page(c, pages, lambda p: replace(p, **found), text_id=text_id, **found)

    def _change_page(self, c: Connection, found: Sequence[Page], after: Callable[[Page], Page], **changed: Any) -> bool:
        """Write what was found of a page, which is ``after`` then; its document is proposed for anew."""
        if not found:
            return False
        page = after(found[0])
        row = {**changed, "stage": stage_of(page).value}
        c.execute(update(t.page).where(t.page.c.id == page.id).values(row))
        if page.document_id is not None and page.facts is not None:
            c.execute(_PROPOSE_ANEW, {"document": page.document_id})
        return True

    def place(self, batch_id: str, page_ids: Sequence[str], decide: Decide) -> Placed:
        """Let separation decide about the sides of a sheet as they are now, and write it.

        ``decide`` gets them in the order they were captured, their texts, and where the cut stands. A page joins the
        document of the page before it, unless that is filed, being filed or set aside: then a new one begins.
        """
        with self._db.atomic() as c:
            pages = load_pages(c, _UNPLACED, {"batch": batch_id, "pages": list(page_ids)})
            if not pages:
                return Placed()
            state = CutState(**c.execute(_CUT, {"batch": batch_id}).scalar_one())
            placings, state = decide(pages, self._texts(c, page_ids), state)
            c.execute(_SET_CUT, {"batch": batch_id, "state": asdict(state)})
            touched: dict[str, None] = {}
            begun: list[str] = []
            by_id = {p.id: p for p in pages}
            for placing in placings:
                document_id = self._find_document(c, batch_id, placing, begun) if placing.kept else None
                self._write_placing(c, by_id[placing.page], placing, document_id)
                touched |= {document_id: None} if document_id else {}
            touched = dict.fromkeys([*self._no_longer_growing(c, batch_id, begun), *touched])
            for document_id in touched:
                self._settle_all(c, batch_id, document_id)
            self._touch(c, touched)
        return Placed(tuple(placings), tuple(touched), tuple(begun), state)

    def _find_document(self, c: Connection, batch_id: str, placing: Placing, begun: list[str]) -> str:
        """Return the document that a kept page goes to; a new one where it starts one or none is open before it."""
        bound = {"batch": batch_id, "page": placing.page}
        before, after = c.execute(_BEFORE, bound).first(), c.execute(_AFTER, bound).first()
        is_open = before is not None and not (before.filed_id or before.claim or before.parked)
        is_inside = before is not None and after is not None and before.id == after.id
        if before is not None and is_open and (is_inside or not placing.starts):
            return str(before.id)
        why = message("reason.first-page")
        if before is not None and not is_open:
            why = message("reason.after-set-aside") if before.parked else message("reason.after-filed")
        document_id = self._clock.new_id()
        named = placing.type_name or None
        insert_document(c, batch_id, document_id, {
            "break_reason": placing.break_reason or why, "type": named, "type_confidence": 1.0 if named else None,
            "type_origin": "separator sheet" if named else None,
        })  # fmt: skip
        begun.append(document_id)
        return document_id

    def _no_longer_growing(self, c: Connection, batch_id: str, begun: Sequence[str]) -> list[str]:
        """Return the document that stood last before the first of these began."""
        if not begun:
            return []
        found = c.execute(_STOOD_LAST, {"batch": batch_id, "document": begun[0]}).scalar()
        return [found] if found else []

    def _write_placing(self, c: Connection, page: Page, placing: Placing, document_id: str | None) -> None:
        changed: dict[str, Any] = {
            "disposition": KEPT if placing.kept else LEFT_OUT, "reason": placing.reason or None,
            "note": placing.note or None, "document_id": document_id, "cut": True,
        }  # fmt: skip
        row = {**changed, "stage": stage_of(replace(page, **changed)).value}
        c.execute(update(t.page).where(t.page.c.id == page.id).values(row))

    def propose(self, document_id: str, revision: int, command: Callable[[Batch], Batch]) -> bool:
        """Write what the machine proposes for a document of that revision, which is no step to undo.

        False, and nothing changed, where the document was changed meanwhile, is gone, or is shut.
        """
        with self._db.atomic() as c:
            row = c.execute(_ONE_DOCUMENT, {"document": document_id}).first()
            if row is None or row.filed_id or row.claim or row.revision != revision:
                return False
            before = load_batch(c, row.batch_id, document_id)
            write(c, row.batch_id, diff(before, command(before)))
            c.execute(_NO_TROUBLE, {"document": document_id})
            self._touch(c, [document_id])
            self._settle_all(c, row.batch_id, document_id)
            return True

    def give_up_proposing(self, document_id: str, trouble: str) -> None:
        """Note why nothing could be proposed for a document, so that a person takes it from here."""
        with self._db.atomic() as c:
            d = t.batch_document.c
            chosen = update(t.batch_document).where(d.id == document_id, d.filed_id.is_(None), ~work.IS_CLAIMED)
            c.execute(chosen.values(proposed=True, trouble=trouble))
            self._settle_all(c, batch_of(c, document_id), document_id)

    def work(self, batch_id: str, only: Sequence[str] | None = None) -> Work:
        """Return what of a batch is unfinished; with ``only``, of these pages and of what is placed next.

        Of a closed batch nothing is.
        """
        bound = {"batch": batch_id} if only is None else {"batch": batch_id, "pages": list(only)}
        with self._db.read() as c:
            head = c.execute(_FLAGS, {"batch": batch_id}).one()
            if head.closed_at is not None:
                return Work([], [], frozenset(), [], head.two_sided, head.captured_at is None)
            waiting = load_pages(c, _LOOSE, {"batch": batch_id})
            unfinished: list[Page] = []
            due: list[str] = []
            if only is None or only:
                unfinished = load_pages(c, _UNFINISHED if only is None else _UNFINISHED_OF, bound)
                due = self._due(c, _DUE if only is None else _DUE_OF, bound)
            firsts = self._first_pages(c, {str(page.document_id) for page in unfinished if page.document_id})
            return Work(unfinished, waiting, firsts, due, head.two_sided, head.captured_at is None)

    def _first_pages(self, c: Connection, document_ids: Collection[str]) -> frozenset[str]:
        if not document_ids:
            return frozenset()
        return frozenset(c.execute(_FIRST_PAGES, {"documents": list(document_ids)}).scalars())

    def _due(self, c: Connection, asked: Select[Any], bound: Mapping[str, Any]) -> list[str]:
        """Return the documents whose first page is read and for which something is to be proposed, in order."""
        documents = list(c.execute(asked, bound).scalars())
        if not documents:
            return []
        return [str(i) for i in c.execute(_READ_FIRSTS, {"pages": list(self._first_pages(c, documents))}).scalars()]
