"""The first start: a fresh data directory becomes a repository, with what it begins with, all or nothing."""

from __future__ import annotations

from collections.abc import Sequence

from keybundle.core.base.records import dataclass
from keybundle.core.workflows.session.session import Session
from keybundle.core.workflows.session.signing_in import begin_repository
from keybundle.core.workflows.session.workspace import Workspace


@dataclass(frozen=True)
class FirstAnswers:
    """What is asked at the first start; ``beginnings`` are codes of ready-made ones, none for an empty repository."""

    repository: str = ""
    administrator: str = ""
    password: str = ""
    locale: str = "en_GB"
    time_zone: str = "UTC"
    beginnings: Sequence[str] = ()


def begin_with(workspace: Workspace, answers: FirstAnswers) -> Session:
    """Begin a repository and return the session of its first administrator; raises InputProblem, and begins nothing then."""
    from keybundle.core.workflows.prepare.parts.beginnings import take_beginning

    with workspace.place.database.atomic():
        session = begin_repository(
            workspace, answers.repository, answers.administrator, answers.password, locale=answers.locale,
            time_zone=answers.time_zone,
        )  # fmt: skip
        for code in answers.beginnings:
            take_beginning(session, code)
    return session
