"""What is typed into the forms of Prepare and not kept: by the part it was typed for, over what stood there at the first key."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from typing import Any

from keybundle.desktop.presenters.drafts import Draft, Drafts
from keybundle.desktop.presenters.prepare.forms import FormField, Section
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr

TYPED = ("line", "list", "lines", "folder", "value")  # what is typed stays where it was refused; a check goes back


def lines_of(seat: Seat) -> Drafts:
    """Return what is typed in lines for something new, by page."""
    return seat.typed.at("set-up lines")


class FormDrafts:
    """The drafts of one page of Prepare, the same in all windows of a person."""

    def __init__(self, seat: Seat, page: str) -> None:
        self.drafts: Drafts = seat.typed.at(f"set-up {page}")

    def type(self, part: str, field: FormField, text: str, stands: Any, told: str) -> None:
        """Take what stands in an editor after a key, over what is shown as standing there."""
        stood = as_text(field.kind, stands)
        if text == stood:
            self.drafts.take_out(part, field.name)
        else:
            self.drafts.put(part, field.name, text, seen=0, stood=stood, told=told)

    def crossed(self, part: str, field: FormField, value: Any, stands: Any) -> str:
        """Return what somebody else has put there since the first key, in words; empty where what was seen stands.

        It is told once: what is typed counts as typed over it from then on.
        """
        draft, now = self.drafts.find(part, field.name), as_text(field.kind, stands)
        if draft is None or draft.stood == now or not self._is_typed(part, field, value):
            return ""
        told = tr(
            "“{stood}” stood here when it was typed, “{now}” stands here now. Enter keeps what is typed.",
            stood=draft.stood, now=now,
        )  # fmt: skip
        self.drafts.take_out(part, field.name)
        self.drafts.put(part, field.name, draft.text, seen=0, stood=now, told=draft.told)
        return told

    def leave(self, part: str, field: FormField, value: Any, stands: Any, told: str, problem: str) -> None:
        """Leave what was typed and could not be kept, with the reason."""
        self.drafts.put(
            part, field.name, as_text(field.kind, value), seen=0, stood=as_text(field.kind, stands), told=told
        )
        self.drafts.mark({(part, field.name): problem})

    def drop(self, part: str, field: FormField, value: Any) -> None:
        """Forget what is being kept; what is typed there in another window is something else."""
        if self._is_typed(part, field, value):
            self.drafts.take_out(part, field.name)

    def _is_typed(self, part: str, field: FormField, value: Any) -> bool:
        """Whether a value is what is typed there, or takes the place of what was refused."""
        draft = self.drafts.find(part, field.name)
        if draft is None or draft.problem:
            return draft is not None
        return as_text(field.kind, as_value(field.kind, draft.text)) == as_text(field.kind, value)

    def values(self, part: str, sections: Iterable[Section]) -> dict[str, Any]:
        """Return what is typed, by field, as the form shows it."""
        typed = self.drafts.of(part)
        return {f.name: as_value(f.kind, typed[f.name].text) for s in sections for f in s.fields if f.name in typed}

    def problems(self, part: str) -> dict[str, str]:
        """Return what is in the way of what is typed, by field."""
        return {name: draft.problem for name, draft in self.drafts.of(part).items() if draft.problem}

    def left(self, parts: Collection[str]) -> tuple[Draft, ...]:
        """Return what is typed for parts that are gone."""
        return tuple(d for d in self.drafts.all() if d.subject not in parts)

    def counts(self) -> Mapping[str, int]:
        """Return how much is typed for each part."""
        found: dict[str, int] = {}
        for draft in self.drafts.all():
            found[draft.subject] = found.get(draft.subject, 0) + 1
        return found


def as_text(kind: str, value: Any) -> str:
    """Return a value as it stands in its editor."""
    if isinstance(value, list | tuple):
        return ("\n" if kind == "lines" else ", ").join(map(str, value))
    return "" if value is None else str(value)


def as_value(kind: str, text: str) -> Any:
    """Return a text of an editor as the value that the editor shows."""
    if kind == "lines":
        return tuple(t for line in text.splitlines() if (t := line.strip()))
    return tuple(t for part in text.split(",") if (t := part.strip())) if kind == "list" else text
