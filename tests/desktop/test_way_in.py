"""Bringing in through the window: scan options, a preview, folders, a cabinet's column, "Open with", pages across batches."""

from __future__ import annotations

import shutil
from pathlib import Path
from unittest import mock

from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from keybundle.core.intake.scanner import Options
from keybundle.core.setup.model import name_of
from keybundle.core.workflows.propose.under import cabinets_under
from keybundle.core.workflows.take_in.capture import find_routine, scan_stack
from keybundle.core.workflows.take_in.devices import find_scanners
from keybundle.core.workflows.take_in.opening import hand_over
from keybundle.desktop.app import Desktop
from keybundle.desktop.views.mapping_sheet import MappingSheet
from keybundle.desktop.views.prepare.zone_dialog import ZoneDialog
from keybundle.desktop.views.preview_dialog import PreviewDialog
from keybundle.desktop.views.scan_options_sheet import ScanOptionsSheet
from keybundle.desktop.views.window import MainWindow
from tests.desktop.support import DesktopTest
from tests.support import scanned_template

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


class Begun(DesktopTest):
    def begin(self, role: str = "operator", *, scanned: bool = False) -> tuple[Desktop, MainWindow]:
        desktop = self.start(scanned=scanned)
        desktop.begin(next(p.name for p in desktop.workspace.setup.people if role in p.roles))
        window = desktop.window
        assert window is not None
        self.until(lambda: window.isActiveWindow() and window.work.presenter.state.can_scan)
        return desktop, window


class WayIn(Begun):
    def tree(self, desktop: Desktop) -> Path:
        feeder = desktop.workspace.place.root / "feeder"
        target = self.folder / "Moorings" / "LN1003"
        target.mkdir(parents=True)
        source = next(feeder.glob("0002-front.*"))
        shutil.copy(source, target / f"scan{source.suffix}")
        return self.folder / "Moorings"

    def test_options_are_said_changed_and_taken_back(self) -> None:
        _, window = self.begin()
        work = window.work
        self.assertEqual(work.presenter.state.options_told, "feeder, two-sided, 300 dpi, automatic, A4")
        work.scan.setFocus()
        self.key(work.scan, Qt.Key.Key_O)
        dialog = self.sheet(ScanOptionsSheet)
        dialog.boxes["duplex"].code_chosen.emit("one-sided")
        self.assertEqual(work.plan.text(), "8 sheets, one-sided: 8 sides")
        self.assertIn("one-sided", work.options.text())
        QTest.mouseClick(dialog.clear, Qt.MouseButton.LeftButton)
        self.assertEqual(work.plan.text(), "8 sheets, two-sided: 16 sides")
        self.assertEqual(dialog.boxes["duplex"].currentText(), "two-sided")
        self.key(dialog.clear, Qt.Key.Key_Escape)
        self.assertTrue(work.scan.hasFocus() and work.edge.shown is None, "Esc ends it and gives the focus back")

    def test_a_page_is_looked_at_scanned_again_and_accepted(self) -> None:
        desktop, window = self.begin()
        self.key(window.work.list, Qt.Key.Key_P)
        (dialog,) = window.findChildren(PreviewDialog)
        self.until(dialog.accept_it.isEnabled, 20, "the page to be shown")
        self.assertIn("Scanned from the glass at 300 dpi, colour by itself", dialog.told.text())
        self.assertEqual(desktop.workspace.batches.ids(), [])
        self.key(dialog, Qt.Key.Key_A)
        self.until(dialog.accept_it.isEnabled, 20, "the page again")
        self.key(dialog, Qt.Key.Key_N)
        self.until(lambda: desktop.workspace.batches.ids() and dialog.accept_it.isEnabled(), 20, "the next page")
        self.assertIn("the batch begun here", dialog.told.text())
        self.key(dialog, Qt.Key.Key_Return)
        (batch_id,) = desktop.workspace.batches.ids()
        self.until(lambda: len(desktop.workspace.batches.load(batch_id).pages) == 2, 20, "both pages")

    def test_a_folder_is_mapped_before_it_is_taken_in(self) -> None:
        desktop, window = self.begin()
        with mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(self.tree(desktop))):
            self.key(window.work.list, Qt.Key.Key_I, Qt.KeyboardModifier.ShiftModifier)
        self.until(lambda: window.findChildren(MappingSheet), 10)
        (dialog,) = window.findChildren(MappingSheet)
        self.assertEqual(desktop.workspace.batches.ids(), [], "nothing is taken in before it is shown")
        dialog.boxes[1].setCurrentText("Boat number")
        self.assertEqual(dialog.table.horizontalHeaderItem(1).text(), "Boat number")
        self.assertEqual(dialog.table.item(0, 1).text(), "LN1003")
        QTest.mouseClick(dialog.take, Qt.MouseButton.LeftButton)
        batches = desktop.workspace.batches
        self.until(lambda: batches.ids() and batches.load(batches.ids()[0]).given, 20, "the file with its values")
        self.assertEqual(list(batches.load(batches.ids()[0]).given.values()), [{"Boat number": "LN1003"}])

    def test_a_cabinet_column_gives_values_to_files_and_scans(self) -> None:
        desktop, window = self.begin()
        self.key(window, Qt.Key.Key_2, CTRL)
        cabinets = window.cabinets
        self.until(lambda: cabinets.presenter.state.columns)
        field = cabinets.presenter.state.columns[0].field
        value = cabinets.presenter.state.columns[0].entries[0][0]
        self.assertEqual(cabinets.presenter.values_at(field, value), {field: value})
        file = next((desktop.workspace.place.root / "feeder").glob("0002-front.*"))
        cabinets.files_dropped.emit([file], {field: value})
        self.assertIs(window.stack.currentWidget(), window.work)
        self.until(lambda: desktop.workspace.batches.ids(), 20)
        self.until(lambda: not window.work.presenter.state.scanning, 20)
        batch = desktop.workspace.batches.load(desktop.workspace.batches.ids()[0])
        self.assertEqual(batch.given_for(batch.pages[0]), {field: value})
        self.key(window, Qt.Key.Key_2, CTRL)
        cabinets.presenter.choose(field, value)
        self.until(lambda: cabinets.presenter.state.columns[0].chosen == value)
        self.key(cabinets.table, Qt.Key.Key_S, CTRL | ALT)
        self.assertIn(f"The next stack gets {field} = {value}, to be confirmed.", window.work.destination.text())

    def test_a_stack_meant_for_a_cabinet_gets_a_routine_that_files_there_and_another_is_pointed_out(self) -> None:
        desktop, window = self.begin()
        work, setup = window.work, desktop.workspace.setup
        there = {name_of(setup.cabinets, i) for r in setup.routines for i in cabinets_under(r, setup)}
        bills = next(r for r in setup.routines if r.source == "scanner" and len(cabinets_under(r, setup)) == 1)
        (home,) = cabinets_under(bills, setup)
        other = next(c for c in setup.cabinets if c.id != home and c.name in there)
        work.presenter.scanning.choose_routine(bills.name)
        self.until(lambda: work.routine.currentText() == bills.name)
        self.assertIn(f"go to {name_of(setup.cabinets, home)}.", work.destination.text())
        self.key(window, Qt.Key.Key_2, CTRL)
        window.cabinets.presenter.show_cabinet(other.id)
        self.until(lambda: window.cabinets.presenter.state.cabinet == other.id)
        self.key(window.cabinets.table, Qt.Key.Key_S, CTRL | ALT)
        self.until(lambda: work.routine.currentText() != bills.name, 10, "a routine that files there")
        self.assertIn("which files there, is chosen", window.message.text())
        self.assertFalse(work.unusual.isVisible())
        work.routine.setFocus()
        work.routine.setCurrentText(bills.name)
        work.routine.textActivated.emit(bills.name)
        self.until(work.unusual.isVisible, 10, "the unusual destination")
        self.assertIn(f"Not to {other.name}", work.unusual.text())
        self.assertEqual(window.seat.remembered.get("scan routine"), bills.id)
        self.key(work.list, Qt.Key.Key_S)
        self.until(lambda: work.presenter.state.scanning or work.model.rows, 20)
        self.assertFalse(work.unusual.isVisible(), "the next stack is meant for no cabinet")

    def test_another_start_hands_its_files_over(self) -> None:
        desktop, window = self.begin()
        root = desktop.workspace.place.root
        files = sorted((root / "feeder").glob("000[24]-front.*"))
        done: list[bool] = []
        desktop.runner.query(lambda: hand_over(root, files), done.append)
        self.until(lambda: done, 10)
        self.assertEqual(done, [True])
        self.until(lambda: desktop.workspace.batches.ids(), 20)
        self.until(lambda: not window.work.presenter.state.scanning, 20)
        batch = desktop.workspace.batches.load(desktop.workspace.batches.ids()[0])
        self.assertEqual([p.source for p in batch.pages], [f.name for f in files])

    def test_pages_are_pasted_on_another_bench(self) -> None:
        desktop, window = self.begin(scanned=True)
        ws, ids = desktop.workspace, [scanned_template()[1]]
        here = window.seat.session
        options = Options(sides_per_minute=0)
        found = scan_stack(here, desktop.line, find_routine(here, "Post"), find_scanners(ws)[0], options=options)
        ids.append(str(found.batch))
        self.assertTrue(desktop.line.wait(240))
        benches = []
        for batch_id in ids:
            window.open_batch(batch_id)
            bench = window.benches[batch_id]
            self.until(lambda b=bench: b.presenter.state.documents)  # type: ignore[misc]
            benches.append(bench)
        first, second = (b.presenter for b in benches)
        page, count = first.state.page, len(first.state.pages)
        first.pages.cut()
        window.open_batch(ids[1])
        target = second.state.page
        self.key(benches[1].strip, Qt.Key.Key_V, CTRL)
        self.until(lambda: page in [p.id for p in second.state.pages], 10, "the page on the other bench")
        order = [p.id for p in second.state.pages]
        self.assertEqual(order.index(str(page)) + 1, order.index(str(target)))
        self.until(lambda: len(first.state.pages) == count - 1)
        self.key(benches[1].strip, Qt.Key.Key_Z, CTRL)
        self.until(lambda: len(first.state.pages) == count and page not in [p.id for p in second.state.pages])


class Pointing(Begun):
    def test_a_zone_is_drawn_and_the_rule_follows(self) -> None:
        desktop, window = self.begin("administrator", scanned=True)
        ws = desktop.workspace
        self.key(window, Qt.Key.Key_4, CTRL)
        window.prepare.show_page("routines")
        view = window.prepare.view("routines")
        self.until(lambda: view.presenter.state.samples and view.presenter.state.routine is not None)
        view.rules.kind.setCurrentText("words")
        QTest.mouseClick(view.rules.add, Qt.MouseButton.LeftButton)
        self.until(lambda: view.rules.list.count() == 2)
        view.rules.list.setCurrentRow(1)
        QTest.mouseClick(view.rules.point, Qt.MouseButton.LeftButton)
        self.until(lambda: view.findChildren(ZoneDialog) and view.findChildren(ZoneDialog)[0].isVisible(), 60)
        (dialog,) = view.findChildren(ZoneDialog)
        shown = dialog.page.shown
        assert shown is not None
        trust = next(w for w in shown.words if w.text.startswith("Larkmere"))
        area: QRect = dialog.page.rect_of(trust.box).toRect().adjusted(-3, -3, 3, 3)
        QTest.mousePress(dialog.page, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, area.topLeft())
        QTest.mouseMove(dialog.page, area.bottomRight())
        QTest.mouseRelease(dialog.page, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, area.bottomRight())
        rule = lambda: ws.setup.routines[0].separation.rules[1]  # noqa: E731
        self.until(lambda: rule().zone is not None and rule().words == trust.text, 10, "the zone and its words")
        zone = rule().zone
        assert zone is not None
        x, y = (trust.box[0] + trust.box[2]) / 2 / shown.width, (trust.box[1] + trust.box[3]) / 2 / shown.height
        self.assertTrue(zone.holds(x, y) and zone.right - zone.left < 0.5)
        dialog.accept()

    def test_a_missing_type_is_made_on_the_way(self) -> None:
        desktop, window = self.begin("administrator")
        self.key(window, Qt.Key.Key_4, CTRL)
        window.prepare.show_page("routines")
        view = window.prepare.view("routines")
        self.until(lambda: view.presenter.state.routine is not None)
        choice = view.form.rows["document_type"].editor
        choice.setFocus()
        self.key(choice, Qt.Key.Key_End)
        choice.activated.emit(choice.currentIndex())
        self.until(lambda: desktop.workspace.setup.routines[0].document_type == "Post", 10)
        self.until(lambda: window.prepare.shown == "types", 10, "the new type to be shown")
        types = window.prepare.view("types")
        cabinet = types.form.rows["cabinet"].editor
        self.key(cabinet, Qt.Key.Key_End)
        cabinet.activated.emit(cabinet.currentIndex())
        self.until(lambda: window.prepare.shown == "cabinets", 10, "its new cabinet to be shown")
        self.until(lambda: desktop.workspace.setup.document_type("Post").cabinet == "Post", 10)  # type: ignore[union-attr]
        self.key(window.prepare, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
        self.key(window.prepare, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
        self.until(lambda: window.prepare.shown == "routines", 10, "to come back to where one was")
        halts = view.form.rows["halts"].editor
        halt = halts.checks["skew"]
        self.click(halt, QPoint(8, halt.height() // 2))
        self.until(lambda: halts.limits["skew"].isVisible())
        halts.limits["skew"].setValue(3.5)
        halts.limits["skew"].editingFinished.emit()
        self.until(lambda: [h.limit for h in desktop.workspace.setup.routines[0].halts if h.on == "skew"] == [3.5])
        locks = view.form.rows["locked"].editor
        locks.item(3).setCheckState(Qt.CheckState.Checked)
        self.until(lambda: desktop.workspace.setup.routines[0].locked == ("mode",))
