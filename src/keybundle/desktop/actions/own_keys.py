"""Keys that somebody gives commands besides those they have: remembered for each person, and acting at once.

What stands beside a command stays true, for its own key is never taken away.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Any

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QWidget

from keybundle.desktop.actions.binding import REPEATS, keys_of
from keybundle.desktop.actions.registry import COMMANDS, find_command
from keybundle.desktop.presenters.remembered import Remembered
from keybundle.desktop.words import tr

SETTING = "own keys"
WITH = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.MetaModifier


class OwnKeys(QObject):
    """The own keys of who is at work: one for each command, by its id."""

    changed = Signal()

    def __init__(self, remembered: Remembered, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.remembered = remembered
        known = {c.id for c in COMMANDS}
        self._keys = {k: v for k, v in _read(remembered.get(SETTING)).items() if k in known}

    @property
    def keys(self) -> Mapping[str, str]:
        """The own key of each command that has one."""
        return self._keys

    def give(self, command_id: str, key: str) -> str:
        """Give a command a key of one's own, or (empty) take it away; return why it cannot have it, empty where it has."""
        if key and (problem := self._why_not(command_id, key)):
            return problem
        self._keys.pop(command_id, None)
        if key:
            self._keys[command_id] = key
        self.remembered.put(SETTING, json.dumps(self._keys))
        self.changed.emit()
        return ""

    def _why_not(self, command_id: str, key: str) -> str:
        sequence: Any = QKeySequence(key)
        pressed = sequence[0] if sequence.count() else None
        if pressed is None:
            return tr("That is no key.")
        is_function = Qt.Key.Key_F1 <= pressed.key() <= Qt.Key.Key_F35
        if not (pressed.keyboardModifiers() & WITH or is_function):
            return tr("{key} is for typing; take it with Ctrl or Alt, or a function key.", key=key)
        for command in COMMANDS:
            taken = [told for shortcut in command.keys for told in keys_of(shortcut)]
            own = self._keys.get(command.id) if command.id != command_id else None
            if any(QKeySequence(told) == QKeySequence(key) for told in (*taken, *filter(None, [own]))):
                return tr("{key} is the key of “{title}” already.", key=key, title=command.title)
        return ""

    def bind(self, window: QWidget, run: Callable[[str], object]) -> None:
        """Let the own keys run commands anywhere in a window, now and as they change."""
        bound: list[QShortcut] = []

        def bind_anew() -> None:
            for old in bound:
                old.setEnabled(False)
                old.deleteLater()
            bound.clear()
            for command_id, told in self._keys.items():
                shortcut = QShortcut(QKeySequence(told), window)
                shortcut.setAutoRepeat(command_id in REPEATS)
                shortcut.activated.connect(lambda i=command_id: run(find_command(i).id))
                bound.append(shortcut)

        self.changed.connect(bind_anew)
        window.destroyed.connect(lambda: self.changed.disconnect(bind_anew))
        bind_anew()


def _read(kept: object) -> dict[str, str]:
    try:
        found = json.loads(str(kept)) if kept else {}
    except ValueError:
        return {}
    return {str(k): str(v) for k, v in found.items()} if isinstance(found, dict) else {}
