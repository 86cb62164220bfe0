"""The prepare place: a list of pages at the left, and the page that is open; pages are records, made when first shown."""

from __future__ import annotations

import functools
from collections.abc import Callable, Mapping
from typing import Any, Protocol

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QStackedWidget, QVBoxLayout, QWidget

from keybundle.core.base.records import dataclass
from keybundle.desktop.actions.binding import bind_place
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.menu import hang, make_menu
from keybundle.desktop.actions.registry import COMMANDS
from keybundle.desktop.presenters.remembered import Remembered
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.place import Place
from keybundle.desktop.views.prepare.list_pane import ListPane
from keybundle.desktop.words import tr

ID = Qt.ItemDataRole.UserRole
LIST_PX = 150
MOST_BACK = 20
LEFT = "prepare page"
UNDO = "prepare.undo"  # it has no key of its own: Ctrl+Z is the window's


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
    """A page: its code, its title, and how it is made; ``holds`` are the kinds of parts that are edited there.

    ``lack`` says of its view why a command cannot be run there now, empty where it can.
    """

    code: str
    title: str
    make: Callable[[], QWidget]
    refresh: Callable[[Any], None]
    holds: tuple[str, ...] = ()
    lack: Callable[[Any, str], str] = lambda view, command_id: ""


class PrepareView(Place):
    """Lists the pages and shows the chosen one; knows nothing of what they hold."""

    def __init__(
        self, pages: tuple[Page, ...], handlers: Handlers, remembered: Remembered, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._remembered = remembered
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
        handlers.provide("way back", lambda: bool(self._back) or self._way_out is not None)
        handlers.unless = self._lack
        bind_place(self, "prepare", handlers)

    def view(self, code: str) -> Any:
        """Return the view of a page, made when it is first asked for."""
        if code not in self._views:
            made = self._views[code] = self.pages[code].make()
            self.stack.addWidget(made)
            for pane in made.findChildren(ListPane):
                hang(make_menu(tr("Prepare"), "prepare", self.handlers, self), pane.names)
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

    def refresh(self) -> None:
        """Show the page that is shown, else the one that was left last, else the first; before the keyboard comes here.

        A list without a current row takes its first one when it gets the keyboard.
        """
        left = str(self._remembered.get(LEFT))
        self._way_out = None
        self.back.setVisible(bool(self._back))
        self.show_page(self.shown or (left if left in self.pages else next(iter(self.pages))))

    def focus_first(self) -> None:
        """Give the list of pages the keyboard."""
        self.list.setFocus()

    def _show(self, code: str) -> None:
        if self.shown:
            self.view(self.shown).rest()
        self.shown = code
        with QSignalBlocker(self.list):
            self.list.setCurrentRow(list(self.pages).index(code))
        view = self.view(code)
        self.pages[code].refresh(view)
        self.stack.setCurrentWidget(view)
        self.back.setVisible(bool(self._back) or self._way_out is not None)
        self._remembered.put(LEFT, code)

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

    def rest(self) -> None:
        """Keep what stands in an open editor."""
        self.flush()

    def flush(self) -> None:
        """Keep what stands in an open editor."""
        view = self._views.get(self.shown)
        if view is not None and hasattr(view, "flush"):
            view.flush()

    @property
    def can_undo(self) -> bool:
        """Whether something was changed on the page, or is being changed; the page itself says what."""
        return self._verb(UNDO) is not None and not self._lack(UNDO)

    def undo(self) -> None:
        """Put back what was changed last on the page."""
        if (run := self._verb(UNDO)) is not None:
            run()

    def mark(self, code: str, number: int) -> None:
        """Say behind the title of a page how much there is to do."""
        item = self.list.item(list(self.pages).index(code))
        title = self.pages[code].title
        item.setText(f"{title} ({number})" if number else title)

    def _verb(self, command: str) -> Callable[[], Any] | None:
        own: dict[str, Callable[[], Any]] = {"prepare.back": self.go_back, "prepare.pages": self.list.setFocus}
        return own.get(command) or (self.view(self.shown).verbs().get(command) if self.shown else None)

    def _lack(self, command: str) -> str:
        """Say why what is in front has no use for a command now."""
        if self._verb(command) is None:
            return tr("There is nothing of that on this page.")
        return self.pages[self.shown].lack(self.view(self.shown), command) if self.shown else ""

    def _run(self, command: str) -> None:
        if (run := self._verb(command)) is not None:
            run()
