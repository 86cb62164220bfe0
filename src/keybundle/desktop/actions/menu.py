"""Menus made of the command records: each command of a place with its key, for who looks for it with the pointer."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu, QWidget

from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.registry import COMMANDS, PLACES, find_command
from keybundle.desktop.words import tr


def make_menu(title: str, place: str, handlers: Handlers, parent: QWidget, *, but: Collection[str] = ()) -> QMenu:
    """Return a menu of the commands of a place that somebody runs; ``but`` are left out. It is filled when it is looked at."""
    menu = QMenu(title, parent)
    actions: dict[str, QAction] = {}

    def fill() -> None:
        for command in COMMANDS:
            if command.place == place and command.id in handlers.run and command.id not in but:
                action = actions[command.id] = QAction(
                    f"{command.title}\t{command.shortcut.replace('Return', 'Enter')}", menu
                )
                action.triggered.connect(lambda _=False, i=command.id: handlers.trigger(i))
                menu.addAction(action)

    def look() -> None:
        """Say of each command whether it can be run now, and why not."""
        if not actions:
            fill()
        for command_id, action in actions.items():
            why = handlers.hindrance(command_id)
            action.setToolTip(why or find_command(command_id).words)
            action.setEnabled(not why)

    menu.aboutToShow.connect(look)
    menu.setToolTipsVisible(True)
    return menu


def fill_whole(menu: QMenu, around: Iterable[Handlers]) -> None:
    """Fill a menu with all that can be run by these handlers, a menu for each place."""
    menu.clear()
    known = list(around)
    for place, title in PLACES.items():
        ids = {c.id for c in COMMANDS if c.place == place}
        handlers = next((h for h in known if ids & set(h.run)), None)
        if handlers is not None:
            menu.addMenu(make_menu(tr(title), place, handlers, menu))


def hang(menu: QMenu, *homes: QWidget) -> None:
    """Let a menu come up under the right button on widgets."""

    def up(home: QWidget, point: QPoint) -> None:
        menu.popup(home.mapToGlobal(point))

    for home in homes:
        home.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        home.customContextMenuRequested.connect(lambda point, h=home: up(h, point))
