"""A viewer in a window of its own: several stand side by side, each where it was left last."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Signal
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import QMainWindow

from keybundle.desktop.presenters.remembered import Remembered
from keybundle.desktop.presenters.viewer import ViewerState
from keybundle.desktop.views.remember import remember_zoom, restore_window
from keybundle.desktop.views.side_sheet import SheetEdge
from keybundle.desktop.views.told import Elided
from keybundle.desktop.views.viewer_view import Viewer
from keybundle.desktop.words import tr

PLACE = "viewer window"
STEP_PX = 28


class ViewerWindow(QMainWindow):
    """``closed`` is told once, with the window itself."""

    closed = Signal(object)

    def __init__(self, viewer: Viewer, remembered: Remembered, beside: int) -> None:
        super().__init__()
        self.viewer = viewer
        self._remembered = remembered
        self.setCentralWidget(viewer)
        self.edge = SheetEdge(viewer, viewer)
        self.message = Elided()
        self.statusBar().addWidget(self.message, 1)
        self.statusBar().setSizeGripEnabled(False)
        self.setMinimumSize(860, 560)
        self.resize(1180, 860)
        restore_window(self, remembered, PLACE)
        remember_zoom(viewer.page, remembered, "viewer zoom")
        if beside:
            self.move(self.pos() + QPoint(STEP_PX, STEP_PX) * (beside % 8))
        viewer.left.connect(self.close)
        viewer.sheet_asked.connect(self.edge.open)
        viewer.presenter.changed.connect(self._name)
        viewer.presenter.said.connect(self.message.setText)
        viewer.presenter.failed.connect(self.message.setText)

    def _name(self, state: ViewerState) -> None:
        if state.gone:
            self.edge.end()  # what is asked about it has no subject any more
        self.setWindowTitle(tr("{caption}: Key Bundle", caption=state.caption or tr("Document")))

    def closeEvent(self, event: QCloseEvent) -> None:
        self._remembered.put(PLACE, self.saveGeometry())
        self.closed.emit(self)
        super().closeEvent(event)
