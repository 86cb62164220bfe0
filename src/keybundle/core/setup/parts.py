"""The base of all parts of a set-up: strict, frozen, without unknown keys; and of those that are known by an id."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, model_validator

Name = Annotated[str, Field(min_length=1, max_length=80)]


class Part(BaseModel):
    """Base of all parts of a set-up."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Named(Part):
    """A part that everything else knows by its ``id``; its ``name`` is what people call it, and can change.

    An id is born from the first name of its part, so that tables and files stay readable, and is never given twice:
    ``setup/ids.py`` sees to both.
    """

    id: Annotated[str, Field(max_length=90)] = ""
    name: Name

    @model_validator(mode="before")
    @classmethod
    def _is_known_by_its_first_name(cls, data: Any) -> Any:
        return {**data, "id": data.get("name", "")} if isinstance(data, dict) and not data.get("id") else data
