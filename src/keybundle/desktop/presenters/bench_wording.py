"""What the bench says of a batch: strip, nameplates, slip, balance, reading; plain functions."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from keybundle.core.base.boxes import upright_box
from keybundle.core.base.sorting import sort_key
from keybundle.core.batches.model import Balance, Batch, Came, Document, State
from keybundle.core.fields.kinds import Kind
from keybundle.core.fields.values import ASSUMED, FieldValue, Origin
from keybundle.core.proposing.calibration import Calibration
from keybundle.core.reading.text import Word
from keybundle.core.setup.model import FieldSpec, Setup, name_of
from keybundle.core.workflows.arrange.bench import BenchData
from keybundle.core.workflows.pages.preview_files import preview_file
from keybundle.desktop.presenters.asking import Asked, ask
from keybundle.desktop.presenters.bench_state import (
    BEING_FILED,
    SlipRow,
    SlipState,
    SlipTable,
    StripDocument,
    StripPage,
    TableCell,
    TableRow,
)
from keybundle.desktop.presenters.drafts import TAGS, Draft
from keybundle.desktop.words import mark, tr, trn, worded

UNKNOWN = Calibration()
ASSUMED_TOLD = {
    Origin.DEFAULT: mark("Only the default; confirm it or change it."),
    Origin.FOLDER: mark("Taken from the folder it came from; confirm it or change it."),
    Origin.CARRIED: mark("Carried over from the document before; confirm it or change it."),
    Origin.STARTER: mark("From the starter; confirm it or change it."),
}


def say_balance(b: Balance, came: Came) -> tuple[str, str]:
    """Return the page balance in short, and explained; what came in and was not taken is a part of it."""
    short = tr(
        "{sides} captured\n{kept} kept, {left_out} left out\n{filed} filed, {waiting} waiting",
        sides=trn("{n:,} side", "{n:,} sides", b.captured),
        kept=b.kept,
        left_out=b.left_out,
        filed=b.filed,
        waiting=b.waiting,
    )
    if b.set_aside:
        short += tr("\n{set_aside} set aside", set_aside=b.set_aside)
    if b.unplaced:
        short += tr("\n{unplaced} being separated", unplaced=b.unplaced)
    not_taken = came.refused + came.passed_over
    if not_taken:
        short += tr("\n{n} not taken in", n=not_taken)
    told = tr(
        "Every side is accounted for: {captured} captured = {kept} kept + {left_out} left "
        "out{more}; {kept} kept = {filed} filed + {set_aside} set aside + {waiting} waiting.",
        captured=b.captured,
        kept=b.kept,
        left_out=b.left_out,
        more=tr(" + {unplaced} being separated", unplaced=b.unplaced) if b.unplaced else "",
        filed=b.filed,
        set_aside=b.set_aside,
        waiting=b.waiting,
    )
    counted = b.kept + b.left_out + b.unplaced
    wrong = tr(
        "{sides} were captured and {counted} are accounted for; of {kept} kept ones {filed} are. "
        "Nothing was deleted; tell an administrator.",
        sides=trn("{n:,} side", "{n:,} sides", b.captured),
        counted=counted,
        kept=b.kept,
        filed=b.filed + b.set_aside + b.waiting,
    )
    if not_taken:
        told += tr(
            "\nOf {arrived} that came in {taken} were taken, {refused} refused, {passed_over} passed over; {key} lists them.",
            arrived=came.arrived,
            taken=came.taken,
            refused=came.refused,
            passed_over=came.passed_over,
            key="Ctrl+Shift+I",
        )
    return short, told if b.is_even else wrong


def say_reading(batch: Batch, *, stopped: bool) -> tuple[str, str]:
    """Return how far the reading is, and the words of the button that stops it or goes on; empty when done."""
    kept = [p for p in batch.pages if p.kept]
    read = sum(p.is_read for p in kept)
    if read == len(kept):
        return "", ""
    if stopped:
        return tr("Reading stopped: {read} of {n} pages read", read=read, n=len(kept)), tr("Read on")
    return tr("{read} of {n} pages read", read=read, n=len(kept)), tr("Stop reading")


def make_strip(batch: Batch, cache: Path) -> tuple[StripPage, ...]:
    """Return the pages of the strip."""
    root = str(cache)
    firsts = {pages[0].id for pages in batch.pages_by_document().values()}
    found = []
    for number, p in enumerate(batch.pages, 1):
        rotation = p.frame.rotation if p.facts else 0
        hint = tr(
            "Side {number}: sheet {sheet}, {side}, from {source}",
            number=number,
            sheet=p.sheet,
            side=p.side,
            source=p.source,
        )
        if p.kind.is_native:
            hint += tr(". It is a file of its own; Ctrl+O opens it in its own program")
        if p.reason:
            hint += tr(". Left out: {reason}", reason=p.reason)
        if p.note or p.trouble:
            hint += f". {worded(p.note or p.trouble)}"
        break_reason = batch.documents[p.document_id].break_reason if p.document_id and p.id in firsts else ""
        found.append(
            StripPage(
                p.id, number, p.disposition != "left out", p.reason or "", p.document_id, p.id in firsts,
                break_reason, preview_file(root, p.id, rotation, "thumbnail"), p.is_read,
                bool(p.note or p.trouble), hint, p.kind.value.upper() if p.kind.is_native else "",
            )
        )  # fmt: skip
    return tuple(found)


def say_state(document: Document) -> str:
    """Return a document's state as it is shown."""
    return BEING_FILED if document.claim else document.state.value


def make_plates(data: BenchData, setup: Setup) -> tuple[StripDocument, ...]:
    """Return the nameplates in order."""
    pages = data.batch.pages_by_document()
    return tuple(
        StripDocument(
            key,
            name_of(setup.document_types, d.type) or tr("Type unknown"),
            data.facts[key].caption,
            say_state(d),
            len(pages[key]),
        )
        for key, d in ((key, data.batch.documents[key]) for key in pages)
    )


def make_slip(
    data: BenchData, document: Document, setup: Setup, calibration: Calibration = UNKNOWN, types: Sequence[str] = ()
) -> SlipState:
    """Return the slip of a document; ``types`` are the names of the types to choose from (none: all)."""
    facts = data.facts[document.id]
    kind = setup.document_type(document.type)
    fields = kind.fields if kind is not None else ()
    rows = tuple(
        _row(
            f,
            document.values.get(f.id),
            data.batch,
            calibration,
            ask(kind, f.id, worded(data.copies.get(f.register_name, ""))),
        )
        for f in fields
    )
    return SlipState(
        document.id, name_of(setup.document_types, document.type), tuple(types) or tuple(t.name for t in setup.document_types),
        say_state(document), rows,
        tuple(zip(facts.levels, facts.path, strict=True)), worded(facts.why_not),
        document.state is State.READY and not document.claim,
        document.filed_id is not None, document.parked or "", data.received, ", ".join(document.tags), facts.same,
        document.filed_id is not None or document.claim is not None, document.type_because or "",
        _rival(document, setup), bool(document.type) and not document.has_sure_type,
        document.type or "", facts.kept,
    )  # fmt: skip


def _rival(document: Document, setup: Setup) -> str:
    """Return the name of the type that can be taken instead by a key; empty for none, and where it is no more."""
    rival = setup.document_type(document.type_rival)
    return rival.name if rival is not None and rival.id != document.type else ""


def with_drafts(shown: SlipState | None, find: Callable[[str | None, str], Draft | None]) -> SlipState | None:
    """Return a slip with what is being typed on it: that stands until the store has it.

    Where all is typed or sure the document counts as one that can be filed: what is typed is kept before it is filed.
    """
    if shown is None:
        return None
    rows = tuple(_with_draft(row, find(shown.document, row.name)) for row in shown.rows)
    tags = find(shown.document, TAGS)
    is_open = not (shown.is_locked or shown.parked)
    can_file = shown.can_file or (is_open and bool(shown.type) and rows != shown.rows)
    can_file = can_file and not any(row.unsure for row in rows)
    why_not = "" if can_file else shown.why_not
    return replace(shown, rows=rows, tags=tags.text if tags else shown.tags, can_file=can_file, why_not=why_not)


def _with_draft(row: SlipRow, draft: Draft | None) -> SlipRow:
    if draft is None:
        return row
    if draft.problem:
        return replace(row, text=draft.text, unsure=True, problem=draft.problem)
    if draft.is_open:
        return replace(row, text=draft.text)
    return replace(row, text=draft.text, unsure=row.is_required and not draft.text.strip(), problem="", alternatives=())


def make_table(data: BenchData, setup: Setup) -> SlipTable:
    """Return all slips of the batch as a table: a column for each field of the types that occur."""
    documents = data.batch.in_order()
    kinds = {d.id: setup.document_type(d.type) for d in documents}
    named = {f.id: f.name for d in reversed(documents) if (k := kinds[d.id]) for f in k.fields}
    fields = tuple(dict.fromkeys(f.id for d in documents if (k := kinds[d.id]) for f in k.fields))
    labels = tuple(named[field] for field in fields)
    rows: list[TableRow] = []
    seen: dict[str, list[str]] = {name: [] for name in fields}
    for number, document in enumerate(documents, 1):
        kind, cells = kinds[document.id], []
        for name in fields:
            spec, value = kind.field(name) if kind else None, document.values.get(name)
            if spec is None:
                cells.append(TableCell())
                continue
            text = value.text if value else ""
            seen[name].append(text)
            unsure = not value.sure if value else spec.required
            is_open, problem = not document.filed_id, worded(value.problem) if value else ""
            cells.append(TableCell(text, unsure and is_open, is_open, problem))
        head = f"{number}  {data.facts[document.id].caption}"
        rows.append(
            TableRow(document.id, head, name_of(setup.document_types, document.type), say_state(document), tuple(cells))
        )
    heads = tuple(f"{named[field]}\n{_say_same(seen[field])}" for field in fields)
    return SlipTable(fields, heads, tuple(rows), labels)


def _say_same(texts: Sequence[str]) -> str:
    if len(texts) == 1:
        return tr("one slip")
    different = len(set(texts))
    return (
        tr("all {n} the same", n=len(texts))
        if different == 1
        else tr("{different} different in {n}", different=different, n=len(texts))
    )


def narrow_table(table: SlipTable, type_name: str) -> SlipTable:
    """Return the slips of one type with its fields alone; all of them for an empty name."""
    if not type_name:
        return table
    rows = [r for r in table.rows if r.type == type_name]
    kept = [i for i in range(len(table.fields)) if any(r.cells[i].can_edit or r.cells[i].text for r in rows)]
    cut = tuple(replace(r, cells=tuple(r.cells[i] for i in kept)) for r in rows)
    heads = tuple(f"{table.labels[i]}\n{_say_same([r.cells[i].text for r in rows])}" for i in kept)
    return SlipTable(tuple(table.fields[i] for i in kept), heads, cut, tuple(table.labels[i] for i in kept))


def join_words_by_line(words: Sequence[Word]) -> str:
    """Return lifted words as items, one for each line they stand in."""
    lines: dict[tuple[int, int], list[str]] = {}
    for word in words:
        lines.setdefault((word.block, word.line), []).append(word.text)
    return "; ".join(" ".join(said).strip(" ,;") for said in lines.values())


def _row(
    spec: FieldSpec, value: FieldValue | None, batch: Batch, calibration: Calibration, asked: Asked | None
) -> SlipRow:
    has_register, is_date = bool(spec.register_name), spec.kind is Kind.DATE
    if value is None:
        problem = tr("{name} is missing.", name=spec.name) if spec.required else ""
        return SlipRow(
            spec.id,
            "",
            "",
            spec.required,
            spec.required,
            problem,
            None,
            (),
            has_register=has_register,
            is_date=is_date,
            label=spec.name,
            asked=asked,
        )
    place = None
    if value.page and value.box:
        page = next((p for p in batch.pages if p.id == value.page and p.facts), None)
        place = (page.id, upright_box(page.frame, value.box)) if page else None
    problem = worded(value.problem)
    if not problem and not value.sure:
        share = f"{calibration.apply(value.confidence):.0%}"
        of_such = tr("About {share} of such readings are right; compare it with the page.", share=share)
        read = (
            of_such
            if calibration.is_enough
            else tr("Read with {share} confidence; compare it with the page.", share=share)
        )
        problem = ASSUMED_TOLD.get(value.origin, read)
    as_read = value.as_read if value.as_read and value.as_read.casefold() != value.text.casefold() else ""
    return SlipRow(
        spec.id, value.text, value.origin.value, not value.sure, spec.required, problem, place, value.alternatives, as_read,
        worded(value.note), value.origin in ASSUMED and not value.confirmed_by, has_register, is_date, spec.name, asked,
    )  # fmt: skip


def order_table(table: SlipTable, head: str, locale: str, *, descending: bool) -> SlipTable:
    """Return the rows in the order of a field, or of ``Type`` or ``State``; those that have nothing there stand last."""
    if head in table.fields:
        place = table.fields.index(head)
        texts = {r.document: r.cells[place].text for r in table.rows}
    elif head in ("Type", "State"):
        texts = {r.document: r.type if head == "Type" else tr(r.state) for r in table.rows}
    else:
        return table if not descending else replace(table, rows=tuple(reversed(table.rows)))
    known = [r for r in table.rows if texts[r.document]]
    known.sort(key=lambda r: sort_key(texts[r.document], locale), reverse=descending)
    return replace(table, rows=(*known, *(r for r in table.rows if not texts[r.document])))
