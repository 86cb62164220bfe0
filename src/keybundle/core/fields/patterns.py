"""Patterns given by people: checked when they are written, and never allowed to run away on a text."""

from __future__ import annotations

import re
from typing import cast

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message

LIMIT_SECONDS = 0.25
Match = re.Match[str]


class SlowPattern(InputProblem):
    """A pattern that takes too long on a text."""


def check_pattern(pattern: str) -> str:
    """Return the pattern; raises ValueError that says where it is no regular expression."""
    if not pattern:
        return pattern
    import regex

    try:
        regex.compile(pattern)
    except regex.error as error:
        raise ValueError(message("patterns.pattern-no-regular-expression", pattern=pattern, error=error)) from error
    return pattern


def search(pattern: str, text: str) -> Match | None:
    """Return the first match anywhere in the text, any case; raises SlowPattern after ``LIMIT_SECONDS``."""
    return _run(pattern, text, whole=False)


def match_whole(pattern: str, text: str) -> Match | None:
    """Return the match of the whole text, in its case; raises SlowPattern after ``LIMIT_SECONDS``."""
    return _run(pattern, text, whole=True)


def _run(pattern: str, text: str, *, whole: bool) -> Match | None:
    import regex

    try:
        if whole:
            found = regex.fullmatch(pattern, text, timeout=LIMIT_SECONDS)
        else:
            found = regex.search(pattern, text, flags=regex.IGNORECASE, timeout=LIMIT_SECONDS)
        return cast("Match | None", found)
    except TimeoutError as error:
        raise SlowPattern(message("patterns.pattern-takes-too-long-text", pattern=pattern)) from error


def pattern_like(text: str) -> str:
    """Return a pattern for texts of the same form: runs of digits may hold other digits, as many."""
    import regex

    return "".join(
        rf"\d{{{len(part)}}}" if part.isdigit() else regex.escape(part, literal_spaces=True)
        for part in regex.findall(r"\d+|\D+", text)
    )
