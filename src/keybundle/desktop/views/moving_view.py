"""Says how far a data directory is on its way to another place, and lets it be stopped; nothing else is open meanwhile."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QProgressBar, QVBoxLayout, QWidget

from keybundle.core.base.progress import Step
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr


class MovingView(QWidget):
    """``stopped`` when somebody wants the old place to stay."""

    stopped = Signal()

    def __init__(self, target: str) -> None:
        super().__init__()
        self.setObjectName("window")
        self.setWindowTitle(tr("Key Bundle: moving the data"))
        self.resize(520, 200)
        head, self.told = Told(tr("Moving the data to {target}", target=target)), Told(tr("Looking..."))
        head.setWordWrap(True)
        head.setProperty("role", "head")
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setAccessibleName(tr("How far it is"))
        stop = Button(tr("Stop; the old place stays"))
        stop.clicked.connect(self.stopped.emit)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 20, 24, 20)
        for part in (head, self.told, self.bar):
            layout.addWidget(part)
        layout.addWidget(stop, alignment=Qt.AlignmentFlag.AlignRight)

    def render_step(self, step: Step) -> None:
        """Show how far it is."""
        self.bar.setRange(0, step.total)
        self.bar.setValue(step.done)
        self.told.setText(tr("{done:,} of {total:,} files", done=step.done, total=step.total))
