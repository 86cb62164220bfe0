"""Filed documents in the words of today: tables know parts of the set-up by id, people and files by name."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from keybundle.core.base.sorting import sort_key
from keybundle.core.fields.values import FieldValue
from keybundle.core.repository.model import FiledDocument
from keybundle.core.setup.model import Setup, name_of


def in_names(setup: Setup, document: FiledDocument) -> FiledDocument:
    """Return a document whose type, cabinet, folder fields and fields are told by name; what is gone keeps its id."""
    cabinet = setup.cabinet(document.cabinet)
    levels = cabinet.folder_fields if cabinet is not None else ()
    folder = tuple((name_of(levels, level), value) for level, value in document.folder)
    return replace(
        document, type=name_of(setup.document_types, document.type), cabinet=name_of(setup.cabinets, document.cabinet),
        folder=folder, filed_by=name_of(setup.people, document.filed_by),
        values=name_values(setup, document.type, document.cabinet, document.values),
    )  # fmt: skip


def name_values(
    setup: Setup, type_id: str | None, cabinet_id: str, values: Mapping[str, FieldValue]
) -> dict[str, FieldValue]:
    """Return values by the names of their fields, and by whom; folder fields of the cabinet lie among them."""
    kind, cabinet = setup.document_type(type_id), setup.cabinet(cabinet_id)
    names = {f.id: f.name for f in (*(cabinet.folder_fields if cabinet else ()), *(kind.fields if kind else ()))}
    people = {p.id: p.name for p in setup.people}
    return {
        names.get(key, key): replace(
            value, confirmed_by=people.get(value.confirmed_by, value.confirmed_by),
            given_by=people.get(value.given_by, value.given_by),
        )
        for key, value in values.items()
    }  # fmt: skip


def all_in_names(setup: Setup, documents: Mapping[str, FiledDocument]) -> dict[str, FiledDocument]:
    """Return documents by id, each as ``in_names`` tells it."""
    return {key: in_names(setup, d) for key, d in documents.items()}


def field_label(setup: Setup, field_id: str) -> str:
    """Return what people call a field where its type is not known: by the first type that has it."""
    return next((f.name for k in setup.document_types for f in k.fields if f.id == field_id), field_id)


def all_field_names(setup: Setup) -> list[str]:
    """Return the names of all index and folder fields, each once, in the locale's order."""
    names = [f.name for kind in setup.document_types for f in kind.fields]
    names += [f.name for cabinet in setup.cabinets for f in cabinet.folder_fields]
    return sorted(dict.fromkeys(names), key=lambda name: sort_key(name, setup.locale))


def fields_called(setup: Setup, name: str) -> Sequence[tuple[str | None, str]]:
    """Return (type, field) of each field of that name by id; type None where every document with that field is meant."""
    found: list[tuple[str | None, str]] = [
        (kind.id, f.id) for kind in setup.document_types for f in kind.fields if f.name == name
    ]
    levels = [f.id for cabinet in setup.cabinets for f in cabinet.folder_fields if f.name == name]
    ids = {field for _, field in found} | set(levels)
    others = {f.id for kind in setup.document_types for f in kind.fields if f.name != name}
    others |= {f.id for cabinet in setup.cabinets for f in cabinet.folder_fields if f.name != name}
    if not ids & others:
        return [(None, field) for field in sorted(ids or {name})]
    return [*found, *((kind.id, level) for level in levels for kind in setup.document_types if not kind.field(level))]


def names_of_fields(setup: Setup) -> dict[str, str]:
    """Return what the fields of all types and cabinets are called now, by id."""
    of_types = {f.id: f.name for kind in setup.document_types for f in kind.fields}
    return {f.id: f.name for cabinet in setup.cabinets for f in cabinet.folder_fields} | of_types
