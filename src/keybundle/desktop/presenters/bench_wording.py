"""What the bench says of a batch: strip, nameplates, slip, balance, reading; plain functions."""

from __future__ import annotations

from pathlib import Path

from keybundle.core.base.boxes import upright_box
from keybundle.core.batches.model import Balance, Batch, Document, State
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.setup.model import FieldSpec, Setup
from keybundle.core.workflows.bench import BenchData
from keybundle.core.workflows.preview_files import preview_file
from keybundle.desktop.presenters.bench_state import SlipRow, SlipState, StripDocument, StripPage


def say_balance(b: Balance) -> tuple[str, str]:
    """Return the page balance in short, and explained."""
    short = f"{b.captured} captured\n{b.kept} kept, {b.left_out} left out\n{b.filed} filed, {b.waiting} waiting"
    if b.set_aside:
        short += f"\n{b.set_aside} set aside"
    if b.unplaced:
        short += f"\n{b.unplaced} being separated"
    told = (
        f"Every side is accounted for: {b.captured} captured = {b.kept} kept + {b.left_out} left out"
        f"{f' + {b.unplaced} being separated' if b.unplaced else ''}; "
        f"{b.kept} kept = {b.filed} filed + {b.set_aside} set aside + {b.waiting} waiting."
    )
    return short, told if b.is_even else f"The page balance is not even: {b}."


def say_reading(batch: Batch, *, stopped: bool) -> tuple[str, str]:
    """Return how far the reading is, and the words of the button that stops it or goes on; empty when done."""
    kept = [p for p in batch.pages if p.kept]
    read = sum(p.is_read for p in kept)
    if read == len(kept):
        return "", ""
    if stopped:
        return f"Reading stopped: {read} of {len(kept)} pages read", "Read on"
    return f"{read} of {len(kept)} pages read", "Stop reading"


def make_strip(batch: Batch, cache: Path) -> tuple[StripPage, ...]:
    """Return the pages of the strip."""
    root = str(cache)
    firsts = {pages[0].id for pages in batch.pages_by_document().values()}
    found = []
    for number, p in enumerate(batch.pages, 1):
        rotation = p.frame.rotation if p.facts else 0
        hint = f"Side {number}: sheet {p.sheet}, {p.side}, from {p.source}"
        if p.reason:
            hint += f". Left out: {p.reason}"
        if p.note or p.trouble:
            hint += f". {p.note or p.trouble}"
        break_reason = batch.documents[p.document_id].break_reason if p.document_id and p.id in firsts else ""
        found.append(
            StripPage(
                p.id, number, p.disposition != "left out", p.reason or "", p.document_id, p.id in firsts,
                break_reason, preview_file(root, p.id, rotation, "thumbnail"), p.is_read,
                bool(p.note or p.trouble), hint,
            )
        )  # fmt: skip
    return tuple(found)


def make_plates(data: BenchData) -> tuple[StripDocument, ...]:
    """Return the nameplates in order."""
    pages = data.batch.pages_by_document()
    return tuple(
        StripDocument(key, d.type or "Type unknown", data.facts[key].caption, d.state.value, len(pages[key]))
        for key, d in ((key, data.batch.documents[key]) for key in pages)
    )


def make_slip(data: BenchData, document: Document, setup: Setup) -> SlipState:
    """Return the slip of a document."""
    facts = data.facts[document.id]
    kind = setup.document_type(document.type)
    rows = tuple(_row(f, document.values.get(f.name), data.batch) for f in kind.fields) if kind else ()
    return SlipState(
        document.id, document.type or "", tuple(t.name for t in setup.document_types), document.state.value, rows,
        tuple(zip(facts.levels, facts.path, strict=True)), facts.why_not, document.state is State.READY,
        document.filed_id is not None, document.parked or "",
    )  # fmt: skip


def _row(spec: FieldSpec, value: FieldValue | None, batch: Batch) -> SlipRow:
    if value is None:
        problem = f"{spec.name} is missing." if spec.required else ""
        return SlipRow(spec.name, "", "", spec.required, spec.required, problem, None, ())
    place = None
    if value.page and value.box:
        page = next((p for p in batch.pages if p.id == value.page and p.facts), None)
        place = (page.id, upright_box(page.frame, value.box)) if page else None
    problem = value.problem
    if not problem and not value.sure:
        is_default = value.origin is Origin.DEFAULT
        read = f"Read with {value.confidence:.0%} confidence; compare it with the page."
        problem = "Only the default; confirm it or change it." if is_default else read
    return SlipRow(
        spec.name, value.text, value.origin.value, not value.sure, spec.required, problem, place, value.alternatives
    )
