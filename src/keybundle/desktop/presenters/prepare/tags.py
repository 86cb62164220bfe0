"""Tags in Prepare: counted, renamed, merged, taken away, coloured."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.changes import Changes
from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import TAG_COLOURS
from keybundle.core.workflows.prepare.parts import tags
from keybundle.core.workflows.prepare.parts.tags import TagRow, TagsChanged
from keybundle.desktop.presenters.doing import Doing
from keybundle.desktop.presenters.prepare.parts import say_documents
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.undoing import Undo, Undoing
from keybundle.desktop.words import tr

__all__ = ["TAG_COLOURS", "TagRow", "TagsPresenter", "TagsState"]


@dataclass(frozen=True)
class TagsState:
    """All that is shown."""

    rows: tuple[TagRow, ...] = ()
    doing: str = ""
    problem: str = ""
    undo: str = ""
    can_change: bool = False


class TagsPresenter(QObject):
    """State and verbs."""

    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.state = TagsState()
        self.undoing = Undoing(self._put_back)
        self.doing = Doing(seat.runner, self)
        self.doing.changed.connect(lambda: self._show(doing=self.doing.told))

    def _show(self, **changes: Any) -> None:
        self.state = replace(self.state, **changes)
        self.changed.emit(self.state)

    def refresh(self) -> None:
        """Ask for the tags again."""
        session = self._s.session

        def done(rows: list[TagRow]) -> None:
            can_change = self._s.may(Right.PREPARE) and self._s.may(Right.CORRECT)
            self._show(rows=tuple(rows), can_change=can_change, undo=self.undoing.told)

        self._s.runner.query(lambda: tags.list_tags(session), done, key="tags", owner=self, on_error=self.failed.emit)

    def rename(self, old: str, new: str) -> None:
        """Give a tag another name (that of another one: they become one; none: it goes)."""
        session = self._s.session
        if new == old:
            return

        def done(found: TagsChanged) -> None:
            told = say_documents(len(found.documents))
            said = tr("{old} is {new} now, on {documents}", old=old, new=new, documents=told)
            self.said.emit(said if new else tr("{old} was taken from {documents}", old=old, documents=told))
            self.undoing.note(Undo(tr("{old} renamed", old=old), lambda: tags.take_back_renaming(session, found)))
            self.undoing.end()
            self._changed()

        def refused(told: str) -> None:
            self.undoing.end(came_to_nothing=True)
            self._refused(told)

        self._show(problem="")
        self.undoing.begin()
        self.doing.begin(
            tr("Renaming"), lambda tell, cancel: tags.rename_tag(session, old, new, progress=tell, cancel=cancel), done,
            refused, owner=self,
        )  # fmt: skip

    def colour(self, tag: str, colour: str) -> None:
        """Give a tag a colour."""
        session = self._s.session
        self._s.runner.change(
            lambda: tags.colour_tag(session, tag, colour), lambda _: self._changed(), lane="setup", owner=self,
            on_error=self._refused,
        )  # fmt: skip

    def undo(self) -> None:
        """Put back what was renamed or taken away last here."""
        self.undoing.undo()

    def _put_back(self, last: Undo) -> None:
        def done(_: object) -> None:
            self.said.emit(tr("Put back: {told}", told=last.told))
            self._changed()

        self._s.runner.change(last.put_back, done, lane="setup", owner=self, on_error=self._refused)

    def _changed(self) -> None:
        self._s.bus.tell(Changes(repository=True))
        self.refresh()

    def _refused(self, told: str) -> None:
        self.failed.emit(told)
        self._show(problem=told)
