"""The repository itself: its name, where it stands, how people sign in, mail, reasons; and its set-up as a file."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from keybundle.desktop.actions.conditions import CONDITIONS
from keybundle.desktop.presenters.prepare.repository import RepositoryPresenter, RepositoryState
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.prepare.form_view import FormView
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.words import tr


class RepositoryView(QWidget):
    """Shows and changes what belongs to no part."""

    other_asked = Signal()
    move_asked = Signal(str)

    def __init__(self, presenter: RepositoryPresenter) -> None:
        super().__init__()
        self.presenter = presenter
        self.head, self.where = Elided(), Told()
        self.head.setProperty("role", "head")
        self.where.setProperty("role", "quiet")
        self.form = FormView()
        self.form.edited.connect(lambda name, value: presenter.change({name: value}))
        self.form.typed.connect(presenter.type)
        self.form.let_go.connect(presenter.let_go_here)
        self.form.is_typed = presenter.is_typed
        self.form.typed.connect(lambda name, text: presenter.try_locale(text) if name == "locale" else None)
        self.save, self.bring = Button(tr("Save the set-up as a file")), Button(tr("Bring in a set-up file"))
        self.save.clicked.connect(self._ask_save)
        self.bring.clicked.connect(self._ask_bring)
        self.other = Button(tr("Open another repository"))
        self.other.clicked.connect(self.other_asked.emit)
        self.move_data = Button(tr("Move the data"))
        self.move_data.setToolTip(tr("To an empty folder; all windows are closed meanwhile"))
        self.move_data.clicked.connect(self._ask_move)
        self.undo, self.undo_told = Button(tr("Undo")), Elided()
        self.undo.clicked.connect(presenter.undo)
        self.undo_told.setProperty("role", "quiet")
        row = QHBoxLayout()
        for button in (self.save, self.bring, self.other, self.move_data):
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(self.undo_told)
        row.addWidget(self.undo)
        inner = QWidget()
        inner.setObjectName("place")
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 8, 0)
        column.addWidget(self.form)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setWidget(inner)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.head)
        layout.addWidget(self.where)
        layout.addLayout(row)
        layout.addWidget(area, 1)
        presenter.changed.connect(self.render_state)

    def render_state(self, state: RepositoryState) -> None:
        """Show a state."""
        if "repository" in state.values:
            self.head.setText(str(state.values["repository"]))
        self.where.setText(tr("The data is in {place}", place=state.place))
        self.form.render_form(state.sections, state.values, state.problems, can_change=state.can_change)
        self.bring.setEnabled(state.can_change)
        self.move_data.setEnabled(state.can_change)
        self.undo.setEnabled(bool(state.undo))
        self.undo_told.setText(state.undo)

    def refresh(self) -> None:
        """Look at the set-up again."""
        self.presenter.refresh()

    def focus_first(self) -> None:
        """Give the first field the focus."""
        self.form.focus("repository")

    def rest(self) -> None:
        """Ask for nothing more while another page is in front."""

    def lack(self, command_id: str) -> str:
        """Return why a command cannot be run now."""
        nothing = command_id == "prepare.undo" and not self.presenter.can_undo
        return tr(CONDITIONS["undo"]) if nothing else ""

    def verbs(self) -> Mapping[str, Callable[[], Any]]:
        """Return what the place's commands do here."""
        return {"prepare.undo": self.presenter.undo, "prepare.editor": self.focus_first}

    def _ask_save(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, tr("Save the set-up"), tr("set-up.toml"), tr("Set-ups (*.toml)"))
        if name:
            self.presenter.export(Path(name))

    def _ask_move(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, tr("An empty folder that the data is moved to"))
        if chosen:
            self.move_asked.emit(chosen)

    def _ask_bring(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Bring in a set-up file"), "", tr("Set-ups (*.toml);;All files (*)")
        )
        if name:
            self.presenter.bring_in(Path(name))
