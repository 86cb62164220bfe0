"""Forgetting what a law wants forgotten: the details of the audit trail's rows about one subject. The chain still holds."""

from __future__ import annotations

from sqlalchemy import exists, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.session import Session, needs


@needs(Right.OVERSEE, Right.GIVE_RIGHTS)
def purge_details(session: Session, subject: str, reason: str) -> int:
    """Forget the details of all rows about a document (or another subject by id) and return of how many.

    That it was done, by whom and why is a row of its own. Raises InputProblem without a reason, and for a subject that
    has no details or may not be looked at.
    """
    if not reason.strip():
        raise InputProblem(message("forgetting.needs-reason"))
    workspace, d = session.workspace, t.document.c
    with workspace.place.database.atomic() as c:
        is_document = c.execute(select(exists().where(d.id == subject))).scalar()
        seen = select(exists().where(d.id == subject, *session.view(c).documents()))
        count = audit.purge(c, subject) if not is_document or c.execute(seen).scalar() else 0
        if not count:
            raise InputProblem(message("forgetting.nothing-there", subject=subject))
        told = {"rows": count, "reason": reason.strip()}
        audit.append(c, workspace.clock.stamp(), session.person, "details purged", subject, told)
    return count
