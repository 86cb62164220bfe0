"""Binding the shortcuts of a place to the widget where they act."""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QWidget

from keybundle.desktop.actions.registry import COMMANDS, Handlers

# A key that is held goes on only where that moves or zooms.
REPEATS = frozenset({
    "strip.next", "strip.previous", "strip.next document", "strip.previous document", "strip.reach next",
    "strip.reach previous", "bench.next document", "bench.previous document", "bench.zoom in", "bench.zoom out",
})  # fmt: skip


def bind_place(home: QWidget, place: str, handlers: Handlers, *, but: Collection[str] = ()) -> None:
    """Let the keys of all commands of a place run their handlers while the focus is in ``home``.

    ``but`` names commands whose key the widgets there handle themselves.
    """
    for command in COMMANDS:
        if command.place == place and command.id not in but:
            for told in keys_of(command.shortcut):
                key = QShortcut(QKeySequence(told), home)
                key.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
                key.setAutoRepeat(command.id in REPEATS)
                key.activated.connect(lambda i=command.id: handlers.trigger(i))


def keys_of(shortcut: str) -> list[str]:
    """Return the key texts of a shortcut: the keypad has an Enter of its own."""
    return [shortcut, shortcut.replace("Return", "Enter")] if "Return" in shortcut else [shortcut]
