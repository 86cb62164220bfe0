"""Menus made of the command records: each command of a place with its key, for who looks for it with the pointer."""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu, QWidget

from keybundle.desktop.actions.registry import COMMANDS, Handlers


def make_menu(title: str, place: str, handlers: Handlers, parent: QWidget, *, but: Collection[str] = ()) -> QMenu:
    """Return a menu of the commands of a place that somebody runs; ``but`` are left out."""
    menu = QMenu(title, parent)
    for command in COMMANDS:
        if command.place == place and command.id in handlers.run and command.id not in but:
            action = QAction(f"{command.title}\t{command.shortcut}", menu)
            why = handlers.hindrance(command.id)
            action.setToolTip(why or command.words)
            action.triggered.connect(lambda _=False, i=command.id: handlers.trigger(i))
            action.setEnabled(not why)
            menu.addAction(action)
    menu.setToolTipsVisible(True)
    return menu
