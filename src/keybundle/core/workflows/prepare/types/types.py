"""Changing document types: captions with an example, keys, and what each field asks; kept at once, taken back like routines."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy import select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import join_comma, message
from keybundle.core.fields.kinds import Kind, Refusal, normalise
from keybundle.core.filing.destination import make_caption
from keybundle.core.rights.model import Right
from keybundle.core.setup.formulas import caption_names, map_caption, read_level, read_order, read_sum
from keybundle.core.setup.ids import fresh_id
from keybundle.core.setup.model import Cabinet, DocumentType, FieldSpec, Setup
from keybundle.core.store import schema as t
from keybundle.core.workflows.prepare.parts.parts import PartProblem, change_part
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

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
    """Return a type with some parts changed; raises PartProblem in words where they do not hold together.

    Paper does not follow a new name, so the old one stays among the words that head a page.
    """
    changed = dict(changes)
    if changed.get("name", kind.name) != kind.name and "words" not in changed:
        changed["words"] = tuple(dict.fromkeys((*kind.words, kind.name)))
    return _whole(change_part(kind, changed))


def change_field(kind: DocumentType, field: str, changes: Mapping[str, Any]) -> DocumentType:
    """Return a type with some parts of one field changed, each named by its path; raises PartProblem in words.

    Paper does not follow a new name, so the old one stays among the field's labels.
    """
    changed, spec = dict(changes), kind.field(field)
    if spec is None:
        raise InputProblem(message("people.no-longer-nothing-changed"))
    if changed.get("name", spec.name) != spec.name and "labels" not in changed:
        changed["labels"] = tuple(dict.fromkeys((*spec.labels, spec.name)))
    if "kind" in changed and changed["kind"] != spec.kind:
        changed = {**_LEFT_BEHIND, "low": "", "high": "", "default": "", **changed}
    new = change_part(spec, changed)
    return _whole(kind.model_copy(update={"fields": tuple(new if f.id == field else f for f in kind.fields)}))


@needs(Right.PREPARE)
def read_limit(session: Session, spec: FieldSpec, text: str) -> str:
    """Return the least or greatest value of a field as it is kept, from what people here write; what is none as it is."""
    rule = replace(session.workspace.rule(spec), pattern="", check="", low="", high="")
    value = normalise(text, rule)
    return text if isinstance(value, Refusal) else value


_LEFT_BEHIND = {"check": "", "column": ""}  # what a field of another kind has no use for


def with_fields(kind: DocumentType, items: Sequence[Mapping[str, str]], used: Collection[str]) -> DocumentType:
    """Return a type with these fields (id, name) in this order: renamed, new where the id is empty, the others removed.

    Raises InputProblem where a field that goes is used in the type, or a name is there twice.
    """
    kept = {item["id"] for item in items if item["id"]}
    for spec in kind.fields:
        if spec.id not in kept:
            kind = remove_field(kind, spec.id)
    order: list[str] = []
    for item in items:
        if not item["id"]:
            kind = add_field(kind, item["name"], Kind.TEXT, used=used)
            order.append(kind.fields[-1].id)
            continue
        order.append(item["id"])
        if item["name"] != kind.label(item["id"]):
            kind = change_field(kind, item["id"], {"name": item["name"]})
    by_id = {f.id: f for f in kind.fields}
    return kind.model_copy(update={"fields": tuple(by_id[key] for key in order if key in by_id)})


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
    spec = {"id": fresh_id(name, taken), "name": name, "kind": value_kind, "labels": (name,), "register_name": register}
    return change_part(kind, {"fields": [*(f.model_dump() for f in kind.fields), spec]})


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
    return kind.model_copy(update={"fields": tuple(f for f in kind.fields if f.id != field)})


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
    return change_part(kind, {"told_by": rules})


def _whole(kind: DocumentType) -> DocumentType:
    """Return a type whose key names fields of its own; raises PartProblem."""
    unknown = [name for name in kind.key if kind.field(name) is None]
    if unknown:
        fields = ", ".join(f.name for f in kind.fields)
        said = message("types.no-field-fields", kind_name=kind.name, unknown=unknown[0], list=fields)
        raise PartProblem({"key": said})
    return kind


@needs(Right.PREPARE)
def make_type(session: Session, name: str, cabinet: str) -> str:
    """Make a document type with a title field, and its cabinet where that is missing too; return the type's id.

    Raises InputProblem for a name that is taken or empty.
    """
    workspace, who = session.workspace, session.person
    name, cabinet = name.strip(), cabinet.strip()
    if not name or not cabinet:
        raise InputProblem(message("routines.document-type-needs-name-cabinet"))

    def change(setup: Setup) -> Setup:
        if any(k.name.casefold() == name.casefold() for k in setup.document_types):
            raise InputProblem(message("routines.document-type-already-choose-another", name=name))
        known = next((c for c in setup.cabinets if c.name.casefold() == cabinet.casefold()), None)
        home = known or Cabinet(id=_new(workspace, "cabinets", cabinet), name=cabinet)
        cabinets = setup.cabinets if known else (*setup.cabinets, home)
        levels = [f.name for f in home.folder_fields]
        title = FieldSpec(name="Title", required=True, labels=("Title", "Subject"))
        fields = (title, *(FieldSpec(name=n, required=True, labels=(n,)) for n in levels if n != "Title"))
        kind = DocumentType(
            id=_new(workspace, "document_types", name), name=name, cabinet=home.id, caption="{Title}", words=(name,),
            folder={f.id: f.name for f in home.folder_fields}, fields=fields,
        )  # fmt: skip
        return setup.model_copy(update={"cabinets": cabinets, "document_types": (*setup.document_types, kind)})

    return workspace.change_setup(who, change).document_types[-1].id


def _new(workspace: Workspace, part: str, name: str) -> str:
    return fresh_id(name, workspace.used_ids().get(part, set()))


@needs(Right.LOOK)
def example_caption(session: Session, kind: DocumentType) -> str:
    """Return the caption that the newest filed document of the type would have; with the fields' names before there is one."""
    d = t.document.c
    with session.workspace.place.database.read() as c:
        chosen = select(d.id).where(d.type == kind.id, d.removed_at.is_(None), *session.view(c).documents())
        newest: str | None = c.execute(chosen.order_by(d.number.desc()).limit(1)).scalar()
    if newest is None:
        named = map_caption(kind.caption, {f.id: f.name for f in kind.fields})
        return named.replace("{", "").replace("}", "") or kind.name
    return make_caption(kind, session.document(newest).load(with_pages=False).values)


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
