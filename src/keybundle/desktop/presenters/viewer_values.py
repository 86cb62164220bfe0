"""The values of a filed document as the viewer tells them, with what is typed over them."""

from __future__ import annotations

from keybundle.core.base.records import dataclass
from keybundle.core.fields.values import FieldValue
from keybundle.core.repository.model import FiledDocument
from keybundle.core.rights.model import Right
from keybundle.desktop.presenters.cabinet_changes import CabinetChanges
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr


@dataclass(frozen=True)
class ValueLine:
    """A value as the viewer tells it: its field, its text, where it came from, who confirmed it when, whether it can change.

    ``typed`` is what was typed over it and is not kept, ``problem`` why not.
    """

    field: str
    text: str
    origin: str
    told: str
    can_correct: bool = False
    typed: str | None = None
    problem: str = ""


def list_lines(seat: Seat, changes: CabinetChanges, document: FiledDocument) -> tuple[ValueLine, ...]:
    """Return the values as they are shown: the fields of the type, the empty ones too for who may correct them."""

    def typed(name: str) -> tuple[str | None, str]:
        draft = changes.find(document.id, name)
        return (draft.text, draft.problem) if draft is not None else (None, "")

    kind = next((k for k in seat.workspace.setup.document_types if k.name == document.type), None)
    names = [f.name for f in kind.fields] if kind is not None and seat.may(Right.CORRECT) else []
    lines = [
        ValueLine(name, v.text, v.origin.value, _say_confirmed(seat, v), name in names, *typed(name))
        for name, v in document.values.items()
    ]
    missing = (name for name in names if name not in document.values)
    return (*lines, *(ValueLine(name, "", "", "", True, *typed(name)) for name in missing))


def _say_confirmed(seat: Seat, value: FieldValue) -> str:
    if not (value.confirmed_by and value.confirmed_at):
        return ""
    return tr("confirmed by {who}, {at}", who=value.confirmed_by, at=seat.say_time(value.confirmed_at))
