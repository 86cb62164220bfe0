"""A new field of a document type: its name, its kind, and the register of a field that looks into one."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QFormLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from keybundle.core.fields.kinds import Kind
from keybundle.desktop.views.calm import Button, Choice, CodeChoice
from keybundle.desktop.words import tr

OFFERED = (Kind.TEXT, Kind.DATE, Kind.MONEY, Kind.WHOLE, Kind.DECIMAL, Kind.YES_NO, Kind.REGISTER)


class FieldDialog(QDialog):
    """``made`` carries name, kind and register; choices of a field are listed in the set-up file."""

    made = Signal(str, str, str)

    def __init__(self, type_name: str, registers: Sequence[str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("New field of {type_name}", type_name=type_name))
        self.setMinimumWidth(360)
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Name of the field"))
        self.kind = CodeChoice(kind.value for kind in OFFERED if kind is not Kind.REGISTER or registers)
        self.kind.setAccessibleName(tr("Kind of the field"))
        self.register_name = Choice()
        self.register_name.setAccessibleName(tr("Register"))
        self.register_name.addItems(list(registers))
        self.add = Button(tr("Add the field"))
        self.add.setDefault(True)
        self.add.setEnabled(False)
        self.add.clicked.connect(self._make)
        self.name.textChanged.connect(lambda text: self.add.setEnabled(bool(text.strip())))
        form = QFormLayout()
        form.addRow(tr("Name"), self.name)
        form.addRow(tr("Kind"), self.kind)
        form.addRow(tr("Register"), self.register_name)
        form.setRowVisible(self.register_name, False)
        self.kind.currentIndexChanged.connect(
            lambda _: form.setRowVisible(self.register_name, self.kind.code == Kind.REGISTER.value)
        )
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.add)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addLayout(buttons)

    def _make(self) -> None:
        register = self.register_name.currentText() if self.kind.code == Kind.REGISTER.value else ""
        self.made.emit(self.name.text(), self.kind.code, register)
        self.accept()
