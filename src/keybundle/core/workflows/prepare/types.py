"""Changing document types: captions with an example, keys, and what each field asks; kept at once, taken back like routines."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from typing import Any

from pydantic import ValidationError
from sqlalchemy import func, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import join_comma, message
from keybundle.core.fields.kinds import Kind
from keybundle.core.filing.destination import make_caption
from keybundle.core.rights.model import Right
from keybundle.core.setup.formulas import caption_names, map_caption, read_level, read_order, read_sum
from keybundle.core.setup.ids import fresh_id
from keybundle.core.setup.model import DocumentType, Setup
from keybundle.core.store import schema as t
from keybundle.core.workflows.prepare.routines import refuse_changed
from keybundle.core.workflows.session.session import Session, needs

TOLD_BY = ("words", "barcode", "source")
PREPARED_CAPTIONS = ("{%s}", "{%s} {%s}", "{%s}: {%s}", "{%s}, {%s}, {%s}")


def in_words(kind: DocumentType) -> dict[str, Any]:
    """Return what people write about a type's fields (``caption``, ``key``) with the fields' names in it."""
    names = {f.id: f.name for f in kind.fields}
    return {"caption": map_caption(kind.caption, names), "key": tuple(names.get(k, k) for k in kind.key)}


def from_words(kind: DocumentType, changes: Mapping[str, Any]) -> dict[str, Any]:
    """Return changes of a type as it keeps them, where ``caption`` and ``key`` were written with the fields' names."""
    ids, found = {f.name: f.id for f in kind.fields}, dict(changes)
    if "caption" in found:
        found["caption"] = map_caption(found["caption"], ids)
    if "key" in found:
        found["key"] = tuple(ids.get(k, k) for k in found["key"])
    return found


def change_type(kind: DocumentType, changes: Mapping[str, Any]) -> DocumentType:
    """Return a type with some parts changed; raises InputProblem in words where they do not hold together.

    Paper does not follow a new name, so the old one stays among the words that head a page.
    """
    changed = dict(changes)
    if changed.get("name", kind.name) != kind.name and "words" not in changed:
        changed["words"] = tuple(dict.fromkeys((*kind.words, kind.name)))
    return _validated({**kind.model_dump(), **changed})


def change_field(kind: DocumentType, field: str, changes: Mapping[str, Any]) -> DocumentType:
    """Return a type with some parts of one field changed; raises InputProblem in words.

    Paper does not follow a new name, so the old one stays among the field's labels.
    """
    changed = dict(changes)
    spec = kind.field(field)
    if spec is not None and changed.get("name", spec.name) != spec.name and "labels" not in changed:
        changed["labels"] = tuple(dict.fromkeys((*spec.labels, spec.name)))
    fields = [{**f.model_dump(), **(changed if f.id == field else {})} for f in kind.fields]
    return _validated({**kind.model_dump(), "fields": fields})


def add_field(
    kind: DocumentType, name: str, value_kind: Kind, *, register: str = "", used: Collection[str] = ()
) -> DocumentType:
    """Return a type with one more field at its end, its own name as its label; raises InputProblem in words.

    ``used`` are ids that fields of the type had before; the new one gets another.
    """
    name = name.strip()
    if any(f.name.casefold() == name.casefold() for f in kind.fields):
        raise InputProblem(message("types.field-already-choose-another-name", kind_name=kind.name, name=name))
    taken = {*used, *(f.id for f in kind.fields)}
    spec = {"id": fresh_id(name, taken), "name": name, "kind": value_kind, "labels": (name,), "register": register}
    return _validated({**kind.model_dump(), "fields": [*(f.model_dump() for f in kind.fields), spec]})


def remove_field(kind: DocumentType, field: str) -> DocumentType:
    """Return a type without a field; raises InputProblem where the caption, the folder, a check or the key needs it."""
    used_in = {
        message("types.its-caption"): caption_names(kind.caption),
        message("types.its-folder"): [read_level(x).field for x in kind.folder.values()],
        message("types.a-sum"): [name for rule in kind.sums for name in (*read_sum(rule)[0], read_sum(rule)[1])],
        message("types.an-order"): [name for rule in kind.order for name in read_order(rule)],
        message("types.its-key"): kind.key,
    }
    if used := [where for where, names in used_in.items() if field in names]:
        raise InputProblem(
            message("types.used-take-out-first", label=kind.label(field), list=join_comma(used), kind_name=kind.name)
        )
    return _validated({**kind.model_dump(), "fields": [f.model_dump() for f in kind.fields if f.id != field]})


def told_patterns(kind: DocumentType) -> dict[str, str]:
    """Return the patterns of a type's rules by what they look at (``words``, ``barcode``, ``source``); empty for none.

    Of several rules about the same the first one is told.
    """
    found = {on: "" for on in TOLD_BY}
    for rule in reversed(kind.told_by):
        found[rule.on] = rule.pattern or re.escape(rule.words)
    return found


def change_told(kind: DocumentType, on: str, pattern: str) -> DocumentType:
    """Return a type whose (first) rule about ``on`` has another pattern, or none; raises InputProblem in words."""
    rules = [r.model_dump() for r in kind.told_by]
    first = next((i for i, r in enumerate(rules) if r["on"] == on), len(rules))
    before = rules[first] if first < len(rules) else {"on": on}
    rules[first : first + 1] = [{**before, "pattern": pattern, "words": ""}] if pattern else []
    return _validated({**kind.model_dump(), "told_by": rules})


def _validated(data: Mapping[str, Any]) -> DocumentType:
    try:
        kind = DocumentType.model_validate(data)
    except ValidationError as error:
        said = [str(e["msg"]).removeprefix("Value error, ") for e in error.errors()]
        raise InputProblem(message("prepare.nothing-changed", said="; ".join(dict.fromkeys(said)))) from error
    unknown = [name for name in kind.key if kind.field(name) is None]
    if unknown:
        raise InputProblem(
            message(
                "types.no-field-fields",
                kind_name=kind.name,
                unknown=unknown[0],
                list=", ".join(f.name for f in kind.fields),
            )
        )
    return kind


@needs(Right.PREPARE)
def save_type(session: Session, kind: DocumentType, base: DocumentType | None = None) -> int:
    """Keep a type in place of the one with its id; return how many filed documents are of it (they stay as they are).

    ``base`` is the type that was changed: where somebody else has changed it meanwhile, nothing is kept.
    """
    workspace, who = session.workspace, session.person

    def change(setup: Setup) -> Setup:
        refuse_changed(setup.document_type(kind.id), base, message("thing.document-type", name=kind.name))
        kinds = tuple(kind if k.id == kind.id else k for k in setup.document_types)
        return setup.model_copy(update={"document_types": kinds})

    workspace.change_setup(who, change)
    d = t.document.c
    with workspace.place.database.read() as c:
        return int(c.execute(select(func.count()).where(d.type == kind.id, d.removed_at.is_(None))).scalar() or 0)


@needs(Right.LOOK)
def example_caption(session: Session, kind: DocumentType) -> str:
    """Return the caption that the newest filed document of the type would have; with the fields' names before there is one."""
    workspace = session.workspace
    d = t.document.c
    chosen = select(d.id).where(d.type == kind.id, d.removed_at.is_(None)).order_by(d.number.desc()).limit(1)
    with workspace.place.database.read() as c:
        newest: str | None = c.execute(chosen).scalar()
    if newest is None:
        named = map_caption(kind.caption, {f.id: f.name for f in kind.fields})
        return named.replace("{", "").replace("}", "") or kind.name
    return make_caption(kind, workspace.repository.load(newest, with_pages=False).values)


def prepared_captions(kind: DocumentType) -> list[str]:
    """Return caption patterns to choose from, made of the type's first fields, by their names."""
    names = [f.name for f in kind.fields]
    found = [p % tuple(names[: p.count("%s")]) for p in PREPARED_CAPTIONS if p.count("%s") <= len(names)]
    return list(
        dict.fromkeys(
            [
                *([map_caption(kind.caption, {f.id: f.name for f in kind.fields})] if kind.caption else []),
                *found,
                f"{kind.name} {{{names[0]}}}",
            ]
            if names
            else []
        )
    )
