"""Files as they came, opened in the programs that the system has for them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, QUrl
from PySide6.QtGui import QDesktopServices

from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr


def open_outside(seat: Seat, copy: Callable[[], Path], owner: QObject, failed: Callable[[str], None]) -> None:
    """Make a copy and open it; where no program takes it, tell where it lies."""

    def made(path: Path) -> None:
        if not QDesktopServices.openUrl(QUrl.fromLocalFile(str(path))):
            failed(
                tr("No program here opens “{name}”. A copy of it lies in {folder}", name=path.name, folder=path.parent)
            )

    seat.runner.query(copy, made, key="own program", owner=owner, on_error=failed)
