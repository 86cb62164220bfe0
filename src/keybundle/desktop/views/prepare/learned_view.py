"""What was learned from filed documents, and whether confidences mean what they say."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keybundle.desktop.presenters.prepare.learned import LearnedPresenter, LearnedState
from keybundle.desktop.theme import colours as c
from keybundle.desktop.theme.style import interface_font
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr, worded

LEFT, BOTTOM, EDGE = 64, 56, 16


class ReliabilityPlot(QWidget):
    """Confidence against the share that came out right: a bar for each tenth, its width the share of the values."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._state = LearnedState()
        self.setMinimumSize(360, 300)
        self.setAccessibleName(tr("Reliability plot"))

    def sizeHint(self) -> QSize:
        return QSize(460, 360)

    def render_state(self, state: LearnedState) -> None:
        """Show a state."""
        self._state = state
        told = "; ".join(
            tr("around {mean:.0%}: {right:.0%} of {count} right", mean=b.mean, right=b.right, count=b.count)
            for b in state.bins
        )
        self.setAccessibleDescription(told)
        self.setToolTip(told.replace("; ", "\n"))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(LEFT, EDGE, self.width() - LEFT - EDGE, self.height() - BOTTOM - EDGE)
        painter.fillRect(area, QColor(c.CARD))
        painter.setFont(interface_font(12))
        for i in range(0, 11, 2):
            x, y = area.left() + area.width() * i / 10, area.bottom() - area.height() * i / 10
            painter.setPen(QColor(c.HAIRLINE))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.setPen(QColor(c.QUIET))
            painter.drawText(QRectF(0, y - 9, LEFT - 8, 18), Qt.AlignmentFlag.AlignRight, f"{i * 10} %")
            painter.drawText(QRectF(x - 24, area.bottom() + 4, 48, 18), Qt.AlignmentFlag.AlignCenter, f"{i * 10} %")
        painter.drawText(
            QRectF(area.left(), area.bottom() + 26, area.width(), 20),
            Qt.AlignmentFlag.AlignCenter,
            tr("confidence as scored"),
        )
        painter.drawText(QRectF(LEFT + 8, EDGE + 4, 200, 18), Qt.AlignmentFlag.AlignLeft, tr("came out right"))
        if not self._state.bins:
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, tr("Nothing was confirmed yet."))
            return
        self._paint_bins(painter, area)

    def _paint_bins(self, painter: QPainter, area: QRectF) -> None:
        most = max(b.count for b in self._state.bins)
        for b in self._state.bins:
            width = max(3.0, area.width() / 10 * 0.86 * b.count / most)
            middle = area.left() + area.width() * (b.low + b.high) / 2
            bar = QRectF(middle - width / 2, area.bottom() - area.height() * b.right, width, area.height() * b.right)
            painter.fillRect(bar, QColor(c.SLATE_WASH))
            painter.setPen(QPen(QColor(c.SLATE), 2))
            painter.drawLine(bar.topLeft(), bar.topRight())
            painter.setPen(QColor(c.QUIET))
            painter.drawText(QRectF(middle - 30, bar.top() + 3, 60, 16), Qt.AlignmentFlag.AlignCenter, f"{b.count:,}")
        painter.setPen(QPen(QColor(c.QUIET), 1, Qt.PenStyle.DashLine))
        painter.drawLine(area.bottomLeft(), area.topRight())
        painter.setPen(QPen(QColor(c.TEAL), 2.5))
        points = [
            QPointF(area.left() + area.width() * x, area.bottom() - area.height() * y) for x, y in self._state.curve
        ]
        if len(points) > 1:
            painter.drawPolyline(points)


class LearnedView(QWidget):
    """Both, side by side."""

    def __init__(self, presenter: LearnedPresenter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.presenter = presenter
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setAccessibleName(tr("Labels learned by type"))
        self.documents = QListWidget()
        self.documents.setAccessibleName(tr("Documents that taught something"))
        self.documents.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.forget = Button(tr("Forget the chosen"))
        self.forget.clicked.connect(self._forget)
        self.export = Button(tr("Export"))
        self.export.clicked.connect(self._export)
        self.plot = ReliabilityPlot()
        self.told = Told()
        self.told.setProperty("role", "head")
        self.told.setWordWrap(True)
        self.claims = Told()
        self.claims.setWordWrap(True)
        self.claims.setAccessibleName(tr("What each routine's bar promises"))
        buttons = QHBoxLayout()
        buttons.addWidget(self.forget)
        buttons.addWidget(self.export)
        buttons.addStretch(1)
        left, right = QVBoxLayout(), QVBoxLayout()
        for layout, title, parts in (
            (left, tr("What filed documents taught"), (self.tree, self.documents)),
            (right, tr("Does confidence mean what it says?"), (self.told, self.plot, self.claims)),
        ):  # fmt: skip
            head = Told(title)
            head.setProperty("role", "section")
            layout.addWidget(head)
            for part in parts:
                layout.addWidget(part, 0 if isinstance(part, QLabel) else 1)
        left.addLayout(buttons)
        both = QHBoxLayout(self)
        both.setContentsMargins(0, 0, 0, 0)
        both.setSpacing(16)
        both.addLayout(left, 1)
        both.addLayout(right, 1)
        presenter.changed.connect(self.render_state)

    def render_state(self, state: LearnedState) -> None:
        """Show a state."""
        self.tree.clear()
        for told, labels in state.types:
            item = QTreeWidgetItem([told])
            item.addChildren([QTreeWidgetItem([x]) for x in labels])
            self.tree.addTopLevelItem(item)
        if not state.types:
            self.tree.addTopLevelItem(
                QTreeWidgetItem([tr("Nothing was learned yet; every filed document teaches something.")])
            )
        self.documents.clear()
        self.documents.addItems([told for _, told in state.documents])
        self.plot.render_state(state)
        self.told.setText(state.told)
        self.claims.setText("\n".join(f"{name}: {worded(said)}" for name, said in state.claims))

    def _forget(self) -> None:
        rows = sorted(self.documents.row(i) for i in self.documents.selectedItems())
        if rows:
            self.presenter.forget([self.presenter.state.documents[r][0] for r in rows])

    def _export(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, tr("Export what was learned"), "learned.json", tr("JSON (*.json)"))
        if name:
            self.presenter.export(Path(name))

    def focus_first(self) -> None:
        """Give the list the focus."""
        self.tree.setFocus()

    def rest(self) -> None:
        """Ask for nothing more while another page is in front."""

    def verbs(self) -> Mapping[str, Callable[[], Any]]:
        """Return what the place's commands do here."""
        return {"prepare.editor": self.focus_first}
