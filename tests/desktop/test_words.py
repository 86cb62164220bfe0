"""The whole window in the pseudo-locale: no word of its own unmarked, nothing cut; and what the catalogue must hold."""

from __future__ import annotations

import ast
import contextlib
import json
import re
import sqlite3
import time
import unittest
from collections.abc import Iterator
from pathlib import Path
from typing import get_args
from unittest import mock

from babel.localedata import locale_identifiers
from babel.messages.extract import extract_from_dir
from babel.messages.pofile import read_po
from babel.numbers import format_decimal
from PySide6.QtCore import QAbstractItemModel, QAbstractListModel, QAbstractTableModel, QModelIndex, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QCheckBox,
    QComboBox,
    QDialog,
    QLabel,
    QLineEdit,
    QPushButton,
    QWidget,
)  # fmt: skip
from shiboken6 import Shiboken

from keybundle.core.base.messages import PSEUDO, Message
from keybundle.core.batches.model import State
from keybundle.core.fields.kinds import Kind
from keybundle.core.fields.values import Origin
from keybundle.core.rights.model import Right
from keybundle.core.setup import routines
from keybundle.core.workflows.session.oneself import change_oneself
from keybundle.desktop import words as desktop_words
from keybundle.desktop.actions.handlers import Handlers
from keybundle.desktop.actions.registry import COMMANDS
from keybundle.desktop.app import Desktop
from keybundle.desktop.views.side_sheet import SheetEdge
from keybundle.desktop.views.told import Told
from keybundle.desktop.views.window import MainWindow
from keybundle.desktop.words import UNGROUPED, language_name, number, say_month, speak, tr, trn
from keybundle.desktop.words.codes import WORDS_OF_CODES
from tests.desktop.support import DesktopTest
from tests.support import acting, scanned_template

LETTERS = re.compile(r"[^\W\d_]{2,}")
DESKTOP = Path(desktop_words.__file__).parent.parent
# A capital and more words: what people read. Names of things that have no other in any language stand as they are.
SENTENCE = re.compile(r"^[A-Z][a-z]+\b.*\s\S|[a-z]{2,} .*[.!?]$")
NAMES = ("Key Bundle", "Atkinson Hyperlegible", "Code 128", "Code 39", "Data Matrix", "Page 1", "QLabel", "QLineEdit", "QList",
         "QSplitter", "QFrame", "QWidget", "QPush", "QCombo", "QTable", "QScroll", "QTree", "QProgress")  # fmt: skip


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
    """Yield heads, texts and tool tips of a model's first rows, with what hangs below them."""
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


def data_of(desktop: Desktop, folder: Path) -> list[str]:
    """Return what is data: names of the set-up, registers, values, folders, files, ids, keys and paths; longest first."""
    said = {str(folder / "data" / "files"), "Key Bundle", "PDF", "English", PSEUDO, "Enter", "Esc"}
    said |= {
        part
        for c in COMMANDS
        for key in (*c.keys, "   ".join(c.keys))
        for part in (key, key.replace("Return", "Enter"))
    }
    named = ("name", "description", "sign", "caption", "login", "repository", "field", "default", "words", "labels", "values",
             "key", "path", "register", "choices", "columns", "pattern", "help", "unit")  # fmt: skip
    leaves(desktop.workspace.setup.model_dump(mode="json"), named, said)
    said |= {name for person in desktop.workspace.setup.people for name in person.values}
    asked = (
        "SELECT row FROM register_entry", "SELECT value FROM document_value", "SELECT value FROM folder",
        "SELECT caption FROM document", "SELECT source FROM version_page", "SELECT data FROM batch_value",
        "SELECT id FROM batch", "SELECT id FROM document", "SELECT source FROM page", "SELECT tag FROM document_tag",
        "SELECT origin FROM batch",
    )  # fmt: skip
    with contextlib.closing(sqlite3.connect(folder / "data" / "keybundle.sqlite")) as c:
        for sql in asked:
            for (value,) in c.execute(sql):
                leaves(json.loads(value) if str(value).startswith(("{", "[")) else value, None, said)
    return sorted((t for t in said if LETTERS.search(t)), key=len, reverse=True)


def is_cut(widget: QWidget) -> bool:
    """Whether a widget that shows one line has less room than its text needs."""
    is_line = isinstance(widget, (QPushButton, QCheckBox)) or (type(widget) in (QLabel, Told) and not widget.wordWrap())
    return is_line and widget.isVisible() and bool(widget.text()) and widget.sizeHint().width() > widget.width() + 1


MOST_SECONDS = 2.0


class Pseudo(DesktopTest):
    maxDiff = None

    def setUp(self) -> None:
        super().setUp()
        speak(PSEUDO)
        self.addCleanup(speak, "")
        self.data: list[str] = []
        self.bare: dict[str, str] = {}
        self.painted: set[str] = set()
        draw, painted = QPainter.drawText, self.painted

        def draw_noted(painter: QPainter, *given: object) -> object:
            painted.update(g for g in given if isinstance(g, str))
            return draw(painter, *given)  # type: ignore[call-overload]

        patched = mock.patch.object(QPainter, "drawText", draw_noted)
        patched.start()
        self.addCleanup(patched.stop)
        self.cut: dict[str, str] = {}

    def is_bare(self, text: str) -> bool:
        """Whether a text has words that are neither marked nor data."""
        left = unmarked(text)
        for known in self.data if LETTERS.search(left) else ():
            left = left.replace(known, " ")
        return bool(LETTERS.search(left))

    def look(self, where: str) -> None:
        """Look at all that is shown now."""
        self.spin(0.1)
        # What is painted with dots at its end was data; a label that does not fit is told by its widget.
        for text in filter(self.is_bare, (t for t in self.painted if not t.endswith("…"))):
            self.bare.setdefault(text, f"{where}: painted")
        for window in (w for w in QApplication.topLevelWidgets() if w.isVisible()):
            for widget in (w for w in (window, *window.findChildren(QWidget)) if w.isVisible()):
                for text in filter(self.is_bare, said_by(widget)):
                    self.bare.setdefault(text, f"{where}: {type(widget).__name__}")
                if is_cut(widget):
                    end = time.monotonic() + MOST_SECONDS  # it may be about to get more room
                    while Shiboken.isValid(widget) and is_cut(widget) and time.monotonic() < end:
                        self.spin(0.1)
                    if Shiboken.isValid(widget) and is_cut(widget):
                        told = f"{where}: {widget.sizeHint().width()} > {widget.width()} px"
                        self.cut.setdefault(widget.text(), told)

    def test_everything_is_marked_and_nothing_is_cut(self) -> None:
        desktop = self.start(scanned=True)
        change_oneself(acting(desktop.workspace, "Oswinna Reedmace"), language=PSEUDO)
        self.data = data_of(desktop, self.folder)
        self.look("start")
        desktop.begin("Oswinna Reedmace")
        window = desktop.window
        assert window is not None
        self.look("work")
        self.look_at_bench(window, scanned_template()[1])
        self.look_at_documents(window)
        window.go_prepare()
        self.spin(0.4)
        for i in range(window.prepare.list.count()):
            window.prepare.list.setCurrentRow(i)
            self.look(f"prepare {i}")
        for command in ("help.keys", "go.person", "help.messages", "work.options", "work.give"):
            self.look_at(window.handlers, command, window.edge)
        self.assertEqual(self.bare, {}, "words that are neither in the catalogue nor data")
        self.assertEqual(self.cut, {}, "texts that do not fit")

    def look_at(self, handlers: Handlers, command: str, edge: SheetEdge) -> None:
        """Run a command, look at what it opens, and end that."""
        handlers.trigger(command)
        self.look(command)
        edge.end()
        for dialog in (w for w in QApplication.topLevelWidgets() if isinstance(w, QDialog) and w.isVisible()):
            dialog.close()

    def look_at_bench(self, window: MainWindow, batch_id: str) -> None:
        """Look at each document of a batch, and at all that the bench opens."""
        window.open_batch(batch_id)
        bench = window.benches[batch_id]
        self.until(lambda: bench.presenter.pictures.shown is not None and bench.presenter.state.slip is not None)
        captions = [d.caption for d in bench.presenter.state.documents if not isinstance(d.caption, Message)]
        self.data = sorted([*self.data, *captions], key=len, reverse=True)
        for document in bench.presenter.state.documents:
            bench.presenter.going.go_to_document(document.id)
            self.look(f"bench {document.type}")
        bench.strip.setFocus()
        for command in (
            "strip.contact sheet", "strip.contact sheet", "strip.leave out", "strip.take back", "bench.table",
            "bench.table", "bench.changes", "bench.text", "bench.text", "bench.poor pages", "bench.aside list",
            "bench.language", "bench.set aside", "bench.starters", "bench.second window", "bench.give", "slip.register",
            "bench.folder", "bench.keep to", "bench.separate again",
        ):  # fmt: skip
            self.assertIn(command, bench.handlers.run)
            self.look_at(bench.handlers, command, bench.sheets.edge)

    def look_at_documents(self, window: MainWindow) -> None:
        """Look at what is filed: cabinets, sending, whom it is kept to, hits and the viewer."""
        window.go_cabinets()
        self.look("cabinets")
        window.cabinets.table.selectRow(0)
        for command in ("cabinets.send", "cabinets.keep to"):
            self.look_at(window.handlers, command, window.edge)
        window.go_find()
        window.finder.line.setText("the")
        window.finder.presenter.search("the")
        self.until(lambda: window.finder.presenter.state.hits)
        told = [piece.strip() for h in window.finder.presenter.state.hits for piece, _ in h.snippet]
        self.data = sorted(
            {*self.data, *told, *(b.label for b in window.finder.presenter.state.bars)}, key=len, reverse=True
        )
        self.look("find")
        hits = [h for h in window.finder.presenter.state.hits if h.is_filed]
        window.viewers.open(hits[0].id, 0, window.finder.presenter.query)
        (shown,) = window.viewers.windows
        self.until(lambda: shown.viewer.presenter.state.pages)
        for command in ("viewer.values", "viewer.text", "viewer.story", "viewer.next place"):
            shown.viewer.handlers.trigger(command)
            self.look(command)
        shown.close()


class Catalogue(unittest.TestCase):
    def tearDown(self) -> None:
        speak("")

    def test_the_template_holds_all_words(self) -> None:
        found: set[str] = set()
        for keywords in ({"tr": None, "trn": (1, 2), "mark": None, "Command": (2,)}, {"Command": (3,)}):
            for _, _, told, *_ in extract_from_dir(str(DESKTOP), keywords=keywords):
                found |= {told} if isinstance(told, str) else set(told)
        with (DESKTOP / "words" / "window.pot").open("rb") as file:
            template = read_po(file)
        known = {t for m in template for t in ((m.id,) if isinstance(m.id, str) else m.id)} - {""}
        self.assertEqual(found, known, "run scripts/words")

    def test_codes_have_words(self) -> None:
        literals = (routines.RuleName, routines.ScanOption)
        codes = {str(v) for kinds in (State, Kind, Origin, Right) for v in kinds} | set(get_args(literals[0]))
        self.assertEqual(codes - set(WORDS_OF_CODES), set())

    def test_no_sentence_stands_outside(self) -> None:
        """Every literal of the window that reads like a sentence is given to the catalogue."""
        outside = []
        for path in sorted(DESKTOP.rglob("*.py")):
            tree = ast.parse(path.read_text())
            inside: set[ast.AST] = set()
            for node in ast.walk(tree):
                is_said = isinstance(node, ast.Call) and ast.unparse(node.func) in ("tr", "trn", "mark", "Command")
                is_log = isinstance(node, ast.Call) and ast.unparse(node.func).startswith("log.")
                if is_said or is_log or (isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)):
                    inside |= set(ast.walk(node))
            outside += [
                f"{path.name}:{n.lineno}: {n.value}" for n in ast.walk(tree)
                if isinstance(n, ast.Constant) and isinstance(n.value, str) and n not in inside
                and SENTENCE.search(n.value.strip()) and not n.value.strip().startswith(NAMES)
            ]  # fmt: skip
        self.assertEqual(outside, [])

    def test_small_counts_are_written_alike_in_all_locales(self) -> None:
        # Source: CLDR by Babel, all its locales; what is written without asking it is what it says.
        for name in locale_identifiers():
            self.assertEqual([format_decimal(n, locale=name) for n in (0, 7, UNGROUPED - 1)], ["0", "7", "99"], name)
        self.assertEqual(number(1000), "1,000")

    def test_words_and_numbers_of_a_language(self) -> None:
        # Source: CLDR, as Babel's documentation shows it (format_decimal, get_month_names, Locale.get_display_name).
        speak("", "de_DE")
        self.assertEqual(number(12345.5), "12.345,5")
        self.assertEqual(trn("{n:,} page", "{n:,} pages", 12345), "12.345 pages")
        self.assertEqual(tr("{share:.0%} of {n:,}", share=0.5, n=1000), "50\u00a0% of 1.000")
        self.assertEqual(say_month(3, short=True), "Mar")
        self.assertEqual(language_name("de"), "Deutsch")
        self.assertEqual(tr("such as {date}"), "such as {date}", "without parameters braces are braces")
        speak(PSEUDO)
        self.assertEqual(tr("Kept: {name}", name="Post"), "⟦Kept: Post····⟧")
