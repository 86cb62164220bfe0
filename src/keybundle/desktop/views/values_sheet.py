"""A side sheet of values under a name, each in the editor of its field: what is wrong stands beside it, and is not kept."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import shiboken6
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFormLayout, QVBoxLayout, QWidget

from keybundle.desktop.presenters.asking import Asked, Found, ValueHelp
from keybundle.desktop.views.calm import Button, Line
from keybundle.desktop.views.side_sheet import WIDE_PX, Sheet
from keybundle.desktop.views.told import Told
from keybundle.desktop.views.value_editor import ValueEditor
from keybundle.desktop.words import tr


class ValuesSheet(Sheet):
    """``answered`` carries the name and the texts by field; empty ones are left out."""

    answered = Signal(str, object)

    def __init__(
        self, title: str, head: str, fields: Sequence[Asked], values: Mapping[str, str], helper: ValueHelp, *,
        name: str = "", of: str = "",
    ) -> None:  # fmt: skip
        super().__init__(title, head, of=of, width_px=WIDE_PX)
        self._help = helper
        self.name = Line(name)
        self.name.setAccessibleName(tr("Its name"))
        self.editors: dict[str, ValueEditor] = {}
        self.problems: dict[str, Told] = {}
        form = QFormLayout()
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)
        form.addRow(tr("Its name"), self.name)
        for asked in fields:
            form.addRow(asked.label, self._row(asked, values.get(asked.field, "")))
        self.keep = Button(tr("Keep   Enter"))
        self.keep.setProperty("role", "main")
        self.keep.clicked.connect(self._keep)
        self.name.returnPressed.connect(self._keep)
        self.body.addLayout(form)
        self.body.addWidget(self.keep, alignment=Qt.AlignmentFlag.AlignRight)
        self.body.addStretch(1)

    def _row(self, asked: Asked, text: str) -> QWidget:
        editor, problem = ValueEditor(), Told()
        editor.fill(asked)
        editor.stands = text
        editor.setText(text)
        editor.setCursorPosition(0)
        problem.setProperty("role", "problem")
        problem.setWordWrap(True)
        problem.hide()
        self.editors[asked.field], self.problems[asked.field] = editor, problem

        def offer(typed: str, found: Found) -> None:
            if shiboken6.isValid(editor):
                editor.offer(typed, found)

        def told(checked: str, said: str) -> None:
            if shiboken6.isValid(editor) and editor.text() == checked:
                problem.setText(said)
                problem.setVisible(bool(said))

        def check() -> None:
            typed = editor.text()
            self._help.check(asked, typed, lambda said: told(typed, said))

        editor.asked.connect(lambda typed: self._help.complete(asked, typed, lambda found: offer(typed, found)))
        editor.editingFinished.connect(check)
        row = QWidget()
        column = QVBoxLayout(row)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(editor)
        column.addWidget(problem)
        return row

    def first(self) -> QWidget:
        return self.name

    def _keep(self) -> None:
        texts = {field: editor.text().strip() for field, editor in self.editors.items()}
        self.answered.emit(self.name.text().strip(), {field: text for field, text in texts.items() if text})
