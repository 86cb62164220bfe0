"""The part of a routine's card that says where each filed document is written as well, in which form, under which name."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QFileDialog, QFormLayout, QLineEdit

from keybundle.core.export.forms import FORMS
from keybundle.core.setup.routines import Copies
from keybundle.desktop.views.calm import Button, Choice
from keybundle.desktop.words import mark, tr, worded

LINES = (
    ("folder", mark("Copies go to"), mark("a folder; empty: no copies")),
    ("names", mark("Copies named"), mark("such as {Supplier} {Bill number}")),
    ("sub_folders", mark("In sub-folders"), mark("such as {Year}/{Supplier}; empty: none")),
)  # fmt: skip


class CopiesForm:
    """Adds its lines to a form; ``change`` is told a part's name and its new value."""

    def __init__(self, form: QFormLayout, change: Callable[[str, object], None]) -> None:
        self.lines: dict[str, QLineEdit] = {}
        self._change = change
        self.form = Choice()
        self.form.setAccessibleName(tr("Form of the copies"))
        for known in FORMS:
            self.form.addItem(worded(known.title), known.key)
        self.form.activated.connect(lambda _: change("form", self.form.currentData()))
        for name, label, hint in ((n, tr(a), tr(b)) for n, a, b in LINES):
            line = self.lines[name] = QLineEdit()
            line.setPlaceholderText(hint)
            line.setAccessibleName(label)
            line.editingFinished.connect(lambda n=name: change(n, self.lines[n].text().strip()))
            form.addRow(label, line)
            if name == "folder":
                choose = Button(tr("Choose a folder"))
                choose.clicked.connect(self._choose)
                form.addRow("", choose)
                form.addRow(tr("Copies as"), self.form)

    def _choose(self) -> None:
        line = self.lines["folder"]
        chosen = QFileDialog.getExistingDirectory(line, tr("Folder for copies"), line.text())
        if chosen:
            self._change("folder", chosen)

    def render_copies(self, copies: Copies) -> None:
        """Show what is set; what is just being typed is left alone."""
        for name, line in self.lines.items():
            if not line.hasFocus():
                line.setText(str(getattr(copies, name)))
            line.setEnabled(name == "folder" or bool(copies.folder))
        self.form.setCurrentIndex(self.form.findData(copies.form))
        self.form.setEnabled(bool(copies.folder))
