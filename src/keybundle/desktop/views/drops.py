"""Files dropped from a file manager onto a widget."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QEvent, QMimeData, QObject
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from PySide6.QtWidgets import QWidget

from keybundle.desktop.actions import attention


def local_files(data: QMimeData) -> list[Path]:
    """Return the files and folders of this machine that are carried."""
    return [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]


class FileDrop(QObject):
    """Lets a widget take files; ``take`` gets them and the place in the widget where they were dropped."""

    def __init__(self, widget: QWidget, take: Callable[[list[Path], QDropEvent], None]) -> None:
        super().__init__(widget)
        self._take = take
        widget.setAcceptDrops(True)
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QDropEvent) and event.type() == QEvent.Type.Drop:
            files = local_files(event.mimeData())
            if files:
                event.acceptProposedAction()
                with attention.asking():
                    self._take(files, event)
                return True
        elif isinstance(event, QDragEnterEvent | QDragMoveEvent) and local_files(event.mimeData()):
            event.acceptProposedAction()
            return True
        return False
