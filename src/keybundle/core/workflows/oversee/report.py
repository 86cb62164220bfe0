"""The report of a capture, as the command line prints it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict
from typing import Any

from keybundle.core.base.ids import BatchId
from keybundle.core.batches.model import Batch, Came, Document, balance
from keybundle.core.filing.destination import compute_destination, make_caption
from keybundle.core.intake.files import Refused
from keybundle.core.reading.text import PageText
from keybundle.core.rights.model import Right
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

STAGES = ("capture", "clean", "separate", "read", "index", "file")


@needs(Right.LOOK)
def make_report(
    session: Session, batch_id: BatchId | None, routine: str, refused: Iterable[Refused], seconds: dict[str, float]
) -> dict[str, Any]:
    """Return the report as plain data; see docs/command-line.md for each key."""
    workspace = session.workspace
    rounded = {stage: round(seconds.get(stage, 0.0), 3) for stage in STAGES}
    told = [{"source": r.source, "why": r.why} for r in refused]
    if batch_id is None:
        empty = dict.fromkeys(("captured", "kept", "left_out", "filed", "set_aside", "waiting", "unplaced"), 0)
        return {"batch": None, "routine": routine, "pages": [], "documents": [], "balance": empty,
                "arrivals": asdict(Came(len(told), 0, len(told), 0)), "refused": told,
                "seconds": rounded}  # fmt: skip
    own = session.batch(batch_id)
    batch = own.load()
    texts = own.texts([p.id for p in batch.pages])
    plain_balance = asdict(balance(batch))
    place = {p.id: i for i, p in enumerate(batch.pages)}
    return {
        "batch": batch_id, "routine": routine,
        "pages": [
            {
                "source": p.source, "index": p.source_index, "sheet": p.sheet, "side": p.side,
                "disposition": p.disposition, "reason": p.reason,
                "skew_degrees": p.facts.skew_degrees if p.facts else None,
                "rotation": p.frame.rotation if p.facts else None,
                "text": PageText.from_bytes(texts[p.id]).plain if p.id in texts else "",
                **({"note": p.note} if p.note else {}),
            }
            for p in batch.pages
        ],
        "documents": [_document(workspace, batch, d, place) for d in batch.in_order()],
        "balance": plain_balance, "arrivals": asdict(batch.came), "refused": told, "seconds": rounded,
    }  # fmt: skip


def _document(workspace: Workspace, batch: Batch, document: Document, place: dict[str, int]) -> dict[str, Any]:
    kind = workspace.setup.document_type(document.type)
    destination = compute_destination(kind, workspace.setup, document.values) if kind else None
    values: dict[str, Any] = {}
    several = {f.id for f in kind.fields if f.several} if kind else set()
    for field, v in document.values.items():
        if not v.items:
            continue
        values[kind.label(field) if kind else field] = {
            "value": list(v.items) if field in several else v.text, "confidence": round(v.confidence, 3),
            "origin": v.origin.value, "sure": v.sure,
            "page": place.get(v.page) if v.page else None, "box": list(v.box) if v.box else None,
        }  # fmt: skip
    if destination is not None:
        for name, (_, value) in zip(destination.titles[1:], destination.folder, strict=True):
            if value is not None and name not in values:
                values[name] = {"value": value, "confidence": 1.0, "origin": "derived", "sure": True, "page": None,
                                "box": None}  # fmt: skip
    return {
        "pages": [place[p.id] for p in batch.pages_of(document.id)], "break": document.break_reason,
        "type": kind.name if kind else document.type, "type_confidence": document.type_confidence, "state": document.state.value,
        "values": values, "caption": make_caption(kind, document.values) if kind and document.values else None,
        "destination": destination.path if destination and destination.is_known else None,
        "missing": list(destination.missing) if destination else [],
    }  # fmt: skip
