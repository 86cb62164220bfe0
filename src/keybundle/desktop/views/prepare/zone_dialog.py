"""A page to point at: a zone is drawn on it, or a barcode on it is chosen."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QVBoxLayout, QWidget

from keybundle.core.base.boxes import Box
from keybundle.desktop.presenters.bench_state import PageShown
from keybundle.desktop.presenters.prepare.routines import PointedBarcode
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.page_view import PageView
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr


class ZoneDialog(QDialog):
    """``zone_drawn`` carries a box in px of the shown page, ``barcode_chosen`` a barcode on it."""

    zone_drawn = Signal(object, object)
    barcode_chosen = Signal(object, object)
    page_asked = Signal(int)

    def __init__(self, told: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Point at the page"))
        self.resize(760, 900)
        self._shown: PageShown | None = None
        self._barcodes: tuple[PointedBarcode, ...] = ()
        self.page = PageView()
        self.page.tool = self.page.framing
        self.page.zoom(0)
        self.page.setCursor(Qt.CursorShape.CrossCursor)
        self.page.area_framed.connect(self._draw)
        self.page.turned_page.connect(self.page_asked)
        self.barcodes = QListWidget()
        self.barcodes.setAccessibleName(tr("Barcodes on this page"))
        self.barcodes.setMaximumHeight(76)
        self.barcodes.itemActivated.connect(lambda _: self._choose())
        self.barcodes.itemClicked.connect(lambda _: self._choose())
        words = Told(told)
        words.setWordWrap(True)
        row = QHBoxLayout()
        for text, key, offset in ((tr("Page before   PgUp"), "PgUp", -1), (tr("Next page   PgDown"), "PgDown", 1)):
            button = Button(text)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, o=offset: self.page_asked.emit(o))
            QShortcut(QKeySequence(key), self).activated.connect(button.click)
            row.addWidget(button)
        row.addStretch(1)
        close = Button(tr("Close"))
        close.setAutoDefault(False)
        close.clicked.connect(self.accept)
        row.addWidget(close)
        layout = QVBoxLayout(self)
        layout.addWidget(words)
        layout.addWidget(self.page, 1)
        layout.addWidget(self.barcodes)
        layout.addLayout(row)

    def render_page(self, shown: PageShown, barcodes: tuple[PointedBarcode, ...]) -> None:
        """Show a page with the barcodes found on it."""
        self._shown, self._barcodes = shown, barcodes
        self.page.render_page(shown)
        self.barcodes.clear()
        self.barcodes.addItems([f"{b.format}: {b.text}" for b in barcodes])
        self.barcodes.setVisible(bool(barcodes))

    def _draw(self, box: Box) -> None:
        self.zone_drawn.emit(self._shown, box)

    def _choose(self) -> None:
        row = self.barcodes.currentRow()
        if 0 <= row < len(self._barcodes):
            self.barcode_chosen.emit(self._shown, self._barcodes[row])
