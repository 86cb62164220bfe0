"""What somebody may change about themselves in the set-up: the language of their window, their values for defaults."""

from __future__ import annotations

from collections.abc import Mapping

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import PSEUDO, SOURCE, languages, message
from keybundle.core.setup.model import Setup
from keybundle.core.workflows.session.session import Session, needs


@needs()
def own_values(session: Session) -> dict[str, str]:
    """Return one's own values for defaults such as ``{person Office}``; names that others have too, empty."""
    people = session.workspace.setup.people
    own = next((p.values for p in people if p.id == session.person), {})
    return {name: own.get(name, "") for p in people for name in sorted(p.values)}


@needs()
def known_languages(session: Session) -> tuple[str, tuple[str, ...]]:
    """Return the language of one's window and those that there are words for."""
    person = session.workspace.setup.person(session.person)
    own = (person.language if person is not None else "") or SOURCE
    return own, tuple(dict.fromkeys((*languages(), own)))


@needs()
def change_oneself(session: Session, *, values: Mapping[str, str] | None = None, language: str | None = None) -> None:
    """Change one's own values or language (the pseudo-locale is one too); raises InputProblem for an unknown one."""
    if language and language not in (*languages(), PSEUDO):
        raise InputProblem(message("oneself.no-such-language", language=language, known=", ".join(languages())))

    def change(setup: Setup) -> Setup:
        changes: dict[str, object] = {} if language is None else {"language": language}
        if values is not None:
            changes["values"] = {k: v.strip() for k, v in values.items() if v.strip()}
        people = (p.model_copy(update=changes) if p.id == session.person else p for p in setup.people)
        return setup.model_copy(update={"people": tuple(people)})

    session.workspace.change_setup(session.person, change)
