"""The options of the next scans under a routine: what is in force, what may be changed, what the routine locks."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFormLayout, QLabel, QWidget

from keybundle.desktop.presenters.work_state import ScanChoice
from keybundle.desktop.views.calm import Button, CodeChoice
from keybundle.desktop.views.side_sheet import Sheet
from keybundle.desktop.words import tr


class ScanOptionsSheet(Sheet):
    """Says what was chosen; nothing is kept in the routine."""

    changed = Signal(str, str)
    cleared = Signal()

    def __init__(self, routine: str) -> None:
        super().__init__(
            tr("Scan options: {routine}", routine=routine),
            tr("They hold for scans under this routine until the program is closed. The routine stays as it is."),
        )
        self.boxes: dict[str, CodeChoice] = {}
        self.form = QFormLayout()
        self.clear = Button(tr("As the routine has it"))
        self.clear.clicked.connect(self.cleared.emit)
        self.body.addLayout(self.form)
        self.body.addWidget(self.clear, alignment=Qt.AlignmentFlag.AlignLeft)
        self.body.addStretch(1)

    def first(self) -> QWidget:
        return next((box for box in self.boxes.values() if box.isEnabled()), self.clear)

    def render_choices(self, choices: tuple[ScanChoice, ...]) -> None:
        """Show the options."""
        for choice in choices:
            box = self.boxes.get(choice.name) or self._make(choice)
            box.set_codes(choice.choices)
            box.show_code(choice.value)
            box.setEnabled(choice.can_change)
            why = (
                tr("Locked by the routine")
                if choice.is_locked
                else ""
                if choice.can_change
                else tr("The scanner has only this")
            )
            box.setToolTip(why)
            label = self.form.labelForField(box)
            if isinstance(label, QLabel):
                label.setText(tr(choice.label) + (f" ({why.lower()})" if why else ""))

    def _make(self, choice: ScanChoice) -> CodeChoice:
        box = CodeChoice()
        box.setAccessibleName(tr(choice.label))
        box.code_chosen.connect(lambda code, n=choice.name: self.changed.emit(n, code))
        self.boxes[choice.name] = box
        self.form.addRow(tr(choice.label), box)
        return box
