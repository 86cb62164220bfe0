"""What the folders above imported files are mapped to, shown on the files before anything is taken in."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QComboBox, QFormLayout, QHBoxLayout, QTableWidget, QTableWidgetItem, QWidget

from keybundle.desktop.presenters.work_state import WHOLE, MappingAsked, map_levels
from keybundle.desktop.views.calm import Button, Choice
from keybundle.desktop.views.side_sheet import WIDE_PX, Sheet
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr, trn

NOTHING = "nothing"
SHOWN_FILES = 200


class MappingSheet(Sheet):
    """``mapped`` carries the field of each level that has one; ``left`` says that nothing is to be taken in."""

    mapped = Signal(object)
    left = Signal()

    def __init__(self, asked: MappingAsked) -> None:
        super().__init__(tr("Folders on the way in"), width_px=WIDE_PX)
        self._plan = asked.plan
        self._is_taken = False
        told = Told(
            tr(
                "{files} below {levels} of folders. A level can give its names to a field; the values "
                "stay marked until somebody confirms them.",
                files=trn("{n:,} file", "{n:,} files", len(asked.plan.files)),
                levels=trn("{n:,} level", "{n:,} levels", len(asked.plan.levels)),
            )
        )
        told.setWordWrap(True)
        form = QFormLayout()
        self.boxes: dict[int, QComboBox] = {}
        for level in asked.plan.levels:
            said = ", ".join(level.examples) + (", ..." if level.folders > len(level.examples) else "")
            form.addRow(tr("Level {number}: {said}", number=level.number + 1, said=said), self._box(level.number))
        form.addRow(tr("The whole path"), self._box(WHOLE))
        self.table = QTableWidget()
        self.table.setAccessibleName(tr("What would be taken in"))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)  # the buttons come after it
        take = Button(tr("Take in"))
        take.setProperty("role", "main")
        take.clicked.connect(self._take)
        leave = Button(tr("Do not import"))
        leave.clicked.connect(self.end)
        taken = QShortcut(QKeySequence(Qt.Key.Key_Return), self)
        taken.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        taken.activated.connect(self._take)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(leave)
        buttons.addWidget(take)
        self.take = take
        layout = self.body
        layout.addWidget(told)
        layout.addLayout(form)
        layout.addWidget(self.table, 1)
        layout.addLayout(buttons)
        self._show()

    def _box(self, level: int) -> QComboBox:
        box = Choice()
        box.setAccessibleName(tr("Whole path") if level == WHOLE else tr("Level {level}", level=level + 1))
        box.addItems([NOTHING, *self._plan.fields])
        box.currentTextChanged.connect(lambda _: self._show())
        self.boxes[level] = box
        return box

    def levels(self) -> dict[int, str]:
        """Return the field of each level that has one."""
        return {level: box.currentText() for level, box in self.boxes.items() if box.currentText() != NOTHING}

    def _show(self) -> None:
        levels = self.levels()
        fields = list(dict.fromkeys(levels.values()))
        heads = [tr("File"), *fields]
        files = self._plan.files[:SHOWN_FILES]
        self.table.setColumnCount(len(heads))
        self.table.setHorizontalHeaderLabels(heads)
        self.table.setRowCount(len(files))
        for i, file in enumerate(files):
            values = map_levels(file.tree, levels)
            for j, text in enumerate((file.tree, *(values.get(f, "") for f in fields))):
                self.table.setItem(i, j, QTableWidgetItem(text))
        self.table.resizeColumnsToContents()
        self.table.horizontalHeader().setStretchLastSection(True)

    def first(self) -> QWidget:
        return self.take

    def _take(self) -> None:
        self._is_taken = True
        self.mapped.emit(self.levels())
        self.end()

    def end(self) -> None:
        """Go; where nothing was taken in, that is told once."""
        if not self._is_taken:
            self._is_taken = True
            self.left.emit()
        super().end()
