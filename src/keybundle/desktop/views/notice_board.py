"""What waits for a person to see to it, whichever of their windows they look at."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QGuiApplication

from keybundle.desktop.presenters.letters import Letters
from keybundle.desktop.views.notices import Notice
from keybundle.desktop.words import tr

if TYPE_CHECKING:
    from keybundle.desktop.views.shell import Shell

LETTER = "letter "


class NoticeBoard(QObject):
    """The notices of a person, by their keys; ``changed`` tells that there are others."""

    changed = Signal()

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell)
        self._shell, self._seat = shell, shell.seat
        self.notices: dict[str, Notice] = {}
        self.letters = Letters(self._seat.typed, self)
        self.letters.changed.connect(self._tell_letters)
        self.letters.left.connect(self._letter_left)
        self._seat.typed.gone_found.connect(self.tell_left)
        shell.incoming.waiting_found.connect(self._tell_waiting)

    def put(self, notice: Notice) -> None:
        """Tell something until it is seen to."""
        self.notices[notice.key] = notice
        self.changed.emit()

    def drop(self, key: str) -> None:
        """Tell something no more."""
        if self.notices.pop(key, None) is not None:
            self.changed.emit()

    def _tell_waiting(self, told: str, take_in: Callable[[], None], forget: Callable[[], None], key: str) -> None:
        def done(run: Callable[[], None]) -> None:
            self.drop(key)
            run()

        self.put(Notice(key, told, "", tr("Take in"), lambda: done(take_in), put_away=lambda: done(forget)))

    def tell_left(self, place: str, left: list[tuple[str, str]]) -> None:
        """Tell what was typed on a bench whose batch is closed or thrown away, until it is copied or let go of."""
        told = "; ".join(f"{caption}: “{text}”" if caption else f"“{text}”" for caption, text in left)

        def let_go() -> None:
            self.drop(place)
            self._seat.typed.forget(place)

        def copy() -> None:
            QGuiApplication.clipboard().setText("\n".join(text for _, text in left))
            let_go()

        text = tr("Typed and not kept, for its batch is closed: {typed}", typed=told)
        self.put(Notice(place, text, "", tr("Copy it"), copy, put_away=let_go))

    def _tell_letters(self) -> None:
        """Tell which messages are half written and open nowhere, until they are gone on with or let go of."""
        waiting = {f"{LETTER}{' '.join(ids)}": (ids, told) for ids, told in self.letters.waiting().items()}
        for key in [k for k in self.notices if k.startswith(LETTER) and k not in waiting]:
            self.drop(key)
        for key, (ids, told) in waiting.items():
            if key not in self.notices:
                text = tr("A message with {documents} is begun and not sent.", documents=told)
                go_on, let_go = partial(self._go_on_with, ids), partial(self.letters.let_go, ids)
                self.put(Notice(key, text, "", tr("Go on with it"), go_on, put_away=let_go))

    def _go_on_with(self, ids: tuple[str, ...]) -> None:
        self._shell.viewers.sends_at(self._shell.front.edge)(ids, False)

    def _letter_left(self, told: str, bring_back: Callable[[], None]) -> None:
        if self._shell.windows:
            said = tr("What was typed for the message with {documents} is let go of.", documents=told)
            self._shell.front.offer(said, tr("Bring it back"), bring_back)
