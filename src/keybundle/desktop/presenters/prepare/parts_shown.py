"""Looking at a set-up's parts: the list, the chosen one with its form and what is typed in it, where it is used."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Setup
from keybundle.core.setup.parts import Named
from keybundle.core.setup.uses import used_by
from keybundle.desktop.presenters.prepare.editing import Editing
from keybundle.desktop.presenters.prepare.form_drafts import FormDrafts, lines_of
from keybundle.desktop.presenters.prepare.forms import Section, values_of
from keybundle.desktop.presenters.prepare.parts_state import PartRow, PartsState, Spot, Used
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr

GIVE_RIGHTS = ("people", "groups", "roles")


class PartsShown(QObject):
    """The parts of one kind as they are shown; each kind says what its form is."""

    kind = ""
    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.lines = lines_of(seat)
        self.state = self.first_state()
        self._typed = FormDrafts(seat, self.kind)
        self.drafts = self._typed.drafts
        self.drafts.changed.connect(self._show_typed)
        self._plain: dict[str, Any] = {}  # what stands in the fields of the chosen part, whatever is typed over it
        self._problems: dict[str, dict[str, str]] = {}
        self._editing = Editing(self, seat, self.said.emit, self.failed.emit, self.refresh, self.drafts)
        self._whole: tuple[Section, ...] = ()  # all that is asked of the chosen part
        self._is_shown = False
        seat.bus.changed.connect(self._on_changes)

    def first_state(self) -> Any:
        """Return the state before anything is known."""
        return PartsState()

    # -- what each kind says of itself -----------------------------------------------------------------------------

    def form(self, setup: Setup, part: Named) -> tuple[Section, ...]:
        """Return the form of a part."""
        return ()

    def values(self, setup: Setup, part: Named, sections: tuple[Section, ...]) -> dict[str, Any]:
        """Return what a part has in each field of its form."""
        return values_of(part, sections)

    def note(self, setup: Setup, part: Named) -> str:
        """Return a few words that stand beside a part in the list."""
        return ""

    def more(self, setup: Setup, part: Named | None) -> dict[str, Any]:
        """Return what else the state of this kind of parts holds."""
        return {}

    def was_shown(self) -> None:
        """Ask for what takes a question to the store, now that a part is shown."""

    # -- looking ----------------------------------------------------------------------------------------------------

    def _on_changes(self, changes: Changes) -> None:
        if changes.setup and self._is_shown:
            self.refresh()

    def hide(self) -> None:
        """Ask for nothing more while something else is in front."""
        self._is_shown = False

    def refresh(self) -> None:
        """Look at the set-up again; while changes are under way, what is shown is newer than what is kept."""
        self._is_shown = True
        if self._editing.is_keeping:
            return
        setup = self._s.workspace.setup
        all_parts: tuple[Named, ...] = getattr(setup, self.kind)
        part = next((p for p in all_parts if p.id == self.state.chosen), all_parts[0] if all_parts else None)
        self._show_part(
            setup, part, rows=tuple(PartRow(p.id, p.name, self.note(setup, p)) for p in all_parts),
            can_change=all(self._s.may(right) for right in self._rights()), undo=self._editing.undo_told,
        )  # fmt: skip
        self.was_shown()

    def _rights(self) -> tuple[Right, ...]:
        """Return the rights that changing such parts takes."""
        return (Right.PREPARE, Right.GIVE_RIGHTS) if self.kind in GIVE_RIGHTS else (Right.PREPARE,)

    def _show(self, **changes: Any) -> None:
        self.state = replace(self.state, **changes)
        self.changed.emit(self.state)

    def _show_part(self, setup: Setup, part: Named | None, **changes: Any) -> None:
        sections = self.form(setup, part) if part is not None else ()
        more = self.more(setup, part)
        whole = self._whole = (*sections, *more.get("field_sections", ()))
        asked, chosen = _names(whole), part.id if part is not None else ""
        self._plain = self.values(setup, part, sections) if part is not None else {}
        problems = {**self._typed.problems(chosen), **self._problems.get(chosen, {})}
        users = used_by(setup, self.kind, part.id) if part is not None else ()
        named = {(of, p.id): p.name for of in {of for of, _ in users} for p in getattr(setup, of)}
        self._show(
            part=part, chosen=chosen, sections=sections,
            values={**self._plain, **self._typed.values(chosen, whole)}, problems=problems,
            left=self._typed.left([p.id for p in getattr(setup, self.kind)]),
            problem=next((said for at, said in reversed(problems.items()) if at not in asked), ""),
            uses=tuple(Used(of, user, named[of, user]) for of, user in users),
            **more, **changes,
        )  # fmt: skip

    def choose(self, part_id: str) -> None:
        """Show another part, by its id."""
        if part_id and part_id != self.state.chosen:
            setup = self._s.workspace.setup
            part = next((p for p in getattr(setup, self.kind) if p.id == part_id), None)
            if part is not None:
                self._show_part(setup, part)
                self.was_shown()

    @property
    def spot(self) -> Spot:
        """What is in front: a part, and what of it."""
        return self.state.chosen, ""

    def go_to(self, spot: Spot) -> None:
        """Show what was in front."""
        self.choose(spot[0])

    def bound(self, run: Callable[..., object], spot: Spot | None = None) -> Callable[..., None]:
        """Return ``run`` as the answer to what is asked of a spot, the one in front now.

        Whatever is in front by then, the spot is shown again and answered; where it is gone, nothing is.
        """
        of = spot or self.spot

        def answer(*args: object) -> None:
            if of != self.spot:
                self.go_to(of)
            if of == self.spot:
                run(*args)
            else:
                self.failed.emit(tr("What was asked for this is gone. Nothing was changed."))

        return answer

    def _show_typed(self) -> None:
        if self._is_shown and self.state.part is not None:
            self._show_part(self._s.workspace.setup, self.state.part, undo=self._editing.undo_told)


def _names(sections: tuple[Section, ...]) -> set[str]:
    return {f.name for s in sections for f in s.fields}
