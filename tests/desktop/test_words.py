"""The whole window in the pseudo-locale: no word of its own unmarked, nothing cut."""

from __future__ import annotations

import contextlib
import json
import re
import sqlite3
from collections.abc import Iterator

from PySide6.QtCore import QAbstractItemModel, QAbstractListModel, QAbstractTableModel, QModelIndex, Qt
from PySide6.QtWidgets import (
    QAbstractButton, QAbstractItemView, QApplication, QCheckBox, QDialog, QComboBox, QLabel, QLineEdit, QPushButton, QWidget,
)  # fmt: skip

from keybundle.core.base.messages import PSEUDO
from keybundle.desktop.actions.registry import COMMANDS
from keybundle.desktop.app import Desktop
from keybundle.desktop.actions.registry import Handlers
from keybundle.desktop.views.side_sheet import SheetEdge
from keybundle.desktop.views.window import MainWindow
from keybundle.core.workflows.session.oneself import change_oneself
from keybundle.desktop.words import speak
from tests.desktop.support import DesktopTest
from tests.support import acting, scanned_template

LETTERS = re.compile(r"[^\W\d_]{2,}")


def unmarked(text: str) -> str:
    """Return what of a text stands outside the marks of the pseudo-locale."""
    depth, out = 0, []
    for sign in re.sub(r"<[^>]*>|&\w+;", " ", text):
        depth += (sign == "⟦") - (sign == "⟧")
        if depth == 0 and sign != "⟧":
            out.append(sign)
    return "".join(out)


def said_by(widget: QWidget) -> Iterator[str]:
    """Yield all that a widget says: its text, hint, tool tip, name for screen readers, entries and heads."""
    yield from (widget.toolTip(), widget.accessibleName(), widget.windowTitle() if widget.isWindow() else "")
    if isinstance(widget, (QLabel, QAbstractButton)):
        yield widget.text()
    if isinstance(widget, QLineEdit):
        yield widget.placeholderText()
    if isinstance(widget, QComboBox):
        yield from (widget.itemText(i) for i in range(widget.count()))
    if isinstance(widget, QAbstractItemView) and widget.model() is not None:
        yield from cells(widget.model())


def cells(model: QAbstractItemModel, parent: QModelIndex | None = None) -> Iterator[str]:
    at = parent or QModelIndex()
    columns = range(1 if isinstance(model, QAbstractListModel) else model.columnCount(at))
    if parent is None:
        yield from (str(model.headerData(i, Qt.Orientation.Horizontal) or "") for i in columns)
    for row in range(min(30, model.rowCount(at))):
        for column in columns:
            index = model.index(row, column, at)
            yield str(index.data() or "")
            yield str(index.data(Qt.ItemDataRole.ToolTipRole) or "")
        if not isinstance(model, (QAbstractListModel, QAbstractTableModel)):
            yield from cells(model, model.index(row, 0, at))


def leaves(data: object, under: tuple[str, ...] | None, found: set[str]) -> None:
    """Gather the texts of plain data, those under certain names alone or (None) all."""
    if isinstance(data, dict):
        for key, value in data.items():
            if under is None or key in under or isinstance(value, (dict, list)):
                leaves(value, None if under is not None and key in under else under, found)
    elif isinstance(data, list):
        for value in data:
            leaves(value, under, found)
    elif isinstance(data, str) and under is None:
        found.add(data)


class Pseudo(DesktopTest):
    def setUp(self) -> None:
        super().setUp()
        speak(PSEUDO)
        self.addCleanup(speak, "")
        self.data: list[str] = []
        self.bare: dict[str, str] = {}
        self.cut: dict[str, str] = {}

    def look(self, where: str) -> None:
        """Look at all that is shown now."""
        self.spin(0.3)
        for window in QApplication.topLevelWidgets():
            if not window.isVisible():
                continue
            for widget in (window, *window.findChildren(QWidget)):
                if not widget.isVisible():
                    continue
                for text in said_by(widget):
                    if self.is_bare(text):
                        self.bare.setdefault(text[:90], f"{where}: {type(widget).__name__}")
                if isinstance(widget, (QPushButton, QCheckBox)) or type(widget) is QLabel and not widget.wordWrap():
                    if widget.sizeHint().width() > widget.width() + 1 and widget.text():
                        self.cut.setdefault(widget.text()[:90], f"{where}: {type(widget).__name__} {widget.sizeHint().width()} > {widget.width()}")

    def data_of(self, desktop: Desktop) -> list[str]:
        """Return what is data: names of the set-up, registers, values, folders, files, ids, keys and paths; the longest first."""
        said = {str(self.folder), "Key Bundle", *self.keys()}
        named = ("name", "description", "sign", "caption", "login", "repository", "field", "default", "words", "labels", "values",
                 "key", "path", "register", "choices")  # fmt: skip
        leaves(desktop.workspace.setup.model_dump(mode="json"), named, said)
        asked = (
            "SELECT row FROM register_entry", "SELECT value FROM document_value", "SELECT value FROM folder",
            "SELECT caption FROM document", "SELECT source FROM version_page", "SELECT data FROM batch_value",
            "SELECT id FROM batch", "SELECT id FROM document", "SELECT source FROM page", "SELECT tag FROM document_tag",
        )  # fmt: skip
        with contextlib.closing(sqlite3.connect(self.folder / "data" / "keybundle.sqlite")) as c:
            for sql in asked:
                for (value,) in c.execute(sql):
                    plain = json.loads(value) if str(value).startswith(("{", "[")) else value
                    leaves(plain, None, said)
        return sorted((t for t in said if LETTERS.search(t)), key=len, reverse=True)

    def keys(self) -> set[str]:
        """Return the names of keys as they stand on a keyboard."""
        return {part for c in COMMANDS for part in (c.shortcut, c.shortcut.replace("Return", "Enter"))} | {"Enter", "Esc"}

    def test_everything_is_marked_and_nothing_is_cut(self) -> None:
        desktop = self.start(scanned=True)
        change_oneself(acting(desktop.workspace, "Elspra Towpath"), language=PSEUDO)
        self.data = self.data_of(desktop)
        self.look("start")
        desktop.begin("Elspra Towpath")
        window = desktop.window
        assert window is not None
        self.look("work")
        batch_id = scanned_template()[1]
        self.look_at_bench(window, batch_id)
        window.go_cabinets()
        self.look("cabinets")
        window.cabinets.table.selectRow(0)
        for command in ("cabinets.send", "cabinets.keep to"):
            self.look_at(window.handlers, command, window.edge)
        window.go_find()
        window.finder.line.setText("the")
        window.finder.presenter.search("the")
        self.spin(0.5)
        self.look("find")
        hits = [h for h in window.finder.presenter.state.hits if h.is_filed]
        window.viewers.open(hits[0].id, 0, window.finder.presenter.query)
        self.spin(0.5)
        (shown,) = window.viewers.windows
        for command in ("viewer.values", "viewer.text", "viewer.story", "viewer.next place"):
            shown.viewer.handlers.trigger(command)
            self.look(command)
        shown.close()
        window.go_prepare()
        self.spin(0.5)
        for i in range(window.prepare.list.count()):
            window.prepare.list.setCurrentRow(i)
            self.look(f"prepare {i}")
        for command in ("help.keys", "go.person", "help.messages", "work.options", "work.give"):
            self.look_at(window.handlers, command, window.edge)
        with open("/tmp/w/out.json", "w") as f:
            json.dump([self.bare, self.cut], f, indent=1, ensure_ascii=False)

    def is_bare(self, text: str) -> bool:
        """Whether a text has words that are neither marked nor data."""
        left = unmarked(text)
        for known in self.data if LETTERS.search(left) else ():
            left = left.replace(known, " ")
        return bool(LETTERS.search(left))

    def look_at(self, handlers: Handlers, command: str, edge: SheetEdge) -> None:
        handlers.trigger(command)
        self.look(command)
        edge.end()
        for window in QApplication.topLevelWidgets():
            if isinstance(window, QDialog) and window.isVisible():
                window.close()

    def look_at_bench(self, window: MainWindow, batch_id: str) -> None:
        window.open_batch(batch_id)
        bench = window.benches[batch_id]
        self.until(lambda: bench.presenter.pictures.shown is not None and bench.presenter.state.slip is not None)
        for document in bench.presenter.state.documents:
            bench.presenter.go_to_document(document.id)
            self.look(f"bench {document.type}")
        bench.strip.setFocus()
        for command in (
            "strip.contact sheet", "strip.contact sheet", "strip.leave out", "strip.take back", "bench.table", "bench.table",
            "bench.changes", "bench.text", "bench.text", "bench.poor pages", "bench.aside list", "bench.language", "bench.set aside",
            "bench.starters", "bench.second window", "bench.give", "slip.register", "bench.folder", "bench.keep to", "bench.separate again",
        ):  # fmt: skip
            if command not in bench.handlers.run:
                print("no", command)
                continue
            self.look_at(bench.handlers, command, bench.sheets.edge)
