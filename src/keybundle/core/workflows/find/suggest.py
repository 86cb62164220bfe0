"""What can be asked: examples from what is filed here, and what would find something where a search found nothing."""

from __future__ import annotations

import re
from collections.abc import Iterator

from keybundle.core.base.records import dataclass
from keybundle.core.fields.values import FieldValue
from keybundle.core.finding import documents
from keybundle.core.finding.query import DocumentQuery
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import name_of
from keybundle.core.workflows.find.find import find, understand
from keybundle.core.workflows.session.naming import names_of_fields
from keybundle.core.workflows.session.session import Session, needs

NEWEST, MOST_EXAMPLES, MOST_WAYS = 40, 5, 6
SHORTEST = 4  # letters of a word that are still asked for
WORD = re.compile(r"[^\W\d_]{5,}")


@dataclass(frozen=True)
class Way:
    """A line that finds something, and how much."""

    line: str
    total: int


@needs(Right.LOOK)
def list_examples(session: Session) -> tuple[str, ...]:
    """Return lines that find something here: a type and a year, values of fields, a word; none where nothing is filed."""
    with session.workspace.place.database.read() as c:
        ids = documents.list_ids(c, DocumentQuery(session.view(c)), NEWEST)
        known = session.documents(c, ids, Right.LOOK)
    setup = session.workspace.setup
    found, names = [known[i] for i in ids if i in known], names_of_fields(setup)
    lines: dict[str, None] = {}
    for document in found[:1]:
        lines[f"type = {_quoted(name_of(setup.document_types, document.type))}"] = None
    seen = set[str]()
    for document in found:
        for field, value in document.values.items():
            name, said = names.get(field, field), _begins(value)
            if said and name not in seen and len(lines) < MOST_EXAMPLES:
                seen.add(name)
                lines[f"{name} = {said}"] = None
    word = next((w for d in found for v in d.values.values() for w in WORD.findall(v.text)), "")
    if word:
        lines[word.casefold()] = None
    return tuple(lines)


@needs(Right.LOOK)
def list_ways(session: Session, line: str) -> tuple[Way, ...]:
    """Return lines like one that found nothing, which find something: fewer words, their beginnings, fewer conditions."""
    ways: dict[str, int] = {}
    for near in _near(session, line):
        if near != line and near not in ways and len(ways) < MOST_WAYS:
            found = find(session, near, limit=1)
            ways |= {near: found.total} if found.total else {}
    return tuple(Way(near, total) for near, total in ways.items())


def _near(session: Session, line: str) -> Iterator[str]:
    query = understand(session, line)
    if query.words and query.conditions:
        yield " ".join(query.words)
        rest = line
        for word in query.words:
            rest = re.sub(rf"(?<!\S){re.escape(word)}(?!\S)", "", rest, count=1, flags=re.IGNORECASE)
        if rest.strip():
            yield " ".join(rest.split())
    if len(query.words) > 1:
        yield from query.words
    for phrase in query.phrases:
        yield " ".join(phrase.replace('"', "").split())
    for word in query.words:
        bare = word.strip("*")
        yield f"*{bare}*"
        for letters in range(len(bare) - 1, SHORTEST - 1, -1):
            if find(session, bare[:letters], limit=1).total:
                yield bare[:letters]
                break


def _begins(value: FieldValue) -> str:
    """Return the beginning of a value of words, as a condition holds it; empty where it is a number or a date."""
    words = WORD.findall(value.text)
    return f"{words[0]}*" if words and value.text.startswith(words[0]) else ""


def _quoted(text: str) -> str:
    return f'"{text}"' if " " in text else text
