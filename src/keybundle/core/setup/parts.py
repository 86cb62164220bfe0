"""The base of all parts of a set-up: strict, frozen, without unknown keys."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Name = Annotated[str, Field(min_length=1, max_length=80)]


class Part(BaseModel):
    """Base of all parts of a set-up."""

    model_config = ConfigDict(extra="forbid", frozen=True)
