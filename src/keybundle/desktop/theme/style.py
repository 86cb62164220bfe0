"""Type, style sheet and icons of the application."""

from __future__ import annotations

import functools
from importlib.resources import files

from PySide6.QtCore import QByteArray, QRect, QSize, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap, QPixmapCache
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication

from keybundle.desktop.theme import colours as c

INTERFACE = "Atkinson Hyperlegible Next"
VALUES = "Atkinson Hyperlegible Mono"
THUMBNAILS_KB = 64 * 1024
FOCUS_PX = 3
SIGN = {
    "reading": "hourglass",
    "to check": "warning",
    "ready": "check",
    "filed": "archive",
    "set aside": "pause-circle",
    "being filed": "tray",
}
ORIGIN_SIGN = {
    "page": "file-text", "register": "book-open", "separator sheet": "scissors", "typed": "keyboard",
    "lifted": "text-aa", "default": "gear", "folder": "folder", "derived": "link-simple", "barcode": "barcode",
    "carried over": "copy", "starter": "list-checks", "file name": "tray", "file property": "note",
    "today": "calendar-blank",
}  # fmt: skip

_ICONS = str(files("keybundle.desktop.theme").joinpath("icons"))
SHEET = f"""
QWidget#window, QWidget#place, QDialog {{ background: {c.PAPER}; }}
QLabel[role="quiet"] {{ color: {c.QUIET}; }}
QLabel[role="head"] {{ font-size: 20px; font-weight: 600; }}
QLabel[role="section"] {{ font-size: 13px; font-weight: 600; color: {c.QUIET}; }}
QLabel[role="figure"] {{ font-size: 24px; font-weight: 600; }}
QLabel[role="page"] {{ background: {c.CARD}; border: 1px solid {c.HAIRLINE}; }}
QLabel[role="problem"] {{ color: {c.MADDER}; }}
QLabel[role="value"], QLineEdit[role="value"] {{ font-family: "{VALUES}"; }}
QFrame#bar {{ background: {c.CARD}; border-bottom: 1px solid {c.HAIRLINE}; }}
QFrame#foot {{ background: {c.CARD}; border-top: 1px solid {c.HAIRLINE}; }}
QFrame[role="card"] {{ background: {c.CARD}; border: 1px solid {c.HAIRLINE}; border-radius: 4px; }}
QFrame[role="sheet"] {{ background: {c.CARD}; border: 1px solid {c.HAIRLINE}; border-left: 3px solid {c.TEAL}; }}
QPushButton {{ background: {c.CARD}; border: 1px solid {c.EDGE}; border-radius: 4px; padding: 5px 12px; }}
QPushButton:hover {{ border-color: {c.TEAL}; }}
QPushButton:focus {{ border: 2px solid {c.TEAL}; padding: 4px 11px; }}
QPushButton:disabled {{ color: {c.QUIET}; background: {c.PAPER}; }}
QPushButton[role="main"] {{ background: {c.TEAL}; color: {c.CARD}; border-color: {c.TEAL}; font-weight: 600; }}
QPushButton[role="main"]:disabled {{ background: {c.SHADE}; color: {c.QUIET}; border-color: {c.HAIRLINE}; }}
QPushButton[role="place"] {{ background: transparent; border: none; border-bottom: 3px solid transparent;
  border-radius: 0; padding: 9px 14px 6px 14px; font-weight: 600; color: {c.QUIET}; }}
QPushButton[role="place"]:checked {{ color: {c.INK}; border-bottom: 3px solid {c.TEAL}; }}
QPushButton[role="place"]:focus {{ background: {c.TEAL_WASH}; }}
QPushButton[role="link"] {{ background: transparent; border: none; color: {c.TEAL}; padding: 2px 4px; text-align: left; }}
QPushButton[role="link"]:focus {{ background: {c.TEAL_WASH}; }}
QLineEdit, QComboBox {{ background: {c.CARD}; border: 1px solid {c.EDGE}; border-radius: 3px; padding: 4px 6px;
  selection-background-color: {c.SLATE}; selection-color: {c.CARD}; }}
QLineEdit:focus, QComboBox:focus {{ border: 2px solid {c.TEAL}; padding: 3px 5px; }}
QLineEdit[unsure="true"] {{ border-bottom: 2px solid {c.BRASS}; background: {c.BRASS_WASH}; }}
QLineEdit[unsure="true"]:focus {{ border: 2px solid {c.BRASS}; }}
QAbstractSpinBox {{ background: {c.CARD}; border: 1px solid {c.EDGE}; border-radius: 3px; padding: 4px 6px; }}
QAbstractSpinBox:focus {{ border: 2px solid {c.TEAL}; padding: 3px 5px; }}
QAbstractSpinBox:disabled {{ color: {c.QUIET}; }}
QAbstractSpinBox::up-button, QAbstractSpinBox::down-button {{ border: none; width: 20px; }}
QAbstractSpinBox::up-arrow {{ image: url({_ICONS}/caret-up.svg); width: 10px; height: 10px; }}
QAbstractSpinBox::down-arrow {{ image: url({_ICONS}/caret-down.svg); width: 10px; height: 10px; }}
QComboBox::drop-down {{ border: none; width: 24px; }}
QComboBox::down-arrow {{ image: url({_ICONS}/caret-down.svg); width: 14px; height: 14px; }}
QTableView::item {{ padding: 2px 6px; }}
QListView, QTableView, QTreeView {{ background: {c.CARD}; border: 1px solid {c.EDGE}; outline: none;
  selection-background-color: {c.SLATE_WASH}; selection-color: {c.INK}; alternate-background-color: {c.PAPER}; }}
QListView::item {{ padding: 5px 6px; }}
QListView::item:selected, QTableView::item:selected {{ background: {c.SLATE_WASH}; color: {c.INK}; }}
QListView:focus, QTableView:focus, QTreeView:focus, QAbstractScrollArea:focus, QPlainTextEdit:focus {{
  border: 2px solid {c.TEAL}; }}
QHeaderView::section {{ background: {c.PAPER}; border: none; border-bottom: 1px solid {c.HAIRLINE};
  padding: 5px 6px; font-weight: 600; color: {c.QUIET}; }}
QScrollBar:vertical {{ background: transparent; width: 10px; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; }}
QScrollBar::handle {{ background: {c.EDGE}; border-radius: 4px; min-width: 30px; min-height: 30px; }}
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none; border: none;
  width: 0; height: 0; }}
QScrollArea {{ border: none; background: transparent; }}
QSplitter::handle {{ background: {c.HAIRLINE}; }}
QProgressBar {{ border: 1px solid {c.HAIRLINE}; border-radius: 3px; background: {c.CARD}; max-height: 8px; }}
QProgressBar::chunk {{ background: {c.TEAL}; }}
QToolTip {{ background: {c.INK}; color: {c.PAPER}; border: none; padding: 4px; }}
"""


def apply_theme(app: QApplication) -> None:
    """Give the application its type, colours and style sheet."""
    faces = (files("keybundle.desktop.theme") / "fonts", files("keybundle.core.formats") / "faces")
    for file in (f for place in faces for f in place.iterdir()):
        if file.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(QByteArray(file.read_bytes()))
    app.setStyle("Fusion")
    QPixmapCache.setCacheLimit(THUMBNAILS_KB)
    font = QFont(INTERFACE)
    font.setPixelSize(14)
    app.setFont(font)
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, c.PAPER), (QPalette.ColorRole.Base, c.CARD), (QPalette.ColorRole.Text, c.INK),
        (QPalette.ColorRole.WindowText, c.INK), (QPalette.ColorRole.Highlight, c.SLATE),
        (QPalette.ColorRole.HighlightedText, c.CARD), (QPalette.ColorRole.ButtonText, c.INK),
        (QPalette.ColorRole.PlaceholderText, c.QUIET), (QPalette.ColorRole.Button, c.CARD),
    ):  # fmt: skip
        palette.setColor(role, QColor(colour))
    for role in (QPalette.ColorRole.Text, QPalette.ColorRole.WindowText, QPalette.ColorRole.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(c.QUIET))
    app.setPalette(palette)
    app.setStyleSheet(SHEET)


def value_font(size_px: int = 14) -> QFont:
    """Return the monospaced face for values."""
    font = QFont(VALUES)
    font.setPixelSize(size_px)
    return font


def interface_font(size_px: int = 13, *, bold: bool = False) -> QFont:
    """Return the interface face."""
    font = QFont(INTERFACE)
    font.setPixelSize(size_px)
    if bold:
        font.setWeight(QFont.Weight.DemiBold)
    return font


@functools.lru_cache(maxsize=256)
def icon_pixmap(name: str, colour: str = c.INK, size_px: int = 16) -> QPixmap:
    """Return a shipped icon in a colour."""
    data = files("keybundle.desktop.theme").joinpath("icons", f"{name}.svg").read_bytes()
    renderer = QSvgRenderer(QByteArray(data.replace(b"currentColor", colour.encode())))
    pixmap = QPixmap(size_px * 2, size_px * 2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    renderer.render(painter)
    painter.end()
    pixmap.setDevicePixelRatio(2.0)
    return pixmap


def paint_focus(painter: QPainter, area: QRect) -> None:
    """Show that a painted view has the keyboard: a rule along its top and bottom."""
    for top in (area.top(), area.bottom() - FOCUS_PX + 1):
        painter.fillRect(area.left(), top, area.width(), FOCUS_PX, QColor(c.TEAL))


def icon(name: str, colour: str = c.INK, size_px: int = 18) -> QIcon:
    """Return a shipped icon for a button."""
    found = QIcon(icon_pixmap(name, colour, size_px))
    found.actualSize(QSize(size_px, size_px))
    return found
