"""The editor of a table's cell: its keys are its own, whatever they do in the place around it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

import shiboken6
from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QColor, QFont, QPainter
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from keybundle.desktop.models.documents import NOTHING, STANDS, DocumentsModel
from keybundle.desktop.presenters.asking import Asked, Found
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.value_editor import CellEditor

Ask = Callable[[QModelIndex | QPersistentModelIndex], Asked | None]


class Helper(Protocol):
    """What answers an editor: the type-ahead list of its field."""

    def complete(self, asked: Asked, typed: str, then: Callable[[Found], None]) -> None:
        """Ask for the list; ``then`` takes it."""


class CellDelegate(QStyledItemDelegate):
    """Opens a ``CellEditor`` in a cell, and strikes out the value that stands where another is to take its place.

    ``ask`` says what the editor must know of a cell's field, ``helper`` answers it. ``begun`` names the cell that somebody
    begins to type over: what they see then is what they change.
    """

    begun = Signal(object)

    def __init__(self, parent: QWidget, ask: Ask = lambda index: None, helper: Helper | None = None) -> None:
        super().__init__(parent)
        self._ask, self._helper = ask, helper

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        model = index.model()
        stands = index.data(STANDS) if isinstance(model, DocumentsModel) and model.has_drafts else None
        if stands is None:
            super().paint(painter, option, index)
            return
        own = QStyleOptionViewItem(option)
        self.initStyleOption(own, index)
        style = own.widget.style()
        margin = style.pixelMetric(QStyle.PixelMetric.PM_FocusFrameHMargin, None, own.widget) + 1
        area = style.subElementRect(QStyle.SubElement.SE_ItemViewItemText, own, own.widget)
        area.adjust(margin, 0, -margin, 0)
        colour = index.data(Qt.ItemDataRole.ForegroundRole) or QColor(c.BRASS)
        draft, own.text = index.data(Qt.ItemDataRole.EditRole), ""
        style.drawControl(QStyle.ControlElement.CE_ItemViewItem, own, painter, own.widget)
        painter.save()
        struck = QFont(own.font)
        struck.setStrikeOut(True)
        half = area.height() // 2
        for text, font, ink, part in (
            (stands, struck, c.QUIET, area.adjusted(0, 0, 0, -half)),
            (draft or NOTHING, own.font, colour, area.adjusted(0, half, 0, 0)),
        ):
            painter.setFont(font)
            painter.setPen(QColor(ink))
            shown = own.fontMetrics.elidedText(text, own.textElideMode, part.width())
            painter.drawText(part, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, shown)
        painter.restore()

    def createEditor(
        self, parent: QWidget, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> QWidget:
        self.begun.emit(index)
        editor = CellEditor(parent)
        editor.setFrame(False)
        asked = self._ask(index)
        editor.fill(asked)
        if asked is not None and self._helper is not None:
            editor.stands = str(index.data(Qt.ItemDataRole.EditRole) or "")
            editor.asked.connect(lambda typed: self._complete(editor, asked, typed))
        return editor

    def _complete(self, editor: CellEditor, asked: Asked, typed: str) -> None:
        def offer(found: Found) -> None:
            if shiboken6.isValid(editor):
                editor.offer(typed, found)

        assert self._helper is not None
        self._helper.complete(asked, typed, offer)

    def setEditorData(self, editor: QWidget, index: QModelIndex | QPersistentModelIndex) -> None:
        """Show the cell's text; what is being typed is never shown over."""
        if not (isinstance(editor, CellEditor) and editor.is_touched):
            super().setEditorData(editor, index)
