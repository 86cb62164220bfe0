"""Batches in the database: captured pages, what the machine found, and the operator's commands with undo and redo.

A command is written as its difference: one transaction, one step that can be undone after any restart. What the
machine finds (facts, text, proposals) is no step. Each of its writes counts only if what it was made from is still so,
and never against what a person decided; none of them makes a person's command fail.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy import Connection, Row, delete, insert, select, update

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import join_comma, message
from keybundle.core.base.records import dataclass
from keybundle.core.batches import transfer
from keybundle.core.batches.again import mark_by_hand, propose_anew
from keybundle.core.batches.commands import leave_out
from keybundle.core.batches.delta import (
    Delta,
    changes_pages,
    diff,
    reapply,
    touched_documents,
    touched_things,
    write,
)
from keybundle.core.batches.machine import MachineWrites
from keybundle.core.batches.model import LEFT_OUT, Batch, Document, State, balance
from keybundle.core.batches.rows import load_batch
from keybundle.core.batches.seen import seen_revision, seen_window
from keybundle.core.store import schema as t
from keybundle.core.store import work
from keybundle.core.store.setup_parts import person_name

MOST_WINDOWS = 2000
MOST_LOOKED_AT = 100
THROWN, THROWN_REASON = message("step.throw-away"), message("reason.thrown-away")


@dataclass(frozen=True)
class NextStep:
    """The step that undo or redo would take: its label, whose it is, whether it is about pages, the other batch it touches."""

    label: str
    who: str
    is_of_pages: bool
    partner: str | None


class BatchStore(MachineWrites):
    """The batches of a repository: all that the machine writes, and the commands of operators."""

    # -- commands ----------------------------------------------------------------------------------------------

    def apply(
        self, batch_id: str, who: str, label: str, command: Callable[[Batch], Batch], *, by_hand: bool = True
    ) -> Batch:
        """Run a command as one step; what was undone before can then no longer be redone.

        With ``by_hand`` the breaks and left-out pages that it changes count as decided by a person. It is computed on
        the batch as it is now. InputProblem is raised where somebody else has changed one of the same pages or fields
        since the person saw the batch (see ``seen``).
        """
        with self._db.atomic() as c:
            before = load_batch(c, batch_id)
            _refuse_closed(before)
            after = mark_by_hand(before, command(before)) if by_hand else command(before)
            delta = diff(before, after)
            if not delta:
                return self._settle_all(c, batch_id)
            base = seen_revision(batch_id)
            if base is not None:
                self._refuse_crossed(c, batch_id, who, base, delta)
            self._write_step(c, before, after, delta)
            c.execute(delete(t.step).where(t.step.c.batch_id == batch_id, t.step.c.undone.is_(True)))
            row = {"batch_id": batch_id, "at": self._clock.stamp(), "who": who, "label": label, "delta": delta}
            c.execute(insert(t.step).values(**row, undone=False, revision=before.revision + 1))
            self._note_window(batch_id, before.revision + 1)
            return self._settle_all(c, batch_id)

    def _write_step(self, c: Connection, before: Batch, after: Batch, delta: Delta) -> None:
        """Write a person's change; raises InputProblem where it reaches into a document that is filed or being filed."""
        touched = touched_documents(before, after, delta)
        _refuse_shut(before, touched)
        write(c, before.id, delta)
        self._touch(c, touched)
        c.execute(update(t.batch).where(t.batch.c.id == before.id).values(revision=t.batch.c.revision + 1))

    def _note_window(self, batch_id: str, revision: int) -> None:
        """Remember in which window a step was made, of the last ones: how long one lies on another window's way."""
        if window := seen_window():
            self._windows[batch_id, revision] = window
            while len(self._windows) > MOST_WINDOWS:
                self._windows.pop(next(iter(self._windows)))

    def list_unseen(self, batch_id: str, who: str) -> dict[str, str]:
        """Return what somebody else (by name, or the person in another window) has changed since the batch was ``seen``.

        Documents by their ids, and pages by theirs: nobody looked at them as they are now.
        """
        base, found = seen_revision(batch_id), dict[str, str]()
        if base is None:
            return found
        s = t.step.c
        with self._db.read() as c:
            since = select(t.step).where(s.batch_id == batch_id, s.revision > base, s.undone.is_(False))
            for row in c.execute(since).all():
                if not self._is_own(batch_id, who, row):
                    name = person_name(c, row.who)
                    found |= {thing[1]: name for thing in touched_things(row.delta)}
        return found

    def _is_own(self, batch_id: str, who: str, row: Row[Any]) -> bool:
        """Whether a step was made by a person in this window: what they did in another one they have not seen in this."""
        here = self._windows.get((batch_id, row.revision), seen_window())
        return row.who == who and here == seen_window()

    def _refuse_crossed(self, c: Connection, batch_id: str, who: str, base: int, delta: Delta) -> None:
        s = t.step.c
        mine = touched_things(delta)
        since = select(t.step).where(s.batch_id == batch_id, s.revision > base, s.undone.is_(False))
        for row in c.execute(since):
            if not self._is_own(batch_id, who, row) and mine & touched_things(row.delta):
                raise InputProblem(
                    message(
                        "store.changed-same-meanwhile-nothing-changed",
                        person_name=person_name(c, row.who),
                        label=row.label,
                    )
                )

    def transfer(
        self, source_id: str, page_ids: Sequence[str], target_id: str, beside: str, who: str, *, after: bool
    ) -> None:
        """Move pages to another open batch, beside a page of it; one step in each, undone as one."""
        with self._db.atomic() as c:
            source, target = load_batch(c, source_id), load_batch(c, target_id)
            chosen = [p for p in source.pages if p.id in set(page_ids)]
            if source.closed_at or target.closed_at or not chosen:
                raise InputProblem(message("store.those-pages-no-longer-open"))
            rest = transfer.give_away(source, page_ids)
            full, pages = transfer.receive(target, chosen, beside, after=after)
            moved = transfer.move_rows(c, pages, target_id)
            at_end = [*(p.id for p in target.pages), *(p.id for p in pages)]
            order: Delta = [["order", at_end, [p.id for p in full.pages]]]
            order += diff(replace(target, pages=full.pages), full)
            gone = diff(replace(source, pages=rest.pages), rest)
            touched = {str(p.document_id) for p in (*chosen, full.page(beside)) if p.document_id}
            row = {"at": self._clock.stamp(), "who": who, "label": message("step.move-pages-between")}
            pairs = ((source, gone, target_id, gone), (target, order, source_id, [*moved, *order]))
            for batch, delta, partner, kept in pairs:
                write(c, batch.id, delta)
                c.execute(update(t.batch).where(t.batch.c.id == batch.id).values(revision=batch.revision + 1))
                c.execute(delete(t.step).where(t.step.c.batch_id == batch.id, t.step.c.undone.is_(True)))
                transfer.insert_step(c, {**row, "batch_id": batch.id, "revision": batch.revision + 1}, kept, partner)
            self._touch(c, touched)
            for batch in (source, target):
                self._settle_all(c, batch.id)

    # -- filing ------------------------------------------------------------------------------------------------

    def claim(self, batch_id: str, document_ids: Sequence[str], claim: str) -> dict[str, int]:
        """Take ready documents in hand for filing; return those that could be taken, each with its revision."""
        d, taken = t.batch_document.c, dict[str, int]()
        with self._db.atomic() as c:
            for document_id in document_ids:
                ready = (
                    d.id == document_id,
                    d.batch_id == batch_id,
                    d.state == State.READY.value,
                    d.filed_id.is_(None),
                )
                revision = c.execute(select(d.revision).where(*ready)).scalar()
                if revision is None:
                    continue
                if work.begin(c, self._clock, work.FILING, document_id, self.holder, token=claim) is not None:
                    taken[document_id] = revision
        return taken

    def keep_claim(self, claim: str) -> None:
        """Keep in hand what a filing that is still at it has claimed."""
        with self._db.atomic() as c:
            work.keep(c, self._clock, claim)

    def release(self, claim: str) -> None:
        """Let go of what a filing had in hand."""
        with self._db.atomic() as c:
            work.drop_token(c, claim)

    def set_filed(self, batch_id: str, document_id: str, filed_id: str | None) -> None:
        """Note that a document is filed, or (None) taken back; part of the filing transaction."""
        with self._db.atomic() as c:
            d = t.batch_document.c
            c.execute(update(t.batch_document).where(d.id == document_id).values(filed_id=filed_id))
            work.drop(c, work.FILING, [document_id])
            self._touch(c, [document_id])
            self._settle_all(c, batch_id, document_id)

    def take_over(self, batch_id: str, document_id: str, change: Callable[[Document], Document]) -> None:
        """Let a document be what became of it in the repository, as it is taken back from there; no step to undo."""
        with self._db.atomic() as c:
            before = load_batch(c, batch_id, document_id)
            after = replace(before, documents={document_id: change(before.document(document_id))})
            write(c, batch_id, diff(before, after))
            self._touch(c, [document_id])
            self._settle_all(c, batch_id, document_id)

    # -- undo and redo -----------------------------------------------------------------------------------------

    def next_step(self, batch_id: str, *, undone: bool, who: str | None = None) -> NextStep | None:
        """Return the step that undo (or redo) would take: the last one of ``who``, of anybody for None."""
        with self._db.read() as c:
            row = self._edge(c, batch_id, undone, who)
        if row is None:
            return None
        return NextStep(row.label, row.who, changes_pages(row.delta), transfer.partner_of(row.delta))

    def _edge(self, c: Connection, batch_id: str, undone: bool, who: str | None = None) -> Row[Any] | None:
        s = t.step.c
        own = () if who is None else (s.who == who,)
        chosen = select(t.step).where(s.batch_id == batch_id, s.undone.is_(undone), *own)
        rows = c.execute(chosen.order_by(s.id.asc() if undone else s.id.desc()).limit(MOST_LOOKED_AT)).all()
        return next((row for row in rows if who is None or self._is_of_window(batch_id, row)), None)

    def _is_of_window(self, batch_id: str, row: Row[Any]) -> bool:
        """Whether a step was made in the window that asks, or in one that is no longer open."""
        here = seen_window()
        return not here or self._windows.get((batch_id, row.revision), here) == here

    def _edge_elsewhere(self, c: Connection, batch_id: str, undone: bool, who: str | None) -> Row[Any] | None:
        """Return the last step that somebody made in another window of theirs."""
        s = t.step.c
        chosen = select(t.step).where(s.batch_id == batch_id, s.undone.is_(undone), s.who == who)
        return c.execute(chosen.order_by(s.id.desc()).limit(1)).first()

    def forget_window(self, window: str) -> None:
        """Hear that a window is closed: what was done there is nobody else's now."""
        self._windows = {step: at for step, at in self._windows.items() if at != window}

    def undo(self, batch_id: str, who: str | None = None) -> str:
        """Take back the last step (of ``who``, where that is said) on the batch as it is now and return its label.

        Raises InputProblem in words, and where somebody else has changed the same since.
        """
        return self._replay(batch_id, who, undone=False)

    def redo(self, batch_id: str, who: str | None = None) -> str:
        """Do the step again that was undone last."""
        return self._replay(batch_id, who, undone=True)

    def _replay(self, batch_id: str, who: str | None, *, undone: bool) -> str:
        with self._db.atomic() as c:
            _refuse_closed(load_batch(c, batch_id))
            row = self._edge(c, batch_id, undone, who)
            if row is None and (other := self._edge_elsewhere(c, batch_id, undone, who)) is not None:
                raise InputProblem(message("store.step-of-other-window", label=other.label))
            if row is None:
                raise InputProblem(message("store.nothing-redo") if undone else message("store.nothing-undo-batch"))
            self._refuse_later(c, row)
            rows = [row, *self._other_half(c, batch_id, row, undone)]
            pick = 1 if undone else 0
            came = transfer.carry_rows(c, [entry for step in rows for entry in step.delta], pick)
            deltas = {step.batch_id: step.delta for step in rows}
            for touched in {**deltas, **came}:
                self._reapply(c, touched, deltas.get(touched, []), pick, came.get(touched, []))
            ids = [step.id for step in rows]
            c.execute(update(t.step).where(t.step.c.id.in_(ids)).values(undone=not undone))
            brought = sum(map(len, came.values()))
            stayed = sum(entry[0] == transfer.MOVED for step in rows for entry in step.delta) - brought
            return message("store.stay-where-they-now", label=row.label, n=stayed) if stayed else row.label

    def _refuse_later(self, c: Connection, row: Row[Any]) -> None:
        """Raise InputProblem where a step of somebody else, made after this one, is about the same things."""
        s, mine = t.step.c, touched_things(row.delta)
        since = select(t.step).where(s.batch_id == row.batch_id, s.id > row.id, s.who != row.who, s.undone.is_(False))
        for later in c.execute(since):
            if mine & touched_things(later.delta):
                name = person_name(c, later.who)
                raise InputProblem(
                    message("store.changed-same-meanwhile-nothing-changed", person_name=name, label=later.label)
                )

    def _reapply(self, c: Connection, batch_id: str, step: Delta, pick: int, came: Delta) -> None:
        before = load_batch(c, batch_id)
        if before.closed_at:
            return
        delta = [*(d for d in step if d[0] not in (transfer.PAIR, transfer.MOVED)), *came]
        after = reapply(before, delta, pick, self._clock.new_id, [d[1] for d in came])
        after = propose_anew(before, after)
        self._write_step(c, before, after, diff(before, after))
        self._settle_all(c, batch_id)

    def _other_half(self, c: Connection, batch_id: str, row: Row[Any], undone: bool) -> list[Row[Any]]:
        """Return the other half of a step that moved pages between two batches, where it still stands."""
        partner, s = transfer.partner_of(row.delta), t.step.c
        if partner is None:
            return []
        halves = c.execute(select(t.step).where(s.batch_id == partner, s.at == row.at, s.undone.is_(undone)))
        return [r for r in halves if transfer.partner_of(r.delta) == batch_id]

    # -- the whole batch ---------------------------------------------------------------------------------------

    def ids(self, *, open_only: bool = True) -> list[str]:
        """Return the batches, oldest first."""
        chosen = select(t.batch.c.id).order_by(t.batch.c.created_at)
        with self._db.read() as c:
            return list(c.execute(chosen.where(t.batch.c.closed_at.is_(None)) if open_only else chosen).scalars())

    def close(self, batch_id: str) -> Batch:
        """Close a batch and return it; raises InputProblem that names what is still open."""
        with self._db.atomic() as c:
            batch = load_batch(c, batch_id)
            _refuse_closed(batch)
            if still := say_open(batch):
                raise InputProblem(message("store.batch-cannot-closed-yet-still", list=join_comma(still)))
            c.execute(update(t.batch).where(t.batch.c.id == batch_id).values(closed_at=self._clock.stamp()))
            work.drop(c, work.READING, [batch_id])
            return batch

    def throw_away(self, batch_id: str, who: str) -> Batch:
        """Close a batch with all its sides left out but those that are filed; return it as it was before.

        Raises InputProblem while its sides still come in or one of its documents is being filed.
        """
        with self._db.atomic() as c:
            batch = load_batch(c, batch_id)
            if batch.captured_at is None:
                raise InputProblem(message("store.still-coming-in-not-thrown"))
            self.apply(batch_id, who, THROWN, lambda b: leave_out(b, open_sides(b), THROWN_REASON))
            changed = update(t.batch).where(t.batch.c.id == batch_id)
            c.execute(changed.values(closed_at=self._clock.stamp(), thrown_by=who))
            work.drop(c, work.READING, [batch_id])
            return batch

    def bring_back(self, batch_id: str) -> None:
        """Open a batch again that was thrown away, as it was then; raises InputProblem where it is not there any more."""
        with self._db.atomic() as c:
            b, s = t.batch.c, t.step.c
            changed = update(t.batch).where(b.id == batch_id, b.thrown_by.is_not(None))
            if not c.execute(changed.values(closed_at=None, thrown_by=None)).rowcount:
                raise InputProblem(message("store.batch-not-thrown-away"))
            last = self._edge(c, batch_id, undone=False)
            if last is not None and last.label == THROWN:
                self.undo(batch_id)
                c.execute(delete(t.step).where(s.id == last.id))
            self._settle_all(c, batch_id)


def open_sides(batch: Batch) -> list[str]:
    """Return the sides that are neither filed nor left out."""
    filed = {d.id for d in batch.documents.values() if d.filed_id}
    return [p.id for p in batch.pages if p.disposition != LEFT_OUT and p.document_id not in filed]


def say_open(batch: Batch) -> list[str]:
    """Return what stands against closing a batch, each in words; nothing where every side has its end."""
    counted = balance(batch)
    found: list[str] = [message("store.capture-still-under-way")] if batch.captured_at is None else []
    if counted.unplaced:
        found.append(message("store.sides-without-place", n=counted.unplaced))
    states: dict[str, int] = {}
    for document in batch.documents.values():
        if document.state is not State.FILED:
            said = "being filed" if document.claim else document.state.value
            states[said] = states.get(said, 0) + 1
    found += [
        message("store.counted", n=n, what=message(f"state.{state.replace(' ', '-')}")) for state, n in states.items()
    ]
    if not found and counted.filed != counted.kept:
        found.append(message("store.pages-no-filed-document", n=counted.kept - counted.filed))
    return found


def _refuse_closed(batch: Batch) -> None:
    if batch.closed_at:
        raise InputProblem(message("store.batch-closed-nothing-can-changed"))


def _refuse_shut(batch: Batch, touched: set[str]) -> None:
    shut = [batch.documents[i] for i in touched if i in batch.documents and batch.documents[i].is_shut]
    if any(d.filed_id for d in shut):
        raise InputProblem(message("store.belongs-document-filed-take-back"))
    if shut:
        raise InputProblem(message("store.belongs-document-being-filed-just"))
