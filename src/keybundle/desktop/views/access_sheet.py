"""Whom something is kept to: the list with each entry's rights, and for any person what they may there and why."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QTreeWidget, QTreeWidgetItem, QWidget

from keybundle.desktop.presenters.access import (
    LOOKING,
    RIGHTS_OF_PLACE,
    SHOWN,
    WORKING,
    AccessPresenter,
    AccessState,
    Right,
)  # fmt: skip
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.calm import Button, Choice
from keybundle.desktop.views.side_sheet import WIDE_PX, Sheet
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import mark, tr, worded

AMOUNTS = (
    (mark("to look"), LOOKING),
    (mark("to look and work"), WORKING),
    (mark("everything"), frozenset(RIGHTS_OF_PLACE)),
)
CHOICES = {"person": "{name}", "group": mark("group {name}"), "role": mark("role {name}")}
ROLE = Qt.ItemDataRole.UserRole
WHY_PX = 190


def say_amount(rights: frozenset[Right]) -> str:
    """Return what rights amount to, in a few words."""
    same = next((told for told, amount in AMOUNTS if amount == rights & AMOUNTS[-1][1]), "")
    return tr(same) or ", ".join(tr(r.value) for r in SHOWN if r in rights)


class AccessSheet(Sheet):
    """Changes are kept at once; the tree below says of one person each right with its why."""

    def __init__(self, presenter: AccessPresenter) -> None:
        super().__init__(tr("Kept to"), "", of=" ", width_px=WIDE_PX)
        self.presenter = presenter
        presenter.setParent(self)
        self.told, self.problem = Told(), Told()
        self.told.setWordWrap(True)
        self.problem.setWordWrap(True)
        self.problem.setProperty("role", "problem")
        self.list = QTreeWidget()
        self.list.setHeaderHidden(True)
        self.list.setAccessibleName(tr("Whom it is kept to, with their rights"))
        self.list.itemChanged.connect(self._toggled)
        self.grantee, self.amount = Choice(), Choice()
        self.grantee.setAccessibleName(tr("Whom to keep it to"))
        self.amount.setAccessibleName(tr("With which rights"))
        self.amount.addItems([tr(told) for told, _ in AMOUNTS])
        self.more, self.fewer, self.none = (
            Button(tr("Keep it to them too")),
            Button(tr("Take them off")),
            Button(tr("No list of its own")),
        )
        self.more.clicked.connect(self._add)
        self.fewer.clicked.connect(self._remove)
        self.none.clicked.connect(presenter.take_away)
        add = QHBoxLayout()
        for part in (self.grantee, self.amount, self.more):
            add.addWidget(part, 1 if isinstance(part, QComboBox) else 0)
        below = QHBoxLayout()
        below.addWidget(self.fewer)
        below.addStretch(1)
        below.addWidget(self.none)
        self.person = Choice()
        self.person.setAccessibleName(tr("Whose rights are explained"))
        self.person.activated.connect(lambda i: presenter.choose_person(str(self.person.itemData(i))))
        asked = QHBoxLayout()
        asked.addWidget(Told(tr("What may")))
        asked.addWidget(self.person, 1)
        asked.addWidget(Told(tr("do here, and why?")))
        self.why = QTreeWidget()
        self.why.setColumnCount(2)
        self.why.setHeaderHidden(True)
        self.why.setRootIsDecorated(False)
        self.why.setColumnWidth(0, WHY_PX)
        self.why.setAccessibleName(tr("What they may here, and why"))
        self.body.addWidget(self.told)
        self.body.addWidget(self.list, 2)
        self.body.addLayout(add)
        self.body.addLayout(below)
        self.body.addWidget(self.problem)
        self.body.addLayout(asked)
        self.body.addWidget(self.why, 3)
        presenter.changed.connect(self.render_state)
        self._state = AccessState()
        self.render_state(presenter.state)

    def first(self) -> QWidget:
        return self.grantee if self.grantee.isEnabled() else self.why

    def render_state(self, state: AccessState) -> None:
        """Show a state."""
        before, self._state = self._state, state
        self.of.setText(state.title)
        self.told.setText(state.told)
        self.problem.setText(state.problem)
        self.problem.setVisible(bool(state.problem))
        if before.entries != state.entries or before.may_change != state.may_change:
            self._show_entries(state)
        if before.grantees != state.grantees:
            self.grantee.clear()
            for grantee, name in state.grantees:
                self.grantee.addItem(tr(CHOICES[grantee.kind], name=name), grantee)
        for part in (self.grantee, self.amount, self.more):
            part.setEnabled(state.may_change)
        self.fewer.setEnabled(state.may_change and bool(state.entries))
        self.none.setEnabled(state.may_change and state.has_own)
        if before.people != state.people or before.person != state.person:
            self.person.clear()
            for key, name in state.people:
                self.person.addItem(name, key)
            self.person.setCurrentIndex(next((i for i, p in enumerate(state.people) if p[0] == state.person), 0))
        if before.why != state.why:
            self._show_why(state)

    def _show_entries(self, state: AccessState) -> None:
        here = self.list.currentItem()
        chosen = here.data(0, ROLE) if here is not None else None
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        with QSignalBlocker(self.list):
            self.list.clear()
            for entry in state.entries:
                item = QTreeWidgetItem([f"{worded(entry.told)}, {say_amount(entry.rights)}"])
                item.setData(0, ROLE, entry.grantee)
                for right in (r for r in RIGHTS_OF_PLACE if r in SHOWN):
                    row = QTreeWidgetItem([right.value])
                    row.setFlags(flags | Qt.ItemFlag.ItemIsUserCheckable if state.may_change else flags)
                    row.setData(0, ROLE, right.value)
                    row.setCheckState(0, Qt.CheckState.Checked if right in entry.rights else Qt.CheckState.Unchecked)
                    item.addChild(row)
                self.list.addTopLevelItem(item)
                if entry.grantee == chosen:
                    self.list.setCurrentItem(item)
                    item.setExpanded(True)

    def _show_why(self, state: AccessState) -> None:
        self.why.clear()
        for has, title in ((True, tr("May")), (False, tr("May not"))):
            top = QTreeWidgetItem([title])
            for said in (s for s in state.why if s.has is has):
                row = QTreeWidgetItem([tr(said.right.value), worded(said.short)])
                row.setToolTip(1, worded(said.why))
                row.setForeground(0, QColor(c.MOSS if has else c.MADDER))
                top.addChild(row)
            if top.childCount():
                self.why.addTopLevelItem(top)
                top.setExpanded(True)

    def _toggled(self, item: QTreeWidgetItem) -> None:
        parent = item.parent()
        if parent is not None:
            on = item.checkState(0) is Qt.CheckState.Checked
            self.presenter.toggle(parent.data(0, ROLE), Right(item.data(0, ROLE)), on)

    def _add(self) -> None:
        grantee = self.grantee.currentData()
        if grantee is not None:
            self.presenter.add(grantee, AMOUNTS[self.amount.currentIndex()][1])

    def _remove(self) -> None:
        item = self.list.currentItem() or self.list.topLevelItem(0)
        if item is not None:
            self.presenter.remove((item.parent() or item).data(0, ROLE))
