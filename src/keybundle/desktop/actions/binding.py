"""Binding the shortcuts of a place to the widget where they act."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QWidget

from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.registry import COMMANDS, find_command

# A key that is held goes on only where that moves or zooms.
REPEATS = frozenset({
    "strip.next", "strip.previous", "strip.next document", "strip.previous document", "strip.reach next",
    "strip.reach previous", "bench.next document", "bench.previous document", "bench.zoom in", "bench.zoom out",
    "viewer.next", "viewer.previous", "viewer.down", "viewer.up", "viewer.zoom in", "viewer.zoom out", "cabinets.next page",
    "cabinets.previous page", "find.next page", "find.previous page",
})  # fmt: skip


def bind_place(home: QWidget, place: str, handlers: Handlers, *, but: Collection[str] = ()) -> None:
    """Let the keys of all commands of a place run their handlers while the focus is in ``home``.

    ``but`` names commands whose key the widgets there handle themselves.
    """
    bind_commands(home, [c.id for c in COMMANDS if c.place == place and c.id not in but], handlers)


def handlers_around(widget: QWidget | None) -> Iterator[Handlers]:
    """Yield the handlers that act where a widget is, the nearest first."""
    while widget is not None:
        if isinstance(found := getattr(widget, "handlers", None), Handlers):
            yield found
        widget = widget.parentWidget()


def find_handlers(command_id: str, *widgets: QWidget | None) -> Handlers | None:
    """Return the handlers that run a command nearest to some widgets, the first one's first."""
    return next((h for widget in widgets for h in handlers_around(widget) if command_id in h.run), None)


def bind_commands(
    home: QWidget, command_ids: Collection[str], handlers: Handlers,
    context: Qt.ShortcutContext = Qt.ShortcutContext.WidgetWithChildrenShortcut,
) -> None:  # fmt: skip
    """Let the keys of some commands run their handlers while the focus is in ``home``."""
    for command_id in command_ids:
        for told in (key for shortcut in find_command(command_id).keys for key in keys_of(shortcut)):
            key = QShortcut(QKeySequence(told), home)
            key.setContext(context)
            key.setAutoRepeat(command_id in REPEATS)
            key.activated.connect(lambda i=command_id: handlers.trigger(i))


def keys_of(shortcut: str) -> list[str]:
    """Return the key texts of a shortcut: the keypad has an Enter of its own."""
    return [shortcut, shortcut.replace("Return", "Enter")] if "Return" in shortcut else [shortcut]
