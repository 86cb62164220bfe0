"""The line of tags below a list of documents: those that all chosen ones have, typed over for all of them at once."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from keybundle.desktop.presenters.cabinets import CabinetsPresenter, CabinetsState
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.calm import TypedLine
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr


class TagsLine(QWidget):
    """Drafts what is typed for the documents that its first key was meant for, and keeps it when it is left."""

    def __init__(self, presenter: CabinetsPresenter, may_change: Callable[[], bool]) -> None:
        super().__init__()
        self._p, self._may_change = presenter, may_change
        self.line = TypedLine(lambda: presenter.changes.tags.find(presenter.state.chosen) is not None)
        self.line.setAccessibleName(tr("Tags of the chosen documents"))
        self.line.setPlaceholderText(tr("tags, told apart by commas"))
        self.line.setEnabled(False)
        self.line.textEdited.connect(self._type)
        self.line.let_go.connect(self._let_go)
        self.line.editingFinished.connect(self.keep)
        self.problem = Told()
        self.problem.setWordWrap(True)
        self.problem.setStyleSheet(f"color: {c.MADDER};")
        self.problem.hide()
        self.told = Told(tr("Tags   Ctrl+T"))
        self.told.setBuddy(self.line)
        self._typed_for: tuple[tuple[str, ...], tuple[str, ...]] | None = None
        row = QHBoxLayout()
        row.addWidget(self.told)
        row.addWidget(self.line, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(row)
        layout.addWidget(self.problem)

    def _type(self, text: str) -> None:
        state = self._p.state
        if self._typed_for is None:
            self._typed_for = state.chosen, state.tags
        self._p.type_tags(*self._typed_for, text)

    def keep(self) -> None:
        """Keep what was typed, for the documents that it was meant for."""
        meant, self._typed_for = self._typed_for, None
        self.line.setModified(False)
        if meant is not None:
            self._p.changes.tags.keep(meant[0])

    def _let_go(self) -> None:
        """Let go of what is typed: what stands there is shown again."""
        self._typed_for = None
        self._p.changes.tags.let_go(self._p.state.chosen, self._p.changes)

    def render_state(self, state: CabinetsState) -> None:
        """Show the tags that the chosen documents have, or what is typed over them."""
        if self._typed_for is not None and self._typed_for[0] != state.chosen:
            self.keep()
        draft = self._p.changes.tags.find(state.chosen)
        told = draft.text if draft is not None else ", ".join(state.tags)
        if self._typed_for is None and self.line.text() != told:
            self.line.setText(told)
        self.problem.setText(draft.problem if draft is not None else "")
        self.problem.setVisible(draft is not None and bool(draft.problem))
        self.line.setEnabled(bool(state.chosen) and self._may_change())
        several = tr(" that all {n} have", n=len(state.chosen)) if len(state.chosen) > 1 else ""
        self.told.setText(tr("Tags{several}   Ctrl+T", several=several))
