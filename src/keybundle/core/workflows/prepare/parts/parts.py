"""The verbs that all parts of a set-up share: added, changed, copied, moved and removed; kept at once, each as a new revision.

What somebody else has changed meanwhile is refused in words, and so is what would leave something without what it
needs. What is removed stays in the history and can be put back.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from typing import Any, TypeVar

from pydantic import ValidationError

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import join_comma, message
from keybundle.core.rights.model import Right
from keybundle.core.setup.ids import fresh_id
from keybundle.core.setup.model import (
    Cabinet,
    DocumentType,
    FieldSpec,
    Group,
    Person,
    Register,
    Role,
    Setup,
    StorageArea,
    name_of,
    number_people,
)
from keybundle.core.setup.parts import LONGEST_NAME, Named, Part
from keybundle.core.setup.parts import PartProblem as PartProblem
from keybundle.core.setup.routines import Routine
from keybundle.core.setup.uses import used_by
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.setup_rules import count_hanging, count_touched
from keybundle.core.workflows.session.workspace import Workspace

N = TypeVar("N", bound=Named)
P = TypeVar("P", bound=Part)
MODELS: Mapping[str, type[Named]] = {
    "storage_areas": StorageArea, "cabinets": Cabinet, "document_types": DocumentType, "registers": Register,
    "routines": Routine, "roles": Role, "groups": Group, "people": Person,
}  # fmt: skip
MOST_NAMED = 5


def value_at(part: Part, path: str) -> Any:
    """Return a value of a part by its dotted path, such as ``cleaning.deskew``."""
    found: Any = part
    for name in path.split("."):
        found = found.get(name) if isinstance(found, Mapping) else getattr(found, name)
    return found


def change_part(part: P, changes: Mapping[str, Any]) -> P:
    """Return a part with some values changed, each named by its dotted path; raises PartProblem in words."""
    data = part.model_dump()
    for path, value in changes.items():
        *above, last = path.split(".")
        inner = data
        for name in above:
            inner = inner[name]
        inner[last] = value
    try:
        return type(part).model_validate(data)
    except ValidationError as error:
        raise PartProblem({".".join(str(x) for x in e["loc"]): _say(e) for e in error.errors()}) from error


def _say(error: Mapping[str, Any]) -> str:
    """Return what a model's check found, in words of our own where people can meet it."""
    limits, path = error.get("ctx", {}), error["loc"]
    what = str(path[-1] if path else "").replace("_", " ")
    if error["type"] == "string_too_short":
        return message("parts.too-short", what=what, n=limits["min_length"])
    if error["type"] == "string_too_long":
        return message("parts.too-long", what=what, n=limits["max_length"])
    if error["type"] in ("greater_than_equal", "less_than_equal"):
        limit = limits.get("ge", limits.get("le"))
        return message("parts.too-small" if "ge" in limits else "parts.too-large", what=what, limit=limit)
    told = str(error["msg"]).removeprefix("Value error, ")
    return told if error["type"] == "value_error" else f"{what}: {told}"


def refuse_changed(now: Part | None, base: Part | None, what: str) -> None:
    """Raise InputProblem where a part of the set-up is gone, or is no longer what the change was made on; it says what is new."""
    if now is None:
        raise InputProblem(message("routines.no-longer-nothing-changed", what=what))
    if base is not None and now != base:
        before, after = base.model_dump(), now.model_dump()
        new = ", ".join(key.replace("_", " ") for key in after if after[key] != before.get(key))
        raise InputProblem(message("routines.been-changed-somebody-else-meanwhile", what=what, new=new))


@needs(Right.PREPARE)
def add_part(session: Session, kind: str, name: str, values: Mapping[str, Any] | None = None) -> str:
    """Add a part with usual values, or with ``values``, and return its id; raises InputProblem for a name that is taken."""
    name = name.strip()
    if not name:
        raise InputProblem(message("people.needs-name-nothing-added"))
    if len(name) > LONGEST_NAME:
        raise PartProblem({"name": message("parts.too-long", what="name", n=LONGEST_NAME)})
    added: list[str] = []

    def change(setup: Setup) -> Setup:
        parts = getattr(setup, kind)
        _refuse_taken(parts, name)
        made = change_part(_usual(kind, name, setup), values or {})
        after = _numbered(session, kind, parts, made)
        added[:] = [after[-1].id]
        return setup.model_copy(update={kind: after})

    session.workspace.change_setup(session.person, change)
    return added[0]


def _usual(kind: str, name: str, setup: Setup) -> Named:
    """Return a new part of a kind as most people would want it."""
    if kind == "document_types":
        title = FieldSpec(name="Title", required=True, labels=("Title", "Subject"))
        return DocumentType(name=name, caption="{Title}", words=(name,), fields=(title,))
    if kind == "registers":
        return Register(name=name, key="Name", columns=("Name",))
    if kind == "routines":
        keys = {r.key.casefold() for r in setup.routines}
        free = next((letter for letter in name.casefold() if letter.isalpha() and letter not in keys), "")
        only = setup.document_types[0].id if len(setup.document_types) == 1 else ""
        return Routine(name=name, sign=(name[:2].upper() + "X")[:2], key=free, duplex=True, document_type=only)
    return MODELS[kind](name=name)


def _numbered(session: Session, kind: str, parts: tuple[Named, ...], made: Named) -> tuple[Any, ...]:
    """Return parts with one more, which has an id that none has or had."""
    used = session.workspace.used_ids().get(kind, set())
    if kind == "people":
        return number_people((*parts, made.model_copy(update={"id": ""})), used)
    return (*parts, made.model_copy(update={"id": fresh_id(made.name, {*used, *(p.id for p in parts)})}))


def _refuse_taken(parts: Iterable[Named], name: str) -> None:
    if any(p.name.casefold() == name.casefold() for p in parts):
        raise InputProblem(message("people.name-taken-already-choose-another", name=name))


@needs(Right.PREPARE)
def save_part(session: Session, kind: str, part: Named, base: Named | None = None) -> int:
    """Keep a part in place of the one with its id; return how many filed documents (or open batches) it touches.

    Raises InputProblem where somebody else has changed it meanwhile (``base`` is what was changed), and where the set-up
    would not hold together.
    """

    def change(setup: Setup) -> Setup:
        parts = getattr(setup, kind)
        now = _find(parts, part.id)
        refuse_changed(now, base, message("parts.named", name=part.name))
        _refuse_taken((p for p in parts if p.id != part.id), part.name)
        if isinstance(part, StorageArea) and isinstance(now, StorageArea) and part.path != now.path:
            part_there = check_folder(session.workspace, part, setup)
            return setup.model_copy(update={kind: tuple(part_there if p.id == part.id else p for p in parts)})
        return setup.model_copy(update={kind: tuple(part if p.id == part.id else p for p in parts)})

    session.workspace.change_setup(session.person, change)
    with session.workspace.place.database.read() as c:
        return count_touched(c, kind, part.id)


def check_folder(workspace: Workspace, area: StorageArea, setup: Setup) -> StorageArea:
    """Return an area whose folder is there, can be written and is no other area's; raises PartProblem in words."""
    root = workspace.place.root
    folder = (root / area.path).resolve()
    if any((root / a.path).resolve() == folder for a in setup.storage_areas if a.id != area.id):
        raise PartProblem({"path": message("areas.taken", name=area.name, folder=folder)})
    probe = folder / ".keybundle-probe"
    try:
        probe.write_bytes(b"")
        probe.unlink()
    except OSError as error:
        told = message("areas.cannot-be-used", folder=folder, why=error.strerror or "")
        raise PartProblem({"path": told}) from error
    # What lies inside the data directory goes with it where that is moved.
    inside = folder.is_relative_to(root.resolve())
    return area.model_copy(update={"path": str(folder.relative_to(root.resolve()) if inside else folder)})


@needs(Right.PREPARE)
def copy_part(session: Session, kind: str, part_id: str) -> str:
    """Make a copy of a part under a free name and return its id; what must not be there twice (a start key) is left out."""
    added: list[str] = []

    def change(setup: Setup) -> Setup:
        parts = getattr(setup, kind)
        base = _find(parts, part_id)
        if base is None:
            raise InputProblem(message("people.no-longer-nothing-changed"))
        once = {name: "" for name in ("key", "login") if kind in ("routines", "people") and hasattr(base, name)}
        named = {"name": free_name(base.name, (p.name for p in parts))}
        after = _numbered(session, kind, parts, base.model_copy(update={**once, **named}))
        added[:] = [after[-1].id]
        return setup.model_copy(update={kind: after})

    session.workspace.change_setup(session.person, change)
    return added[0]


def free_name(name: str, taken: Iterable[str]) -> str:
    """Return the name, or with “copy” and a number behind it where it is taken."""
    names = {n.casefold() for n in taken}
    if name.casefold() not in names:
        return name
    return next(n for i in range(1, 1000) if (n := f"{name} copy" + (f" {i}" if i > 1 else "")).casefold() not in names)


@needs(Right.PREPARE)
def remove_part(session: Session, kind: str, part_id: str, base: Named | None = None) -> int:
    """Remove a part and return the place it had; somebody is only set to work here no more: what they did stays.

    Raises InputProblem that says, in numbers and names, what still hangs on it.
    """
    places: list[int] = []

    def change(setup: Setup) -> Setup:
        parts = getattr(setup, kind)
        found = _find(parts, part_id)
        refuse_changed(found, base, message("parts.named", name=name_of(parts, part_id)))
        places.append([p.id for p in parts].index(part_id))
        if isinstance(found, Person):
            gone = found.model_copy(update={"active": False, "login": ""})
            return setup.model_copy(update={kind: tuple(gone if p.id == part_id else p for p in parts)})
        if found is not None:
            _refuse_used(session, setup, kind, found)
        return setup.model_copy(update={kind: tuple(p for p in parts if p.id != part_id)})

    session.workspace.change_setup(session.person, change)
    return places[-1]


def _refuse_used(session: Session, setup: Setup, kind: str, part: Named) -> None:
    users = [name_of(getattr(setup, of), user) for of, user in used_by(setup, kind, part.id)]
    if users:
        some = join_comma(users[:MOST_NAMED])
        raise InputProblem(message("parts.still-used", name=part.name, named=some, n=len(users)))
    with session.workspace.place.database.read() as c:
        number = count_hanging(c, kind, part.id)
    if number and kind == "routines":
        raise InputProblem(message("parts.has-open-batches", name=part.name, n=number))
    if number and kind != "storage_areas":
        raise InputProblem(message("parts.holds-documents", name=part.name, n=number))


@needs(Right.PREPARE)
def put_part(session: Session, kind: str, part: Named, place: int | None = None) -> None:
    """Put a part that was removed at its place again; raises InputProblem where its name or id is taken by then."""

    def change(setup: Setup) -> Setup:
        parts = getattr(setup, kind)
        there = _find(parts, part.id)
        if isinstance(part, Person) and there is not None:  # they only worked here no more
            return setup.model_copy(update={kind: tuple(part if p.id == part.id else p for p in parts)})
        if there is not None:
            raise InputProblem(message("people.name-taken-already-choose-another", name=part.name))
        _refuse_taken(parts, part.name)
        here = len(parts) if place is None else place
        return setup.model_copy(update={kind: (*parts[:here], part, *parts[here:])})

    session.workspace.change_setup(session.person, change)


@needs(Right.PREPARE)
def move_part(session: Session, kind: str, part_id: str, by: int) -> None:
    """Move a part in the order of its kind, which is the order of lists and keys; at an end it stays."""

    def change(setup: Setup) -> Setup:
        return setup.model_copy(update={kind: moved(getattr(setup, kind), part_id, by)})

    session.workspace.change_setup(session.person, change)


def moved(parts: tuple[N, ...], part_id: str, by: int) -> tuple[N, ...]:
    """Return parts (or fields, or levels) in an order in which one has moved by some places; at an end it stays."""
    here = next((i for i, p in enumerate(parts) if p.id == part_id), None)
    if here is None:
        raise InputProblem(message("people.no-longer-nothing-changed"))
    rest = [*parts[:here], *parts[here + 1 :]]
    rest.insert(max(0, min(len(rest), here + by)), parts[here])
    return tuple(rest)


def _find(parts: Collection[N], part_id: str) -> N | None:
    return next((p for p in parts if p.id == part_id), None)
