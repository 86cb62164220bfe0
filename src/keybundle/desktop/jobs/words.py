"""The language that the window speaks: what the core says as codes is worded here, at the edge."""

from __future__ import annotations

from keybundle.core.base.messages import SOURCE, say

_spoken = [SOURCE]


def speak(language: str) -> None:
    """Let the window speak a language (empty: English) from now on."""
    _spoken[0] = language or SOURCE


def worded(what: object) -> str:
    """Return a message, or an error that carries one, in the language that is spoken; any other text as it is."""
    if isinstance(what, BaseException):
        what = what.args[0] if what.args and isinstance(what.args[0], str) else str(what)
    return say(what, _spoken[0]) if isinstance(what, str) else str(what)
