"""What was changed in a batch's values, and by whom: read from the steps that undo knows."""

from __future__ import annotations

from sqlalchemy import select

from keybundle.core.base.ids import BatchId
from keybundle.core.base.records import dataclass
from keybundle.core.fields.values import FieldValue
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import name_of
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.naming import field_label
from keybundle.core.workflows.session.session import Session, needs


@dataclass(frozen=True)
class ValueChange:
    """One change of a value: ``at`` is ISO 8601 in UTC; an empty text means no value. ``is_undone``: taken back since."""

    at: str
    who: str
    document: str
    field: str
    before: str
    after: str
    is_undone: bool


@needs(Right.LOOK)
def list_value_changes(session: Session, batch_id: BatchId, limit: int = 500) -> list[ValueChange]:
    """Return the newest changes of values that people made in a batch, the newest first."""
    workspace = session.workspace
    s, found = t.step.c, list[ValueChange]()
    with workspace.place.database.read() as c:
        rows = c.execute(select(t.step).where(s.batch_id == batch_id).order_by(s.id.desc()).limit(limit)).all()
    for row in rows:
        for entry in row.delta:
            if entry[0] == "value":
                (document, name), (before, after) = entry[1], entry[2]
                texts = (_text(before), _text(after))
                if texts[0] != texts[1]:
                    label = field_label(workspace.setup, name)
                    found.append(
                        ValueChange(
                            row.at, name_of(workspace.setup.people, row.who), document, label, *texts, row.undone
                        )
                    )
    return found[:limit]


def _text(data: dict[str, object] | None) -> str:
    return FieldValue.from_json(data).text if data is not None else ""
