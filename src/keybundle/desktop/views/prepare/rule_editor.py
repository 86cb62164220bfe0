"""The rules of a routine's separation: a list in order, and the parts of the chosen one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import (
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QVBoxLayout,
    QWidget,
)

from keybundle.core.setup.routines import SeparationRule
from keybundle.desktop.presenters.prepare.forms import FormField
from keybundle.desktop.views.calm import Button, CodeChoice, Number
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr, worded

RULES = (
    "separator sheet", "every n sheets", "patch code", "barcode", "blank page", "words", "page numbering", "front side",
    "each page", "each source file", "known first page",
)  # fmt: skip
FORMATS = (
    "any", "Code 128", "Code 39", "EAN-13", "EAN-8", "ITF", "Codabar", "QR", "Data Matrix", "PDF417", "Aztec"
)  # fmt: skip
PARTS = {"every n sheets": ("sheets",), "patch code": ("symbols",), "barcode": ("format", "pattern", "zone"),
         "words": ("words", "pattern", "zone")}  # fmt: skip
SIDES = ("left", "top", "right", "bottom")


class RuleEditor(QWidget):
    """Edits the rules; ``taken`` carries them all as plain data, ``make_asked`` asks for a page to point at."""

    taken = Signal(object)
    make_asked = Signal()

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self.setAccessibleName(field.label)
        self._rules: list[dict[str, Any]] = []
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Separation rules"))
        self.list.setFixedHeight(86)
        self.list.currentRowChanged.connect(self._show_parts)
        self.kind = CodeChoice(RULES)
        self.kind.setAccessibleName(tr("Kind of rule"))
        self.add = Button(tr("Add rule"))
        self.add.clicked.connect(self._add)
        self.remove = Button(tr("Remove"))
        self.remove.clicked.connect(self._remove)
        self.earlier = Button(tr("Earlier"))
        self.earlier.setToolTip(tr("The first rule that speaks about a page counts"))
        self.earlier.clicked.connect(self._move)
        self.where = _box(("before", "after"), lambda v: self._set(where=v))
        self.mark_page = _box(("kept", "left out"), lambda v: self._set(mark_page=v))
        self.sheets = Number()
        self.sheets.setRange(1, 999)
        self.sheets.valueChanged.connect(lambda v: self._set(sheets=v))
        self.symbols = _line(lambda v: self._set(symbols=tuple(v.replace(",", " ").upper().split())))
        self.symbols.setPlaceholderText(tr("any; or some of 1 2 3 4 6 T"))
        self.format = _box(FORMATS, lambda v: self._set(format=v))
        self.pattern = _line(lambda v: self._set(pattern=v))
        self.pattern.setPlaceholderText(tr("such as PO-(?P<Order_number>\\d{5})"))
        self.words = _line(lambda v: self._set(words=v))
        self.zone = _line(self._set_zone)
        self.zone.setPlaceholderText(tr("whole page; or left top right bottom in % of the page"))
        self.point = Button(tr("Point at the page"))
        self.point.setToolTip(tr("Draw the zone on a page of the sample batch, or choose a barcode there"))
        self.point.clicked.connect(self.make_asked.emit)
        self.form = QFormLayout()
        self.form.setContentsMargins(0, 4, 0, 0)
        for label, part in (
            (tr("Break"), self.where), (tr("Page with the mark"), self.mark_page), (tr("Sheets"), self.sheets),
            (tr("Symbols"), self.symbols), (tr("Format"), self.format), (tr("Words"), self.words), (tr("Pattern"), self.pattern),
            (tr("Zone"), self.zone),
        ):  # fmt: skip
            part.setAccessibleName(label)
            self.form.addRow(Told(label), part)
        self.zone_problem = Told()
        self.zone_problem.setProperty("role", "problem")
        self.zone_problem.setWordWrap(True)
        self.zone_problem.hide()
        self.form.addRow("", self.zone_problem)
        self.form.addRow("", self.point)
        buttons = QHBoxLayout()
        for widget in (self.kind, self.add, self.remove, self.earlier):
            buttons.addWidget(widget)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.list)
        layout.addLayout(buttons)
        layout.addLayout(self.form)

    def show_value(self, value: Sequence[SeparationRule | dict[str, Any]]) -> None:
        """Show rules; the chosen one stays chosen, and a draft that was refused is left as it is."""
        rules = [r for r in value if isinstance(r, SeparationRule)]
        if len(rules) != len(value):
            return
        plain = [r.model_dump() for r in rules]
        row = self.list.currentRow()
        said = [worded(r.said) for r in rules]
        self._rules = plain
        if [self.list.item(i).text() for i in range(self.list.count())] != said:
            self.list.clear()
            self.list.addItems(said)
            self.list.setCurrentRow(max(0, min(row, len(said) - 1)))
        self._show_parts(self.list.currentRow())

    def _show_parts(self, row: int) -> None:
        rule = self._rules[row] if 0 <= row < len(self._rules) else None
        parts = PARTS.get(rule["rule"], ()) if rule else ()
        fields = {"sheets": self.sheets, "symbols": self.symbols, "format": self.format, "pattern": self.pattern,
                  "words": self.words, "zone": self.zone}  # fmt: skip
        for name, field in fields.items():
            self.form.setRowVisible(field, name in parts)
        self.form.setRowVisible(self.point, "zone" in parts)
        for field in (self.where, self.mark_page):
            self.form.setRowVisible(field, rule is not None)
        if rule is None:
            return
        self.where.show_code(rule["where"])
        self.mark_page.show_code(rule["mark_page"])
        if not self.sheets.hasFocus():
            with QSignalBlocker(self.sheets):  # rendering is no change
                self.sheets.setValue(rule["sheets"])
        self.format.show_code(rule["format"])
        for line, text in (
            (self.symbols, " ".join(rule["symbols"])), (self.pattern, rule["pattern"]), (self.words, rule["words"]),
            (self.zone, " ".join(f"{rule['zone'][s] * 100:g}" for s in SIDES) if rule["zone"] else ""),
        ):  # fmt: skip
            if line.text() != text and not line.hasFocus():
                line.setText(text)

    def change_chosen(self, **parts: Any) -> None:
        """Change parts of the chosen rule; those it does not have are left alone."""
        row = self.list.currentRow()
        own = PARTS.get(self._rules[row]["rule"], ()) if 0 <= row < len(self._rules) else ()
        if changed := {k: v for k, v in parts.items() if k in own}:
            self._set(**changed)

    def _set(self, **parts: Any) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self._rules):
            rules = [dict(r) for r in self._rules]
            rules[row] |= parts
            self.taken.emit(rules)

    def _set_zone(self, text: str) -> None:
        """Take a zone; what is none is told below it and changes nothing."""
        zone, told = read_zone(text)
        self.zone_problem.setText(told)
        self.zone_problem.setVisible(bool(told))
        if not told:
            self._set(zone=zone)

    def _add(self) -> None:
        rule: dict[str, Any] = {"rule": self.kind.code}
        if rule["rule"] == "words":
            rule["words"] = "Page 1"
        self.taken.emit([*self._rules, rule])

    def _remove(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self._rules):
            self.taken.emit([r for i, r in enumerate(self._rules) if i != row])

    def _move(self) -> None:
        row = self.list.currentRow()
        if row > 0:
            rules = list(self._rules)
            rules[row - 1], rules[row] = rules[row], rules[row - 1]
            self.list.setCurrentRow(row - 1)
            self.taken.emit(rules)


def read_zone(text: str) -> tuple[dict[str, float] | None, str]:
    """Return the zone that is typed as left, top, right, bottom in % (None: the whole page), or why it is none."""
    numbers = text.replace(",", " ").replace("%", " ").split()
    if not numbers:
        return None, ""
    try:
        shares = [float(n) / 100 for n in numbers]
    except ValueError:
        return None, tr("“{typed}” holds something that is no number. The zone stays as it was.", typed=text.strip())
    if len(shares) != len(SIDES):
        return None, tr(
            "A zone has four numbers: left, top, right, bottom; here are {n}. It stays as it was.", n=len(shares)
        )
    left, top, right, bottom = shares
    if not (0 <= left < right <= 1 and 0 <= top < bottom <= 1):
        return None, tr(
            "Left must lie before right and top above bottom, all from 0 to 100 %. The zone stays as it was."
        )
    return dict(zip(SIDES, shares, strict=True)), ""


def _box(entries: tuple[str, ...], chosen: Any) -> CodeChoice:
    box = CodeChoice(entries)
    box.code_chosen.connect(chosen)
    return box


def _line(changed: Any) -> QLineEdit:
    line = QLineEdit()
    line.editingFinished.connect(lambda: changed(line.text()))
    return line
