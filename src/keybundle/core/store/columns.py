"""Columns of what the program says: codes and parameters in the table, words once they are read."""

from __future__ import annotations

from typing import Any

from sqlalchemy import JSON, Dialect, Text, TypeDecorator

from keybundle.core.base.messages import all_from_plain, all_to_plain, from_stored, to_stored


class Words(TypeDecorator[str]):
    """A column of what the program says: stored as code and parameters, read as a message again."""

    impl = Text
    cache_ok = True

    def process_bind_param(self, value: str | None, dialect: Dialect) -> str | None:
        """Store a message by its code; any other text as it is."""
        return to_stored(value)

    def process_result_value(self, value: str | None, dialect: Dialect) -> str | None:
        """Read it back, worded anew."""
        return from_stored(value)


class Told(TypeDecorator[Any]):
    """A column of JSON in which messages may stand: by code and parameters."""

    impl = JSON
    cache_ok = True

    def process_bind_param(self, value: Any, dialect: Dialect) -> Any:
        """Store messages by their codes."""
        return all_to_plain(value)

    def process_result_value(self, value: Any, dialect: Dialect) -> Any:
        """Read them back, worded anew."""
        return all_from_plain(value)
