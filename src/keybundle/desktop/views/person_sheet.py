"""Who is at work here: one's own password, roles and groups, and the ways to somebody else's work."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFormLayout, QLineEdit, QWidget

from keybundle.desktop.presenters.person import PersonPresenter, PersonState
from keybundle.desktop.views.calm import Button, Choice
from keybundle.desktop.views.side_sheet import Sheet
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr


class PersonSheet(Sheet):
    """``locked``, ``other_asked``: what its buttons ask for."""

    locked = Signal()
    other_asked = Signal()

    def __init__(self, presenter: PersonPresenter) -> None:
        super().__init__(tr("You"), tr("Who you are here, and what that lets you do."), of=presenter.state.name)
        self.presenter = presenter
        presenter.setParent(self)
        self.roles, self.groups, self.rights, self.account = (Told() for _ in range(4))
        self.rights.setWordWrap(True)
        form = QFormLayout()
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)
        for label, part in (
            (tr("Roles"), self.roles), (tr("Groups"), self.groups), (tr("Account"), self.account),
        ):  # fmt: skip
            form.addRow(label, part)
        self.language = Choice()
        self.language.setAccessibleName(tr("Language"))
        for code, name in presenter.state.languages:
            self.language.addItem(name, code)
        self.language.activated.connect(lambda _: presenter.change_language(self.language.currentData()))
        form.addRow(tr("Language"), self.language)
        form.setRowVisible(self.language, len(presenter.state.languages) > 1)
        self.values = {name: QLineEdit() for name, _ in presenter.state.values}
        for name, line in self.values.items():
            line.setAccessibleName(name)
            line.setToolTip(tr("Defaults that ask for yours take this"))
            line.editingFinished.connect(lambda line=line, name=name: presenter.change_value(name, line.text()))
            form.addRow(name, line)
        self.old, self.new, self.again = QLineEdit(), QLineEdit(), QLineEdit()
        for label, line in (
            (tr("Old password"), self.old),
            (tr("New password"), self.new),
            (tr("Once more"), self.again),
        ):
            line.setEchoMode(QLineEdit.EchoMode.Password)
            line.setAccessibleName(label)
            line.returnPressed.connect(self._change)
            form.addRow(label, line)
        self.form = form
        self.change = Button(tr("Change the password"))
        self.change.clicked.connect(self._change)
        self.problem = Told()
        self.problem.setProperty("role", "problem")
        self.problem.setWordWrap(True)
        other = Button(tr("Sign in as somebody else"))
        other.clicked.connect(self.end)
        other.clicked.connect(self.other_asked)
        lock = Button(tr("Lock   F12"))
        lock.setProperty("role", "main")
        lock.clicked.connect(self.end)
        lock.clicked.connect(self.locked)
        self.body.addWidget(self.rights)
        self.body.addLayout(form)
        self.body.addWidget(self.change, alignment=Qt.AlignmentFlag.AlignRight)
        self.body.addWidget(self.problem)
        self.body.addStretch(1)
        self.body.addWidget(other)
        self.body.addWidget(lock)
        self._lock = lock
        presenter.changed.connect(self.render_state)
        self.render_state(presenter.state)

    def first(self) -> QWidget:
        return self._lock

    def _change(self) -> None:
        if self.new.text() != self.again.text():
            self.problem.setText(tr("The two new ones are not the same. Nothing was changed."))
            return
        self.presenter.change_password(self.old.text(), self.new.text())

    def render_state(self, state: PersonState) -> None:
        """Show a state."""
        self.roles.setText(state.roles)
        self.groups.setText(state.groups)
        self.rights.setText(tr("You may {rights}.", rights=state.rights))
        self.account.setText(state.account)
        self.language.setCurrentIndex(self.language.findData(state.language))
        self.form.setRowVisible(self.old, state.has_password)
        self.problem.setText(state.problem)
        for name, value in state.values:
            if not self.values[name].hasFocus():
                self.values[name].setText(value)
        if state.is_changed:
            for line in (self.old, self.new, self.again):
                line.clear()
