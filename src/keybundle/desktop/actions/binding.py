"""Binding the shortcuts of a place to the widget where they act."""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QWidget

from keybundle.desktop.actions.registry import COMMANDS, Handlers


def bind_place(home: QWidget, place: str, handlers: Handlers, *, but: Collection[str] = ()) -> None:
    """Let the keys of all commands of a place run their handlers while the focus is in ``home``.

    ``but`` names commands whose key the widgets there handle themselves.
    """
    for command in COMMANDS:
        if command.place == place and command.id not in but:
            key = QShortcut(QKeySequence(command.shortcut), home)
            key.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            key.activated.connect(lambda i=command.id: handlers.trigger(i))
