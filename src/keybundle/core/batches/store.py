"""Batches in the database: captured pages, what the machine found, and the operator's commands with undo and redo.

A command is written as its difference: one transaction, one step that can be undone after any restart. What the
machine finds (facts, text, proposals) is no step; undoing a step leaves it alone where it can.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import asdict, replace
from typing import Any

from sqlalchemy import Connection, Row, delete, func, insert, select, update

from keybundle.core.base.clock import Clock
from keybundle.core.base.errors import InputProblem
from keybundle.core.batches import transfer
from keybundle.core.batches.again import mark_by_hand
from keybundle.core.batches.model import KEPT, LEFT_OUT, Batch, Document, Facts, Page, State
from keybundle.core.fields.values import FieldValue
from keybundle.core.separation.facts import Placing
from keybundle.core.store import schema as t
from keybundle.core.store.database import Database

Settle = Callable[[Batch], Batch]
Given = Mapping[str, Mapping[str, str]]
_PAGE_COLUMNS = (
    "id", "captured", "source", "source_index", "sheet", "side", "file_sha", "is_pdf", "trouble", "turn",
    "disposition", "reason", "note", "document_id", "text_rotation",
    "hand_break", "hand_kept", "name", "language", "text_origin", "quality",
)  # fmt: skip
_PAGE_STEP = (
    "turn",
    "disposition",
    "reason",
    "note",
    "document_id",
    "hand_break",
    "hand_kept",
    "sheet",
    "side",
    "language",
)
_DOCUMENT_STEP = ("break_reason", "type", "type_confidence", "type_origin", "parked", "proposed", "tags")
Delta = list[list[Any]]


def _page(row: Row[Any]) -> Page:
    plain = {name: getattr(row, name) for name in _PAGE_COLUMNS}
    return Page(**plain, facts=Facts.from_json(row.facts) if row.facts else None)


def _document(row: Row[Any], values: Mapping[str, FieldValue]) -> Document:
    return Document(
        row.id, row.break_reason, row.type, row.type_confidence, row.type_origin, State(row.state), row.parked,
        row.filed_id, row.proposed, tuple(row.tags or ()), values,
    )  # fmt: skip


class BatchStore:
    """The batches of a repository. ``settle`` weighs values and states anew after each command."""

    def __init__(self, database: Database, clock: Clock, settle: Settle) -> None:
        self._db = database
        self._clock = clock
        self._settle = settle

    def create(self, routine: str, origin: str, owner: str, given: Given | None = None) -> str:
        """Make an empty batch and return its id; ``given`` as in ``Batch``."""
        batch_id = self._clock.new_id()
        with self._db.atomic() as c:
            c.execute(
                insert(t.batch).values(
                    id=batch_id, routine=routine, origin=origin, owner=owner, created_at=self._clock.stamp(),
                    given=given or {},
                )
            )  # fmt: skip
        return batch_id

    def give(self, batch_id: str, given: Given) -> None:
        """Let more values come with the pages of a batch."""
        with self._db.atomic() as c:
            known = c.execute(select(t.batch.c.given).where(t.batch.c.id == batch_id)).scalar() or {}
            c.execute(update(t.batch).where(t.batch.c.id == batch_id).values(given={**known, **given}))

    def add_page(self, batch_id: str, page: Page) -> None:
        """Count a side as captured; its file must be stored before."""
        row = {name: getattr(page, name) for name in _PAGE_COLUMNS}
        with self._db.atomic() as c:
            last = c.execute(select(func.max(t.page.c.position)).where(t.page.c.batch_id == batch_id)).scalar()
            place = 0 if last is None else last + 1
            c.execute(insert(t.page).values(**row, batch_id=batch_id, position=place, captured_at=self._clock.stamp()))
            self._know_file(c, page.file_sha)

    def _know_file(self, c: Connection, sha: str) -> None:
        if c.execute(select(t.stored_file.c.sha).where(t.stored_file.c.sha == sha)).first() is None:
            c.execute(insert(t.stored_file).values(sha=sha, area="main", size=0, at=self._clock.stamp()))

    def end_capture(self, batch_id: str) -> None:
        """Note that no more sides will come."""
        with self._db.atomic() as c:
            c.execute(update(t.batch).where(t.batch.c.id == batch_id).values(captured_at=self._clock.stamp()))

    def reopen_capture(self, batch_id: str) -> None:
        """Note that more sides will come to a batch."""
        with self._db.atomic() as c:
            c.execute(update(t.batch).where(t.batch.c.id == batch_id).values(captured_at=None))

    def set_facts(self, page_id: str, facts: Facts | None, trouble: str = "") -> None:
        """Keep what was measured of a side, or why it could not be."""
        with self._db.atomic() as c:
            c.execute(
                update(t.page)
                .where(t.page.c.id == page_id)
                .values(facts=asdict(facts) if facts else None, trouble=trouble)
            )
            if facts is not None and facts.flat_sha:
                self._know_file(c, facts.flat_sha)

    def set_text(
        self, page_id: str, text: bytes | None, rotation: int | None, trouble: str = "", *, origin: str = "",
        quality: float | None = None,
    ) -> None:  # fmt: skip
        """Keep a page's text and the turn in which it was read; what a person typed is not read over by the machine."""
        changed = {
            "text": text,
            "text_rotation": rotation,
            "trouble": trouble,
            "text_origin": origin,
            "quality": quality,
        }
        with self._db.atomic() as c:
            c.execute(update(t.page).where(t.page.c.id == page_id).values(changed))

    def texts(self, page_ids: Iterable[str]) -> dict[str, bytes]:
        """Return the stored text of pages that have one."""
        with self._db.read() as c:
            rows = c.execute(select(t.page.c.id, t.page.c.text).where(t.page.c.id.in_(list(page_ids))))
            return {row.id: row.text for row in rows if row.text is not None}

    def load(self, batch_id: str) -> Batch:
        """Return the whole batch without its texts; raises InputProblem for an unknown id."""
        with self._db.read() as c:
            return self._load(c, batch_id)

    def load_document(self, document_id: str) -> Batch:
        """Return a batch that shows one document alone, with its pages; raises InputProblem for an unknown id."""
        with self._db.read() as c:
            return self._load(c, self._batch_of(c, document_id), document_id)

    def load_around(self, page_id: str) -> Batch | None:
        """Return the document a page belongs to, as a batch of that document alone; None when it is left out."""
        with self._db.read() as c:
            found = c.execute(select(t.page.c.document_id).where(t.page.c.id == page_id)).scalar()
            return self._load(c, self._batch_of(c, found), found) if found else None

    def _batch_of(self, c: Connection, document_id: str) -> str:
        chosen = select(t.batch_document.c.batch_id).where(t.batch_document.c.id == document_id)
        found: str | None = c.execute(chosen).scalar()
        if found is None:
            raise InputProblem("That document is no longer in its batch.")
        return found

    def _load(self, c: Connection, batch_id: str, only: str | None = None) -> Batch:
        head = c.execute(select(t.batch).where(t.batch.c.id == batch_id)).first()
        if head is None:
            raise InputProblem("That batch is no longer here.")
        of_page = t.page.c.batch_id == batch_id if only is None else t.page.c.document_id == only
        of_document = t.batch_document.c.batch_id == batch_id if only is None else t.batch_document.c.id == only
        columns = [*(t.page.c[name] for name in _PAGE_COLUMNS), t.page.c.facts]
        pages: Sequence[Any] = c.execute(select(*columns).where(of_page).order_by(t.page.c.position)).all()
        values: dict[str, dict[str, FieldValue]] = {}
        for row in c.execute(select(t.batch_value).join(t.batch_document).where(of_document)):
            values.setdefault(row.document_id, {})[row.field] = FieldValue.from_json(row.data)
        rows = c.execute(select(t.batch_document).where(of_document))
        return Batch(
            head.id, head.routine, head.origin, head.owner, head.created_at, head.captured_at, head.closed_at,
            tuple(_page(p) for p in pages), {row.id: _document(row, values.get(row.id, {})) for row in rows},
            None if head.captured_at else self._last_document(c, batch_id), head.given or {},
        )  # fmt: skip

    def _last_document(self, c: Connection, batch_id: str) -> str | None:
        kept = select(t.page.c.document_id).where(t.page.c.batch_id == batch_id, t.page.c.document_id.is_not(None))
        found: str | None = c.execute(kept.order_by(t.page.c.position.desc()).limit(1)).scalar()
        return found

    def apply(
        self, batch_id: str, who: str, label: str, command: Callable[[Batch], Batch], *, by_hand: bool = True
    ) -> Batch:
        """Run a command as one step; what was undone before can then no longer be redone.

        With ``by_hand`` the breaks and left-out pages that it changes count as decided by a person.
        """
        with self._db.atomic() as c:
            before = self._load(c, batch_id)
            after = mark_by_hand(before, command(before)) if by_hand else command(before)
            delta = _diff(before, after)
            if delta:
                _write(c, batch_id, delta, forward=True)
                c.execute(delete(t.step).where(t.step.c.batch_id == batch_id, t.step.c.undone.is_(True)))
                c.execute(
                    insert(t.step).values(
                        batch_id=batch_id, at=self._clock.stamp(), who=who, label=label, delta=delta, undone=False
                    )
                )
            return self._settle_all(c, batch_id)

    def transfer(
        self, source_id: str, page_ids: Sequence[str], target_id: str, beside: str, who: str, *, after: bool
    ) -> None:
        """Move pages to another open batch, beside a page of it; one step in each, undone as one."""
        with self._db.atomic() as c:
            source, target = self._load(c, source_id), self._load(c, target_id)
            chosen = [p for p in source.pages if p.id in set(page_ids)]
            if source.closed_at or target.closed_at or not chosen:
                raise InputProblem("Those pages are no longer in an open batch; nothing was moved.")
            rest = transfer.give_away(source, page_ids)
            full, pages = transfer.receive(target, chosen, beside, after=after)
            moved = transfer.move_rows(c, pages, target_id)
            at_end = [*(p.id for p in target.pages), *(p.id for p in pages)]
            order: Delta = [["order", at_end, [p.id for p in full.pages]]]
            order += _diff(replace(target, pages=full.pages), full)
            gone = _diff(replace(source, pages=rest.pages), rest)
            _write(c, target_id, order, forward=True)
            _write(c, source_id, gone, forward=True)
            row = {"at": self._clock.stamp(), "who": who, "label": "move pages between batches"}
            for batch_id, delta, partner in ((source_id, gone, target_id), (target_id, [*moved, *order], source_id)):
                c.execute(delete(t.step).where(t.step.c.batch_id == batch_id, t.step.c.undone.is_(True)))
                transfer.insert_step(c, {**row, "batch_id": batch_id}, delta, partner)
                self._settle_all(c, batch_id)

    def record(self, document_id: str, command: Callable[[Batch], Batch]) -> Batch:
        """Run a change of the machine's own on one document: written, but no step to undo."""
        with self._db.atomic() as c:
            batch_id = self._batch_of(c, document_id)
            before = self._load(c, batch_id, document_id)
            _write(c, batch_id, _diff(before, command(before)), forward=True)
            return self._settle_all(c, batch_id, document_id)

    def place(self, batch_id: str, placings: Sequence[Placing], current: str | None) -> str | None:
        """Write what separation decided; return the document that now grows."""
        with self._db.atomic() as c:
            if current is not None:
                current = self._last_document(c, batch_id)
            for placing in placings:
                if placing.starts or (placing.kept and current is None):
                    before, current = current, self._clock.new_id()
                    c.execute(
                        insert(t.batch_document).values(
                            id=current, batch_id=batch_id, break_reason=placing.break_reason or "first page",
                            state=State.READING.value, proposed=False, type=placing.type_name or None,
                            type_confidence=1.0 if placing.type_name else None,
                            type_origin="separator sheet" if placing.type_name else None,
                        )
                    )  # fmt: skip
                    self._write_placing(c, placing, current)
                    if before is not None:
                        self._settle_all(c, batch_id, before)
                else:
                    self._write_placing(c, placing, current if placing.kept else None)
        return current

    def _write_placing(self, c: Connection, placing: Placing, document_id: str | None) -> None:
        c.execute(
            update(t.page).where(t.page.c.id == placing.page).values(
                disposition=KEPT if placing.kept else LEFT_OUT, reason=placing.reason or None,
                note=placing.note or None, document_id=document_id,
            )
        )  # fmt: skip

    def set_filed(self, batch_id: str, document_id: str, filed_id: str | None) -> None:
        """Note that a document is filed, or (None) taken back; part of the filing transaction."""
        with self._db.atomic() as c:
            c.execute(update(t.batch_document).where(t.batch_document.c.id == document_id).values(filed_id=filed_id))
            self._settle_all(c, batch_id, document_id)

    def settle(self, batch_id: str) -> Batch:
        """Weigh the batch's values and states anew."""
        with self._db.atomic() as c:
            return self._settle_all(c, batch_id)

    def _settle_all(self, c: Connection, batch_id: str, only: str | None = None) -> Batch:
        before = self._load(c, batch_id, only)
        after = self._settle(before)
        _write(c, batch_id, [d for d in _diff(before, after) if d[0] == "value"], forward=True)
        for document in after.documents.values():
            if document.state is not before.documents[document.id].state:
                c.execute(
                    update(t.batch_document)
                    .where(t.batch_document.c.id == document.id)
                    .values(state=document.state.value)
                )
        return after

    def next_undo(self, batch_id: str) -> str | None:
        """Return the label of the step that undo would take back."""
        return self._edge_label(batch_id, undone=False)

    def next_redo(self, batch_id: str) -> str | None:
        """Return the label of the step that redo would do again."""
        return self._edge_label(batch_id, undone=True)

    def _edge(self, c: Connection, batch_id: str, undone: bool) -> Row[Any] | None:
        order = t.step.c.id.asc() if undone else t.step.c.id.desc()
        chosen = select(t.step).where(t.step.c.batch_id == batch_id, t.step.c.undone.is_(undone)).order_by(order)
        return c.execute(chosen.limit(1)).first()

    def _edge_label(self, batch_id: str, *, undone: bool) -> str | None:
        with self._db.read() as c:
            row = self._edge(c, batch_id, undone)
            return row.label if row else None

    def undo(self, batch_id: str) -> str:
        """Take back the last step and return its label; raises InputProblem when there is none."""
        return self._replay(batch_id, undone=False)

    def redo(self, batch_id: str) -> str:
        """Do the step again that was undone last."""
        return self._replay(batch_id, undone=True)

    def _replay(self, batch_id: str, *, undone: bool) -> str:
        with self._db.atomic() as c:
            row = self._edge(c, batch_id, undone)
            if row is None:
                raise InputProblem("There is nothing to redo." if undone else "There is nothing to undo in this batch.")
            rows = [row, *self._partner_edge(c, batch_id, row, undone)]
            for step in rows:
                _refuse_filed(c, step.delta)
            # Documents come back before the pages that belong to them, and go after these went.
            for step in sorted(rows, key=lambda r: _moves_pages(r) is not undone):
                _write(c, step.batch_id, step.delta, forward=undone)
            for step in rows:
                c.execute(update(t.step).where(t.step.c.id == step.id).values(undone=not undone))
                self._settle_all(c, step.batch_id)
            label: str = row.label
            return label

    def _partner_edge(self, c: Connection, batch_id: str, row: Row[Any], undone: bool) -> list[Row[Any]]:
        """Return the other half of a step that moved pages between two batches; raises InputProblem when it is covered."""
        partner = transfer.partner_of(row.delta)
        if partner is None:
            return []
        other = self._edge(c, partner, undone)
        if other is None or transfer.partner_of(other.delta) != batch_id or other.at != row.at:
            raise InputProblem(
                "That step moved pages between two batches, and the other one was worked on since. Undo there first."
            )
        return [other]

    def partner(self, batch_id: str, *, undone: bool) -> str | None:
        """Return the other batch that the next undo (or redo) touches."""
        with self._db.read() as c:
            row = self._edge(c, batch_id, undone)
            return transfer.partner_of(row.delta) if row else None

    def ids(self, *, open_only: bool = True) -> list[str]:
        """Return the batches, oldest first."""
        chosen = select(t.batch.c.id).order_by(t.batch.c.created_at)
        with self._db.read() as c:
            return list(c.execute(chosen.where(t.batch.c.closed_at.is_(None)) if open_only else chosen).scalars())

    def close(self, batch_id: str) -> None:
        """Close a batch; raises InputProblem that names what is still open."""
        with self._db.atomic() as c:
            open_states = select(t.batch_document.c.state, func.count()).where(
                t.batch_document.c.batch_id == batch_id, t.batch_document.c.state != State.FILED.value
            )
            still = {row[0]: row[1] for row in c.execute(open_states.group_by(t.batch_document.c.state))}
            if still:
                said = ", ".join(f"{n} {state}" for state, n in still.items())
                raise InputProblem(f"The batch cannot be closed yet; still open are: {said}.")
            c.execute(update(t.batch).where(t.batch.c.id == batch_id).values(closed_at=self._clock.stamp()))


def _moves_pages(row: Row[Any]) -> bool:
    return any(d[0] == transfer.MOVED for d in row.delta)


def _refuse_filed(c: Connection, delta: Delta) -> None:
    touched = {d[1] if d[0] == "document" else d[1][0] for d in delta if d[0] in ("document", "value")}
    for d in delta:
        if d[0] == "page" and "document_id" in d[2]:
            touched |= {x for x in d[2]["document_id"] if x}
    filed = select(t.batch_document.c.id).where(
        t.batch_document.c.id.in_(list(touched)), t.batch_document.c.filed_id.is_not(None)
    )
    if c.execute(filed).first() is not None:
        raise InputProblem("That step belongs to a document that is filed; take it back from the repository first.")


def _columns(before: Any, after: Any, names: tuple[str, ...]) -> dict[str, list[Any]]:
    pairs = ((n, getattr(before, n), getattr(after, n)) for n in names)
    return {n: [b, a] for n, b, a in pairs if b != a}


def _diff(before: Batch, after: Batch) -> Delta:
    """Return the rows that differ: ``[table, id, change]`` with both sides of each column."""
    delta: Delta = []
    old_pages = {p.id: p for p in before.pages}
    orders = [p.id for p in before.pages], [p.id for p in after.pages]
    if orders[0] != orders[1]:
        delta.append(["order", *orders])
    for page in after.pages:
        if change := _columns(old_pages[page.id], page, _PAGE_STEP):
            delta.append(["page", page.id, change])
    for document_id in {**before.documents, **after.documents}:
        old, new = before.documents.get(document_id), after.documents.get(document_id)
        if old is None or new is None:
            whole = {n: [getattr(old, n, None), getattr(new, n, None)] for n in _DOCUMENT_STEP}
            delta.append(["document", document_id, whole, old is not None, new is not None])
        elif change := _columns(old, new, _DOCUMENT_STEP):
            delta.append(["document", document_id, change, True, True])
        old_values, new_values = (dict(d.values) if d else {} for d in (old, new))
        for name in {**old_values, **new_values}:
            if old_values.get(name) != new_values.get(name):
                pair = [v.to_json() if v else None for v in (old_values.get(name), new_values.get(name))]
                delta.append(["value", [document_id, name], pair])
    return delta


def _write(c: Connection, batch_id: str, delta: Delta, *, forward: bool) -> None:
    pick = 1 if forward else 0
    for entry in (d for d in delta if d[0] == "document"):
        _write_document(c, batch_id, entry, pick)
    if forward:
        transfer.write_moved(c, delta, pick)
    for entry in delta:
        if entry[0] == "page":
            c.execute(update(t.page).where(t.page.c.id == entry[1]).values({n: p[pick] for n, p in entry[2].items()}))
        elif entry[0] == "order":
            _write_order(c, batch_id, entry[1 + pick])
        elif entry[0] == "value":
            _write_value(c, entry[1], entry[2][pick])
    if not forward:
        transfer.write_moved(c, delta, pick)
    for entry in (d for d in delta if d[0] == "document" and not d[3 + pick]):
        c.execute(delete(t.batch_value).where(t.batch_value.c.document_id == entry[1]))
        c.execute(delete(t.batch_document).where(t.batch_document.c.id == entry[1]))


def _write_document(c: Connection, batch_id: str, entry: list[Any], pick: int) -> None:
    values = {n: p[pick] for n, p in entry[2].items()}
    if not entry[3 + pick]:
        return
    if entry[3 + (1 - pick)]:
        c.execute(update(t.batch_document).where(t.batch_document.c.id == entry[1]).values(values))
    else:
        c.execute(insert(t.batch_document).values(id=entry[1], batch_id=batch_id, state=State.READING.value, **values))


def _write_order(c: Connection, batch_id: str, order: list[str]) -> None:
    rows = c.execute(select(t.page.c.position).where(t.page.c.id.in_(order)).order_by(t.page.c.position))
    places = list(rows.scalars())
    for page_id, position in zip(order, places, strict=True):
        c.execute(update(t.page).where(t.page.c.id == page_id).values(position=position))


def _write_value(c: Connection, key: list[str], data: dict[str, Any] | None) -> None:
    table = t.batch_value
    c.execute(delete(table).where(table.c.document_id == key[0], table.c.field == key[1]))
    if data is not None:
        c.execute(insert(table).values(document_id=key[0], field=key[1], data=data))
