"""What the program says: a code with parameters, worded by a catalogue.

A ``Message`` is its English wording, so that it can be read, logged and compared anywhere; it knows its code and
parameters, and by these alone it is stored and worded again at the edge, in the language of whoever reads it. The
catalogues are gettext's (``words/LANGUAGE.po``, compiled beside it), with codes for ids; a plural is chosen by the
parameter ``n``. Codes are only ever added.
"""

from __future__ import annotations

import functools
import gettext
import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

SOURCE = "en"
PSEUDO = "pseudo"
VERBATIM = "verbatim"
_STRETCH = "·"
WORDS = Path(__file__).parent / "words"


class Message(str):
    """A sentence with the code and the parameters that it was worded from; made by ``message``."""

    code: str
    params: dict[str, Any]

    def __new__(cls, code: str, params: Mapping[str, Any]) -> Message:
        """Word a code in English; raises KeyError for a code, or a parameter, that the catalogue does not know."""
        made = super().__new__(cls, word(code, params))
        made.code, made.params = code, dict(params)
        return made

    def __str__(self) -> str:
        """Return the message itself, so that the text of an error keeps its code."""
        return self

    def __reduce__(self) -> tuple[Any, ...]:
        return Message, (self.code, self.params)


def message(code: str, **params: Any) -> Message:
    """Return what a code says with these parameters; parameters may be messages themselves."""
    return Message(code, {k: v if isinstance(v, (str, int, float)) else str(v) for k, v in params.items()})


def join_and(parts: Sequence[str]) -> str:
    """Return ``a, b and c`` as a message, so that its parts can be worded again; one part as it is, none empty."""
    if len(parts) < 2:
        return parts[0] if parts else ""
    return message("list.and", first=join_comma(parts[:-1]), last=parts[-1])


def join_comma(parts: Sequence[str]) -> str:
    """Return ``a, b, c`` as a message."""
    if len(parts) < 2:
        return parts[0] if parts else ""
    return message("list.comma", first=parts[0], rest=join_comma(parts[1:]))


def say(text: str, language: str = SOURCE) -> str:
    """Return a message in a language; a text that is none, as it is."""
    if not isinstance(text, Message) or language == SOURCE:
        return str(text)
    params = {k: say(v, language) if isinstance(v, Message) else v for k, v in text.params.items()}
    return word(text.code, params, language)


def word(code: str, params: Mapping[str, Any], language: str = SOURCE) -> str:
    """Return the words of a code in a language, of its English ones where that language has none yet."""
    if code == VERBATIM:
        return str(params["text"])
    if language == PSEUDO:
        return pseudo(_find(SOURCE, code, params)).format_map(params)
    return _find(language, code, params).format_map(params)


def _find(language: str, code: str, params: Mapping[str, Any]) -> str:
    """Return the words of a code before its parameters stand in them; raises KeyError for an unknown code."""
    catalogue, n = _catalogue(language), params.get("n")
    found = catalogue.ngettext(code, code, n) if isinstance(n, int) else code
    if found == code:
        found = catalogue.gettext(code)
    if found != code:
        return found
    if language == SOURCE:
        raise KeyError(code)
    return _find(SOURCE, code, params)


def pseudo(text: str) -> str:
    """Return words as the pseudo-locale has them: a third longer, as other languages are, with their ends marked."""
    return f"⟦{text}{_STRETCH * (len(text) // 3)}⟧"


@functools.cache
def _catalogue(language: str) -> gettext.NullTranslations:
    """Return the compiled catalogue of a language (``scripts/words`` compiles them), an empty one where there is none."""
    place = WORDS / f"{language}.mo"
    if not place.is_file():
        return gettext.NullTranslations()
    with place.open("rb") as file:
        return gettext.GNUTranslations(file)


def languages() -> tuple[str, ...]:
    """Return the languages that there is a catalogue for."""
    return tuple(sorted(p.stem for p in WORDS.glob("*.mo")))


def to_plain(text: str | None) -> Any:
    """Return a message as plain data (code and parameters), any other text as it is."""
    if not isinstance(text, Message):
        return text
    return {"code": text.code, "params": {k: to_plain(v) if isinstance(v, str) else v for k, v in text.params.items()}}


def from_plain(data: Any) -> str:
    """Return the text of plain data: a message again, or the text as it was; a code that is gone, by its own name."""
    if isinstance(data, Message):
        return data
    if not isinstance(data, dict) or "code" not in data:
        return str(data or "")
    params = {k: from_plain(v) if isinstance(v, (dict, str)) else v for k, v in data["params"].items()}
    try:
        return Message(data["code"], params)
    except (KeyError, IndexError):
        return Message(VERBATIM, {"text": f"{data['code']} {params}"})


def all_to_plain(data: Any) -> Any:
    """Return plain data in which every message is plain too, wherever it stands."""
    if isinstance(data, dict):
        return {k: all_to_plain(v) for k, v in data.items()}
    return [all_to_plain(v) for v in data] if isinstance(data, (list, tuple)) else to_plain(data)


def all_from_plain(data: Any) -> Any:
    """Return plain data in which every message is one again."""
    if isinstance(data, dict):
        if data.keys() == {"code", "params"}:
            return from_plain(data)
        return {k: all_from_plain(v) for k, v in data.items()}
    return [all_from_plain(v) for v in data] if isinstance(data, list) else data


def to_stored(text: str | None) -> str | None:
    """Return what is stored of a message in a column of text: its plain data as JSON; any other text as it is."""
    return json.dumps(to_plain(text), ensure_ascii=False) if isinstance(text, Message) else text


def from_stored(text: str | None) -> str | None:
    """Return the text of a column: a message where one was stored."""
    if text is None or not text.startswith('{"code"'):
        return text
    return from_plain(json.loads(text))
