"""Whom a type or a routine is kept to: groups, roles and people with a check before each."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QWidget

from keybundle.core.setup.parts import KeptTo
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.checks import Checks
from keybundle.desktop.views.side_sheet import Sheet
from keybundle.desktop.words import tr

KINDS = ("groups", "roles", "people")
MOST_ROWS = 14
Grantees = Sequence[tuple[str, str]]


def checked_of(kept_to: KeptTo) -> tuple[str, ...]:
    """Return whom something is kept to, each as its kind and id."""
    return tuple(f"{kind} {key}" for kind in KINDS for key in getattr(kept_to, kind))


class KeptToSheet(Sheet):
    """``answered`` carries another such list as plain data; ``grantees`` are all it can name: (kind and id, told)."""

    answered = Signal(object)

    def __init__(self, title: str, head: str, of: str, grantees: Grantees, checked: Sequence[str]) -> None:
        super().__init__(title, head, of=of)
        self.checks = Checks(title, most=MOST_ROWS)
        self.checks.render_items(grantees, checked, can_change=True)
        self.checks.setCurrentRow(0)
        self.take = Button(tr("Keep it so"))
        self.take.setProperty("role", "main")
        self.take.clicked.connect(self._take)
        taken = QShortcut(QKeySequence(Qt.Key.Key_Return), self)
        taken.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        taken.activated.connect(self._take)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.take)
        self.body.addWidget(self.checks)
        self.body.addLayout(buttons)
        self.body.addStretch(1)

    def first(self) -> QWidget:
        return self.checks

    def _take(self) -> None:
        checked = [key.partition(" ") for key in self.checks.checked()]
        self.answered.emit({kind: tuple(k for of, _, k in checked if of == kind) for kind in KINDS})
