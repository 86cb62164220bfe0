"""What of a set-up does not hold together: names that point nowhere, sentences that say nothing, values out of place.

What passes here works: a document can be proposed for, weighed, given a caption and a destination, and filed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import TypeVar
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from keybundle.core.base.folding import fold
from keybundle.core.base.messages import message
from keybundle.core.fields.kinds import Kind, Refusal, normalise
from keybundle.core.fields.locales import is_locale
from keybundle.core.fields.patterns import LIMIT_SECONDS
from keybundle.core.rights.model import Right
from keybundle.core.setup.formulas import caption_names, read_default, read_level, read_order, read_sum
from keybundle.core.setup.ids import INNER
from keybundle.core.setup.ids import PARTS as NAMED
from keybundle.core.setup.model import NUMBERS, DocumentType, FieldSpec, Setup
from keybundle.core.setup.routines import Routine

Path = tuple[str | int, ...]
Fault = tuple[Path, str, str]
T = TypeVar("T")


def find_faults(setup: Setup) -> list[Fault]:
    """Return (path, rule, message) of each fault, in the order of the file."""
    return [
        *_place_and_time(setup), *_names_twice(setup), *_ids_twice(setup), *_cabinets(setup), *_types(setup), *_registers(setup),
        *_routines(setup), *_people(setup),
    ]  # fmt: skip


def _place_and_time(setup: Setup) -> Iterator[Fault]:
    if not _is_time_zone(setup.time_zone):
        said = message("validation.no-time-zone-write-like", time_zone=setup.time_zone)
        yield ("time_zone",), "unknown-time-zone", said
    if not is_locale(setup.locale):
        yield ("locale",), "unknown-locale", message("validation.no-locale-write-like-en", locale=setup.locale)


def _is_time_zone(name: str) -> bool:
    try:
        return bool(ZoneInfo(name))
    except (ZoneInfoNotFoundError, ValueError, OSError):
        return False


def _names_twice(setup: Setup) -> Iterator[Fault]:
    for part in NAMED:
        for i, name in _repeated(item.name for item in getattr(setup, part)):
            yield (part, i, "name"), "name-twice", message("validation.name-twice-change-one", name=name)
    for i, name in _repeated(r.key for r in setup.routines):
        if name:
            yield ("routines", i, "key"), "key-twice", message("validation.two-routines-started-change-one", name=name)


def _ids_twice(setup: Setup) -> Iterator[Fault]:
    for part in NAMED:
        for i, name in _repeated(item.id for item in getattr(setup, part)):
            yield (part, i, "id"), "id-twice", message("validation.id-twice-id-belongs-one", name=name)
    for part, inner in INNER.items():
        for i, item in enumerate(getattr(setup, part)):
            for j, name in _repeated(x.id for x in getattr(item, inner)):
                yield (part, i, inner, j), "id-twice", message("validation.id-twice", name=name, item_name=item.name)


def _repeated(names: Iterable[str]) -> Iterator[tuple[int, str]]:
    seen: set[str] = set()
    for i, name in enumerate(names):
        if fold(name) in seen:
            yield i, name
        seen.add(fold(name))


def _known(names: Iterable[str]) -> str:
    return ", ".join(names) or "none"


def _cabinets(setup: Setup) -> Iterator[Fault]:
    areas = {a.id: a.name for a in setup.storage_areas}
    for i, cabinet in enumerate(setup.cabinets):
        if cabinet.storage_area not in areas:
            said = message(
                "validation.no-storage-area-known", storage_area=cabinet.storage_area, known=_known(areas.values())
            )
            yield ("cabinets", i, "storage_area"), "unknown-storage-area", said
        for _, name in _repeated(f.name for f in cabinet.folder_fields):
            said = message("validation.folder-field-twice-take-one", name=name, cabinet_name=cabinet.name)
            yield ("cabinets", i, "folder_fields"), "name-twice", said


def _types(setup: Setup) -> Iterator[Fault]:
    for i, kind in enumerate(setup.document_types):
        for path, rule, said in _type(setup, kind):
            yield ("document_types", i, *path), rule, said


def _type(setup: Setup, kind: DocumentType) -> Iterator[Fault]:
    yield from _destination(setup, kind)
    for j, name in _repeated(f.name for f in kind.fields):
        yield (
            ("fields", j, "name"),
            "name-twice",
            message("validation.field-twice-change-one", name=name, kind_name=kind.name),
        )
    for j, spec in enumerate(kind.fields):
        for key, rule, said in _field(setup, spec):
            yield ("fields", j, key), rule, said
    for name in caption_names(kind.caption):
        if kind.field(name) is None:
            yield (
                ("caption",),
                "unknown-field",
                message("validation.caption-names-which-no-field", name=name, kind_name=kind.name),
            )
    for name in kind.key:
        if kind.field(name) is None:
            yield (
                ("key",),
                "unknown-field",
                message("validation.key-names-which-no-field", name=name, kind_name=kind.name),
            )
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
                yield (
                    (where,),
                    "unknown-field",
                    message("validation.names-which-no-field", text=text, name=name, kind_name=kind.name),
                )
            elif spec.kind not in kinds or spec.several:
                yield (
                    (where,),
                    "wrong-kind",
                    message("validation.needs-one-each-document", text=text, name=name, must=must),
                )


def _try(read: Callable[[], T]) -> T | str:
    """Return what was read, or why it could not be, in words."""
    try:
        return read()
    except ValueError as error:
        return str(error)


def _destination(setup: Setup, kind: DocumentType) -> Iterator[Fault]:
    cabinet = setup.cabinet(kind.cabinet)
    if not kind.cabinet:
        return
    if cabinet is None:
        said = message(
            "validation.no-cabinet-known", cabinet=kind.cabinet, known=_known(c.name for c in setup.cabinets)
        )
        yield ("cabinet",), "unknown-cabinet", said
        return
    for level in kind.folder:
        if level not in cabinet.levels:
            known = _known(f.name for f in cabinet.folder_fields)
            said = message("validation.no-folder-field-known", level=level, cabinet_name=cabinet.name, known=known)
            yield ("folder",), "unknown-folder-field", said
    for own in cabinet.folder_fields:
        source = read_level(kind.folder.get(own.id, own.id))
        spec = kind.field(source.field)
        if spec is None:
            if own.id in kind.folder:  # where nothing is said yet, the level only waits (``gaps.py``)
                said = message("validation.folder-field-no-field-come", own_name=own.name, kind_name=kind.name)
                yield ("folder",), "folder-field-without-source", said
        elif source.part and spec.kind is not Kind.DATE:
            yield (
                ("folder",),
                "wrong-kind",
                message("validation.holds-no-date-so-no", spec_name=spec.name, part=source.part, own_name=own.name),
            )


def _field(setup: Setup, spec: FieldSpec) -> Iterator[tuple[str, str, str]]:
    if spec.register_name:
        register = setup.register(spec.register_name)
        if register is None:
            known = _known(r.name for r in setup.registers)
            yield (
                "register",
                "unknown-register",
                message("validation.no-register-known", register_name=spec.register_name, known=known),
            )
        elif spec.column and spec.column not in register.columns:
            known = _known(register.columns)
            said = message(
                "validation.register-no-column-known", register_name=register.name, column=spec.column, known=known
            )
            yield "column", "unknown-column", said
    elif spec.column:
        yield (
            "column",
            "column-without-register",
            message("validation.names-column-but-no-register", spec_name=spec.name),
        )
    for _, choice in _repeated(spec.choices):
        yield (
            "choices",
            "choice-twice",
            message("validation.choice-twice-take-one-away", choice=choice, spec_name=spec.name),
        )
    limits = {end: _limit(spec, getattr(spec, end)) for end in ("low", "high") if getattr(spec, end)}
    for end, limit in limits.items():
        if limit is None:
            like = "2026-03-31" if spec.kind is Kind.DATE else "1234.50"
            yield (
                end,
                "no-limit",
                message("validation.no-limit-write-like", getattr=getattr(spec, end), spec_name=spec.name, like=like),
            )
    if None in limits.values():
        return
    if len(limits) == 2 and limits["low"] > limits["high"]:  # type: ignore[operator]
        yield (
            "low",
            "empty-range",
            message("validation.range-empty-over", spec_name=spec.name, low=spec.low, high=spec.high),
        )
        return
    made = _try(lambda: read_default(spec.default))
    if isinstance(made, str):
        yield "default", "no-default", made
    elif made is None and spec.default:
        value = normalise(spec.default, spec.rule())
        if isinstance(value, Refusal):
            yield (
                "default",
                "no-default",
                message("validation.default-refused-own-rules", spec_name=spec.name, sentence=value.sentence),
            )


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
            said = message("validation.column-twice-take-one-away", name=name, register_name=register.name)
            yield ("registers", i, "columns"), "name-twice", said


def _people(setup: Setup) -> Iterator[Fault]:
    roles, groups, people = ({p.id for p in parts} for parts in (setup.roles, setup.groups, setup.people))
    for i, person in enumerate(setup.people):
        for key, told, known, parts in (
            ("roles", person.roles, roles, setup.roles), ("groups", person.groups, groups, setup.groups),
        ):  # fmt: skip
            for name in (n for n in told if n not in known):
                said = message("validation.which-not-known", person_name=person.name, key=key[:-1], name=name)
                yield ("people", i, key), f"unknown-{key[:-1]}", said + _known(p.name for p in parts)
    for i, login in _repeated(p.login for p in setup.people if p.login):
        yield ("people", i, "login"), "login-twice", message("validation.two-people-have-account-change", login=login)
    names = {fold(p.name): p for p in setup.people}
    for i, person in enumerate(setup.people):
        other = names.get(fold(person.login)) if person.login else None
        if other is not None and other.id != person.id:
            said = message("validation.account-is-name", person_name=person.name, login=person.login, other=other.name)
            yield ("people", i, "login"), "login-is-name", said
    for where in ("document_types", "routines"):
        for i, part in enumerate(getattr(setup, where)):
            kept = part.kept_to
            for key, told, known in (
                ("people", kept.people, people),
                ("groups", kept.groups, groups),
                ("roles", kept.roles, roles),
            ):
                for name in (n for n in told if n not in known):
                    said = message("validation.kept-which-none-here", part_name=part.name, name=name, key=key)
                    yield (where, i, "kept_to"), "unknown-kept-to", said
    if setup.people and not any({Right.PREPARE, Right.GIVE_RIGHTS} <= setup.holder(p.id).rights for p in setup.people):
        said = message("validation.nobody-could-prepare-give-rights")
        yield ("people",), "no-administrator", said


def _routines(setup: Setup) -> Iterator[Fault]:
    for i, routine in enumerate(setup.routines):
        for key, rule, said in _routine(setup, routine):
            yield ("routines", i, key), rule, said


def _routine(setup: Setup, routine: Routine) -> Iterator[tuple[str, str, str]]:
    if routine.document_type and setup.document_type(routine.document_type) is None:
        yield (
            "document_type",
            "unknown-type",
            message("validation.there-no-document-type", document_type=routine.document_type),
        )
    for type_id in routine.types:
        if setup.document_type(type_id) is None:
            yield "types", "unknown-type", message("validation.there-no-document-type", document_type=type_id)
    naming = routine.naming
    if naming.pattern:
        import regex

        try:
            regex.sub(f"(?:{naming.pattern})|", naming.into, "", timeout=LIMIT_SECONDS)
        except (regex.error, IndexError, TimeoutError) as error:
            yield (
                "naming",
                "no-replacement",
                message("validation.cannot-stand-place", into=naming.into, pattern=naming.pattern, error=error),
            )
