"""People, groups and roles: an editor for each, and what a person may reach as a tree with the why."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QStackedWidget,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from keybundle.desktop.presenters.prepare.parts import PartsPresenter, PartsState
from keybundle.desktop.presenters.prepare.people import Reached
from keybundle.desktop.theme import colours as c
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.prepare.part_view import PartView
from keybundle.desktop.words import tr, worded

REACH_PX = 230


def say_reach(place: Reached) -> str:
    """Return in short what somebody may do at a place."""
    has = [tr(s.right.value) for s in place.why if s.has]
    lacks = [tr(s.right.value) for s in place.why if not s.has]
    if not has or not lacks:
        return tr("everything") if has else tr("nothing")
    return f"{', '.join(has)}" if len(has) <= len(lacks) else tr("everything but {names}", names=", ".join(lacks))


class ReachTree(QTreeWidget):
    """Where a person may do what, each place with the reasons below it."""

    def __init__(self) -> None:
        super().__init__()
        self._reach: tuple[Reached, ...] = ()
        self.setColumnCount(2)
        self.setHeaderHidden(True)
        self.setColumnWidth(0, REACH_PX)
        self.setAccessibleName(tr("What they may reach, and why"))
        self.itemExpanded.connect(self._show_why)

    def render_reach(self, reach: tuple[Reached, ...]) -> None:
        """Show places."""
        if reach == self._reach:
            return
        self._reach = reach
        self.clear()
        for place in reach:
            top = QTreeWidgetItem([place.title, say_reach(place)])
            top.setToolTip(1, top.text(1))
            top.setChildIndicatorPolicy(QTreeWidgetItem.ChildIndicatorPolicy.ShowIndicator)
            self.addTopLevelItem(top)

    def _show_why(self, top: QTreeWidgetItem) -> None:
        """Show the reasons of a place when somebody asks for them."""
        if top.childCount():
            return
        for said in self._reach[self.indexOfTopLevelItem(top)].why:
            row = QTreeWidgetItem([tr(said.right.value), worded(said.short)])
            row.setToolTip(1, worded(said.why))
            row.setForeground(0, QColor(c.MOSS if said.has else c.MADDER))
            top.addChild(row)


class PeopleView(QWidget):
    """Shows the editor of people, of groups or of roles."""

    part_opened = Signal(str, str)
    sheet_asked = Signal(object)

    def __init__(self, people: PartsPresenter, groups: PartsPresenter, roles: PartsPresenter) -> None:
        super().__init__()
        self.reach = ReachTree()
        group_told = tr("A group is of people who work together, so that something can be kept to all of them at once. "
                        "Type a name at the left and press Enter.")  # fmt: skip
        self._make: dict[str, Callable[[], PartView]] = {
            "people": lambda: PartView(
                tr("People"), people, form_title=tr("The person"), tabs={tr("What they may, and why"): self.reach},
                remove=tr("Works here no more"), may_move=False,
            ),
            "groups": lambda: PartView(tr("Groups"), groups, empty=group_told),
            "roles": lambda: PartView(tr("Roles"), roles),
        }  # fmt: skip
        self.views: dict[str, PartView] = {}
        self.stack, self.kinds = QStackedWidget(), QButtonGroup(self)
        row = QHBoxLayout()
        for kind, title in zip(self._make, (tr("People"), tr("Groups"), tr("Roles")), strict=True):
            button = Button(title)
            button.setCheckable(True)
            button.setChecked(kind == "people")
            button.setProperty("role", "place")
            button.clicked.connect(lambda _=False, k=kind: self.show_kind(k))
            self.kinds.addButton(button)
            row.addWidget(button)
        row.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(row)
        layout.addWidget(self.stack, 1)
        self.people = self._view("people")
        people.changed.connect(self._show_reach)

    def _view(self, kind: str) -> PartView:
        """Return an editor, made when it is first asked for."""
        if kind not in self.views:
            view = self.views[kind] = self._make[kind]()
            view.part_opened.connect(self.part_opened.emit)
            view.sheet_asked.connect(self.sheet_asked.emit)
            self.stack.addWidget(view)
        return self.views[kind]

    @property
    def shown(self) -> PartView:
        """The editor in front."""
        view = self.stack.currentWidget()
        assert isinstance(view, PartView)
        return view

    def _show_reach(self, state: PartsState) -> None:
        self.reach.render_reach(getattr(state, "reach", ()))

    def show_kind(self, kind: str) -> None:
        """Show people, groups or roles."""
        view = self._view(kind)
        self.kinds.buttons()[list(self._make).index(kind)].setChecked(True)
        self.stack.setCurrentWidget(view)
        view.presenter.refresh()

    def refresh(self) -> None:
        """Look at what is in front again."""
        self.shown.presenter.refresh()

    def focus_first(self) -> None:
        """Give the list in front the focus."""
        self.shown.focus_first()

    def rest(self) -> None:
        """Ask for nothing more while another page is in front."""
        for view in self.views.values():
            view.rest()

    def verbs(self) -> Mapping[str, Callable[[], Any]]:
        """Return what the place's commands do on what is in front."""
        return self.shown.verbs()

    def lack(self, command_id: str) -> str:
        """Return why a command cannot be run now."""
        return self.shown.lack(command_id)

    def show_part(self, part_id: str, at: str = "") -> None:
        """Show one of what is in front."""
        self.shown.show_part(part_id, at)
