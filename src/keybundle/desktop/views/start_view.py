"""The start: which repository is open and where, and who is working; or the few questions that begin one."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCompleter,
    QFileDialog,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QVBoxLayout,
    QWidget,
)

from keybundle.desktop.presenters.signing_in import FirstAnswers, SignInPresenter, SignInState
from keybundle.desktop.theme.style import icon_pixmap
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.checks import Checks
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr, worded

ROW_PX, MOST_ROWS = 29, 8


class StartView(QWidget):
    """Asks who is working, or who goes on where the window was locked; in a fresh data directory how it is to begin."""

    other_asked = Signal(str)

    def __init__(self, presenter: SignInPresenter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self.presenter = presenter
        self.head, self.where, self.ask = Told(), Told(), Told()
        self.head.setProperty("role", "head")
        self.where.setProperty("role", "quiet")
        self.where.setWordWrap(True)
        self.lock = Told()
        self.lock.setPixmap(icon_pixmap("lock-simple", size_px=22))
        brand = Told("Key Bundle")
        brand.setProperty("role", "section")
        self.people = QListWidget()
        self.people.setAccessibleName(tr("Who is working"))
        self.people.itemActivated.connect(lambda _: self._go())
        self.account = Button()
        self.account.clicked.connect(presenter.take_account)
        self.repository, self.administrator = QLineEdit(), QLineEdit()
        self.name, self.password = QLineEdit(), QLineEdit()
        self.locale_name, self.time_zone = QLineEdit(), QLineEdit()
        self.repository.setPlaceholderText(tr("such as Weirside Stores"))
        self.administrator.setPlaceholderText(tr("your name"))
        self.beginnings = Checks(tr("Begin with"))
        self.said = Told(tr("Each brings a cabinet, document types and a routine; all of it can be changed."))
        self.said.setProperty("role", "quiet")
        self.said.setWordWrap(True)
        self.form = QFormLayout()
        self.form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)
        for label, line in (
            (tr("Name of the repository"), self.repository), (tr("First administrator"), self.administrator),
            (tr("Name"), self.name), (tr("Password"), self.password),
            (tr("Locale"), self.locale_name), (tr("Time zone"), self.time_zone),
        ):  # fmt: skip
            line.setAccessibleName(label)
            line.returnPressed.connect(self._go)
            self.form.addRow(label, line)
        self.form.addRow(tr("Begin with"), self.beginnings)
        self.form.addRow("", self.said)
        self.other = Button(tr("Open another repository"))
        self.other.setProperty("role", "link")
        self.other.clicked.connect(self.ask_other)
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.go = Button(tr("Start work   Enter"))
        self.go.setProperty("role", "main")
        self.go.clicked.connect(self._go)
        self.problem = Told()
        self.problem.setProperty("role", "problem")
        self.problem.setWordWrap(True)
        box = QFrame()
        box.setProperty("role", "card")
        box.setFixedWidth(460)
        inner = QVBoxLayout(box)
        inner.setContentsMargins(24, 22, 24, 24)
        inner.setSpacing(10)
        for part in (brand, self.lock, self.head, self.where, self.ask, self.people):
            inner.addWidget(part)
        inner.addLayout(self.form)
        for below in (self.go, self.account, self.problem, self.other):
            inner.addWidget(below)
        layout = QVBoxLayout(self)
        layout.addStretch(1)
        middle = QHBoxLayout()  # aligned by itself the card would not grow with lines that wrap
        middle.addStretch(1)
        middle.addWidget(box)
        middle.addStretch(1)
        layout.addLayout(middle)
        layout.addStretch(2)
        presenter.changed.connect(self.render_state)
        presenter.signed_in.connect(lambda _: self.password.clear())
        self.render_state(presenter.state)

    def render_state(self, state: SignInState) -> None:
        """Show a state."""
        is_new = not state.repository
        self.head.setText(state.repository or tr("A new repository"))
        self.where.setText(tr("The data is in {place}", place=state.place))
        self.lock.setVisible(bool(state.locked))
        asks = tr("Who is working?") if state.people else ""
        if state.locked:
            asks = tr("Locked. {locked} is at work here.", locked=state.locked)
        self.ask.setText(asks)
        self.ask.setVisible(bool(asks))
        self._show_people(state)
        for row in (self.repository, self.administrator, self.locale_name, self.time_zone, self.beginnings, self.said):
            self.form.setRowVisible(row, is_new)
        if is_new and not self.locale_name.text():
            self._propose(state)
        self.form.setRowVisible(self.name, not is_new and state.asks_password)
        self.form.setRowVisible(self.password, is_new or state.asks_password)
        self.password.setPlaceholderText(tr("or none: your account will do") if is_new else "")
        takes_account = bool(state.account) and not state.people
        self.account.setText(tr("Go on as {account}, by your account", account=state.account))
        self.account.setVisible(takes_account)
        self.go.setVisible(is_new or bool(state.people) or state.asks_password)
        self.go.setText(
            tr("Unlock   Enter") if state.locked else tr("Begin   Enter") if is_new else tr("Start work   Enter")
        )
        for part in (self.go, self.account, self.people):
            part.setEnabled(not state.is_busy)
        problem = state.problem[:1].upper() + state.problem[1:]
        self.problem.setText(tr("Signing in...") if state.is_busy and not is_new else problem)
        self.problem.setVisible(bool(self.problem.text()))

    def _propose(self, state: SignInState) -> None:
        for line, text, offers in (
            (self.locale_name, state.answers.locale, state.locales),
            (self.time_zone, state.answers.time_zone, state.time_zones),
        ):
            completer = QCompleter(list(offers), line)
            completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
            completer.setFilterMode(Qt.MatchFlag.MatchContains)
            line.setCompleter(completer)
            line.setText(text)
        self.beginnings.render_items([(code, name) for code, name, _ in state.beginnings], (), can_change=True)
        for i, (_, _, said) in enumerate(state.beginnings):
            self.beginnings.item(i).setToolTip(worded(said))

    def ask_other(self) -> None:
        """Ask for another data directory."""
        chosen = QFileDialog.getExistingDirectory(
            self, tr("The data directory of a repository, or an empty folder for a new one"), self.presenter.state.place
        )
        if chosen:
            self.other_asked.emit(chosen)

    def _show_people(self, state: SignInState) -> None:
        self.people.setVisible(bool(state.people))
        shown = [self.people.item(i).text() for i in range(self.people.count())]
        told = [f"{name}, {roles}" for name, roles in state.people]
        if shown != told:
            self.people.clear()
            self.people.addItems(told)
        elif not state.locked or state.is_busy:
            return
        names = [name for name, _ in state.people]
        first = next((i for i, p in enumerate(state.people) if p[1] == "operator"), 0)
        self.people.setCurrentRow(names.index(state.locked) if state.locked in names else first)
        self.people.setFixedHeight(ROW_PX * min(MOST_ROWS, max(1, len(told))) + 6)

    def _go(self) -> None:
        state, password = self.presenter.state, self.password.text()
        if state.repository:  # a first start that is refused keeps all its lines
            self.password.clear()
        if not state.repository:
            answers = FirstAnswers(
                self.repository.text(), self.administrator.text(), password, self.locale_name.text().strip(),
                self.time_zone.text().strip(), self.beginnings.checked(),
            )  # fmt: skip
            self.presenter.begin(answers)
        elif state.people:
            self.presenter.choose(state.people[self.people.currentRow()][0])
        elif not password and state.account and not self.name.text():
            self.presenter.take_account()
        else:
            self.presenter.sign_in(self.name.text(), password)

    def focus_first(self) -> None:
        """Give the first thing to fill the focus."""
        state = self.presenter.state
        if not state.repository:
            self.repository.setFocus()
        elif state.people:
            self.people.setFocus()
        elif state.account and not state.locked:
            self.account.setFocus()
        else:
            self.name.setText(state.locked or self.name.text())
            (self.password if self.name.text() else self.name).setFocus()
