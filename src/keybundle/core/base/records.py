"""``dataclass`` as the standard library has it, made in a fifth of the time where it is plainly ``frozen``.

Python 3.11 compiles seven small functions for each such class, one by one, and a start of the window makes two hundred of
them. Here ``__init__`` alone is compiled; what compares, hashes, tells and refuses is shared. All else is the standard
library's: fields, defaults, ``replace``, ``asdict``, and every class that asks for more than ``frozen=True``.
"""

from __future__ import annotations

import dataclasses
from operator import attrgetter
from reprlib import recursive_repr
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from dataclasses import dataclass as dataclass
else:

    def dataclass(cls=None, /, **options):
        """Make a dataclass; as ``dataclasses.dataclass``."""
        if options != {"frozen": True}:
            return dataclasses.dataclass(cls, **options)
        return _frozen if cls is None else _frozen(cls)


def _frozen(cls: type[Any]) -> type[Any]:
    own = set(cls.__dict__)
    if "__eq__" in own and cls.__dict__["__hash__"] is None:  # Python's own doing, where only that is written out
        own.discard("__hash__")
    made = dataclasses.dataclass(init=False, repr=False, eq=False)(cls)
    fields = dataclasses.fields(made)
    if "__init__" not in own:
        made.__init__ = _make_init(made, fields)
    for name, method in _make_methods(fields).items():
        if name not in own:
            setattr(made, name, method)
    return made


def _make_init(made: type[Any], fields: tuple[dataclasses.Field[Any], ...]) -> Any:
    """Return an ``__init__`` that sets each field once, past what refuses to."""
    known: dict[str, Any] = {"_put": object.__setattr__, "_asked": dataclasses.MISSING}
    takes: list[str] = []
    keyed: list[str] = []
    does: list[str] = []
    for f in fields:
        said = value = f.name
        if f.default is not dataclasses.MISSING:
            known[f"_{f.name}"] = f.default
            said = f"{f.name}=_{f.name}"
        elif f.default_factory is not dataclasses.MISSING:
            known[f"_{f.name}"] = f.default_factory
            said, value = f"{f.name}=_asked", f"_{f.name}() if {f.name} is _asked else {f.name}"
        if f.init:
            (keyed if f.kw_only else takes).append(said)
        elif said == f.name:
            continue
        else:
            value = f"_{f.name}" + ("()" if "_asked" in said else "")
        does.append(f"_put(self, {f.name!r}, {value})")
    if hasattr(made, "__post_init__"):
        does.append("self.__post_init__()")
    taken = ", ".join(["self", *takes, *(["*", *keyed] if keyed else [])])
    exec(f"def __init__({taken}):\n " + "\n ".join(does or ["pass"]), known)
    init = known["__init__"]
    init.__qualname__, init.__module__ = f"{made.__qualname__}.__init__", made.__module__
    init.__annotations__ = {**{f.name: f.type for f in fields if f.init}, "return": None}
    return init


def _make_methods(fields: tuple[dataclasses.Field[Any], ...]) -> dict[str, Any]:
    compared = _getter([f.name for f in fields if f.compare])
    hashed = _getter([f.name for f in fields if (f.compare if f.hash is None else f.hash)])
    told = [f.name for f in fields if f.repr]

    def __eq__(self: Any, other: object) -> bool:
        return compared(self) == compared(other) if other.__class__ is self.__class__ else NotImplemented

    def __hash__(self: Any) -> int:
        return hash(hashed(self))

    @recursive_repr()
    def __repr__(self: Any) -> str:
        return f"{self.__class__.__qualname__}({', '.join(f'{n}={getattr(self, n)!r}' for n in told)})"

    return {
        "__eq__": __eq__, "__hash__": __hash__, "__repr__": __repr__, "__setattr__": _refuse_set,
        "__delattr__": _refuse_delete,
    }  # fmt: skip


def _getter(names: list[str]) -> Any:
    """Return what gives the values of these attributes as a tuple."""
    if len(names) > 1:
        return attrgetter(*names)
    if not names:
        return lambda one: ()
    get = attrgetter(names[0])
    return lambda one: (get(one),)


def _refuse_set(self: Any, name: str, value: object) -> None:
    if _is_frozen(self, name):
        raise dataclasses.FrozenInstanceError(f"cannot assign to field {name!r}")
    object.__setattr__(self, name, value)


def _refuse_delete(self: Any, name: str) -> None:
    if _is_frozen(self, name):
        raise dataclasses.FrozenInstanceError(f"cannot delete field {name!r}")
    object.__delattr__(self, name)


def _is_frozen(one: Any, name: str) -> bool:
    """Whether an attribute is a field, or its class itself is such a dataclass and not made of one."""
    return name in one.__dataclass_fields__ or "__dataclass_fields__" in type(one).__dict__
