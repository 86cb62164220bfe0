"""The halt conditions of a routine: a check for each, its limit, and the routine's own words for the operator."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QWidget

from keybundle.core.setup.routines import HaltCondition
from keybundle.desktop.presenters.prepare.forms import FormField
from keybundle.desktop.views.calm import Decimal, Line
from keybundle.desktop.words import mark, tr

HALTS = (
    "double feed", "size", "barcode", "first side blank", "too dark", "too faint", "skew", "document length"
)  # fmt: skip
LIMITS = {
    "size": (mark(" mm"), 0, 200), "skew": (mark(" degrees"), 0, 12), "document length": (mark(" sheets"), 0, 999)
}  # fmt: skip


class HaltsEditor(QWidget):
    """``taken`` carries all conditions as plain data."""

    taken = Signal(object)

    def __init__(self, field: FormField) -> None:
        super().__init__()
        self.setAccessibleName(field.label)
        self._shown: tuple[HaltCondition, ...] = ()
        self.checks: dict[str, QCheckBox] = {}
        self.words: dict[str, QLineEdit] = {}
        self.limits: dict[str, Decimal] = {}
        self.pattern = self._line(tr("Pattern of the barcode"), tr("barcode like this pattern"))
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(2, 1)
        for row, on in enumerate(HALTS):
            check = self.checks[on] = QCheckBox(tr(on).capitalize())
            check.clicked.connect(lambda _=False: self._take())
            self.words[on] = self._line(tr("Words for {on}", on=tr(on)), tr("your own words for the operator"))
            grid.addWidget(check, row, 0)
            if on in LIMITS:
                grid.addWidget(self._limit(on), row, 1)
            if on == "barcode":
                grid.addWidget(self.pattern, row, 1)
            grid.addWidget(self.words[on], row, 2)
        self.setFocusProxy(self.checks[HALTS[0]])

    def _line(self, name: str, hint: str) -> Line:
        line = Line()
        line.setAccessibleName(name)
        line.setPlaceholderText(hint)
        line.editingFinished.connect(self._take)
        return line

    def _limit(self, on: str) -> Decimal:
        suffix, low, high = LIMITS[on]
        limit = self.limits[on] = Decimal()
        limit.setRange(low, high)
        limit.setDecimals(1 if on == "skew" else 0)
        limit.setSuffix(tr(suffix))
        limit.setSpecialValueText(tr("usual limit"))
        limit.setAccessibleName(tr("Limit for {on}", on=tr(on)))
        limit.editingFinished.connect(self._take)
        return limit

    def _take(self) -> None:
        before: dict[str, dict[str, Any]] = {h.on: h.model_dump() for h in self._shown}
        chosen = [
            {**before.get(on, {"on": on}), "words": self.words[on].text().strip(),
             **({"limit": self.limits[on].value()} if on in self.limits else {}),
             **({"pattern": self.pattern.text().strip()} if on == "barcode" else {})}
            for on, check in self.checks.items() if check.isChecked()
        ]  # fmt: skip
        if chosen != list(before.values()):
            self.taken.emit(chosen)

    def show_value(self, value: Sequence[HaltCondition | dict[str, Any]]) -> None:
        """Show conditions; a draft that was refused is left as it is."""
        halts = {h.on: h for h in value if isinstance(h, HaltCondition)}
        if len(halts) != len(value):
            return
        self._shown = tuple(halts.values())
        for on, check in self.checks.items():
            check.setChecked(on in halts)
            self.words[on].setVisible(on in halts)
            _show(self.words[on], halts[on].words if on in halts else "")
            if on in self.limits:
                self.limits[on].setVisible(on in halts)
                if not self.limits[on].hasFocus():
                    self.limits[on].setValue(halts[on].limit if on in halts else 0)
        self.pattern.setVisible("barcode" in halts)
        _show(self.pattern, halts["barcode"].pattern if "barcode" in halts else "")


def _show(line: QLineEdit, text: str) -> None:
    if not line.hasFocus() and line.text() != text:
        line.setText(text)
        line.setCursorPosition(0)
