"""Sending in four lines: what, as, with, to. Beside them the first page as it goes out."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PySide6.QtCore import QStandardPaths, Qt
from PySide6.QtGui import QKeySequence, QPixmap, QShortcut
from PySide6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from keybundle.core.export.forms import AS_PACKAGE, FORMS
from keybundle.desktop.presenters.send_request import FOLDER, MAIL, PRINTER, Choices, SendRequest, SendState
from keybundle.desktop.views.calm import Button, Choice, Number
from keybundle.desktop.views.side_sheet import WIDE_PX, Sheet
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.words import mark, tr, worded

PICTURE_PX = 150
WAYS = ((FOLDER, mark("Folder")), (MAIL, mark("E-mail")), (PRINTER, mark("Printer")))


class SendSheet(Sheet):
    """Asks what a sending needs; Ctrl+Enter sends. It goes when all is sent, and stays where something is in the way."""

    def __init__(self, request: SendRequest) -> None:
        super().__init__(tr("Send"), width_px=WIDE_PX)
        self.request = request
        request.setParent(self)
        self._is_filling = True
        self._choices, self.way = Choices(), FOLDER
        self.what, self.example = Told(), Elided()
        self.what.setWordWrap(True)
        self.what.setStyleSheet("font-weight: 600;")
        self.example.setProperty("role", "value")
        self.problem = Told()
        self.problem.setProperty("role", "problem")
        self.problem.setWordWrap(True)
        self.form = Choice()
        self.form.setAccessibleName(tr("As"))
        for form in (*FORMS, AS_PACKAGE):
            self.form.addItem(worded(form.title), form.key)
        self.together = QCheckBox(tr("All in one file"))
        self.names = QLineEdit()
        self.names.setAccessibleName(tr("Names of the files"))
        self.names.setToolTip(
            tr("Fields in braces, and {caption}, {type}, {cabinet}, {number}, {filed}, {counter}, {source}")
        )
        self.folders = QCheckBox(tr("In folders as in the cabinet"))
        self.picture = QLabel()
        self.picture.setFixedSize(PICTURE_PX, int(PICTURE_PX * 1.42))
        self.picture.setProperty("role", "page")
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setAccessibleName(tr("The first page that goes out"))
        self._ways: dict[str, Button] = {}
        self.to = QVBoxLayout()
        self.parts: dict[str, QWidget] = {}
        self._build_ways()
        self.doing = Told()
        self.doing.setProperty("role", "quiet")
        self.stop = Button(tr("Stop"))
        self.stop.clicked.connect(request.stop)
        self.send = Button(tr("Send   Ctrl+Enter"))
        self.send.setProperty("role", "main")
        self.send.clicked.connect(self._send)
        self._build()
        for key in ("Ctrl+Return", "Ctrl+Enter"):
            short = QShortcut(QKeySequence(key), self)
            short.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            short.activated.connect(self._send)
        for signal in (
            self.form.currentIndexChanged,
            self.together.toggled,
            self.folders.toggled,
            self.names.textEdited,
        ):
            signal.connect(lambda *_: self._look())
        request.changed.connect(self.render_state)
        request.chosen.connect(self.render_choices)
        request.ended.connect(self._on_ended)

    def _build_ways(self) -> None:
        self.folder = QLineEdit()
        self.folder.setAccessibleName(tr("Folder"))
        self.folder.setPlaceholderText(tr("Folder to write into"))
        choose = Button(tr("Choose..."))
        choose.clicked.connect(self._choose_folder)
        self.parts[FOLDER] = _row(self.folder, choose)
        self.address, self.subject, self.text = QLineEdit(), QLineEdit(), QPlainTextEdit()
        self.address.setPlaceholderText(tr("name@place.example, and more after a comma"))
        self.address.setAccessibleName(tr("Addresses"))
        self.subject.setAccessibleName(tr("Subject"))
        self.subject.setPlaceholderText(tr("Subject"))
        self.text.setAccessibleName(tr("Words that go along"))
        self.text.setPlaceholderText(tr("Words that go along"))
        self.text.setTabChangesFocus(True)
        self.text.setMaximumHeight(110)
        self.address.textEdited.connect(partial(self.request.type, "to"))
        self.subject.textEdited.connect(partial(self.request.type, "subject"))
        self.text.textChanged.connect(self._type_text)
        self.by = Told()
        self.by.setProperty("role", "quiet")
        self.by.setWordWrap(True)
        mail = QWidget()
        layout = QVBoxLayout(mail)
        layout.setContentsMargins(0, 0, 0, 0)
        for part in (self.address, self.subject, self.text, self.by):
            layout.addWidget(part)
        self.parts[MAIL] = mail
        self.printer = Choice()
        self.printer.setAccessibleName(tr("Printer"))
        self.copies = Number()
        self.copies.setRange(1, 99)
        self.copies.setSuffix(tr(" copies"))
        self.copies.setAccessibleName(tr("Copies"))
        self.both_sides = QCheckBox(tr("Both sides"))
        self.into = QLineEdit()
        self.into.setPlaceholderText(tr("PDF file to print into"))
        self.into.setAccessibleName(tr("PDF file to print into"))
        choose_file = Button(tr("Choose..."))
        choose_file.clicked.connect(self._choose_file)
        self._into = _row(self.into, choose_file)
        self.printer.currentIndexChanged.connect(lambda _: self._show_printer())
        paper = QWidget()
        layout = QVBoxLayout(paper)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(_row(self.printer, self.copies, self.both_sides))
        layout.addWidget(self._into)
        self.parts[PRINTER] = paper
        for way in self.parts.values():
            self.to.addWidget(way)

    def _build(self) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(10)
        grid.setColumnStretch(1, 1)
        ways = QHBoxLayout()
        for way, title in ((w, tr(said)) for w, said in WAYS):
            button = Button(title)
            button.setCheckable(True)
            button.setProperty("role", "place")
            button.clicked.connect(lambda _=False, w=way: self.choose_way(w))
            self._ways[way] = button
            ways.addWidget(button)
        ways.addStretch(1)
        named = QVBoxLayout()
        named.addWidget(self.names)
        named.addWidget(self.example)
        named.addWidget(self.folders)
        formed = QVBoxLayout()
        formed.addWidget(self.form)
        formed.addWidget(self.together)
        lines: tuple[tuple[str, QWidget | QVBoxLayout | QHBoxLayout], ...] = (
            (tr("What"), self.what), (tr("As"), formed), (tr("With"), named), (tr("To"), ways), ("", self.to),
        )  # fmt: skip
        for i, (name, part) in enumerate(lines):
            head = Told(name)
            head.setProperty("role", "section")
            grid.addWidget(head, i, 0, Qt.AlignmentFlag.AlignTop)
            if isinstance(part, QWidget):
                grid.addWidget(part, i, 1, Qt.AlignmentFlag.AlignTop)
            else:
                grid.addLayout(part, i, 1)
        upper = QHBoxLayout()
        upper.addLayout(grid, 1)
        upper.addWidget(self.picture, 0, Qt.AlignmentFlag.AlignTop)
        self.body.addLayout(upper)
        self.body.addWidget(self.problem)
        self.body.addStretch(1)
        foot = QHBoxLayout()
        foot.addWidget(self.doing, 1)
        foot.addWidget(self.stop)
        foot.addWidget(self.send)
        self.body.addLayout(foot)
        self.stop.hide()

    def first(self) -> QWidget:
        return self.send

    def choose_way(self, way: str) -> None:
        """Send into a folder, by mail, or to a printer."""
        self.way = way
        for other, button in self._ways.items():
            button.setChecked(other == way)
            self.parts[other].setVisible(other == way)
        for part in (self.form, self.together, self.names, self.folders):
            part.setEnabled(way != PRINTER)
        self.folders.setVisible(way == FOLDER)
        if way == PRINTER and not self.printer.count():
            from keybundle.desktop.presenters.printing import printers

            self.printer.addItems(printers())
            self.printer.setCurrentText(self._choices.printer)
        self._show_printer()

    def _show_printer(self) -> None:
        is_last = self.printer.currentIndex() == self.printer.count() - 1
        self._into.setVisible(is_last)
        self.copies.setEnabled(not is_last)
        self.both_sides.setEnabled(not is_last)

    def render_choices(self, choices: Choices) -> None:
        """Show what was chosen last."""
        self._is_filling, self._choices = True, choices
        self.form.setCurrentIndex(max(0, self.form.findData(choices.wish.form)))
        self.together.setChecked(choices.wish.together)
        self.names.setText(choices.wish.names)
        self.folders.setChecked(choices.wish.folders)
        self.folder.setText(choices.folder)
        self.address.setText(choices.to)
        self.subject.setText(choices.subject)
        self.text.setPlainText(choices.text)
        self.into.setText(choices.into)
        self.copies.setValue(choices.copies)
        self.both_sides.setChecked(choices.both_sides)
        self.choose_way(choices.way)
        self._is_filling = False
        self._look()
        if not any(line.text() for line in (self.folder, self.address, self.into)):
            self.folder.setText(QStandardPaths.writableLocation(QStandardPaths.StandardLocation.DocumentsLocation))
        {FOLDER: self.folder, MAIL: self.address, PRINTER: self.printer}[self.way].setFocus()

    def render_state(self, state: SendState) -> None:
        """Show what would go out, and how far it is."""
        self.what.setText("\n".join(filter(None, [state.named, state.told])))
        self.of.setText(state.named or state.told)  # what it is called while it waits elsewhere
        self.example.setText(tr("such as  {example}", example=state.example) if state.example else "")
        self.problem.setText(state.problem)
        self.doing.setText(state.doing)
        self.stop.setVisible(bool(state.doing))
        if state.doing and self.send.hasFocus():
            self.stop.setFocus()
        self.send.setEnabled(bool(state.ids) and not state.problem and not state.doing)
        self.by.setText(
            tr("Handed in at {by_server}", by_server=state.by_server)
            if state.by_server
            else tr("Opens in your own mail program, ready to send")
        )
        if state.picture:
            size, keep = self.picture.contentsRect().size(), Qt.AspectRatioMode.KeepAspectRatio
            smooth = Qt.TransformationMode.SmoothTransformation
            self.picture.setPixmap(QPixmap(state.picture).scaled(size, keep, smooth))

    def _look(self) -> None:
        if not self._is_filling:
            self.request.look(self.choices().wish)

    def _type_text(self) -> None:
        if not self._is_filling:
            self.request.type("text", self.text.toPlainText())

    def leave(self) -> None:
        """Go, and let go of what was typed for a message."""
        self.request.let_go()
        super().leave()

    def choices(self) -> Choices:
        """Return what is chosen."""
        wish = replace(
            self._choices.wish, form=str(self.form.currentData()), together=self.together.isChecked(),
            names=self.names.text(), folders=self.folders.isChecked() and self.way == FOLDER,
        )  # fmt: skip
        return Choices(
            wish, self.way, self.folder.text(), self.address.text(), self.subject.text(), self.text.toPlainText(),
            self.printer.currentText() or self._choices.printer, self.into.text(), self.copies.value(),
            self.both_sides.isChecked(),
        )  # fmt: skip

    def _send(self) -> None:
        if self.send.isEnabled():
            self.request.send(self.choices())

    def _on_ended(self, is_good: bool) -> None:
        if is_good:
            self.end()

    def _choose_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, tr("Folder to write into"), self.folder.text())
        if chosen:
            self.folder.setText(chosen)

    def _choose_file(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self, tr("PDF file to print into"), self.into.text(), tr("PDF (*.pdf)"))
        if chosen:
            self.into.setText(chosen)


def _row(*parts: QWidget) -> QWidget:
    row = QWidget()
    layout = QHBoxLayout(row)
    layout.setContentsMargins(0, 0, 0, 0)
    for i, part in enumerate(parts):
        layout.addWidget(part, 1 if i == 0 else 0)
    return row
