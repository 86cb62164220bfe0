"""Document types: the caption with a live example, the key, and a table of what each field asks."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keybundle.core.setup.model import FieldSpec
from keybundle.desktop.presenters.bench_state import PageShown
from keybundle.desktop.presenters.types import TypesPresenter, TypesState
from keybundle.desktop.views.calm import Button, Choice
from keybundle.desktop.views.field_dialog import FieldDialog
from keybundle.desktop.views.kept_to import KeptToButton
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.views.zone_dialog import ZoneDialog
from keybundle.desktop.words import mark, tr

CHECKS = ("required", "carry")
TEXTS = ("default", "labels", "pattern", "low", "high", "file_property")
HEADS = (
    mark("Field"),
    mark("Kind"),
    mark("Required"),
    mark("Carried over"),
    mark("Default"),
    mark("Labels on paper"),
    mark("Pattern"),
    mark("Least"),
    mark("Greatest"),
    mark("File property"),
    mark("Zone"),
)
TOLD = mark(
    "Defaults: a fixed value, {today}, {received}, {operator}, {counter NAME} or {person "
    "FIELD}. Labels stand apart by commas."
)
RULES = {
    "words": (mark("Words like"), mark("a pattern that the words of a first page of this type hold")),
    "barcode": (mark("Barcode like"), mark("a pattern that a barcode on it fits")),
    "source": (mark("File like"), mark("a pattern that its file, with its folders, or its scanner fits")),
}


class TypesView(QWidget):
    """Shows and changes one type; every change is kept at once."""

    def __init__(self, presenter: TypesPresenter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.presenter = presenter
        self._state = TypesState()
        self._pointing: ZoneDialog | None = None
        self._filling = False
        self.names = QListWidget()
        self.names.setFixedWidth(170)
        self.names.setAccessibleName(tr("Document types"))
        self.names.currentTextChanged.connect(self._choose)
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Name of the type"))
        self.name.editingFinished.connect(lambda: presenter.change({"name": self.name.text().strip()}))
        self.caption = Choice()
        self.caption.setEditable(True)
        self.caption.setAccessibleName(tr("Caption pattern"))
        self.caption.editTextChanged.connect(presenter.try_caption)
        self.caption.activated.connect(lambda _: self._keep_caption())
        caption_line = self.caption.lineEdit()
        assert caption_line is not None
        caption_line.editingFinished.connect(self._keep_caption)
        self.example = Told()
        self.example.setAccessibleName(tr("Example of the caption"))
        self.example.setStyleSheet("font-size: 15px; font-weight: 600;")
        self.key = QLineEdit()
        self.key.setAccessibleName(tr("Key fields"))
        self.key.setPlaceholderText(tr("fields that tell one document from another, told apart by commas"))
        self.key.editingFinished.connect(lambda: presenter.change({"key": _split(self.key.text())}))
        self.words = QLineEdit()
        self.words.setAccessibleName(tr("Heading words"))
        self.words.setPlaceholderText(tr("words that head a page of this type, told apart by commas"))
        self.words.editingFinished.connect(lambda: presenter.change({"words": _split(self.words.text())}))
        self.rules: dict[str, QLineEdit] = {}
        for on, (label, hint) in ((n, (tr(a), tr(b))) for n, (a, b) in RULES.items()):
            line = self.rules[on] = QLineEdit()
            line.setAccessibleName(label)
            line.setPlaceholderText(hint)
            line.editingFinished.connect(lambda on=on, line=line: presenter.change_told(on, line.text().strip()))
        self.problem = Told()
        self.problem.setProperty("role", "problem")
        self.problem.setWordWrap(True)
        self.table = QTableWidget()
        self.table.setAccessibleName(tr("Fields"))
        self.table.setColumnCount(len(HEADS))
        self.table.setHorizontalHeaderLabels([tr(head) for head in HEADS])
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.table.verticalHeader().hide()
        self.table.itemChanged.connect(self._changed)
        told = Told(tr(TOLD))
        told.setProperty("role", "quiet")
        told.setWordWrap(True)
        self.point = Button(tr("Point at the field's place"))
        self.point.clicked.connect(self._point)
        self.anywhere = Button(tr("Anywhere on the page"))
        self.anywhere.clicked.connect(self._anywhere)
        self.more = Button(tr("New field"))
        self.more.clicked.connect(self._ask_field)
        self.fewer = Button(tr("Remove field"))
        self.fewer.clicked.connect(self._remove_field)
        self.undo = Button(tr("Undo"))
        self.undo.clicked.connect(presenter.undo)
        self.undo_told = Elided()
        self.undo_told.setProperty("role", "quiet")
        form = QFormLayout()
        form.addRow(tr("Name"), self.name)
        form.addRow(tr("Caption"), self.caption)
        form.addRow(tr("Example"), self.example)
        form.addRow(tr("Key"), self.key)
        form.addRow(tr("Heading words"), self.words)
        self.kept_to = KeptToButton()
        self.kept_to.kept_to_changed.connect(lambda kept_to: presenter.change({"kept_to": kept_to}))
        form.addRow(tr("Who may use it"), self.kept_to)
        certain = Told(tr("Rules that decide the type by themselves, before any guess:"))
        certain.setProperty("role", "quiet")
        form.addRow("", certain)
        for on, (label, _) in RULES.items():
            form.addRow(tr(label), self.rules[on])
        buttons = QHBoxLayout()
        buttons.addWidget(self.more)
        buttons.addWidget(self.fewer)
        buttons.addSpacing(12)
        buttons.addWidget(self.point)
        buttons.addWidget(self.anywhere)
        buttons.addStretch(1)
        buttons.addWidget(self.undo_told)
        buttons.addWidget(self.undo)
        right = QVBoxLayout()
        right.addLayout(form)
        for part in (self.problem, told):
            right.addWidget(part)
        right.addWidget(self.table, 1)
        right.addLayout(buttons)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(self.names)
        layout.addLayout(right, 1)
        presenter.changed.connect(self.render_state)
        presenter.pointed.connect(self._show_pointed)

    def _choose(self, name: str) -> None:
        if name and (self._state.kind is None or name != self._state.kind.name):
            self.presenter.choose(name)

    def _keep_caption(self) -> None:
        if self._state.kind is not None and self.caption.currentText() != self._state.caption:
            self.presenter.change({"caption": self.caption.currentText()})

    def render_state(self, state: TypesState) -> None:
        """Show a state; the table is filled anew only for another type or other fields."""
        before, self._state = self._state, state
        if [self.names.item(i).text() for i in range(self.names.count())] != list(state.names):
            self.names.clear()
            self.names.addItems(list(state.names))
        self.problem.setText(state.problem)
        self.problem.setVisible(bool(state.problem))
        self.example.setText(state.example)
        self.undo.setEnabled(bool(state.undo))
        self.undo_told.setText(state.undo)
        kind = state.kind
        if kind is None or (kind == before.kind and state.problem == before.problem):
            return
        is_other = before.kind is None or before.kind.id != kind.id
        self.names.setCurrentRow(state.names.index(kind.name))
        if is_other or not self.caption.hasFocus():
            with QSignalBlocker(self.caption):  # showing a caption is no try at one
                self.caption.clear()
                self.caption.addItems(list(state.captions))
                self.caption.setEditText(state.caption)
        for line, text in (
            (self.name, kind.name), (self.key, ", ".join(state.key)), (self.words, ", ".join(kind.words)),
            *((self.rules[on], pattern) for on, pattern in state.told.items()),
        ):  # fmt: skip
            if is_other or not line.hasFocus():
                line.setText(text)
        buttons = (self.point, self.anywhere, self.more, self.fewer)
        for widget in (self.name, self.caption, self.key, self.words, *self.rules.values(), *buttons):
            widget.setEnabled(state.can_change)
        self.kept_to.render_kept_to(kind.name, kind.kept_to, state.grantees)
        self.kept_to.setEnabled(state.can_change)
        self._fill(kind.fields, state.can_change)

    def _fill(self, fields: tuple[FieldSpec, ...], can_change: bool) -> None:
        row = max(0, self.table.currentRow())
        self._filling = True
        self.table.setRowCount(len(fields))
        for i, spec in enumerate(fields):
            zone = tr("fixed") if spec.zone else tr("anywhere")
            texts = {"labels": ", ".join(spec.labels), **{n: getattr(spec, n) for n in TEXTS if n != "labels"}}
            self._cell(i, 0, spec.name, editable=can_change)
            self._cell(i, 1, tr(spec.kind.value), editable=False)
            for j, name in enumerate(CHECKS, 2):
                item = self._cell(i, j, "", editable=False)
                item.setFlags(
                    item.flags() | (Qt.ItemFlag.ItemIsUserCheckable if can_change else Qt.ItemFlag.NoItemFlags)
                )
                item.setCheckState(Qt.CheckState.Checked if getattr(spec, name) else Qt.CheckState.Unchecked)
            for j, name in enumerate(TEXTS, 4):
                self._cell(i, j, texts[name], editable=can_change)
            self._cell(i, len(HEADS) - 1, zone, editable=False)
        self._filling = False
        self.table.resizeColumnsToContents()
        for j in range(self.table.columnCount()):
            self.table.setColumnWidth(j, min(190, self.table.columnWidth(j) + 8))
        if self.table.currentRow() < 0:
            self.table.selectRow(min(row, len(fields) - 1))

    def _cell(self, row: int, column: int, text: str, *, editable: bool) -> QTableWidgetItem:
        """Show a text in a cell; the cell stays, and so does the editor that may be open in it."""
        item = self.table.item(row, column)
        if item is None:
            item = QTableWidgetItem()
            self.table.setItem(row, column, item)
        if item.text() != text:
            item.setText(text)
        plain = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        item.setFlags(plain | Qt.ItemFlag.ItemIsEditable if editable else plain)
        return item

    def _changed(self, item: QTableWidgetItem) -> None:
        kind = self._state.kind
        if self._filling or kind is None:
            return
        name, column = kind.fields[item.row()].id, item.column()
        if column == 0:
            self.presenter.change_field(name, {"name": item.text().strip()})
        elif 2 <= column < 4:
            self.presenter.change_field(name, {CHECKS[column - 2]: item.checkState() is Qt.CheckState.Checked})
        elif 4 <= column < 4 + len(TEXTS):
            part, text = TEXTS[column - 4], item.text().strip()
            self.presenter.change_field(name, {part: _split(text) if part == "labels" else text})

    def _field(self) -> str:
        kind, row = self._state.kind, self.table.currentRow()
        return kind.fields[row].id if kind is not None and 0 <= row < len(kind.fields) else ""

    def _ask_field(self) -> None:
        if self._state.kind is not None:
            dialog = FieldDialog(self._state.kind.name, self._state.registers, self)
            dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            dialog.made.connect(self.presenter.add_field)
            dialog.show()
            dialog.name.setFocus()

    def _remove_field(self) -> None:
        if self._field():
            self.presenter.remove_field(self._field())

    def _point(self) -> None:
        field = self._field()
        label = self._state.kind.label(field) if self._state.kind is not None else field
        dialog = self._pointing = ZoneDialog(
            tr("Draw where {label} stands on every first page of this type.", label=label), self
        )
        dialog.page_asked.connect(self.presenter.point)
        dialog.zone_drawn.connect(lambda shown, box: self.presenter.take_zone(field, shown, box))
        dialog.finished.connect(self._end_pointing)
        self.presenter.point()

    def _show_pointed(self, shown: PageShown) -> None:
        if self._pointing is not None:
            self._pointing.render_page(shown, ())
            self._pointing.show()

    def _end_pointing(self) -> None:
        if self._pointing is not None:
            self._pointing.deleteLater()
        self._pointing = None

    def _anywhere(self) -> None:
        if self._field():
            self.presenter.change_field(self._field(), {"zone": None})


def _split(text: str) -> tuple[str, ...]:
    return tuple(part.strip() for part in text.split(",") if part.strip())
