"""What the editors of a set-up's parts share: changing the chosen one, adding and removing, history, undo.

A change is shown at once and kept behind, in order. What was refused stays where it was typed, with the reason beside
it, for as long as the window is open: drafts belong to a part by its id, whatever is chosen meanwhile.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from PySide6.QtCore import Signal

from keybundle.core.base.errors import InputProblem
from keybundle.core.setup.parts import Named
from keybundle.core.workflows.prepare.parts import parts, setup_admin
from keybundle.core.workflows.prepare.parts.parts import PartProblem, value_at
from keybundle.desktop.actions.conditions import CONDITIONS
from keybundle.desktop.actions.registry import LACKS
from keybundle.desktop.presenters.prepare.editing import tell_parts
from keybundle.desktop.presenters.prepare.form_drafts import TYPED
from keybundle.desktop.presenters.prepare.forms import FormField
from keybundle.desktop.presenters.prepare.parts_shown import PartsShown
from keybundle.desktop.presenters.prepare.parts_state import PartRow, PartsState, PastState, Spot, Used, say_documents
from keybundle.desktop.presenters.undoing import Undo
from keybundle.desktop.words import mark, tr, worded

TITLES = {
    "routines": mark("Routines"), "cabinets": mark("Cabinets"), "document_types": mark("Document types"),
    "registers": mark("Registers"), "storage_areas": mark("Storage areas"), "people": mark("People"),
    "groups": mark("Groups"), "roles": mark("Roles"),
}  # fmt: skip
CHANGES = ("prepare.new", "prepare.copy", "prepare.remove", "prepare.earlier", "prepare.later")
ON_PART = (*CHANGES[1:], "prepare.history", "prepare.editor")


class PartsPresenter(PartsShown):
    """State and verbs of the editor of one kind of parts."""

    history_found = Signal(str, object)
    opened = Signal(str, str)
    not_added = Signal(str)

    def with_changes(self, part: Any, changes: Mapping[str, Any]) -> Any:
        """Return a part as changes make it; raises PartProblem."""
        return parts.change_part(part, changes)

    # -- changing ---------------------------------------------------------------------------------------------------

    def change(self, changes: Mapping[str, Any]) -> None:
        """Change the chosen part, by the dotted paths of its values; what does not hold together stays as a draft."""
        base = self.state.part
        if base is not None:
            self.keep(base, changes, lambda: self.with_changes(base, changes))

    def keep(self, base: Named, changes: Mapping[str, Any], make: Callable[[], Any]) -> None:
        """Keep what ``make`` returns in place of ``base``; where it raises, ``changes`` stay as drafts of it."""
        problems = self._problems.setdefault(base.id, {})
        for at in (*changes, ""):
            problems.pop(at, None)
        if crossed := self._crossed(base, changes):
            self._refuse(base, changes, crossed, next(iter(crossed.values())))
            return
        fields = [f for f in map(self._form_field, changes) if f is not None and f.kind in TYPED]
        for f in fields:
            self._typed.drop(base.id, f, changes[f.name])
        try:
            part = make()
        except InputProblem as error:
            self._refuse(base, changes, getattr(error, "at", {}), worded(error))
            return
        if part == base:
            self._show_part(self._s.workspace.setup, base)
            return
        # Shown at once, so that the next change builds on this one while it is still being kept.
        self._show_part(self._s.workspace.setup, part)
        session, kind = self._s.session, self.kind

        def kept(_: object) -> Undo:
            told = tell_parts(part.name, base.model_dump(), part.model_dump())
            return Undo(told, lambda: parts.save_part(session, kind, base, part))

        def refused(told: str) -> None:
            now = next((p for p in getattr(self._s.workspace.setup, kind) if p.id == base.id), None)
            if now is not None and self.state.chosen == base.id:
                self._refuse(now, changes, {}, told)
            else:
                for f in fields:
                    self._typed.leave(base.id, f, changes[f.name], value_at(base, f.name), base.name, told)
                self.failed.emit(tr("{name} stays as it was. {told}", name=base.name, told=told))

        self._editing.keep(
            lambda: parts.save_part(session, kind, part, base), kept, lambda n: self._was_kept(part, n), refused
        )

    def _refuse(self, base: Named, changes: Mapping[str, Any], at: Mapping[str, str], told: str) -> None:
        """Leave what was typed where it stands, with the reason beside it."""
        found = {name: worded(said) for name, said in at.items()}
        if not found or not set(found) & set(changes):
            found = {next(iter(changes)): told} if len(changes) == 1 else {"": told}
        self._show_part(self._s.workspace.setup, base)  # what was shown while it was being kept stands nowhere
        for name, value in changes.items():
            field = self._form_field(name)
            if field is not None and field.kind in TYPED:
                stands, problem = self._plain.get(name), found.pop(name, "")
                self._typed.leave(base.id, field, value, stands, base.name, problem)
        self._problems.setdefault(base.id, {}).update(found)
        self._show_part(self._s.workspace.setup, base)

    # -- what is typed ----------------------------------------------------------------------------------------------

    def type(self, name: str, text: str) -> None:
        """Take what stands in an editor after a key: it is the chosen part's from then on, whatever is shown."""
        field, part = self._form_field(name), self.state.part
        if field is not None and part is not None and field.kind in TYPED:
            self._typed.type(part.id, field, text, self._plain.get(name), part.name)

    def let_go_here(self, name: str) -> None:
        """Let go of what is typed in a field of the chosen part."""
        self._problems.get(self.state.chosen, {}).pop(name, None)
        field = self._form_field(name)
        with self.drafts.step(tr("{label}, let go of", label=field.label if field is not None else name), self):
            self.drafts.let_go([(self.state.chosen, name)])
        self.drafts.changed.emit()  # now there is a step to take back

    def is_typed(self, name: str) -> bool:
        """Whether something is typed in a field of the chosen part, and not kept."""
        return self._typed.drafts.find(self.state.chosen, name) is not None

    def _form_field(self, name: str) -> FormField | None:
        return next((f for s in self._whole for f in s.fields if f.name == name), None)

    def _crossed(self, base: Named, changes: Mapping[str, Any]) -> dict[str, str]:
        """Return what somebody else put in place of what was seen when these were typed, by field."""
        fields = (f for f in map(self._form_field, changes) if f is not None and f.kind in TYPED)
        told = {f.name: self._typed.crossed(base.id, f, changes[f.name], self._plain.get(f.name)) for f in fields}
        return {name: said for name, said in told.items() if said}

    def _was_kept(self, part: Named, touched: int) -> None:
        self.said.emit(self.tell_kept(part, touched))
        self.refresh()

    def tell_kept(self, part: Named, touched: int) -> str:
        """Return what is said once a change is kept."""
        return tr("Kept: {name}", name=part.name)

    def add(self, name: str) -> None:
        """Add a part with usual values under a name, and show it."""
        session, kind = self._s.session, self.kind
        if name.strip():
            self._add(lambda: parts.add_part(session, kind, name), typed=name)

    def lack(self, command_id: str) -> str:
        """Return why a command on a part cannot be run now, in words; empty where it can."""
        if command_id == "prepare.undo" and not self._editing.can_undo:
            return tr(CONDITIONS["undo"])
        if command_id in ON_PART and self.state.part is None:
            return tr("Choose one in the list first.")
        missing = next((right for right in self._rights() if not self._s.may(right)), None)
        return tr(LACKS, right=tr(missing.value)) if missing is not None and command_id in CHANGES else ""

    def copy(self) -> None:
        """Make a copy of the chosen part and show it."""
        session, kind, chosen = self._s.session, self.kind, self.state.chosen
        if chosen:
            self._add(lambda: parts.copy_part(session, kind, chosen))

    def _add(self, add: Callable[[], str], told: Callable[[], str] = lambda: "", *, typed: str = "") -> None:
        session, kind, ws = self._s.session, self.kind, self._s.workspace

        def name_of(part_id: str) -> str:
            return next((str(p.name) for p in getattr(ws.setup, kind) if p.id == part_id), part_id)

        def kept(made: str) -> Undo:
            return Undo(tr("{name}, added", name=name_of(made)), lambda: parts.remove_part(session, kind, made))

        def done(made: str) -> None:
            self._show(chosen=made)
            self.refresh()
            self.said.emit(told() or tr("Added: {name}", name=name_of(made)))

        self._editing.keep(add, kept, done, lambda told: self._not_added(typed, told))

    def _not_added(self, typed: str, told: str) -> None:
        """Say why something new was not added; what was typed for it stands in its line again."""
        self._could_not(told)
        if typed:
            self.not_added.emit(typed)

    def _could_not(self, told: str) -> None:
        self.failed.emit(told)
        self._show(problem=told)

    def remove(self) -> None:
        """Remove the chosen part; what hangs on it is said in numbers, and then it stays."""
        session, kind, part = self._s.session, self.kind, self.state.part
        if part is None:
            return

        def done(_: object) -> None:
            self.said.emit(tr("Removed: {name}; Undo puts it back", name=part.name))
            self.refresh()

        self._editing.keep(
            lambda: parts.remove_part(session, kind, part.id, part),
            lambda place: Undo(
                tr("{name}, removed", name=part.name), lambda: parts.put_part(session, kind, part, place)
            ),
            done, self._could_not,
        )  # fmt: skip

    def move(self, by: int) -> None:
        """Move the chosen part earlier or later in its list."""
        session, kind, part = self._s.session, self.kind, self.state.part
        if part is not None:
            self._editing.keep(
                lambda: parts.move_part(session, kind, part.id, by),
                lambda _: Undo(
                    tr("{name}, moved", name=part.name), lambda: parts.move_part(session, kind, part.id, -by)
                ),
                lambda _: self.refresh(), self._could_not,
            )  # fmt: skip

    def undo(self) -> None:
        """Put back what one changed last here."""
        self._editing.undo()

    # -- history ----------------------------------------------------------------------------------------------------

    def ask_history(self) -> None:
        """Ask for the earlier states of the chosen part."""
        session, kind, chosen = self._s.session, self.kind, self.state.chosen
        if not chosen:
            return

        def load() -> tuple[list[Any], list[PastState]]:
            return setup_admin.list_setup_history(session, kind, chosen), self.load_inner_past(chosen)

        def done(found: tuple[list[Any], list[PastState]]) -> None:
            states, inner = found
            told = [
                PastState(
                    s.revision,
                    tr("{when}   {who}   {what}", when=self._s.say_time(s.at), who=s.who, what=_tell(s, before)),
                    s.data is not None and place > 0,
                    s.at,
                )
                for place, (s, before) in enumerate(zip(states, [*states[1:], None], strict=True))
            ]
            self.history_found.emit(chosen, tuple(sorted([*told, *inner], key=lambda p: p.at, reverse=True)))

        self._s.runner.query(load, done, key="history", owner=self, on_error=self.failed.emit)

    def load_inner_past(self, part_id: str) -> list[PastState]:
        """Return when what a part holds changed besides (called beside the window's thread); most kinds hold nothing."""
        return []

    def go_back(self, state: PastState) -> None:
        """Put an earlier state of the chosen part in force again."""
        revision = state.revision
        session, kind, part = self._s.session, self.kind, self.state.part
        if part is None:
            return

        def kept(_: object) -> Undo:
            now = next(p for p in getattr(self._s.workspace.setup, kind) if p.id == part.id)
            return Undo(tr("{name}, gone back", name=part.name), lambda: parts.save_part(session, kind, part, now))

        def done(name: str) -> None:
            self.said.emit(tr("{name} is as it was then.", name=name))
            self.refresh()

        self._editing.keep(lambda: setup_admin.go_back(session, kind, part.id, revision), kept, done, self._could_not)


def _tell(state: Any, before: Any) -> str:
    """Return what a state changed against the one before it."""
    if state.data is None:
        return tr("removed")
    if before is None or before.data is None:
        return tr("added")
    keys = [k for k in {**before.data, **state.data} if before.data.get(k) != state.data.get(k)]
    return ", ".join(key.replace("_", " ") for key in keys) or tr("as before")


__all__ = ["PartProblem", "PartRow", "PartsPresenter", "PartsState", "PastState", "Spot", "Used", "say_documents"]
