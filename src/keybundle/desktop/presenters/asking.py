"""What an editor of an index value must know of its field, wherever it stands; type-ahead and checks for it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QObject

from keybundle.core.base.records import dataclass
from keybundle.core.fields.kinds import Kind
from keybundle.core.setup.model import DocumentType, FieldSpec
from keybundle.core.workflows.index import slip
from keybundle.core.workflows.index.slip import Completion
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr, worded

Found = Sequence[tuple[str, str]]


@dataclass(frozen=True)
class Asked:
    """A field of a type as an editor shows it: ``help`` says in a line what is wanted and what fits."""

    type: str
    field: str
    label: str
    unit: str = ""
    help: str = ""
    is_choice: bool = False


def ask(kind: DocumentType | None, field: str, copy_told: str = "") -> Asked | None:
    """Return what an editor must know of a field of a type (its id); None where the type has none such.

    ``copy_told`` says that the field's register is only a copy just now.
    """
    spec = kind.field(field) if kind is not None else None
    if kind is None or spec is None:
        return None
    told = " ".join(filter(None, (spec.help, say_fit(spec), copy_told)))
    return Asked(kind.id, spec.id, spec.name, spec.unit, told, spec.kind is Kind.CHOICE)


def ask_named(kind: DocumentType | None, name: str) -> Asked | None:
    """Return the same for what people call the field."""
    spec = next((f for f in kind.fields if f.name == name), None) if kind is not None else None
    return ask(kind, spec.id) if spec is not None else None


def say_fit(spec: FieldSpec) -> str:
    """Return what a field takes, in words; empty where anything does."""
    parts = []
    if spec.low and spec.high:
        parts.append(tr("From {low} to {high}.", low=spec.low, high=spec.high))
    elif spec.low or spec.high:
        parts.append(tr("At least {low}.", low=spec.low) if spec.low else tr("At most {high}.", high=spec.high))
    if spec.kind is Kind.DATE and not parts:
        parts.append(tr("A day, such as {like}.", like="2026-03-31"))
    if spec.several:
        parts.append(tr("Several values are told apart by semicolons."))
    return " ".join(parts)


class ValueHelp(QObject):
    """Answers editors; an answer that comes after its editor is gone does no harm (``then`` sees to that)."""

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat

    def complete(self, asked: Asked, typed: str, then: Callable[[Found], None]) -> None:
        """Ask for the type-ahead list of a field; a newer question takes the place of an older one."""
        s = self._s

        def done(found: list[Completion]) -> None:
            then([(x.value, worded(x.told)) for x in found])

        s.runner.query(
            lambda: slip.complete(s.session, asked.type, asked.field, typed), done, key="complete", owner=self
        )

    def check(self, asked: Asked, text: str, then: Callable[[str], None]) -> None:
        """Ask what is wrong with a text as a value; empty where nothing is."""
        s = self._s
        s.runner.query(
            lambda: slip.check_value(s.session, asked.type, asked.field, text), lambda told: then(worded(told)),
            key=f"check {asked.field} {text}", owner=self,
        )  # fmt: skip
