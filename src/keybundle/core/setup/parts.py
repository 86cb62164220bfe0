"""The base of all parts of a set-up: strict, frozen, without unknown keys; and of those that are known by an id."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, model_validator

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.rights.model import Holder

LONGEST_NAME = 80
Name = Annotated[str, Field(min_length=1, max_length=LONGEST_NAME)]


AS_KEPT = {"kept": True}  # the context in which a set-up is read that was checked when it was put in force


def is_kept(info: ValidationInfo) -> bool:
    """Whether what takes long to check, such as a pattern, was checked when it was put in force, and is only read here."""
    return info.context == AS_KEPT


class Part(BaseModel):
    """Base of all parts of a set-up."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Named(Part):
    """A part that everything else knows by its ``id``; its ``name`` is what people call it, and can change.

    An id is born from the first name of its part, so that tables and files stay readable, and is never given twice:
    ``setup/ids.py`` sees to both.
    """

    ids_are_names: ClassVar[bool] = True
    id: Annotated[str, Field(max_length=90)] = ""
    name: Name

    @model_validator(mode="before")
    @classmethod
    def _has_an_id(cls, data: Any) -> Any:
        if isinstance(data, dict) and not data.get("id") and cls.ids_are_names:
            return {**data, "id": data.get("name", "")}
        return data


class PartProblem(InputProblem):
    """A part that does not hold together; ``at`` says what is wrong with which of its fields, by name."""

    def __init__(self, at: Mapping[str, str]) -> None:
        said = dict.fromkeys(str(told).rstrip(".") for told in at.values())
        super().__init__(message("prepare.nothing-changed", said="; ".join(said)))
        self.at = dict(at)


class KeptTo(Part):
    """Whom a document type or routine is kept to, by id: it is offered to them alone. Nobody named: to everybody."""

    people: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    roles: tuple[str, ...] = ()

    def allows(self, holder: Holder) -> bool:
        """Whether somebody may use what this stands at."""
        if not (self.people or self.groups or self.roles):
            return True
        means = holder.person in self.people, holder.groups & set(self.groups), holder.roles & set(self.roles)
        return any(means)
