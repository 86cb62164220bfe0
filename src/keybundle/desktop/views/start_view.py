"""The start: which repository is open and where, and who is working; or the first administrator's name."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QLineEdit, QListWidget, QVBoxLayout, QWidget

from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Told


class StartView(QWidget):
    """Asks who is working; in a fresh data directory for the repository's name and its first administrator."""

    person_chosen = Signal(str)
    repository_named = Signal(str, str)

    def __init__(
        self, repository: str, place: str, people: tuple[tuple[str, str], ...], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        head = Told(repository or "A new repository")
        head.setProperty("role", "head")
        where = Told(f"The data is in {place}")
        where.setProperty("role", "quiet")
        where.setWordWrap(True)
        box = QFrame()
        box.setProperty("role", "card")
        box.setFixedWidth(460)
        inner = QVBoxLayout(box)
        inner.setContentsMargins(24, 22, 24, 24)
        inner.setSpacing(10)
        brand = Told("Key Bundle")
        brand.setProperty("role", "section")
        for part in (brand, head, where):
            inner.addWidget(part)
        self.people = QListWidget()
        self.name = QLineEdit()
        self.administrator = QLineEdit()
        self.go = Button("Start work   Enter")
        self.go.setProperty("role", "main")
        self.go.clicked.connect(self._go)
        if people:
            inner.addWidget(Told("Who is working?"))
            for name, role in people:
                self.people.addItem(f"{name}, {role}")
            self._names = [name for name, _ in people]
            self.people.setCurrentRow(next((i for i, p in enumerate(people) if p[1] == "operator"), 0))
            self.people.setFixedHeight(29 * min(8, len(people)) + 6)
            self.people.setAccessibleName("Who is working")
            self.people.itemActivated.connect(lambda _: self._go())
            inner.addWidget(self.people)
        else:
            self._names = []
            for label, edit in (("Name of the repository", self.name), ("First administrator", self.administrator)):
                inner.addWidget(Told(label))
                edit.setAccessibleName(label)
                inner.addWidget(edit)
                edit.returnPressed.connect(self._go)
        inner.addWidget(self.go)
        self.problem = Told()
        self.problem.setProperty("role", "problem")
        self.problem.setWordWrap(True)
        inner.addWidget(self.problem)
        layout = QVBoxLayout(self)
        layout.addStretch(1)
        layout.addWidget(box, 0, Qt.AlignmentFlag.AlignHCenter)
        layout.addStretch(2)

    def _go(self) -> None:
        if self._names:
            self.person_chosen.emit(self._names[self.people.currentRow()])
        else:
            self.repository_named.emit(self.name.text(), self.administrator.text())

    def focus_first(self) -> None:
        """Give the first thing to fill the focus."""
        (self.people if self._names else self.name).setFocus()
