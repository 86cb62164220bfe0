"""Routines in Prepare: changing by hand, refusals in words, the rehearsal, taking a change back, separating again."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit, QSpinBox

from keybundle.desktop.app import Desktop
from keybundle.desktop.views.routine_view import RoutineView
from keybundle.desktop.views.window import MainWindow
from tests.desktop.support import DesktopTest
from tests.support import scanned_template

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


class Routines(DesktopTest):
    def begin(self, role: str = "administrator", *, scanned: bool = False) -> tuple[Desktop, MainWindow, RoutineView]:
        desktop = self.start(scanned=scanned)
        desktop.begin(next(p.name for p in desktop.workspace.setup.people if role in p.roles))
        window = desktop.window
        assert window is not None
        self.until(window.isActiveWindow)
        return desktop, window, window.prepare.routines

    def open_prepare(self, window: MainWindow) -> None:
        self.key(window, Qt.Key.Key_4, CTRL)
        self.until(lambda: window.prepare.routines.presenter.state.routine is not None)

    def test_rules_are_tried_as_they_are_changed_and_open_batches_follow(self) -> None:
        desktop, window, view = self.begin(scanned=True)
        batch_id = scanned_template()[1]
        before = len(desktop.workspace.batches.load(batch_id).documents)
        self.open_prepare(window)
        p = view.presenter
        self.until(lambda: p.state.sides and not p.state.rehearsing, 20, "the first rehearsal")
        self.assertEqual(sum(s.kind == "break" for s in p.state.sides), before)
        self.assertIn(f"{before} breaks are the same, none is missing, none is new", view.figures.text())
        view.rules.kind.setCurrentText("page numbering")
        QTest.mouseClick(view.rules.add, Qt.MouseButton.LeftButton)
        self.until(lambda: view.rules.list.count() == 2)
        self.until(lambda: any("page" in s.told for s in p.state.sides if s.kind == "break") and not p.state.rehearsing, 60,
                   "page numbers to be tried")  # fmt: skip
        view.rules.list.setCurrentRow(0)
        QTest.mouseClick(view.rules.remove, Qt.MouseButton.LeftButton)
        self.until(lambda: [r.rule for r in p.state.routine.separation.rules] == ["page numbering"])  # type: ignore[union-attr]
        breaks = lambda: [s.told for s in p.state.sides if s.kind == "break"]  # noqa: E731
        self.until(lambda: not p.state.rehearsing and not any("separator sheet" in told for told in breaks()), 60,
                   "the rehearsal without separators")  # fmt: skip
        self.assertEqual(len(desktop.workspace.batches.load(batch_id).documents), before, "a rehearsal changes nothing")
        tried = sum(s.kind == "break" for s in p.state.sides)
        self.until(view.separate.isVisible)
        QTest.mouseClick(view.separate, Qt.MouseButton.LeftButton)
        self.until(lambda: len(desktop.workspace.batches.load(batch_id).documents) == tried, 30, "the batch to follow")
        self.assertTrue(desktop.line.wait(120))

    def test_a_change_is_kept_refused_in_words_and_taken_back(self) -> None:
        desktop, window, view = self.begin("supervisor")
        self.open_prepare(window)
        p = view.presenter
        p.change({"description": "The morning's post"})
        self.until(lambda: desktop.workspace.setup.routines[0].description == "The morning's post")
        p.change({"separation": {"rules": [{"rule": "barcode", "pattern": "("}]}})
        self.until(lambda: "no regular expression" in view.problem.text())
        self.assertTrue(view.problem.isVisible())
        p.change({"name": "Bills"})
        self.until(lambda: "a routine “Bills” already" in view.problem.text())
        p.change({"key": "b"})
        self.until(lambda: "starts another routine" in view.problem.text())
        box = view.halts["skew"][0]
        self.click(box, QPoint(8, box.height() // 2))
        self.until(lambda: [h.on for h in desktop.workspace.setup.routines[0].halts][-1] == "skew")
        self.click(view.steps["despeckle"], QPoint(8, 8))
        self.until(lambda: not desktop.workspace.setup.routines[0].cleaning.despeckle)
        self.until(lambda: view.undo_told.text() == "Post: cleaning", 10, "it to be said what Undo puts back")
        QTest.mouseClick(view.undo, Qt.MouseButton.LeftButton)
        self.until(lambda: desktop.workspace.setup.routines[0].cleaning.despeckle)
        self.until(lambda: view.undo_told.text() == "Post: halts", 10)
        QTest.mouseClick(view.undo, Qt.MouseButton.LeftButton)
        self.until(lambda: "skew" not in [h.on for h in desktop.workspace.setup.routines[0].halts], 10,
                   "the step before it, not the same one again")  # fmt: skip
        QTest.mouseClick(view.copy, Qt.MouseButton.LeftButton)
        self.until(lambda: [r.name for r in desktop.workspace.setup.routines][-1] == "Post copy")
        self.until(lambda: p.state.routine is not None and p.state.routine.name == "Post copy")
        self.assertEqual(desktop.workspace.setup.routine("Post copy").key, "")  # type: ignore[union-attr]

    def test_copies_at_filing_are_set_where_the_routine_is(self) -> None:
        desktop, window, view = self.begin("supervisor")
        self.open_prepare(window)
        folder, names = view.copies.lines["folder"], view.copies.lines["names"]
        kept = lambda: desktop.workspace.setup.routines[0].copies  # noqa: E731
        self.assertFalse(names.isEnabled(), "without a folder there are no copies")
        folder.setFocus()
        QTest.keyClicks(folder, "/srv/copies")
        self.key(folder, Qt.Key.Key_Return)
        self.until(lambda: kept().folder == "/srv/copies" and names.isEnabled(), 10)
        names.setFocus()
        names.selectAll()
        QTest.keyClicks(names, "{filed} {caption}")
        self.key(names, Qt.Key.Key_Return)
        self.until(lambda: kept().names == "{filed} {caption}", 10)
        self.assertEqual((kept().form, kept().sub_folders), ("pdfa", ""))

    def test_what_is_under_way_stays_with_its_routine_when_one_goes_on_to_another(self) -> None:
        desktop, window, view = self.begin()
        self.open_prepare(window)
        p, ws = view.presenter, desktop.workspace
        line = view.findChildren(QLineEdit, options=Qt.FindChildOption.FindChildrenRecursively)
        description = next(x for x in line if x.accessibleName() == "Description")
        description.setFocus()
        description.selectAll()
        QTest.keyClicks(description, "The morning's post")
        bills = view.names.visualItemRect(view.names.item(1)).center()
        seen: list[str] = []
        p.changed.connect(lambda state: seen.append(state.chosen))
        self.click(view.names.viewport(), bills)  # leaving the field keeps it, the click chooses Bills
        self.until(lambda: ws.setup.routines[0].description == "The morning's post", 10)
        self.until(lambda: "Kept: Post" in window.message.text(), 10)
        self.spin(0.2)
        self.assertEqual(
            (p.state.chosen, seen[seen.index("Bills") :].count("Post")), ("Bills", 0), "no way back to Post"
        )
        p.change({"name": "Post"})
        self.until(lambda: "a routine “Post” already" in view.problem.text(), 10)
        self.assertEqual(p.state.routine.name, "Bills", "the routine it was before")  # type: ignore[union-attr]

    def test_digits_being_typed_stay_while_a_rehearsal_comes_back(self) -> None:
        _, window, view = self.begin(scanned=True)
        self.open_prepare(window)
        p = view.presenter
        self.until(lambda: p.state.sides and not p.state.rehearsing, 20)
        box = next(x for x in view.findChildren(QSpinBox) if x.accessibleName() == "Resolution")
        box.setFocus()
        box.selectAll()
        QTest.keyClicks(box, "20")
        p.rehearse()
        self.until(lambda: not p.state.rehearsing, 20)
        QTest.keyClicks(box, "0")
        QTest.keyClick(box, Qt.Key.Key_Return)
        self.until(lambda: p.state.routine is not None and p.state.routine.resolution_dpi == 200, 10)

    def test_an_operator_may_look_only(self) -> None:
        desktop, window, view = self.begin("operator")
        self.open_prepare(window)
        view.presenter.change({"bar": 0.5})
        self.until(lambda: "may not prepare" in view.problem.text(), 10)
        self.assertNotEqual(desktop.workspace.setup.routines[0].bar, 0.5)
        self.assertFalse(view.copy.isEnabled())

    def test_a_start_key_scans(self) -> None:
        desktop, window, _ = self.begin()
        self.until(lambda: window.work.presenter.state.can_scan)
        self.key(window.work.list, Qt.Key.Key_B, ALT)
        self.until(lambda: desktop.workspace.batches.ids(), 20)
        batch = desktop.workspace.batches.load(desktop.workspace.batches.ids()[0])
        self.assertEqual(batch.routine, "Bills")
        window.work.presenter.incoming.stop()
        self.until(lambda: not window.work.presenter.state.scanning, 20)
