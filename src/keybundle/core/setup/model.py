"""What the set-up holds, as pydantic models: strict, frozen, without unknown keys."""

from __future__ import annotations

import itertools
from collections.abc import Collection, Iterable, Mapping
from typing import Annotated, Any, ClassVar, Literal, TypeVar

from pydantic import BeforeValidator, ConfigDict, Field, ValidationInfo, model_validator

from keybundle.core.base.messages import message
from keybundle.core.fields.digits import CHECKS
from keybundle.core.fields.kinds import FILE_PROPERTIES, Kind, Rule
from keybundle.core.fields.patterns import check_pattern
from keybundle.core.rights.model import Holder, Right
from keybundle.core.setup.parts import KeptTo, Name, Named, Part, is_kept
from keybundle.core.setup.routines import PATCH_PATTERNS, PATCH_SYMBOLS, Routine, TypeRule, Zone

N = TypeVar("N", bound=Named)
RANGED = (Kind.WHOLE, Kind.DECIMAL, Kind.MONEY, Kind.DATE)
NUMBERS = (Kind.MONEY, Kind.DECIMAL, Kind.WHOLE)


class FieldSpec(Named):
    """An index field: its kind, what it must satisfy, and the words that stand beside it on paper.

    ``default`` may be ``{today}``, ``{received}``, ``{operator}``, ``{counter NAME}`` or ``{person FIELD}``. ``carry``
    gives it the value of the document before. ``low`` and ``high`` are the least and greatest value, normalised.
    ``unit`` is what its numbers are given in, ``help`` a line for who types the value.
    ``zone`` is where it stands on every first page of its type; ``file_property`` names what the file itself tells of it.
    """

    kind: Kind = Kind.TEXT
    several: bool = False
    required: bool = False
    default: str = ""
    pattern: str = ""
    choices: tuple[str, ...] = ()
    check: str = ""
    register_name: str = Field(default="", alias="register")
    column: str = ""
    labels: tuple[str, ...] = ()
    carry: bool = False
    low: str = ""
    high: str = ""
    unit: str = ""
    help: str = ""
    zone: Zone | None = None
    file_property: str = ""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)

    @model_validator(mode="after")
    def _holds_together(self, info: ValidationInfo) -> FieldSpec:
        if self.check and self.check not in CHECKS:
            raise ValueError(message("model.no-check-take-one", check=self.check, names=", ".join(CHECKS)))
        if self.file_property and self.file_property not in FILE_PROPERTIES:
            raise ValueError(
                message(
                    "model.no-file-property-take-one", file_property=self.file_property, list=", ".join(FILE_PROPERTIES)
                )
            )
        if not is_kept(info):
            check_pattern(self.pattern)
        if (self.low or self.high) and self.kind not in RANGED:
            raise ValueError(message("model.field-range-but-no-order", name=self.name, value=self.kind.value))
        return self

    def rule(self, *, decimal_mark: str = ".", day_first: bool = True) -> Rule:
        """Return what a value of this field must satisfy."""
        return Rule(
            self.kind, self.pattern, self.choices, self.check, decimal_mark, day_first, self.low, self.high, self.unit
        )


class FolderField(Named):
    """A level of a cabinet's folders."""


def _level(data: Any) -> Any:
    return {"name": data} if isinstance(data, str) else data


class Cabinet(Named):
    """A cabinet: its folder fields, one level each, and the storage area (its id) that keeps its files."""

    description: str = ""
    folder_fields: tuple[Annotated[FolderField, BeforeValidator(_level)], ...] = ()
    storage_area: str = "main"

    @property
    def levels(self) -> tuple[str, ...]:
        """The ids of its folder fields."""
        return tuple(f.id for f in self.folder_fields)


class DocumentType(Named):
    """A document type: which fields are asked, and how they make folder and caption; other parts stand in it by id.

    Without a ``cabinet`` its documents wait (``gaps.py``).
    ``folder`` maps each folder field of the cabinet to ``X``, ``year of X`` or ``month of X`` with X a field here.
    ``words`` are words that tell the type on paper, ``told_by`` rules that tell it for certain. ``sums`` lists
    ``A + B = C`` over money fields; ``order`` lists ``A < B`` over date fields. ``key`` names the fields that tell one
    document from another: one filed with the same values is warned of.
    """

    cabinet: str = ""
    caption: str = ""
    words: tuple[str, ...] = ()
    folder: dict[str, str] = {}
    sums: tuple[str, ...] = ()
    order: tuple[str, ...] = ()
    told_by: tuple[TypeRule, ...] = ()
    key: tuple[str, ...] = ()
    kept_to: KeptTo = KeptTo()
    fields: tuple[FieldSpec, ...] = ()

    def field(self, field_id: str) -> FieldSpec | None:
        """Return the field with that id."""
        return next((f for f in self.fields if f.id == field_id), None)

    def field_called(self, text: str) -> FieldSpec | None:
        """Return the field that a person or a file calls so: by its name in any case, else by its id."""
        return called(self.fields, text)

    def label(self, field_id: str) -> str:
        """Return what people call a field; the id itself for one that is gone."""
        spec = self.field(field_id)
        return spec.name if spec is not None else field_id

    def labels(self, field_ids: Iterable[str]) -> str:
        """Return what people call these fields, as a list in words."""
        return ", ".join(self.label(f) for f in field_ids)


class RegisterSource(Part):
    """A table in a database that a register's entries are read from, every so many minutes (0: only when asked).

    ``url`` is SQLAlchemy's, such as ``postgresql+psycopg://reader@host/stock`` or ``sqlite:////srv/stock.db``, without a
    password: that lies in ``password_file``, which only its owner may read. ``columns`` says which column of the table
    each column of the register is; one of the same name where nothing is said.
    """

    url: str = ""
    table: str = ""
    columns: dict[str, str] = {}
    every_minutes: int = Field(default=60, ge=0, le=7 * 24 * 60)
    password_file: str = ""

    @model_validator(mode="after")
    def _keeps_no_secret(self) -> RegisterSource:
        user = self.url.partition("://")[2].partition("/")[0].rpartition("@")[0]
        if ":" in user:
            raise ValueError(message("model.password-in-address"))
        if self.url and not self.url.startswith(("sqlite://", "postgresql://", "postgresql+psycopg://")):
            raise ValueError(message("model.no-such-database"))
        return self


class Register(Named):
    """A reference list; ``rows`` may be left out where the entries live in the database only.

    With a ``source`` that has an address its entries are a copy of a table elsewhere (``register_sources.py``).
    ``column_ids`` has the ids of columns that are called otherwise by now than when they were new: entries are kept by ids.
    """

    key: str
    columns: tuple[str, ...]
    column_ids: dict[str, str] = {}
    source: RegisterSource = RegisterSource()
    rows: tuple[tuple[str, ...], ...] = ()

    def column_id(self, name: str) -> str:
        """Return the id of a column."""
        return self.column_ids.get(name, name)

    def stored(self, entry: Mapping[str, str]) -> dict[str, str]:
        """Return an entry by columns' names as it is kept, by their ids; columns that it does not tell of are empty."""
        return {self.column_id(name): entry.get(name, "") for name in self.columns}

    def entry(self, row: Mapping[str, str]) -> dict[str, str]:
        """Return a kept row as an entry by the names of today; what it has of columns that are gone is left out."""
        return {name: row.get(self.column_id(name), "") for name in self.columns}

    @model_validator(mode="after")
    def _rows_fit(self) -> Register:
        if len({self.column_id(name) for name in self.columns}) != len(self.columns):
            raise ValueError(message("registers.column-taken", name=self.name))
        if self.key not in self.columns:
            raise ValueError(message("model.key-no-column-register", key=self.key, name=self.name))
        for row in self.rows:
            if len(row) != len(self.columns):
                raise ValueError(
                    message("model.row-register-columns", name=self.name, n=len(row), n_2=len(self.columns))
                )
        return self


class Role(Named):
    """A named set of rights; people have roles."""

    rights: tuple[Right, ...] = ()


_LOOKING = (Right.LOOK,)
_WORKING = (
    *_LOOKING, Right.BRING_IN, Right.INDEX, Right.FILE, Right.TAKE_BACK, Right.CORRECT, Right.SEND, Right.MARK,
    Right.FOLLOW,
)  # fmt: skip
_LEADING = (
    *_WORKING, Right.MOVE, Right.DELETE, Right.HOLD, Right.BLACK_OUT, Right.APPROVE, Right.PREPARE, Right.OVERSEE,
    Right.ADD_ENTRIES,
)  # fmt: skip
USUAL_ROLES = (
    Role(name="reader", rights=_LOOKING),
    Role(name="operator", rights=_WORKING),
    Role(name="supervisor", rights=_LEADING),
    Role(name="administrator", rights=tuple(Right)),
)


class Group(Named):
    """People who work together, so that something can be kept to all of them at once."""

    description: str = ""


class Person(Named):
    """Somebody who works here, with their roles and groups (by id).

    ``login`` is their account on this system, by which they sign in without a password. ``values`` are their own for
    defaults such as ``{person Office}``, ``language`` the one that the window speaks to them (empty: English). Who is not
    ``active`` works here no more, and stays named in what they did. ``initials`` stand where there is little room. Their
    password stands in no set-up. A person's id says nothing of them: names change, and may have to be forgotten.
    """

    ids_are_names: ClassVar[bool] = False
    roles: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    login: str = ""
    initials: Annotated[str, Field(max_length=4)] = ""
    email: str = ""
    active: bool = True
    language: str = ""
    values: dict[str, str] = {}

    @model_validator(mode="before")
    @classmethod
    def _one_role(cls, data: Any) -> Any:
        """Accept ``role`` where somebody has one."""
        if isinstance(data, dict) and "role" in data:
            return {**{k: v for k, v in data.items() if k != "role"}, "roles": (data["role"],)}
        return data


TagColour = Literal["teal", "slate", "moss", "brass", "madder", "ink"]
TAG_COLOURS: tuple[TagColour, ...] = ("teal", "slate", "moss", "brass", "madder", "ink")
SignIn = Literal["password", "system", "choose"]


class StorageArea(Named):
    """The physical place of files, relative to the data directory unless absolute."""

    path: str


class MailServer(Part):
    """Where messages with documents are handed in (SMTP); without a host the user's own mail program sends them.

    With a ``user`` it asks for a password, which lies in a file of its own (``password_file``) that only its owner may read:
    it stands in no set-up, history or trail. ``subject`` and ``text`` are patterns such as ``{caption}``, filled from the
    first document; ``largest_mb`` is the size of a message that is still sent.
    """

    host: str = ""
    port: int = 25
    security: Literal["none", "starttls", "tls"] = "none"
    sender: str = ""
    user: str = ""
    password_file: str = ""
    subject: str = "{caption}"
    text: str = ""
    largest_mb: int = 20


class Setup(Part):
    """The whole set-up of a repository.

    ``sign_in`` says how people prove who they are: by their password, by their account on this system, or (in a demo) by
    choosing a name. ``lock_after_minutes`` without a hand at it the window is locked; 0: never. ``aside_reasons`` and
    ``delete_reasons`` are what is offered where a reason is asked for; others can be typed. ``tag_colours`` are of tags.
    """

    schema_version: Literal[1] = 1
    repository: Name
    locale: str = "en_GB"
    time_zone: str = "UTC"
    storage_areas: tuple[StorageArea, ...] = (StorageArea(name="main", path="files"),)
    cabinets: tuple[Cabinet, ...] = ()
    document_types: tuple[DocumentType, ...] = ()
    registers: tuple[Register, ...] = ()
    routines: tuple[Routine, ...] = ()
    roles: tuple[Role, ...] = USUAL_ROLES
    groups: tuple[Group, ...] = ()
    people: tuple[Person, ...] = ()
    sign_in: tuple[SignIn, ...] = ("password", "system")
    lock_after_minutes: int = Field(default=15, ge=0, le=24 * 60)
    mail: MailServer = MailServer()
    aside_reasons: tuple[Name, ...] = ()
    delete_reasons: tuple[Name, ...] = ()
    tag_colours: dict[str, TagColour] = {}
    patch_codes: dict[str, str] = PATCH_PATTERNS

    @model_validator(mode="before")
    @classmethod
    def _people_are_numbered(cls, data: Any) -> Any:
        return (
            {**data, "people": number_people(data["people"])} if isinstance(data, dict) and "people" in data else data
        )

    @model_validator(mode="after")
    def _patch_codes_are_told_apart(self) -> Setup:
        if sorted(self.patch_codes) != sorted(PATCH_SYMBOLS):
            raise ValueError(message("model.table-patch-codes-needs-exactly", list=", ".join(PATCH_SYMBOLS)))
        for symbol, bars in self.patch_codes.items():
            if sorted(bars) != ["N", "N", "W", "W"]:
                raise ValueError(message("model.bars-patch-code-two-w", symbol=symbol, bars=bars))
        if len(set(self.patch_codes.values())) != len(self.patch_codes):
            raise ValueError(message("model.two-patch-codes-have-same"))
        return self

    def document_type(self, type_id: str | None) -> DocumentType | None:
        """Return the document type with that id."""
        return next((t for t in self.document_types if t.id == type_id), None)

    def cabinet(self, cabinet_id: str) -> Cabinet | None:
        """Return the cabinet with that id."""
        return next((c for c in self.cabinets if c.id == cabinet_id), None)

    def register(self, register_id: str) -> Register | None:
        """Return the register with that id."""
        return next((r for r in self.registers if r.id == register_id), None)

    def routine(self, routine_id: str) -> Routine | None:
        """Return the routine with that id."""
        return next((r for r in self.routines if r.id == routine_id), None)

    def person(self, person_id: str) -> Person | None:
        """Return the person with that id."""
        return next((p for p in self.people if p.id == person_id), None)

    def holder(self, person_id: str) -> Holder:
        """Return what rights see of a person; somebody who is gone or not active holds none."""
        person = self.person(person_id)
        if person is None or not person.active:
            return Holder(person_id, frozenset(), frozenset(), frozenset())
        own = (r.rights for r in self.roles if r.id in person.roles)
        return Holder(person_id, frozenset(person.groups), frozenset(person.roles), frozenset().union(*own))


def number_people(people: Iterable[Any], used: Collection[str] = ()) -> tuple[Any, ...]:
    """Return people (or their plain data) of whom each has an id: who has none gets a number that nobody has or had."""
    told = tuple(people)
    taken = {*used, *(_id_of(p) for p in told)}
    free = (f"person-{n}" for n in itertools.count(1))
    found = []
    for person in told:
        if not _id_of(person):
            number = next(x for x in free if x not in taken)
            person = {**person, "id": number} if isinstance(person, dict) else person.model_copy(update={"id": number})
        found.append(person)
    return tuple(found)


def _id_of(person: Any) -> str:
    return str(person.get("id", "") if isinstance(person, dict) else getattr(person, "id", ""))


def called(parts: Iterable[N], text: str) -> N | None:
    """Return the part that a person or a file calls so: by its name in any case of letters, else by its id."""
    known = tuple(parts)
    by_name = next((p for p in known if p.name.casefold() == text.casefold()), None)
    return by_name or next((p for p in known if p.id == text), None)


def name_of(parts: Iterable[Named], part_id: str | None) -> str:
    """Return what people call a part; the id itself for one that is gone, nothing for none."""
    return next((p.name for p in parts if p.id == part_id), part_id or "")
