"""What of a set-up does not hold together: names that point nowhere, sentences that say nothing, values out of place.

What passes here works: a document can be proposed for, weighed, given a caption and a destination, and filed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import date
from decimal import Decimal, InvalidOperation
from functools import cache
from locale import locale_alias
from typing import TypeVar
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import regex

from keybundle.core.fields.kinds import Kind, Refusal, normalise
from keybundle.core.fields.patterns import LIMIT_SECONDS
from keybundle.core.rights.model import Right
from keybundle.core.setup.formulas import caption_names, read_default, read_level, read_order, read_sum
from keybundle.core.setup.ids import INNER
from keybundle.core.setup.ids import PARTS as NAMED
from keybundle.core.setup.model import DocumentType, FieldSpec, Setup
from keybundle.core.setup.routines import Routine

Path = tuple[str | int, ...]
Fault = tuple[Path, str, str]
T = TypeVar("T")
NUMBERS = (Kind.MONEY, Kind.DECIMAL, Kind.WHOLE)


def find_faults(setup: Setup) -> list[Fault]:
    """Return (path, rule, message) of each fault, in the order of the file."""
    return [
        *_place_and_time(setup), *_names_twice(setup), *_ids_twice(setup), *_cabinets(setup), *_types(setup), *_registers(setup),
        *_routines(setup), *_people(setup),
    ]  # fmt: skip


def _place_and_time(setup: Setup) -> Iterator[Fault]:
    if not _is_time_zone(setup.time_zone):
        yield (("time_zone",), "unknown-time-zone", f"there is no time zone “{setup.time_zone}”; write it like Europe/"
               "Vienna, or UTC")  # fmt: skip
    if setup.locale.casefold() not in _locales():
        yield ("locale",), "unknown-locale", f"there is no locale “{setup.locale}”; write it like en_GB or de_DE"


def _is_time_zone(name: str) -> bool:
    try:
        return bool(ZoneInfo(name))
    except (ZoneInfoNotFoundError, ValueError, OSError):
        return False


@cache
def _locales() -> frozenset[str]:
    return frozenset(name.partition(".")[0].partition("@")[0] for name in locale_alias if "_" in name)


def _names_twice(setup: Setup) -> Iterator[Fault]:
    for part in NAMED:
        for i, name in _repeated(item.name for item in getattr(setup, part)):
            yield (part, i, "name"), "name-twice", f"the name “{name}” is there twice; change one"
    for i, name in _repeated(r.key for r in setup.routines):
        if name:
            yield ("routines", i, "key"), "key-twice", f"two routines are started by “{name}”; change one"


def _ids_twice(setup: Setup) -> Iterator[Fault]:
    for part in NAMED:
        for i, name in _repeated(item.id for item in getattr(setup, part)):
            yield (part, i, "id"), "id-twice", f"the id “{name}” is there twice; an id belongs to one part alone"
    for part, inner in INNER.items():
        for i, item in enumerate(getattr(setup, part)):
            for j, name in _repeated(x.id for x in getattr(item, inner)):
                yield (part, i, inner, j), "id-twice", f"the id “{name}” is there twice in “{item.name}”"


def _repeated(names: Iterable[str]) -> Iterator[tuple[int, str]]:
    seen: set[str] = set()
    for i, name in enumerate(names):
        if name.casefold() in seen:
            yield i, name
        seen.add(name.casefold())


def _known(names: Iterable[str]) -> str:
    return ", ".join(names) or "none"


def _cabinets(setup: Setup) -> Iterator[Fault]:
    areas = {a.id: a.name for a in setup.storage_areas}
    for i, cabinet in enumerate(setup.cabinets):
        if cabinet.storage_area not in areas:
            said = f"there is no storage area “{cabinet.storage_area}”; known are: {_known(areas.values())}"
            yield ("cabinets", i, "storage_area"), "unknown-storage-area", said
        for _, name in _repeated(f.name for f in cabinet.folder_fields):
            said = f"the folder field “{name}” is there twice in “{cabinet.name}”; take one away"
            yield ("cabinets", i, "folder_fields"), "name-twice", said


def _types(setup: Setup) -> Iterator[Fault]:
    for i, kind in enumerate(setup.document_types):
        for path, rule, said in _type(setup, kind):
            yield ("document_types", i, *path), rule, said


def _type(setup: Setup, kind: DocumentType) -> Iterator[Fault]:
    yield from _destination(setup, kind)
    for j, name in _repeated(f.name for f in kind.fields):
        yield ("fields", j, "name"), "name-twice", f"the field “{name}” is there twice in “{kind.name}”; change one"
    for j, spec in enumerate(kind.fields):
        for key, rule, said in _field(setup, spec):
            yield ("fields", j, key), rule, said
    for name in caption_names(kind.caption):
        if kind.field(name) is None:
            yield ("caption",), "unknown-field", f"the caption names “{name}”, which is no field of “{kind.name}”"
    for name in kind.key:
        if kind.field(name) is None:
            yield ("key",), "unknown-field", f"the key names “{name}”, which is no field of “{kind.name}”"
    yield from _formulas(kind, kind.sums, "sums", lambda t: _flat(read_sum(t)), NUMBERS, "hold a number")
    yield from _formulas(kind, kind.order, "order", read_order, (Kind.DATE,), "hold a date")


def _flat(read: tuple[tuple[str, ...], str]) -> tuple[str, ...]:
    return (*read[0], read[1])


def _formulas(
    kind: DocumentType, texts: Sequence[str], where: str, read: Callable[[str], Sequence[str]], kinds: Sequence[Kind],
    must: str,
) -> Iterator[Fault]:  # fmt: skip
    for text in texts:
        names = _try(lambda text=text: read(text))  # type: ignore[misc]
        if isinstance(names, str):
            yield (where,), f"not-{where}", names
            continue
        for name in names:
            spec = kind.field(name)
            if spec is None:
                yield (where,), "unknown-field", f"“{text}” names “{name}”, which is no field of “{kind.name}”"
            elif spec.kind not in kinds or spec.several:
                yield (where,), "wrong-kind", f"“{text}” needs “{name}” to {must}, one for each document"


def _try(read: Callable[[], T]) -> T | str:
    """Return what was read, or why it could not be, in words."""
    try:
        return read()
    except ValueError as error:
        return str(error)


def _destination(setup: Setup, kind: DocumentType) -> Iterator[Fault]:
    cabinet = setup.cabinet(kind.cabinet)
    if cabinet is None:
        said = f"there is no cabinet “{kind.cabinet}”; known are: {_known(c.name for c in setup.cabinets)}"
        yield ("cabinet",), "unknown-cabinet", said
        return
    for level in kind.folder:
        if level not in cabinet.levels:
            known = _known(f.name for f in cabinet.folder_fields)
            said = f"“{level}” is no folder field of “{cabinet.name}”; known are: {known}"
            yield ("folder",), "unknown-folder-field", said
    for own in cabinet.folder_fields:
        source = read_level(kind.folder.get(own.id, own.id))
        spec = kind.field(source.field)
        if spec is None:
            said = (
                f"the folder field “{own.name}” of “{kind.name}” has no field to come from; "
                f'name one, such as {own.name} = "{own.name}"'
            )
            yield ("folder",), "folder-field-without-source", said
        elif source.part and spec.kind is not Kind.DATE:
            yield ("folder",), "wrong-kind", f"“{spec.name}” holds no date, so it has no {source.part} for “{own.name}”"


def _field(setup: Setup, spec: FieldSpec) -> Iterator[tuple[str, str, str]]:
    if spec.register_name:
        register = setup.register(spec.register_name)
        if register is None:
            known = _known(r.name for r in setup.registers)
            yield "register", "unknown-register", f"there is no register “{spec.register_name}”; known are: {known}"
        elif spec.column and spec.column not in register.columns:
            known = _known(register.columns)
            said = f"the register “{register.name}” has no column “{spec.column}”; known are: {known}"
            yield "column", "unknown-column", said
    elif spec.column:
        yield "column", "column-without-register", f"“{spec.name}” names a column, but no register"
    for _, choice in _repeated(spec.choices):
        yield "choices", "choice-twice", f"the choice “{choice}” of “{spec.name}” is there twice; take one away"
    limits = {end: _limit(spec, getattr(spec, end)) for end in ("low", "high") if getattr(spec, end)}
    for end, limit in limits.items():
        if limit is None:
            like = "2026-03-31" if spec.kind is Kind.DATE else "1234.50"
            yield end, "no-limit", f"“{getattr(spec, end)}” is no limit for “{spec.name}”; write it like {like}"
    if None in limits.values():
        return
    if len(limits) == 2 and limits["low"] > limits["high"]:  # type: ignore[operator]
        yield "low", "empty-range", f"the range of “{spec.name}” is empty: {spec.low} is over {spec.high}"
        return
    made = _try(lambda: read_default(spec.default))
    if isinstance(made, str):
        yield "default", "no-default", made
    elif made is None and spec.default:
        value = normalise(spec.default, spec.rule())
        if isinstance(value, Refusal):
            yield "default", "no-default", f"the default of “{spec.name}” is refused by its own rules: {value.sentence}"


def _limit(spec: FieldSpec, text: str) -> date | Decimal | None:
    """Return the limit of a range, None for a text that is none."""
    try:
        if spec.kind is Kind.DATE:
            return date.fromisoformat(text) if len(text) == 10 else None
        number = Decimal(text)
    except (ValueError, InvalidOperation):
        return None
    return number if number.is_finite() else None


def _registers(setup: Setup) -> Iterator[Fault]:
    for i, register in enumerate(setup.registers):
        for _, name in _repeated(register.columns):
            said = f"the column “{name}” is there twice in “{register.name}”; take one away"
            yield ("registers", i, "columns"), "name-twice", said


def _people(setup: Setup) -> Iterator[Fault]:
    roles, groups, people = ({p.id for p in parts} for parts in (setup.roles, setup.groups, setup.people))
    for i, person in enumerate(setup.people):
        for key, told, known, parts in (
            ("roles", person.roles, roles, setup.roles), ("groups", person.groups, groups, setup.groups),
        ):  # fmt: skip
            for name in (n for n in told if n not in known):
                said = f"{person.name} has the {key[:-1]} “{name}”, which is not there; known are: "
                yield ("people", i, key), f"unknown-{key[:-1]}", said + _known(p.name for p in parts)
    for i, login in _repeated(p.login for p in setup.people if p.login):
        yield ("people", i, "login"), "login-twice", f"two people have the account “{login}”; change one"
    for where in ("document_types", "routines"):
        for i, part in enumerate(getattr(setup, where)):
            kept = part.kept_to
            for key, told, known in (
                ("people", kept.people, people),
                ("groups", kept.groups, groups),
                ("roles", kept.roles, roles),
            ):
                for name in (n for n in told if n not in known):
                    said = f"“{part.name}” is kept to “{name}”, which is none of the {key} here"
                    yield (where, i, "kept_to"), "unknown-kept-to", said
    if setup.people and not any({Right.PREPARE, Right.GIVE_RIGHTS} <= setup.holder(p.id).rights for p in setup.people):
        said = "nobody could prepare and give rights any more; give somebody a role with both, such as administrator"
        yield ("people",), "no-administrator", said


def _routines(setup: Setup) -> Iterator[Fault]:
    for i, routine in enumerate(setup.routines):
        for key, rule, said in _routine(setup, routine):
            yield ("routines", i, key), rule, said


def _routine(setup: Setup, routine: Routine) -> Iterator[tuple[str, str, str]]:
    if routine.document_type and setup.document_type(routine.document_type) is None:
        yield "document_type", "unknown-type", f"there is no document type “{routine.document_type}”"
    naming = routine.naming
    if naming.pattern:
        try:
            regex.sub(f"(?:{naming.pattern})|", naming.into, "", timeout=LIMIT_SECONDS)
        except (regex.error, IndexError, TimeoutError) as error:
            yield "naming", "no-replacement", f"“{naming.into}” cannot stand in place of {naming.pattern}: {error}"
