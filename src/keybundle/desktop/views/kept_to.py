"""Whom a type or a routine is kept to: a button that says it, and the list behind it to change it."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from keybundle.core.setup.parts import KeptTo
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.checks import Checks
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr

KINDS = ("groups", "roles", "people")
Grantees = Sequence[tuple[str, str]]


class KeptToButton(Button):
    """Says whom something is kept to; ``kept_to_changed`` carries another such list as plain data."""

    kept_to_changed = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("Kept to"))
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
        self._grantees: Grantees = ()
        self._checked: tuple[str, ...] = ()
        self._name = ""
        self.clicked.connect(self._ask)

    def render_kept_to(self, name: str, kept_to: KeptTo, grantees: Grantees, nobody: str = "") -> None:
        """Show a list; ``grantees`` are all that it can name: (kind and id, told)."""
        self._name, self._grantees = name, grantees
        self._checked = tuple(f"{kind} {key}" for kind in KINDS for key in getattr(kept_to, kind))
        told = ", ".join(said for key, said in grantees if key in self._checked)
        if nobody:
            self.setText(told or nobody)
        else:
            self.setText(tr("Kept to {names}", names=told) if told else tr("Everybody may use it"))

    def _ask(self) -> None:
        dialog = KeptToDialog(self._name, self._grantees, self._checked, self)
        if dialog.exec():
            checked = [key.partition(" ") for key in dialog.checks.checked()]
            self.kept_to_changed.emit({kind: tuple(k for of, _, k in checked if of == kind) for kind in KINDS})
        dialog.deleteLater()


class KeptToDialog(QDialog):
    """Groups, roles and people with a check before each."""

    def __init__(self, name: str, grantees: Grantees, checked: Sequence[str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Whom {name} is kept to", name=name))
        self.setMinimumWidth(380)
        told = Told(tr("It is offered to whoever is checked; nobody checked: to everybody."))
        told.setProperty("role", "quiet")
        told.setWordWrap(True)
        self.checks = Checks(tr("Kept to"), most=12)
        self.checks.render_items(grantees, checked, can_change=True)
        self.checks.setCurrentRow(0)
        self.take = Button(tr("Keep to them"))
        self.take.setDefault(True)
        self.take.clicked.connect(self.accept)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.take)
        layout = QVBoxLayout(self)
        for part in (told, self.checks):
            layout.addWidget(part)
        layout.addLayout(buttons)
        self.checks.setFocus()
