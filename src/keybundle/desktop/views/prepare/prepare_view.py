"""The prepare place: a list of pages at the left, and the page that is open; pages are records, made when first shown."""

from __future__ import annotations

import functools
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Protocol

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QStackedWidget, QVBoxLayout, QWidget

from keybundle.desktop.actions.binding import bind_place
from keybundle.desktop.actions.registry import COMMANDS, Handlers
from keybundle.desktop.views.calm import Button
from keybundle.desktop.words import tr

ID = Qt.ItemDataRole.UserRole
LIST_PX = 150
MOST_BACK = 20


class PageView(Protocol):
    """What a page of Prepare is, besides a widget."""

    def focus_first(self) -> None:
        """Give the first thing to do the focus."""

    def verbs(self) -> Mapping[str, Callable[[], Any]]:
        """Return what the place's commands do on this page, by their ids."""

    def rest(self) -> None:
        """Ask for nothing more while another page is in front."""


@dataclass(frozen=True)
class Page:
    """A page: its code, its title, and how it is made; ``holds`` are the kinds of parts that are edited there."""

    code: str
    title: str
    make: Callable[[], QWidget]
    refresh: Callable[[Any], None]
    holds: tuple[str, ...] = ()


class PrepareView(QWidget):
    """Lists the pages and shows the chosen one; knows nothing of what they hold."""

    said = Signal(str)
    page_shown = Signal(str)

    def __init__(self, pages: tuple[Page, ...], handlers: Handlers, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("place")
        self.pages = {page.code: page for page in pages}
        self._views: dict[str, QWidget] = {}
        self._back: list[str] = []
        self._way_out: Callable[[], None] | None = None
        self.shown = ""
        self.list = QListWidget()
        self.list.setFixedWidth(LIST_PX)
        self.list.setAccessibleName(tr("Pages of Prepare"))
        for page in pages:
            item = QListWidgetItem(page.title)
            item.setData(ID, page.code)
            self.list.addItem(item)
        self.list.setFixedWidth(max(LIST_PX, self.list.sizeHintForColumn(0) + 24))
        self.list.currentItemChanged.connect(self._choose)
        self.list.itemActivated.connect(lambda _: self.enter())
        self.back = Button(tr("Back   Alt+Left"))
        self.back.clicked.connect(self.go_back)
        self.back.hide()
        self.stack = QStackedWidget()
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        left.addWidget(self.back)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 14, 16, 10)
        layout.setSpacing(14)
        layout.addLayout(left)
        layout.addWidget(self.stack, 1)
        self.handlers = handlers
        for command in (c.id for c in COMMANDS if c.place == "prepare"):
            handlers.on(command, functools.partial(self._run, command))
        bind_place(self, "prepare", handlers)

    def view(self, code: str) -> Any:
        """Return the view of a page, made when it is first asked for."""
        if code not in self._views:
            made = self._views[code] = self.pages[code].make()
            self.stack.addWidget(made)
        return self._views[code]

    def show_page(self, code: str) -> None:
        """Show a page, and remember where one was."""
        if code == self.shown:
            self.pages[code].refresh(self.view(code))
            return
        if self.shown:
            self._back = [*self._back, self.shown][-MOST_BACK:]
        self._show(code)

    def visit(self, kind: str, part_id: str, at: str, way_out: Callable[[], None]) -> None:
        """Show a part for somebody who comes from another place: going back leads there at once."""
        self.show_part(kind, part_id, at)
        self._back, self._way_out = [], way_out
        self.back.show()

    def show_again(self, left: str) -> None:
        """Show the page that is shown, else the one that was ``left`` last, else the first; before the keyboard comes here.

        A list without a current row takes its first one when it gets the keyboard.
        """
        self._way_out = None
        self.back.setVisible(bool(self._back))
        self.show_page(self.shown or (left if left in self.pages else next(iter(self.pages))))

    def _show(self, code: str) -> None:
        if self.shown:
            self.view(self.shown).rest()
        self.shown = code
        with QSignalBlocker(self.list):
            self.list.setCurrentRow(list(self.pages).index(code))
        view = self.view(code)
        self.stack.setCurrentWidget(view)
        self.pages[code].refresh(view)
        self.back.setVisible(bool(self._back) or self._way_out is not None)
        self.page_shown.emit(code)

    def go_back(self) -> None:
        """Go back to where one came from."""
        if self._back:
            self._show(self._back.pop())
            self.enter()
        elif self._way_out is not None:
            self._way_out()

    def show_part(self, kind: str, part_id: str, at: str = "") -> None:
        """Show a part on its page, at one of its fields."""
        page = next((p for p in self.pages.values() if kind in p.holds), None)
        if page is None:
            return
        view = self.view(page.code)
        if len(page.holds) > 1:
            view.show_kind(kind)
        self.show_page(page.code)
        view.show_part(part_id, at)
        if not at:
            verbs = view.verbs()
            verbs.get("prepare.editor", view.focus_first)()

    def enter(self) -> None:
        """Give what is on the page the focus."""
        if self.shown:
            self.view(self.shown).focus_first()

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.show_page(str(item.data(ID)))

    def undo(self) -> None:
        """Put back what was changed last on the page."""
        if self.shown and (run := self.view(self.shown).verbs().get("prepare.undo")) is not None:
            run()

    def mark(self, code: str, number: int) -> None:
        """Say behind the title of a page how much there is to do."""
        item = self.list.item(list(self.pages).index(code))
        title = self.pages[code].title
        item.setText(f"{title} ({number})" if number else title)

    def _run(self, command: str) -> None:
        own: dict[str, Callable[[], Any]] = {"prepare.back": self.go_back, "prepare.pages": self.list.setFocus}
        run = own.get(command) or (self.view(self.shown).verbs().get(command) if self.shown else None)
        if run is not None:
            run()
        else:
            self.said.emit(tr("There is nothing of that on this page."))
