"""Documents dragged out of a list, as PDF files, into whatever takes files: a file manager, a mail that is being written."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import field
from pathlib import Path

from PySide6.QtCore import QMimeData, Qt, QUrl
from PySide6.QtGui import QDrag
from PySide6.QtWidgets import QListWidget, QTableView, QWidget

from keybundle.core.base.records import dataclass
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import icon_pixmap
from keybundle.desktop.views.value_table import ValueTable


@dataclass
class Out:
    """What a list needs to let documents be dragged out: which are chosen, their files, and who is told that they were taken."""

    chosen: Callable[[], Sequence[str]] = lambda: ()
    make: Callable[[Sequence[str]], list[Path]] = lambda ids: []
    went: Callable[[], None] = lambda: None
    run: Callable[[QDrag], Qt.DropAction] = field(default=lambda drag: drag.exec(Qt.DropAction.CopyAction))

    def start(self, source: QWidget) -> None:
        """Begin to drag what is chosen; nothing happens where nothing can go."""
        ids = tuple(self.chosen())
        files = self.make(ids) if ids else []
        if not files:
            return
        mime = QMimeData()
        mime.setUrls([QUrl.fromLocalFile(str(f)) for f in files])
        drag = QDrag(source)
        drag.setMimeData(mime)
        drag.setPixmap(icon_pixmap("file-text", c.TEAL, 24))
        if self.run(drag) == Qt.DropAction.CopyAction:
            self.went()


class DragTable(ValueTable):
    """A table whose chosen rows can be dragged out."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.out = Out()
        self.setDragEnabled(True)
        self.setDragDropMode(QTableView.DragDropMode.DragOnly)

    def startDrag(self, actions: Qt.DropAction) -> None:
        self.out.start(self)


class DragList(QListWidget):
    """A list whose chosen entries can be dragged out."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.out = Out()
        self.load_all: Callable[[Callable[[], None]], None] = lambda then: then()  # before all entries are chosen
        self.setDragEnabled(True)
        self.setDragDropMode(QListWidget.DragDropMode.DragOnly)

    def selectAll(self) -> None:
        """Choose all that there is, also what was not loaded yet."""
        self.load_all(super().selectAll)

    def startDrag(self, actions: Qt.DropAction) -> None:
        self.out.start(self)
