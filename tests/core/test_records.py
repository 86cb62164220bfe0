from __future__ import annotations

import copy
import dataclasses
import pickle
import unittest
from dataclasses import FrozenInstanceError, asdict, field, replace
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from keybundle.core.base.records import dataclass


def _declare(make: Any) -> tuple[type[Any], type[Any], type[Any]]:
    """Declare the same classes with either maker."""

    @make(frozen=True)
    class Point:
        """A point."""

        x: int
        y: float = 0.5
        tags: tuple[str, ...] = ()
        note: str = field(default="", compare=False)
        seen: list[int] = field(default_factory=list, hash=False)
        secret: int = field(default=7, repr=False)
        made: str = field(default="made", init=False)

        def __post_init__(self) -> None:
            if self.x < -1000:
                raise ValueError(self.x)

    @make(frozen=True)
    class Named(Point):
        """One with a name, and its own words."""

        name: str = "none"
        more: int = field(default=1, kw_only=True)

        def __repr__(self) -> str:
            return f"<{self.name}>"

    @make(frozen=True)
    class Bare:
        """Nothing."""

        def __eq__(self, other: object) -> bool:
            return isinstance(other, type(self))

    return Point, Named, Bare


STANDARD, OURS = _declare(dataclasses.dataclass), _declare(dataclass)
VALUES = {
    "x": st.integers(-3, 3), "y": st.sampled_from([0.0, 0.5]), "tags": st.just(("a",)), "note": st.text(max_size=2),
    "seen": st.lists(st.integers(0, 2), max_size=1), "secret": st.integers(6, 7),
    "name": st.just("it"), "more": st.integers(0, 1),
}  # fmt: skip


@dataclass(frozen=True)
class Kept:
    """One that a file can hold."""

    a: int
    b: tuple[int, ...] = ()


class Loose(Kept):
    """Made of such a class, and none itself."""


class Records(unittest.TestCase):
    """What the standard library's own dataclasses do is what ours are held to."""

    @given(st.fixed_dictionaries({}, optional=VALUES), st.fixed_dictionaries({}, optional=VALUES), st.integers(0, 1))
    def test_they_are_made_compared_hashed_told_and_changed_as_the_standard_librarys_are(
        self, one: dict[str, Any], two: dict[str, Any], which: int
    ) -> None:
        def outcome(cls: type[Any]) -> list[Any]:
            found: list[Any] = []
            for given_ in (one, two):
                try:
                    found.append(cls(**given_))
                except TypeError:
                    found.append("refused")
            a, b = found
            if "refused" in found:
                return [x == "refused" for x in found]
            changed = replace(a, x=9)
            return [
                a == b, a != b, hash(a) == hash(b), hash(a), repr(a).replace("_declare.<locals>.", ""), asdict(a), changed.x,
                changed == a, dataclasses.astuple(copy.copy(b)), cls.__match_args__, [f.name for f in dataclasses.fields(a)],
                a == 3, a.made, a.seen is b.seen,
            ]  # fmt: skip

        self.assertEqual(outcome(OURS[which]), outcome(STANDARD[which]))

    def test_they_are_frozen_as_the_standard_librarys_are(self) -> None:
        for point, named, bare in (STANDARD, OURS):
            for one in (point(1), named(1)):
                for name in ("x", "nothing"):
                    with self.assertRaisesRegex(FrozenInstanceError, f"cannot assign to field '{name}'"):
                        setattr(one, name, 2)
                with self.assertRaisesRegex(FrozenInstanceError, "cannot delete field 'x'"):
                    del one.x
            with self.assertRaises(ValueError):
                point(-2000)
            self.assertEqual((bare(), hash(bare())), (bare(), hash(())))
            self.assertNotEqual(point(1), named(1))
        loose = Loose(1)
        loose.__dict__["seen"] = 1
        setattr(loose, "other", 2)  # noqa: B010  it is no field, and its class no such dataclass
        with self.assertRaises(FrozenInstanceError):
            setattr(loose, "a", 2)  # noqa: B010

    def test_they_travel_to_other_processes(self) -> None:
        self.assertEqual(pickle.loads(pickle.dumps(Kept(1, (2,)))), Kept(1, (2,)))
        self.assertEqual(copy.deepcopy(Kept(3)), Kept(3))
