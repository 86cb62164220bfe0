"""Notices: what waits for an answer, or went wrong elsewhere, in a band above every place until it is seen to."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from keybundle.core.base.records import dataclass
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Elided
from keybundle.desktop.words import tr

MOST_SHOWN = 3


@dataclass(frozen=True)
class Notice:
    """What is told, at which place it is seen to (a code; it is not told there), and what its button says and does.

    ``put_away`` is what is done when somebody does not want to see it any more; None where it stays until it is seen to.
    """

    key: str
    text: str
    place: str
    label: str
    run: Callable[[], None]
    put_away: Callable[[], None] | None = None


class NoticeBand(QFrame):
    """Shows notices, the latest first."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("notices")
        self.setStyleSheet(f"QFrame#notices {{ border-left: 4px solid {c.MADDER}; background: {c.CARD}; }}")
        self.setAccessibleName(tr("Notices"))
        self._shown: tuple[Notice, ...] = ()
        self._rows = QVBoxLayout(self)
        self._rows.setContentsMargins(16, 4, 16, 4)
        self._rows.setSpacing(2)
        self.buttons: dict[str, Button] = {}
        self.hide()

    @property
    def texts(self) -> list[str]:
        """What is told."""
        return [notice.text for notice in self._shown]

    def render_notices(self, notices: tuple[Notice, ...]) -> None:
        """Show them."""
        if [(n.key, n.text) for n in notices] == [(n.key, n.text) for n in self._shown]:
            self._shown = notices
            return
        self._shown, self.buttons = notices, {}
        while (item := self._rows.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        for notice in notices[:MOST_SHOWN]:
            self._rows.addWidget(self._row(notice))
        if len(notices) > MOST_SHOWN:
            self._rows.addWidget(Elided(tr("and {n} more", n=len(notices) - MOST_SHOWN)))
        self.setVisible(bool(notices))

    def _row(self, notice: Notice) -> QWidget:
        told = Elided(notice.text)
        told.setStyleSheet("font-weight: 600;")
        button = self.buttons[notice.key] = Button(notice.label)
        button.clicked.connect(lambda: notice.run())
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(told, 1)
        row.addWidget(button)
        if notice.put_away is not None:
            away = Button(tr("Put away"))
            away.setProperty("role", "link")
            away.clicked.connect(notice.put_away)
            row.addWidget(away)
        return holder
