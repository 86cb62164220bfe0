"""The editor of people, groups and roles: a list with a form, and what a person may reach as a tree with the why."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QSignalBlocker
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QButtonGroup,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keybundle.desktop.presenters.people import KINDS, PeoplePresenter, PeopleState, Person, Reached, Right, Role
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.checks import ID, ROW_PX, Checks
from keybundle.desktop.views.told import Elided, Told
from keybundle.desktop.words import tr, worded

REACH_PX = 230


def say_reach(place: Reached) -> str:
    """Return in short what somebody may do at a place."""
    has = [tr(s.right.value) for s in place.why if s.has]
    lacks = [tr(s.right.value) for s in place.why if not s.has]
    if not has or not lacks:
        return tr("everything") if has else tr("nothing")
    return f"{', '.join(has)}" if len(has) <= len(lacks) else tr("everything but {names}", names=", ".join(lacks))


def say_values(values: Mapping[str, str]) -> str:
    """Return somebody's values for defaults in a line, as it is typed."""
    return ", ".join(f"{name} = {value}" for name, value in values.items())


class PeopleView(QWidget):
    """Shows and changes people, groups and roles."""

    def __init__(self, presenter: PeoplePresenter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.presenter = presenter
        self._state = PeopleState()
        kinds, self._kinds = QHBoxLayout(), QButtonGroup(self)
        for kind, title in ((k, tr(t)) for k, t in KINDS.items()):
            button = Button(title)
            button.setCheckable(True)
            button.setProperty("role", "place")
            button.setChecked(kind == "people")
            button.clicked.connect(lambda _=False, k=kind: presenter.show_kind(k))
            self._kinds.addButton(button)
            kinds.addWidget(button)
        self.names = QListWidget()
        self.names.setFixedWidth(240)
        self.names.setAccessibleName(tr("People, groups or roles"))
        self.names.currentItemChanged.connect(lambda item: presenter.choose(item.data(ID) if item else ""))
        self.new = QLineEdit()
        self.new.setAccessibleName(tr("Name of a new one"))
        self.new.setPlaceholderText(tr("Name of a new one, then Enter"))
        self.new.returnPressed.connect(self._add)
        self.fewer, self.undo, self.undo_told = Button(tr("Take away")), Button(tr("Undo")), Elided()
        self.fewer.clicked.connect(presenter.remove)
        self.undo.clicked.connect(presenter.undo)
        self.undo_told.setProperty("role", "quiet")
        left = QVBoxLayout()
        left.addLayout(kinds)
        left.addWidget(self.names, 1)
        left.addWidget(self.new)
        left.addWidget(self.fewer)
        self.name, self.account, self.described = QLineEdit(), QLineEdit(), QLineEdit()
        self.values = QLineEdit()
        self.values.setPlaceholderText(tr("such as Office = Holmelock, Desk = 3; may stay empty"))
        self.values.setToolTip(tr("Defaults such as {person Office} take these"))
        self.values.editingFinished.connect(lambda: self.presenter.change_values(self.values.text()))
        self.password = QLineEdit()
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.password.returnPressed.connect(self._give_password)
        self.account.setPlaceholderText(tr("their account of this system, to sign in by; may stay empty"))
        for line, part in ((self.name, "name"), (self.account, "login"), (self.described, "description")):
            line.editingFinished.connect(lambda line=line, part=part: self._edited(part, line))
        self.roles, self.groups, self.rights = (
            Checks(tr("Their roles")),
            Checks(tr("Their groups")),
            Checks(tr("Rights of the role")),
        )
        for checks, part in ((self.roles, "roles"), (self.groups, "groups"), (self.rights, "rights")):
            checks.itemChanged.connect(lambda _, c=checks, part=part: presenter.change({part: c.checked()}))
        self.rights.setFixedHeight(ROW_PX * len(Right) + 6)
        self.members = Told()
        self.members.setWordWrap(True)
        self.problem = Told()
        self.problem.setProperty("role", "problem")
        self.problem.setWordWrap(True)
        self.form = QFormLayout()
        self.form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)
        for label, widget in (
            (tr("Name"), self.name), (tr("Account"), self.account), (tr("Description"), self.described),
            (tr("Roles"), self.roles),
            (tr("Groups"), self.groups), (tr("Values"), self.values),
            (tr("Password"), self.password), (tr("Rights"), self.rights), (tr("Who has it"), self.members),
        ):  # fmt: skip
            widget.setAccessibleName(widget.accessibleName() or label)
            self.form.addRow(label, widget)
        self.reach = QTreeWidget()
        self.reach.setColumnCount(2)
        self.reach.setHeaderHidden(True)
        self.reach.setColumnWidth(0, REACH_PX)
        self.reach.setAccessibleName(tr("What they may reach, and why"))
        self.reach_told = Told(tr("What they may reach, and why:"))
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(self.undo_told)
        foot.addWidget(self.undo)
        right = QVBoxLayout()
        right.addLayout(self.form)
        right.addWidget(self.problem)
        right.addWidget(self.reach_told)
        right.addWidget(self.reach, 1)
        right.addStretch(0)
        right.addLayout(foot)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(14)
        layout.addLayout(left)
        layout.addLayout(right, 1)
        presenter.changed.connect(self.render_state)

    def _edited(self, part: str, line: QLineEdit) -> None:
        if self._state.part is not None and hasattr(self._state.part, part):
            self.presenter.change({part: line.text().strip()})

    def _add(self) -> None:
        self.presenter.add(self.new.text())
        self.new.clear()

    def _give_password(self) -> None:
        self.presenter.give_password(self.password.text())
        self.password.clear()

    def render_state(self, state: PeopleState) -> None:
        """Show a state."""
        before, self._state = self._state, state
        if before.names != state.names or before.chosen != state.chosen:
            with QSignalBlocker(self.names):
                self.names.clear()
                for key, name in state.names:
                    item = QListWidgetItem(name)
                    item.setData(ID, key)
                    self.names.addItem(item)
                    if key == state.chosen:
                        self.names.setCurrentItem(item)
        part, can = state.part, state.can_change
        is_person, is_role = isinstance(part, Person), isinstance(part, Role)
        for widget, shows in (
            (self.account, is_person), (self.roles, is_person), (self.groups, is_person), (self.password, is_person),
            (self.values, is_person),
            (self.rights, is_role), (self.described, not (is_person or is_role)), (self.members, not is_person),
        ):  # fmt: skip
            self.form.setRowVisible(widget, shows)
        self.reach.setVisible(is_person)
        self.reach_told.setVisible(is_person)
        self.problem.setText(state.problem)
        self.problem.setVisible(bool(state.problem))
        self.undo.setEnabled(bool(state.undo))
        self.undo_told.setText(state.undo)
        for changes in (self.name, self.account, self.described, self.values, self.password, self.new, self.fewer):
            changes.setEnabled(can)
        if part is None:
            return
        is_other = before.part is None or before.part.id != part.id
        for line, text in (
            (self.name, part.name), (self.account, getattr(part, "login", "")),
            (self.described, getattr(part, "description", "")), (self.values, say_values(getattr(part, "values", {}))),
        ):  # fmt: skip
            if is_other or not line.hasFocus():
                line.setText(text)
        self.members.setText(state.members or tr("nobody"))
        has = (
            tr("has a password; type another one, then Enter")
            if state.has_password
            else tr("has none; type one, then Enter")
        )
        self.password.setPlaceholderText(has)
        if is_person:
            self.roles.render_items(state.roles, part.roles, can_change=can)  # type: ignore[union-attr]
            self.groups.render_items(state.groups, part.groups, can_change=can)  # type: ignore[union-attr]
            self.fewer.setText(tr("Works here no more"))
        else:
            self.fewer.setText(tr("Take away"))
        if is_role:
            rights = [(r.value, tr(r.value)) for r in Right]
            own = [r.value for r in part.rights]  # type: ignore[union-attr]
            self.rights.render_items(rights, own, can_change=can)
            self.rights.setFixedHeight(ROW_PX * len(rights) + 6)
        if before.reach != state.reach:
            self._show_reach(state)

    def _show_reach(self, state: PeopleState) -> None:
        self.reach.clear()
        for place in state.reach:
            top = QTreeWidgetItem([place.title, say_reach(place)])
            top.setToolTip(1, top.text(1))
            for said in place.why:
                row = QTreeWidgetItem([tr(said.right.value), worded(said.short)])
                row.setToolTip(1, worded(said.why))
                row.setForeground(0, QColor(c.MOSS if said.has else c.MADDER))
                top.addChild(row)
            self.reach.addTopLevelItem(top)
