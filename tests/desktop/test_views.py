"""Screens: lifting, completion, set aside, columns, the shortcut sheet, the start, contrast."""

from __future__ import annotations

import contextlib
import sqlite3
from collections import Counter
from unittest import mock

from PySide6.QtCore import QModelIndex, QSettings, Qt
from PySide6.QtTest import QAbstractItemModelTester, QTest
from PySide6.QtWidgets import QPushButton

from keybundle.core.base.errors import OldFormat
from keybundle.core.workflows.find.find import find
from keybundle.core.workflows.oversee.verify import verify
from keybundle.desktop.actions.registry import COMMANDS, search_commands
from keybundle.desktop.app import Desktop, _open_desktop
from keybundle.desktop.theme import colours
from keybundle.desktop.views.bench_view import BenchView
from keybundle.desktop.views.cabinets_view import CabinetsView
from keybundle.desktop.views.keys_dialog import KeysDialog
from keybundle.desktop.views.window import MainWindow
from tests.desktop.support import DesktopTest
from tests.support import acting, scanned_template

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
ALT = Qt.KeyboardModifier.AltModifier


def luminance(colour: str) -> float:
    # Source: WCAG 2.2, definition of relative luminance.
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(a: str, b: str) -> float:
    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


class Look(DesktopTest):
    def test_contrast_of_text(self) -> None:
        # Source: WCAG 2.2 SC 1.4.3 (4.5:1); black on white is 21:1, #767676 on white 4.54:1 as published by W3C.
        self.assertAlmostEqual(contrast("#000000", "#FFFFFF"), 21.0, places=2)
        self.assertAlmostEqual(contrast("#767676", "#FFFFFF"), 4.54, places=2)
        for ink, paper in colours.TEXT_PAIRS:
            self.assertGreaterEqual(contrast(ink, paper), 4.5, (ink, paper))
        for edge, paper in colours.EDGE_PAIRS:  # Source: WCAG 2.2 SC 1.4.11
            self.assertGreaterEqual(contrast(edge, paper), 3.0, (edge, paper))

    def test_commands_are_unique_and_searchable(self) -> None:
        self.assertEqual([i for i, n in Counter(c.id for c in COMMANDS).items() if n > 1], [])
        for place in {c.place for c in COMMANDS}:
            keys = Counter(k for c in COMMANDS for k in c.keys if c.place in (place, place.split()[0], "everywhere"))
            titles = {
                c.title for c in COMMANDS if any(keys[k] > 1 for k in c.keys) and c.place in (place, "everywhere")
            }
            # A viewer is a window of its own, where undo is its own too.
            self.assertEqual(titles, {"Undo"} if place == "viewer" else set(), place)
        for letter in {c.shortcut for c in COMMANDS if len(c.shortcut.removeprefix("Shift+")) == 1}:
            titles = [set(c.title.casefold().split()) for c in COMMANDS if c.shortcut == letter]
            self.assertTrue(set.intersection(*titles), f"{letter} means one thing everywhere: {titles}")
        self.assertTrue(all(c.words and c.title for c in COMMANDS))
        self.assertEqual([c.id for c in search_commands("carpet")], [])
        self.assertIn("strip.break", [c.id for c in search_commands("new document page")])


class EarlierDemo(DesktopTest):
    def test_demo_data_of_an_earlier_format_is_set_aside_and_made_anew(self) -> None:
        data = self.folder / "demo"
        data.mkdir()
        with contextlib.closing(sqlite3.connect(data / "keybundle.sqlite")) as c:
            c.execute("CREATE TABLE alembic_version (version_num TEXT)")
            c.commit()
        with self.assertRaises(OldFormat):
            _open_desktop(data, demo=False, files=())
        with mock.patch.object(Desktop, "_make_demo"):
            desktop = _open_desktop(data, demo=True, files=())
        self.addCleanup(self.let_windows_go)
        self.addCleanup(desktop.close)
        assert desktop.start is not None
        self.assertIn("demo-aside-1", desktop.start.problem.text())
        self.assertTrue((self.folder / "demo-aside-1" / "keybundle.sqlite").exists())
        self.assertEqual(desktop.workspace.setup.repository, "Larkmere Navigation Trust")


class FirstStart(DesktopTest):
    def test_the_first_administrator(self) -> None:
        desktop = Desktop(
            self.folder / "fresh", settings=QSettings(str(self.folder / "w.ini"), QSettings.Format.IniFormat)
        )
        self.addCleanup(desktop.close)
        desktop.root.show()
        start = desktop.start
        assert start is not None
        self.key(start.go, Qt.Key.Key_Space)
        self.assertIn("need a name", start.problem.text())
        QTest.keyClicks(start.repository, "Boat yard")
        QTest.keyClicks(start.administrator, "Jorwen Tillerman")
        self.key(start.administrator, Qt.Key.Key_Return)
        self.until(lambda: desktop.window is not None, 20)
        self.assertEqual(desktop.workspace.person(None).name, "Jorwen Tillerman")


class Bench(DesktopTest):
    def open_bench(self) -> tuple[MainWindow, BenchView]:
        desktop = self.start(scanned=True)
        desktop.begin("Elspra Towpath")
        window = desktop.window
        assert window is not None
        batch_id = scanned_template()[1]
        window.open_batch(batch_id)
        bench = window.benches[batch_id]
        self.until(lambda: bench.presenter.pictures.shown is not None and bench.presenter.state.slip is not None)
        return window, bench

    def test_zooming_brings_the_full_resolution_and_neighbours_are_fetched_ahead(self) -> None:
        _, bench = self.open_bench()
        p = bench.presenter
        document = next(d for d in p.state.documents if d.pages > 1)
        p.going.go_to_document(document.id)
        self.until(lambda: p.pictures.shown is not None and p.pictures.shown.page == p.state.page)
        small = bench.page.picture.width()
        for _ in range(6):
            self.key(bench.strip, Qt.Key.Key_Plus, CTRL)
        self.until(lambda: p.pictures.shown is not None and p.pictures.shown.is_full, 20, "the full picture")
        self.assertGreater(bench.page.picture.width(), 1.5 * small)
        self.assertEqual(bench.page.picture.width(), p.pictures.shown.width if p.pictures.shown else 0)
        ids = [x.id for x in p.state.pages]
        here = ids.index(str(p.state.page))
        self.until(lambda: p.pictures.fetched >= {ids[here + 1], ids[here + 2]}, 20, "the pages behind it")
        p.going.step_page(1)
        self.assertEqual(p.pictures.shown.page if p.pictures.shown else "", ids[here + 1], "shown without a wait")

    def test_lift_complete_set_aside_and_turn(self) -> None:
        window, bench = self.open_bench()
        p = bench.presenter
        agreement = next(d for d in p.state.documents if d.type == "Mooring agreement")
        p.going.go_to_document(agreement.id)
        self.until(
            lambda: p.pictures.shown is not None and p.pictures.shown.page == p.state.page and p.pictures.shown.words
        )
        self.lift_by_click_and_keys(bench)
        self.complete_from_the_register(bench)
        self.key(bench.strip, Qt.Key.Key_D, CTRL)
        self.answer("torn page")
        self.until(lambda: p.state.slip is not None and p.state.slip.state == "set aside")
        self.assertIn("torn page", p.state.slip.why_not)  # type: ignore[union-attr]
        self.assertIn("1 set aside" if agreement.pages == 1 else "set aside", bench.balance.text())
        self.key(bench.strip, Qt.Key.Key_D, CTRL)
        self.until(lambda: p.state.slip is not None and p.state.slip.state != "set aside")
        first = p.state.page
        bench.strip.setFocus()
        self.key(bench.strip, Qt.Key.Key_R)

        def turned() -> bool:
            shown = p.pictures.shown
            return shown is not None and shown.page == first and shown.width > shown.height

        self.until(turned, 30, "the turned picture")
        self.key(bench.strip, Qt.Key.Key_Z, CTRL)
        self.until(lambda: not turned(), 30)
        self.assertFalse(window.message.text().startswith("Something went wrong"))

    def lift_by_click_and_keys(self, bench: BenchView) -> None:
        p, page = bench.presenter, bench.page
        words = p.pictures.shown.words if p.pictures.shown else ()
        trust = next(i for i, w in enumerate(words) if w.text.startswith("Larkmere"))
        bench.slip.focus("Keeper")
        self.click(page, page.rect_of(words[trust].box).center().toPoint())
        row = lambda: next(r for r in p.state.slip.rows if r.name == "Keeper")  # type: ignore[union-attr] # noqa: E731
        self.until(lambda: row().text == "Larkmere" and row().origin == "lifted", what="a lifted word")
        bench.slip.focus("Keeper")
        self.click(page, page.rect_of(words[trust].box).center().toPoint())
        self.click(page, page.rect_of(words[trust + 2].box).center().toPoint(), SHIFT)
        self.until(lambda: row().text == "Larkmere Navigation Trust", what="a lifted line")
        bench.slip.focus("Keeper")
        self.key(bench.slip.fields["Keeper"].value, Qt.Key.Key_L, CTRL)
        QTest.keyClicks(page, "navi")
        self.key(page, Qt.Key.Key_Right)
        self.key(page, Qt.Key.Key_Return)
        self.until(lambda: row().text == "Navigation Trust", what="a line lifted by keys")
        self.assertIsNotNone(row().place)

    def complete_from_the_register(self, bench: BenchView) -> None:
        p, field = bench.presenter, bench.slip.fields["Boat number"]
        bench.slip.focus("Boat number")
        QTest.keyClicks(field.value, "LN10")
        self.until(lambda: field.value.model.rowCount(), what="the type-ahead list")
        shown = [field.value.model.index(i, 0).data() for i in range(field.value.model.rowCount())]
        self.assertTrue(shown[0].startswith("LN1000"))
        popup = field.value.list.popup()
        self.until(popup.isVisible)
        for _ in range(1 + next(i for i, line in enumerate(shown) if line.startswith("LN1007"))):
            self.key(popup, Qt.Key.Key_Down)
        self.key(popup, Qt.Key.Key_Return)
        self.assertEqual(field.value.text(), "LN1007", "the value, and not what the list tells of it")
        self.key(field.value, Qt.Key.Key_Return)
        boat = p._s.workspace.books()["boats"].find("LN1007")
        assert boat is not None
        self.until(lambda: dict(p.state.slip.path).get("Home mooring") == boat["Home mooring"],  # type: ignore[union-attr]
                   what="the mooring of the chosen boat")  # fmt: skip

    def test_focus_frames_the_place_of_a_value(self) -> None:
        _, bench = self.open_bench()
        p = bench.presenter
        row = next(r for r in p.state.slip.rows if r.place is not None)  # type: ignore[union-attr]
        bench.slip.focus(row.name)
        self.until(lambda: p.pictures.shown is not None and p.pictures.shown.frame is not None)
        words = [w.text for w in p.pictures.shown.words  # type: ignore[union-attr]
                 if row.place[1][0] - 4 <= w.box[0] and w.box[2] <= row.place[1][2] + 4  # type: ignore[index]
                 and abs(w.box[1] - row.place[1][1]) < 12]  # type: ignore[index] # fmt: skip
        self.assertTrue(words)
        self.key(bench.slip.fields[row.name].value, Qt.Key.Key_Escape)
        self.assertTrue(bench.strip.hasFocus())


class Browsing(DesktopTest):
    def type_tags(self, view: CabinetsView, text: str) -> None:
        view.tags.setFocus()
        view.tags.selectAll()
        self.key(view.tags, Qt.Key.Key_Delete)
        QTest.keyClicks(view.tags, text)
        self.key(view.tags, Qt.Key.Key_Return)

    def test_columns_filter_flat_and_preview(self) -> None:
        desktop = self.start()
        desktop.begin("Elspra Towpath")
        window = desktop.window
        assert window is not None
        self.until(window.isActiveWindow)
        self.assertEqual(window.made, ("work",), "places wait for their first visit")
        self.key(window, Qt.Key.Key_2, CTRL)
        self.assertEqual(window.made, ("work", "cabinets"))
        view, p = window.cabinets, window.cabinets.presenter
        self.until(lambda: len(p.state.columns) == 2)
        QAbstractItemModelTester(view.model, QAbstractItemModelTester.FailureReportingMode.Fatal)
        total = len(p.state.documents)
        self.assertEqual(sum(n for _, n in p.state.columns[0].entries), total)
        _value, number = p.state.columns[0].entries[0]
        first = next(iter(view._columns.values()))
        self.click(first.list.viewport(), first.list.visualItemRect(first.list.item(0)).center())
        self.until(lambda: len(p.state.documents) == number)
        self.assertIn(f"{number} of {total} documents shown", view.conditions.text())
        self.key(view.table, Qt.Key.Key_Escape)
        self.until(lambda: len(p.state.documents) == total)
        self.key(view.table, Qt.Key.Key_V, CTRL | ALT)
        self.until(lambda: [c.field for c in p.state.columns] == ["Boat number", "Home mooring"])
        self.key(view.table, Qt.Key.Key_F, CTRL | ALT)
        self.until(lambda: not p.state.columns)
        view.table.selectRow(0)
        self.until(lambda: view.page.shown is not None, 30, "the preview")
        self.assertEqual(view.model.data(view.model.index(0, 0), Qt.ItemDataRole.DisplayRole), p.pages.document.caption)  # type: ignore[union-attr]
        self.assertEqual(view.model.rowCount(QModelIndex()), total)
        self.until(lambda: p.state.chosen == (p.state.documents[0],) and view.tags.isEnabled())
        self.key(view.table, Qt.Key.Key_T, CTRL)
        self.until(view.tags.hasFocus, 5)
        self.type_tags(view, "urgent, to sign")
        ws, ids = desktop.workspace, p.state.documents[:2]
        tags = lambda: [ws.repository.load(i).tags for i in ids]  # noqa: E731
        self.until(lambda: tags() == [("urgent", "to sign"), ()])
        self.until(lambda: window.undo.text() == "Undo: tags of 1 document   Ctrl+Z")
        self.key(view.tags, Qt.Key.Key_Z, CTRL)
        self.until(lambda: tags() == [(), ()], 10, "the tags to be put back")
        self.until(lambda: not window.undo.isVisible() and view.tags.text() == "")
        self.type_tags(view, "urgent, to sign")
        self.until(lambda: tags() == [("urgent", "to sign"), ()])
        self.until(lambda: view.model.data(view.model.index(0, 2), Qt.ItemDataRole.DisplayRole) == "urgent, to sign")
        self.assertEqual([h.id for h in find(acting(ws), "urgent").hits], [ids[0]], "found by its tag at once")
        found = find(acting(ws), 'tag = "To Sign"')
        self.assertEqual(([h.id for h in found.hits], found.tags), ([ids[0]], (("to sign", 1), ("urgent", 1))))
        self.assertEqual(find(acting(ws), "tag = seen").hits, ())
        self.key(view.table, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
        self.until(lambda: p.state.chosen == ids and p.state.tags == ())
        self.assertIn("that all 2 have", view.tags_line.told.text())
        self.type_tags(view, "seen")
        self.until(lambda: tags() == [("urgent", "to sign", "seen"), ("seen",)])
        self.until(lambda: p.state.tags == ("seen",))
        self.type_tags(view, "")
        self.until(lambda: tags() == [("urgent", "to sign"), ()])
        self.key(window, Qt.Key.Key_3, CTRL)
        finder = window.finder
        QTest.keyClicks(finder.line, "tag = urgent")
        self.key(finder.line, Qt.Key.Key_Return)
        self.until(lambda: [h.id for h in finder.presenter.state.hits] == [ids[0]], 10, "the tagged document")
        counted = lambda: [b.text() for b in finder.findChildren(QPushButton) if b.isVisible()]  # noqa: E731
        self.until(lambda: "to sign   1" in counted(), 10, str(counted()))
        self.key(window, Qt.Key.Key_2, CTRL)
        self.assertTrue(verify(acting(ws)).is_whole)
        self.key(window, Qt.Key.Key_F1)
        dialog = window.findChild(KeysDialog)
        QTest.keyClicks(dialog.line, "interleave")
        self.assertIn("1 command", dialog.told.text())
        self.key(dialog.line, Qt.Key.Key_Return)
        self.until(lambda: "“Interleave” acts in Page strip" in window.message.text(), 10, "why it cannot run here")
        self.until(lambda: self.is_in_front(window), 10)
        self.key(window, Qt.Key.Key_F1)
        dialog = next(d for d in window.findChildren(KeysDialog) if d.isVisible())
        QTest.keyClicks(dialog.line, "browse what is filed")
        self.key(dialog.line, Qt.Key.Key_Return)
        self.until(lambda: window.stack.currentWidget() is window.cabinets, 10, "the command to run")
        window.activateWindow()
        self.until(window.isActiveWindow)
        self.key(window, Qt.Key.Key_4, CTRL)
        self.until(lambda: window.prepare.list.count() > 1)
        self.key(window.prepare.list, Qt.Key.Key_Down)
        self.until(
            lambda: window.prepare.shown == "cabinets" and window.prepare.view("cabinets").pane.names.count() == 4
        )
