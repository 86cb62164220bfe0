"""What was learned from filed documents: seen, forgotten, exported, and what a routine's bar can claim."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

from sqlalchemy import Connection, func, select

from keybundle.core.base.files import write_atomic
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.proposing.calibration import Calibration
from keybundle.core.proposing.examples import Example, forget, load_examples
from keybundle.core.proposing.lessons import agree_on
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import name_of
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace


@dataclass(frozen=True)
class LearnedDocument:
    """What one filed document taught."""

    document: str
    type: str
    at: str
    pages: int
    fields: tuple[str, ...]


@dataclass(frozen=True)
class LearnedType:
    """What is known of a type: how many documents and pages, and how many of its fields were taught by two or more."""

    name: str
    documents: int
    pages: int
    fields: tuple[tuple[str, str, int], ...]


@needs(Right.LOOK)
def list_learned(session: Session, limit: int = 500) -> tuple[list[LearnedType], list[LearnedDocument]]:
    """Return what was learned, by type, and document by document, the newest first."""
    workspace = session.workspace
    with workspace.place.database.read() as c:
        examples = _in_view(session, c, load_examples(c))
        stamps = dict(
            c.execute(select(t.example.c.document, func.max(t.example.c.at)).group_by(t.example.c.document)).all()
        )
    kinds = workspace.setup.document_types
    pages = Counter(e.document for e in examples)
    firsts = [e for e in examples if e.page == 0]
    documents = [
        LearnedDocument(
            e.document,
            name_of(kinds, e.type),
            str(stamps[e.document]),
            pages[e.document],
            tuple(_label(workspace, e.type, x.field) for x in e.lessons),
        )
        for e in reversed(firsts)
    ]
    types = []
    for name in sorted({e.type for e in firsts}):
        own = [e for e in firsts if e.type == name]
        labels: Counter[tuple[str, str]] = Counter((x.field, x.label) for e in own for x in e.lessons if x.label)
        told = tuple((_label(workspace, name, field), label, n) for (field, label), n in labels.most_common() if n >= 2)
        types.append(LearnedType(name_of(kinds, name), len(own), sum(pages[e.document] for e in own), told))
    return types, documents[:limit]


def _in_view(session: Session, c: Connection, examples: Sequence[Example]) -> list[Example]:
    """Leave out what documents taught that somebody may not look at."""
    view, d = session.view(c), t.document.c
    if not view.hidden:
        return list(examples)
    seen = set(c.execute(select(d.filing_key).where(*view.documents())).scalars())
    return [e for e in examples if e.document in seen]


def _label(workspace: Workspace, type_id: str, field: str) -> str:
    kind = workspace.setup.document_type(type_id)
    return kind.label(field) if kind is not None else field


@needs(Right.PREPARE)
def forget_learned(session: Session, documents: Sequence[str]) -> int:
    """Forget what these documents taught; the documents themselves stay. Returns how many pages that were."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        return forget(c, documents)


@needs(Right.PREPARE)
def export_learned(session: Session, path: Path) -> None:
    """Write what was learned as JSON: labels and places by field, for each document; looks are left out."""
    workspace = session.workspace
    kinds = workspace.setup.document_types
    with workspace.place.database.read() as c:
        examples = _in_view(session, c, load_examples(c))
    plain = [
        {
            "document": e.document,
            "type": name_of(kinds, e.type),
            "lessons": [{**x.to_json(), "field": _label(workspace, e.type, x.field)} for x in e.lessons],
        }
        for e in examples
        if e.page == 0
    ]
    agreed = {
        name_of(kinds, name): {
            _label(workspace, name, f): {"label": x.label, "zone": x.zone, "documents": x.agree}
            for f, x in agree_on([lesson for e in examples if e.type == name for lesson in e.lessons]).items()
        }
        for name in sorted({e.type for e in examples})
    }  # fmt: skip
    text = json.dumps({"documents": plain, "types": agreed}, ensure_ascii=False, indent=1)
    write_atomic(path, (text + "\n").encode())


def say_bar(calibration: Calibration, bar: float, one_in: int) -> str:
    """Return in words what a routine's bar claims, and what it would take to claim more."""
    if not one_in:
        if not calibration.is_enough:
            return message("learned.confirmed-values-so-far-confidences", count=calibration.count)
        n, wrong, share = calibration.claim(calibration.bar_for(bar))
        return message("learned.confirmed-values-bar-them-wrong", n=n, wrong=wrong, share=share)
    found, can = calibration.bar_for_claim(one_in)
    n, wrong, share = calibration.claim(found)
    if can:
        return message("learned.most-wrong-can-claimed-from", one_in=one_in, found=found, n=n, wrong=wrong)
    least = 3 * one_in
    ruled_out = message("learned.ruled-out", n=int(1 / share)) if share < 1 else ""
    return message(
        "learned.most-wrong-cannot-claimed-yet",
        one_in=one_in,
        least=least,
        n=n,
        wrong=wrong,
        ruled_out=ruled_out,
        found=found,
    )
