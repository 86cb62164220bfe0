"""A routine as step cards in the order of the work, with a rehearsal on a sample batch beside them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFileDialog,
    QFormLayout,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from keybundle.core.base.boxes import Box
from keybundle.core.setup.routines import HaltCondition, Routine
from keybundle.desktop.presenters.bench_state import PageShown
from keybundle.desktop.presenters.routines import PointedBarcode, RehearsedSide, RoutinesPresenter, RoutineState
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.ask_sheet import AskSheet
from keybundle.desktop.views.calm import Button, Choice, CodeChoice, Decimal, Number
from keybundle.desktop.views.copies_form import CopiesForm
from keybundle.desktop.views.kept_to import KeptToButton
from keybundle.desktop.views.list_sheet import ListSheet
from keybundle.desktop.views.page_view import words_inside
from keybundle.desktop.views.rule_editor import RuleEditor
from keybundle.desktop.views.side_sheet import SheetEdge
from keybundle.desktop.views.told import Told
from keybundle.desktop.views.work_view import fill_box
from keybundle.desktop.views.zone_dialog import ZoneDialog
from keybundle.desktop.words import mark, tr, worded

STEPS = (
    ("photographs", mark("Lay photographs of paper flat")),
    ("upright", mark("Turn upright")), ("deskew", mark("Straighten")), ("crop", mark("Take dark scan edges away")),
    ("fill_holes", mark("Fill punch holes")), ("despeckle", mark("Take specks away")), ("flatten", mark("Even out the paper")),
)  # fmt: skip
HALTS = (
    "double feed", "size", "barcode", "first side blank", "too dark", "too faint", "skew", "document length"
)  # fmt: skip
MARGIN = 0.02
LIMITS = {
    "size": (mark(" mm"), 0, 200),
    "skew": (mark(" degrees"), 0, 12),
    "document length": (mark(" sheets"), 0, 999),
}
LOCKS = (
    ("feed", mark("source")),
    ("duplex", mark("sides")),
    ("resolution_dpi", mark("resolution")),
    ("mode", mark("colour")),
    ("paper", mark("paper")),
)
COLOURS = ("by content", "as captured", "grey", "1-bit")
LOCKS_IN_A_ROW = 3
SIGN = {"break": "┃", "kept": " ", "left out": "-"}


class RoutineView(QWidget):
    """Shows and changes one routine; every change is kept at once."""

    def __init__(self, presenter: RoutinesPresenter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.edge = SheetEdge(self, self)
        self.presenter = presenter
        self._state = RoutineState()
        self.names = QListWidget()
        self.names.setFixedWidth(150)
        self.names.setAccessibleName(tr("Routines"))
        self.names.currentTextChanged.connect(presenter.choose)
        self.copy = Button(tr("Copy routine"))
        self.copy.clicked.connect(presenter.copy)
        self.remove = Button(tr("Remove routine"))
        self.remove.clicked.connect(presenter.remove)
        self.undo = Button(tr("Undo"))
        self.undo.clicked.connect(presenter.undo)
        self.undo_told = Told()
        self.undo_told.setProperty("role", "quiet")
        self.undo_told.setWordWrap(True)
        self.undo_told.setFixedWidth(150)
        self.problem = Told()
        self.problem.setProperty("role", "problem")
        self.problem.setWordWrap(True)
        self._fields: dict[str, Callable[[Routine], None]] = {}
        self._pointing: ZoneDialog | None = None
        left = QVBoxLayout()
        left.addWidget(self.names, 1)
        left.addWidget(self.copy)
        left.addWidget(self.remove)
        self.save = Button(tr("Save as a file"))
        self.save.clicked.connect(self._ask_save)
        self.bring = Button(tr("Bring in a file"))
        self.bring.clicked.connect(self._ask_bring)
        left.addWidget(self.save)
        left.addWidget(self.bring)
        left.addWidget(self.undo)
        left.addWidget(self.undo_told)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addLayout(left)
        self.cards = QWidget()
        layout.addWidget(self._make_cards(), 5)
        layout.addLayout(self._make_rehearsal(), 3)
        presenter.changed.connect(self.render_state)
        presenter.conflicts_found.connect(self._show_conflicts)
        presenter.pointed.connect(self._show_pointed)

    # -- cards ---------------------------------------------------------------------------------------------------

    def _make_cards(self) -> QScrollArea:
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(10)
        column.addWidget(self.problem)
        for title, form in (
            (tr("Routine"), self._head_form()), (tr("Bring in"), self._source_form()), (tr("Clean"), self._clean_form()),
            (tr("Separate"), self._separate_form()), (tr("Read"), self._read_form()), (tr("Index and file"), self._index_form()),
        ):  # fmt: skip
            column.addWidget(_card(title, form))
        column.addStretch(1)
        self.cards.setObjectName("place")
        self.cards.setLayout(column)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setWidget(self.cards)
        return area

    def _text(self, name: str, label: str, form: QFormLayout) -> QLineEdit:
        line = QLineEdit()
        line.setAccessibleName(label)
        line.editingFinished.connect(lambda: self.presenter.change({name: line.text().strip()}))
        self._fields[name] = lambda r: show_text(line, str(getattr(r, name)))
        form.addRow(label, line)
        return line

    def _choice(self, name: str, label: str, codes: tuple[str, ...], form: QFormLayout) -> QComboBox:
        box = CodeChoice(codes)
        box.setAccessibleName(label)
        box.code_chosen.connect(lambda v: self.presenter.change({name: v}))
        self._fields[name] = lambda r: box.show_code(str(getattr(r, name)))
        form.addRow(label, box)
        return box

    def _check(self, name: str, label: str) -> QCheckBox:
        box = QCheckBox(label)
        box.clicked.connect(lambda on: self.presenter.change({name: on}))
        self._fields[name] = lambda r: box.setChecked(bool(getattr(r, name)))
        return box

    def _number(
        self, name: str, label: str, low: int, high: int, suffix: str, form: QFormLayout, *, none: str = ""
    ) -> None:
        box = Number()
        box.setRange(low, high)
        box.setSuffix(suffix)
        box.setSpecialValueText(none)  # what the least value is shown as
        box.setAccessibleName(label)
        box.editingFinished.connect(lambda: self.presenter.change({name: box.value()}))
        self._fields[name] = lambda r: show_number(box, int(getattr(r, name)))
        form.addRow(label, box)

    def _head_form(self) -> QFormLayout:
        form = _form()
        self._text("name", tr("Name"), form)
        self._text("description", tr("Description"), form)
        self.kept_to = KeptToButton()
        self.kept_to.kept_to_changed.connect(lambda kept_to: self.presenter.change({"kept_to": kept_to}))
        form.addRow(tr("Who may use it"), self.kept_to)
        self._text("sign", tr("Sign"), form).setMaxLength(2)
        self._text("key", tr("Start key, with Alt"), form).setMaxLength(1)
        return form

    def _source_form(self) -> QFormLayout:
        form = _form()
        self._choice("source", tr("Source"), ("scanner", "files"), form)
        self._text("device", tr("Scanner, empty: any"), form)
        self._choice("feed", tr("From"), ("feeder", "glass"), form)
        form.addRow(tr("Sheets"), self._check("duplex", tr("Two-sided (in files: front, back, front, ...)")))
        self._number("resolution_dpi", tr("Resolution"), 75, 1200, tr(" dpi"), form)
        self._choice("mode", tr("Colour"), ("automatic", "1-bit", "grey", "colour"), form)
        self._choice("paper", tr("Paper"), ("A4", tr("Letter")), form)
        self.locks: dict[str, QCheckBox] = {}
        locks = QGridLayout()
        for i, (name, label) in enumerate((n, tr(said)) for n, said in LOCKS):
            lock = self.locks[name] = QCheckBox(label)
            lock.setAccessibleName(tr("Lock {label}", label=label))
            lock.clicked.connect(lambda _=False: self._change_locks())
            locks.addWidget(lock, i // LOCKS_IN_A_ROW, i % LOCKS_IN_A_ROW)
        form.addRow(tr("Locked at the scan"), locks)
        self.naming: dict[str, QLineEdit] = {}
        for part, label, hint in (
            ("prefix", tr("Put before file names"), tr("such as {date}-{number}-")),
            ("pattern", tr("Replace in file names"), tr("a pattern")),
            ("into", tr("Put in its place"), tr("what takes its place; \\1 is its first group")),
        ):  # fmt: skip
            line = self.naming[part] = QLineEdit()
            line.setPlaceholderText(hint)
            line.setAccessibleName(label)
            line.editingFinished.connect(lambda p=part: self._change_part("naming", p, self.naming[p].text()))
            form.addRow(label, line)
        self.halts: dict[str, tuple[QCheckBox, QLineEdit]] = {}
        self.limits: dict[str, QDoubleSpinBox] = {}
        self.pattern = QLineEdit()
        self.pattern.setPlaceholderText(tr("barcode like this pattern"))
        self.pattern.setAccessibleName(tr("Pattern of the barcode"))
        self.pattern.editingFinished.connect(self._change_halts)
        for on in HALTS:
            box, words = QCheckBox(tr(on).capitalize()), QLineEdit()
            words.setPlaceholderText(tr("your own words for the operator"))
            words.setAccessibleName(tr("Words for {on}", on=tr(on)))
            box.clicked.connect(lambda _=False: self._change_halts())
            words.editingFinished.connect(self._change_halts)
            self.halts[on] = (box, words)
            row = QHBoxLayout()
            box.setMinimumWidth(150)
            row.addWidget(box)
            if on in LIMITS:
                suffix, low, high = LIMITS[on]
                limit = self.limits[on] = Decimal()
                limit.setRange(low, high)
                limit.setDecimals(1 if on == "skew" else 0)
                limit.setSuffix(tr(suffix))
                limit.setSpecialValueText(tr("usual limit"))
                limit.setAccessibleName(tr("Limit for {on}", on=tr(on)))
                limit.editingFinished.connect(self._change_halts)
                row.addWidget(limit)
            if on == "barcode":
                row.addWidget(self.pattern)
            row.addWidget(words)
            form.addRow(tr("Stop the feeder at") if on == HALTS[0] else "", row)
        return form

    def _change_halts(self) -> None:
        routine = self._state.routine
        if routine is None:
            return
        before: dict[str, dict[str, object]] = {h.on: h.model_dump() for h in routine.halts}
        chosen = [
            {**before.get(on, {"on": on}), "words": words.text().strip(),
             **({"limit": self.limits[on].value()} if on in self.limits else {}),
             **({"pattern": self.pattern.text().strip()} if on == "barcode" else {})}
            for on, (box, words) in self.halts.items() if box.isChecked()
        ]  # fmt: skip
        self.presenter.change({"halts": chosen})

    def _clean_form(self) -> QFormLayout:
        form = _form()
        self.steps: dict[str, QCheckBox] = {}
        for name, label in ((n, tr(said)) for n, said in STEPS):
            box = QCheckBox(label)
            box.clicked.connect(lambda on, n=name: self._change_part("cleaning", n, on))
            self.steps[name] = box
            form.addRow(box)
        form.addRow(self._check("leave_out_blank", tr("Leave blank sides out")))
        self.colour = CodeChoice(COLOURS)
        self.colour.setAccessibleName(tr("Pages are filed in"))
        self.colour.code_chosen.connect(lambda code: self._change_part("cleaning", "colour", code))
        form.addRow(tr("Pages are filed in"), self.colour)
        return form

    def _change_part(self, part: str, name: str, value: object) -> None:
        if self._state.routine is not None:
            self.presenter.change({part: {**getattr(self._state.routine, part).model_dump(), name: value}})

    def _change_locks(self) -> None:
        self.presenter.change({"locked": tuple(n for n, box in self.locks.items() if box.isChecked())})

    def _separate_form(self) -> QFormLayout:
        form = _form()
        self.rules = RuleEditor()
        self.rules.rules_changed.connect(lambda rules: self.presenter.change({"separation": {"rules": rules}}))
        self.rules.pointing_asked.connect(self._point)
        form.addRow(self.rules)
        return form

    def _read_form(self) -> QFormLayout:
        form = _form()
        self._text("language", tr("Language"), form)
        form.addRow("PDF", self._check("force_ocr", tr("Read it by OCR even where it has text")))
        return form

    def _index_form(self) -> QFormLayout:
        form = _form()
        self.type = Choice()
        self.type.setAccessibleName(tr("Type, empty: proposed"))
        self.type.textActivated.connect(lambda name: self.presenter.change({"document_type": name}))
        form.addRow(tr("Type, empty: proposed"), self.type)
        self.new_type = Button(tr("Make a new type"))
        self.new_type.clicked.connect(self._ask_type)
        form.addRow("", self.new_type)
        self._number_bar(form)
        self.copies = CopiesForm(form, lambda name, value: self._change_part("copies", name, value))
        return form

    def _number_bar(self, form: QFormLayout) -> None:
        box = Number()
        box.setRange(0, 100)
        box.setSuffix(" %")
        box.setAccessibleName(tr("Bar for sure values"))
        box.editingFinished.connect(lambda: self.presenter.change({"bar": box.value() / 100}))
        self._fields["bar"] = lambda r: show_number(box, round(r.bar * 100))
        form.addRow(tr("Values count as sure from"), box)
        self._number("wrong_one_in", tr("Or 1 wrong in"), 0, 100_000, "", form, none=tr("not used"))

    # -- rehearsal -----------------------------------------------------------------------------------------------

    def _make_rehearsal(self) -> QVBoxLayout:
        head = Told(tr("Rehearsal"))
        head.setProperty("role", "section")
        self.sample = Choice()
        self.sample.setAccessibleName(tr("Sample batch"))
        self.sample.setMinimumWidth(120)
        self.sample.activated.connect(lambda i: self.presenter.choose_sample(self.sample.itemData(i)))
        self.figures = Told()
        self.figures.setWordWrap(True)
        self.figures.setStyleSheet("font-size: 15px; font-weight: 600;")
        self.figures.setAccessibleName(tr("Figures of the rehearsal"))
        self.sides = QListWidget()
        self.sides.setWordWrap(True)
        self.sides.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.sides.setAccessibleName(tr("What would become of each side"))
        self.separate = Button(tr("Separate open batches again"))
        self.separate.clicked.connect(self.presenter.separate_open_batches)
        column = QVBoxLayout()
        column.setSpacing(8)
        for widget in (head, self.sample, self.figures):
            column.addWidget(widget)
        column.addWidget(self.sides, 1)
        column.addWidget(self.separate)
        return column

    def render_state(self, state: RoutineState) -> None:
        """Show a state; widgets are touched only where something differs."""
        self._state = state
        if [self.names.item(i).text() for i in range(self.names.count())] != list(state.names):
            self.names.clear()
            self.names.addItems(list(state.names))
        routine = state.routine
        if routine is None:
            return
        for i, name in enumerate(state.names):
            if name == state.name and self.names.currentRow() != i:
                self.names.setCurrentRow(i)
        for show in self._fields.values():
            show(routine)
        fill_box(self.type, ("", *state.types), state.type_name, with_empty=True)
        for step, check in self.steps.items():
            check.setChecked(bool(getattr(routine.cleaning, step)))
        halts: dict[str, HaltCondition] = {h.on: h for h in routine.halts}
        for on, (box, words) in self.halts.items():
            box.setChecked(on in halts)
            words.setVisible(on in halts)
            show_text(words, halts[on].words if on in halts else "")
            if on in self.limits:
                self.limits[on].setVisible(on in halts)
                show_number(self.limits[on], halts[on].limit if on in halts else 0)
        self.pattern.setVisible("barcode" in halts)
        show_text(self.pattern, halts["barcode"].pattern if "barcode" in halts else "")
        for name, lock in self.locks.items():
            lock.setChecked(name in routine.locked)
        for part, line in self.naming.items():
            show_text(line, str(getattr(routine.naming, part)))
        self.copies.render_copies(routine.copies)
        self.colour.show_code(routine.cleaning.colour)
        self.kept_to.render_kept_to(state.name, routine.kept_to, state.grantees)
        self.rules.render_rules(routine.separation.rules)
        self.problem.setText(state.problem)
        self.problem.setVisible(bool(state.problem))
        for widget in (self.copy, self.remove, self.bring, self.cards):
            widget.setEnabled(state.can_change)
        self.undo.setEnabled(bool(state.undo))
        self.undo_told.setText(state.undo)
        self._render_rehearsal(state)

    def _render_rehearsal(self, state: RoutineState) -> None:
        told = [worded(s.told) for s in state.samples]
        if [self.sample.itemText(i) for i in range(self.sample.count())] != told:
            self.sample.clear()
            for sample in state.samples:
                self.sample.addItem(worded(sample.told), sample.id)
        self.sample.setCurrentIndex(next((i for i, s in enumerate(state.samples) if s.id == state.sample), -1))
        none = tr("Scan or import a batch; the rehearsal shows here what this routine would do with it.")
        self.figures.setText(
            tr("Trying it...") if state.rehearsing else state.figures or ("" if state.samples else none)
        )
        self.sides.clear()
        for side in state.sides:
            self.sides.addItem(_side_item(side))
        self.separate.setVisible(state.open_batches > 0)
        self.separate.setText(tr("Separate open batches again ({open_batches})", open_batches=state.open_batches))

    # -- pointing, files, what is made on the way -----------------------------------------------------------------

    def _point(self) -> None:
        told = tr(
            "Draw the zone with the pointer, or choose a barcode below; the rehearsal shows at once what it does."
        )
        dialog = self._pointing = ZoneDialog(told, self)
        dialog.page_asked.connect(self.presenter.point)
        dialog.zone_drawn.connect(self._take_zone)
        dialog.barcode_chosen.connect(self._take_barcode)
        dialog.finished.connect(self._end_pointing)
        self.presenter.point()

    def _show_pointed(self, shown: PageShown, barcodes: tuple[PointedBarcode, ...]) -> None:
        if self._pointing is not None:
            self._pointing.render_page(shown, barcodes)
            self._pointing.show()

    def _end_pointing(self) -> None:
        if self._pointing is not None:
            self._pointing.deleteLater()
        self._pointing = None

    def _take_zone(self, shown: PageShown, box: Box) -> None:
        inside = words_inside(shown.words, box)
        said = {"words": " ".join(w.text for w in inside)} if inside else {}
        self.rules.change_chosen(zone=self.presenter.zone_of(shown, box, margin=MARGIN), **said)

    def _take_barcode(self, shown: PageShown, barcode: PointedBarcode) -> None:
        self.rules.change_chosen(**self.presenter.rule_at(shown, barcode, margin=2 * MARGIN))

    def _ask_type(self) -> None:
        head = tr("It begins with a title and the fields of its folders; more are added under Document types.")
        lines = {tr("Name of the type"): (), tr("Its cabinet, or a new one"): self._state.cabinets}
        sheet = AskSheet(tr("Make a new type"), head, lines, tr("Make it"), free=(tr("Its cabinet, or a new one"),))
        sheet.answered.connect(lambda said: self.presenter.make_type(*said))
        self.edge.open(sheet)

    def _ask_save(self) -> None:
        offered = tr("{name}.toml", name=self._state.name)
        name, _ = QFileDialog.getSaveFileName(self, tr("Save the routine"), offered, tr("Routines (*.toml)"))
        if name:
            self.presenter.export(Path(name))

    def _ask_bring(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Bring in routines"), "", tr("Routines and set-ups (*.toml);;All files (*)")
        )
        if name:
            self.presenter.bring_in(Path(name))

    def _show_conflicts(self, conflicts: tuple[str, ...]) -> None:
        if conflicts:
            head = tr("What people did stays as it is. The rules say something else at these sides:")
            self.edge.open(ListSheet(tr("Separated again"), head, conflicts))


def show_text(line: QLineEdit, text: str) -> None:
    """Show a text from its start, unless somebody is writing there."""
    if not line.hasFocus() and line.text() != text:
        line.setText(text)
        line.setCursorPosition(0)


def show_number(box: QSpinBox | QDoubleSpinBox, value: float) -> None:
    """Show a number, unless somebody is typing there."""
    if not box.hasFocus():
        box.setValue(value)  # type: ignore[arg-type]


def _side_item(side: RehearsedSide) -> QListWidgetItem:
    item = QListWidgetItem(side.told)
    colour = {"break": c.TEAL, "kept": c.INK, "left out": c.QUIET}[side.kind]
    item.setForeground(QColor(colour))
    if side.note:
        item.setToolTip(side.note)
    return item


def _form() -> QFormLayout:
    form = QFormLayout()
    form.setSpacing(6)
    form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)
    form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
    return form


def _card(title: str, form: QFormLayout) -> QFrame:
    frame = QFrame()
    frame.setProperty("role", "card")
    head = Told(title)
    head.setProperty("role", "section")
    layout = QVBoxLayout(frame)
    layout.setContentsMargins(12, 8, 12, 12)
    layout.addWidget(head)
    layout.addLayout(form)
    return frame
