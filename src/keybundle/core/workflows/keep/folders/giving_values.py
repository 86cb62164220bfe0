"""Values that a folder gives its documents, at any level: one table of all, a preview, applied to what is there already.

What comes later takes them from the folder when it is proposed (``index/indexing.py``), unsure until somebody confirms it.
"""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import Connection

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import FiledId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, silent
from keybundle.core.base.records import dataclass
from keybundle.core.fields.kinds import Kind, Refusal, normalise
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.filing.destination import make_caption
from keybundle.core.filing.revise import Command, set_values
from keybundle.core.repository import audit
from keybundle.core.repository.access import ensure_root, find_folder
from keybundle.core.repository.folder_values import (
    count_below,
    find_disagreeing,
    given_along,
    given_below,
    ids_below,
    list_given,
    put_given,
)
from keybundle.core.repository.model import FiledDocument
from keybundle.core.repository.paths import split_path
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import FieldSpec, Setup
from keybundle.core.workflows.keep.documents.correcting import Corrected
from keybundle.core.workflows.keep.documents.many import revise_each
from keybundle.core.workflows.session.session import Session, needs


@dataclass(frozen=True)
class Given:
    """A value that a folder gives: the folder's path (empty: the whole cabinet), the field by id and name, the value."""

    path: tuple[str, ...]
    field: str
    label: str
    value: str


@dataclass(frozen=True)
class Disagreeing:
    """A document whose value is not the one that its folder gives (``has`` is empty where it has none)."""

    id: FiledId
    caption: str
    label: str
    has: str
    given: str


def fields_of(setup: Setup, cabinet_id: str) -> dict[str, FieldSpec]:
    """Return the fields that a cabinet's documents can be given, by id: those of its types, but for the levels' own."""
    cabinet = setup.cabinet(cabinet_id)
    levels = set(cabinet.levels) if cabinet is not None else set()
    found: dict[str, FieldSpec] = {}
    for kind in (k for k in setup.document_types if k.cabinet == cabinet_id):
        for spec in kind.fields:
            if spec.id not in levels:
                found.setdefault(spec.id, spec)
    return found


@needs(Right.LOOK)
def allowed_values(session: Session, cabinet_id: str, field: str) -> tuple[str, ...]:
    """Return what can be picked for a field: its choices, its register's entries, yes and no; nothing where all is allowed."""
    spec = fields_of(session.workspace.setup, cabinet_id).get(field)
    if spec is None:
        return ()
    if spec.register_name:
        book = session.workspace.books().get(spec.register_name)
        column = spec.column or (book.key if book is not None else "")
        return tuple(dict.fromkeys(e.get(column, "") for e in book.entries)) if book is not None else ()
    return spec.choices or (("yes", "no") if spec.kind is Kind.YES_NO else ())


@needs(Right.LOOK)
def list_given_values(session: Session, cabinet_id: str) -> list[Given]:
    """Return all values that folders of a cabinet give."""
    specs = fields_of(session.workspace.setup, cabinet_id)
    with session.workspace.place.database.read() as c:
        rows = list_given(c, cabinet_id, session.view(c))
    return [Given(split_path(r.path), r.field, specs[r.field].name, r.value) for r in rows if r.field in specs]


@needs(Right.PREPARE)
def give_value(session: Session, cabinet_id: str, path: Sequence[str], field: str, text: str) -> str:
    """Let a folder (empty path: the cabinet) give a value, or none any more; return the one before.

    Raises InputProblem for a text that is no value of the field, and for a folder that is not there.
    """
    workspace = session.workspace
    spec = fields_of(workspace.setup, cabinet_id).get(field)
    if spec is None:
        raise InputProblem(message("people.no-longer-nothing-changed"))
    value = normalise(text, workspace.rule(spec))
    if isinstance(value, Refusal):
        raise InputProblem(message("giving.no-value", label=spec.name, said=value.sentence))
    allowed = allowed_values(session, cabinet_id, field) if value and spec.register_name else ()
    if allowed and value not in allowed:
        raise InputProblem(message("giving.not-in-register", label=spec.name, value=value))
    with workspace.place.database.atomic() as c:
        before = put_given(c, _folder_id(c, cabinet_id, path), field, value)
        told = {"folder": list(path), "field": field, "value": value}
        audit.append(c, workspace.clock.stamp(), session.person, "folder value set", cabinet_id, told)
    return before


def _folder_id(c: Connection, cabinet_id: str, path: Sequence[str]) -> int:
    if not path:
        return ensure_root(c, cabinet_id)
    found = find_folder(c, cabinet_id, path)
    if found is None:
        raise InputProblem(message("relocating.no-such-folder", path=" / ".join(path)))
    return int(found.id)


@needs(Right.LOOK)
def list_disagreeing(
    session: Session, cabinet_id: str, path: Sequence[str] = (), most: int = 500
) -> tuple[list[Disagreeing], int]:
    """Return documents below a folder whose values are not those that their folders give, and how many lie there in all.

    No more than ``most`` are listed, the oldest first.
    """
    setup, found = session.workspace.setup, list[tuple[int, Disagreeing]]()
    specs = fields_of(setup, cabinet_id)
    with session.workspace.place.database.read() as c:
        view = session.view(c)
        by_field = given_below(c, cabinet_id, path)
        for field in (f for f in by_field if f in specs):
            types = [k.id for k in setup.document_types if k.cabinet == cabinet_id and k.field(field) is not None]
            for row in find_disagreeing(c, by_field[field], field, types, view, most):
                one = Disagreeing(row.id, row.caption, specs[field].name, row.has or "", row.given)
                found.append((row.number, one))
        count = count_below(c, cabinet_id, path, view)
    return [one for _, one in sorted(found, key=lambda pair: pair[0])[:most]], count


def _lacks(session: Session, document: FiledDocument, given: dict[str, str]) -> dict[str, str]:
    kind = session.workspace.setup.document_type(document.type)
    if kind is None:
        return {}
    asked = {f: v for f, v in given.items() if kind.field(f) is not None}
    return {f: v for f, v in asked.items() if (document.values[f].items if f in document.values else ()) != (v,)}


@needs(Right.CORRECT)
def apply_given(
    session: Session, cabinet_id: str, path: Sequence[str], *, over: bool, progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> Corrected:  # fmt: skip
    """Give the documents below a folder what their folders give; ``over`` takes it in place of other values too.

    Each changes by a further version; all are taken back as one.
    """
    workspace = session.workspace
    with workspace.place.database.read() as c:
        ids = ids_below(c, cabinet_id, path)

    def meant(document: FiledDocument) -> Command | None:
        kind = workspace.setup.document_type(document.type)
        with workspace.place.database.read() as c:
            lacks = _lacks(session, document, given_along(c, cabinet_id, [v for _, v in document.folder]))
        taken = {f: v for f, v in lacks.items() if over or not (f in document.values and document.values[f].items)}
        if kind is None or not taken:
            return None
        values = {f: FieldValue((v,), 1.0, Origin.FOLDER, True, confirmed_by=session.person) for f, v in taken.items()}
        return set_values(values, make_caption(kind, {**document.values, **values}))

    return revise_each(session, ids, meant, message("giving.applied"), progress=progress, cancel=cancel)
