"""The slim bar at the top of a window: its places, each with what is typed and waits there, the keys, and who is at work."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QWidget

from keybundle.desktop.actions.registry import find_command
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import icon
from keybundle.desktop.views import places
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr, trn


class TopBar(QFrame):
    """``asked`` names the command that a button stands for."""

    asked = Signal(str)

    def __init__(self, seat: Seat, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("bar")
        self._seat = seat
        self.places: dict[str, QPushButton] = {}
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 0, 14, 0)
        layout.setSpacing(4)
        brand = Told("Key Bundle")
        brand.setStyleSheet(f"font-weight: 700; font-size: 16px; color: {c.TEAL}; padding-right: 18px;")
        layout.addWidget(brand)
        for record in (r for r in places.PLACES if not r.at_right):
            layout.addWidget(self._place_button(record.code))
        layout.addStretch(1)
        for record in (r for r in places.PLACES if r.at_right):
            layout.addWidget(self._place_button(record.code))
        self.more = Button(tr("More"))
        self.more.setAccessibleName(tr("All commands of this place"))
        self.more.setProperty("role", "place")
        layout.addWidget(self.more)
        keys = Button(icon("keyboard"), tr("Keys  F1"))
        keys.setProperty("role", "place")
        keys.clicked.connect(lambda: self.asked.emit("help.keys"))
        layout.addWidget(keys)
        self.person = Button(icon("user"), seat.session.name)
        self.person.setProperty("role", "place")
        self.person.setStyleSheet("font-weight: 600;")
        self.person.setToolTip(f"{find_command('go.person').words} ({find_command('go.person').shortcut})")
        self.person.clicked.connect(lambda: self.asked.emit("go.person"))
        layout.addWidget(self.person)
        seat.typed.changed.connect(self._tell_typed)
        self._waiting: dict[str, int] = {}
        self._tell_typed()

    def _place_button(self, name: str) -> QPushButton:
        command = find_command(f"go.{name}")
        button = Button(command.title)
        button.setToolTip(f"{command.words} ({command.shortcut})")
        button.setCheckable(True)
        button.setProperty("role", "place")
        button.clicked.connect(lambda: self.asked.emit(f"go.{name}"))
        self.places[name] = button
        return button

    def mark(self, code: str) -> None:
        """Show which place is in front."""
        for key, button in self.places.items():
            button.setChecked(key == code)

    def mark_waiting(self, waiting: dict[str, int]) -> None:
        """Say how much waits to be seen to, by place."""
        self._waiting = waiting
        self._tell_typed()

    def _tell_typed(self) -> None:
        """Say at the name of each place how much is typed there and not kept, and how much waits there."""
        for record in places.PLACES:
            button, command = self.places[record.code], find_command(f"go.{record.code}")
            typed = sum(self._seat.typed.count(place) for place in record.typed)
            waits = self._waiting.get(record.code, 0)
            button.setText(f"{command.title} ({typed + waits})" if typed + waits else command.title)
            told = [f"{command.words} ({command.shortcut})"]
            if typed:
                told.append(
                    trn(
                        "{n:,} text is typed there and not kept yet",
                        "{n:,} texts are typed there and not kept yet",
                        typed,
                    )
                )
            if waits:
                told.append(trn("{n:,} thing waits there for you", "{n:,} things wait there for you", waits))
            button.setToolTip("; ".join(told))
