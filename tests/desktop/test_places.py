"""Work, Find and the bench's reading: what they say in each state, driven by keys and clicks."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from unittest import mock

from PySide6.QtCore import QMimeData, QModelIndex, QObject, QPointF, Qt, QUrl, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtTest import QAbstractItemModelTester, QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QMenu, QPushButton, QWidget
from sqlalchemy import text

from keybundle.core.batches.model import State
from keybundle.core.imaging.picture import decode
from keybundle.core.marks.sheets import find_separator
from keybundle.core.rights.model import Right
from keybundle.demo.stack import DocumentPlan
from keybundle.desktop.app import Desktop
from keybundle.desktop.presenters.work_state import BatchRow, WorkState
from keybundle.desktop.views.batch_rows import BatchModel
from keybundle.desktop.views.bench_view import BenchView
from keybundle.desktop.views.mapping_sheet import MappingSheet
from keybundle.desktop.views.trash_sheet import TrashSheet
from keybundle.desktop.views.window import MainWindow
from keybundle.desktop.views.work_view import WorkView
from tests.desktop.support import DesktopTest
from tests.support import reading_pool, scanned_template, whole_only

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
WHO = "Elspra Towpath"


class WorkStub(QObject):
    """A presenter, with its parts, that only notes what it was asked."""

    changed = Signal(object)
    failed = Signal(str)
    halted = Signal(object)
    mapping_asked = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.asked: list[tuple[str, object]] = []
        self.scanning = self.files = self.incoming = self

    def may(self, right: Right) -> bool:
        return True

    def __getattr__(self, verb: str):  # type: ignore[no-untyped-def]
        return lambda *arguments: self.asked.append((verb, *arguments))


ROW = BatchRow("b1", "PO", "Post: Simulated scanner", "Elspra Towpath, just now", "2 to check", (("to check", 3),))


class WorkStates(DesktopTest):
    def setUp(self) -> None:
        super().setUp()
        self.stub = WorkStub()
        self.view = WorkView(self.stub)  # type: ignore[arg-type]
        self.view.resize(1280, 760)
        self.view.show()
        self.addCleanup(self.view.hide)

    def test_nothing_waiting_says_what_to_do(self) -> None:
        self.view.render_state(WorkState(scanner="Simulated scanner", feeder="The feeder is empty", routines=("Post",)))
        self.assertTrue(self.view.empty.isVisible())
        self.assertIn("Press S to scan", self.view.empty.text())
        self.assertTrue(self.view.refill.isVisible())
        self.assertFalse(self.view.scan.isEnabled())
        self.assertFalse(self.view.plan.isVisible())

    def test_before_during_and_after_a_scan(self) -> None:
        ready = WorkState((ROW,), ("Post", "Bills"), "Bills", can_scan=True, plan="3 sheets, two-sided: 6 sides",
                          scanner="Simulated scanner")  # fmt: skip
        self.view.render_state(ready)
        self.assertEqual(self.view.routine.currentText(), "Bills")
        self.assertTrue(self.view.scan.isEnabled() and self.view.plan.isVisible())
        self.assertFalse(self.view.stop.isVisible() or self.view.refill.isVisible())
        QTest.mouseClick(self.view.scan, Qt.MouseButton.LeftButton)
        busy = WorkState((ROW,), ("Post", "Bills"), "Bills", scanning="Scanning sheet 2, back", scanned=4, scan_total=6)
        self.view.render_state(busy)
        self.assertTrue(self.view.stop.isVisible() and not self.view.scan.isVisible())
        self.assertEqual((self.view.progress.value(), self.view.progress.maximum()), (4, 6))
        QTest.mouseClick(self.view.stop, Qt.MouseButton.LeftButton)
        self.assertEqual([a[0] for a in self.stub.asked], ["scan", "stop"])

    def test_the_chosen_row_stays_chosen_and_keys_act_on_it(self) -> None:
        rows = tuple(BatchRow(f"b{i}", "PO", f"Batch {i}", "", "", ()) for i in range(4))
        self.view.render_state(WorkState(rows))
        QAbstractItemModelTester(self.view.model, QAbstractItemModelTester.FailureReportingMode.Fatal)
        self.view.list.setCurrentIndex(self.view.model.index(2))
        changed = (*rows[:2], BatchRow("b2", "PO", "Batch 2", "", "1 filed", (("filed", 1),)), rows[3])
        self.view.render_state(WorkState(changed))
        self.assertEqual(self.view.list.currentIndex().row(), 2)
        self.view.activateWindow()
        self.until(self.view.isActiveWindow)
        self.view.list.setFocus()
        self.key(self.view.list, Qt.Key.Key_R, CTRL)
        self.key(self.view.list, Qt.Key.Key_C)
        self.assertEqual(self.stub.asked, [("toggle_reading", "b2"), ("close_batch", "b2")])
        self.assertIn("1 filed", str(self.view.model.index(2).data(Qt.ItemDataRole.AccessibleTextRole)))
        self.assertIsNone(BatchModel().data(QModelIndex()))

    def test_records_open_by_a_click(self) -> None:
        opened: list[str] = []
        self.view.record_opened.connect(opened.append)
        self.view.render_state(WorkState(records=(("r1", "11-23 20:15   3 documents"),), today=(("filed", "3"),)))
        button = next(b for b in self.view.findChildren(QPushButton) if "3 documents" in b.text())
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.assertEqual(opened, ["r1"])


class InTheWindow(DesktopTest):
    def begin(self, who: str = WHO) -> tuple[Desktop, MainWindow]:
        desktop = self.start()
        desktop.begin(who)
        assert desktop.window is not None
        self.until(lambda: desktop.window.work.presenter.state.can_scan)  # type: ignore[union-attr]
        return desktop, desktop.window

    def files(self, *plans: DocumentPlan) -> list[str]:
        names = []
        for plan in plans:
            path = self.folder / f"{plan.type_name}.png"
            plan.draw(dpi=150)[0].sheet.image.save(path, dpi=(150, 150))
            names.append(str(path))
        return names

    def test_import_by_dialog_find_the_waiting_work_and_close_when_filed(self) -> None:
        desktop, window = self.begin()
        work = window.work
        broken = self.folder / "broken.tif"
        broken.write_bytes(b"II*\x00 nothing more")
        names = [*self.files(DocumentPlan("Delivery note", 1, 6)), str(broken)]
        with mock.patch.object(QFileDialog, "getOpenFileNames", return_value=(names, "")):
            self.key(work.list, Qt.Key.Key_I)
        self.until(lambda: len(work.model.rows) == 1, 30, "the batch of files")
        self.until(lambda: desktop.line.busy == 0, 60)
        self.assertIn("1 file not taken in", window.message.text())
        self.assertIn("broken.tif", work.refused.text())
        self.until(lambda: "Delivery note.png" in work.model.rows[0].title)
        self.key(work.list, Qt.Key.Key_C)
        self.until(lambda: "still" in window.message.text() or "not" in window.message.text(), 10, "why it stays open")
        self.key(window, Qt.Key.Key_3, CTRL)
        finder = window.finder
        QTest.keyClicks(finder.line, "holmelock type = ")
        self.key(finder.line, Qt.Key.Key_Return)
        self.spin(0.3)
        finder.line.clear()
        QTest.keyClicks(finder.line, DocumentPlan("Delivery note", 1, 6).record().one("Order number"))
        self.key(finder.line, Qt.Key.Key_Return)
        self.until(lambda: finder.presenter.state.hits, 10)
        self.assertEqual(
            finder.presenter.state.hits[0].place, f"Not filed yet: batch Files of {date.today():%-d %b %Y}"
        )
        self.assertIn("1 of them not filed yet", finder.told.text())
        self.key(finder.hits, Qt.Key.Key_Return)
        self.until(lambda: isinstance(window.stack.currentWidget(), BenchView), what="the bench with the waiting work")

    def drop(self, widget: QWidget, *files: str) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(f) for f in files])
        where, action = QPointF(widget.rect().center()), Qt.DropAction.CopyAction
        left, none = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        enter = QDragEnterEvent(where.toPoint(), action, data, left, none)
        QApplication.sendEvent(widget, enter)
        self.assertTrue(enter.isAccepted())
        QApplication.sendEvent(widget, QDropEvent(where, action, data, left, none))

    def test_files_and_folders_are_dropped_as_a_batch_and_into_one(self) -> None:
        desktop, window = self.begin()
        (self.folder / "tree" / "deep").mkdir(parents=True)
        for name in ("tree/b.png", "tree/deep/a.png"):
            Path(self.files(DocumentPlan("Bill", 1, 7))[0]).rename(self.folder / name)
        self.drop(window.work, str(self.folder / "tree"))
        self.until(lambda: window.findChildren(MappingSheet), 10, "the folders to be shown first")
        QTest.keyClick(window.findChildren(MappingSheet)[0], Qt.Key.Key_Return)  # what was brought in is taken in
        self.until(lambda: window.work.model.rows and not window.work.presenter.state.scanning, 30)
        batch_id = window.work.model.rows[0].id
        pages = desktop.workspace.batches.load(batch_id).pages
        self.assertEqual([p.source for p in pages], ["b.png", "deep/a.png"])
        window.open_batch(batch_id)
        bench = window.benches[batch_id]
        self.until(lambda: len(bench.presenter.state.pages) == 2)
        self.drop(bench.strip.viewport(), self.files(DocumentPlan("Delivery note", 1, 6))[0])
        self.until(lambda: len(bench.presenter.state.pages) == 3, 30, "the dropped page")
        self.until(lambda: desktop.line.busy == 0, 60)
        after = desktop.workspace.batches.load(batch_id)
        self.assertEqual([p.sheet for p in after.pages], [1, 2, 3])
        self.assertEqual(len(after.documents), 3)

    def test_find_narrows_by_a_click_and_starts_anew(self) -> None:
        _, window = self.begin()
        finder = window.finder
        self.key(window, Qt.Key.Key_3, CTRL)
        QTest.keyClicks(finder.line, "the")
        self.key(finder.line, Qt.Key.Key_Return)
        self.until(lambda: finder.presenter.state.hits)
        state = finder.presenter.state
        self.assertEqual(sum(n for _, n in state.types), len(state.hits))
        self.assertEqual(sum(bar.number for bar in state.bars), len(state.hits))
        name, number = state.types[0]
        self.spin(0.1)
        button = next(b for b in finder.findChildren(QPushButton) if b.text() == f"{name}   {number}")
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.until(lambda: len(finder.presenter.state.hits) == number and name in finder.line.text())
        self.until(lambda: finder.page.shown is not None, 30, "the page of the first hit")
        month = finder.presenter.state.bars[0]
        finder.chart.setFocus()
        self.key(finder.chart, Qt.Key.Key_Left)
        self.key(finder.chart, Qt.Key.Key_Return)
        self.until(lambda: finder.line.text().endswith(month.condition), 10, "the month that was chosen with the keys")
        self.until(lambda: finder.presenter.state.line == finder.line.text())
        self.assertEqual(len(finder.presenter.state.hits), month.number)
        self.key(finder.chart, Qt.Key.Key_Return)
        self.assertEqual(finder.line.text().count("filed"), 1, "in place of the one before")
        self.key(finder.hits, Qt.Key.Key_Escape)
        self.until(lambda: not finder.presenter.state.hits and not finder.line.text())
        self.assertTrue(finder.line.hasFocus())

    def test_reading_is_stopped_and_goes_on_by_one_key(self) -> None:
        self.workers = reading_pool  # type: ignore[method-assign]
        desktop, window = self.begin()
        self.key(window.work.list, Qt.Key.Key_S)
        self.until(lambda: window.work.model.rows, 20)
        self.key(window.work.list, Qt.Key.Key_Return)
        bench = window.stack.currentWidget()
        assert isinstance(bench, BenchView)
        self.until(lambda: bench.stop_reading.isVisible() and bench.presenter.state.documents, 20)
        self.assertIn("Stop reading", bench.stop_reading.text())
        self.key(bench.strip, Qt.Key.Key_R, CTRL)
        self.until(lambda: bench.reading.text().startswith("Reading stopped"), 10, "the stop to be told")
        self.until(lambda: not window.work.presenter.state.scanning and desktop.line.busy == 0, 60)
        self.until(lambda: "Reading stopped in 1 batch" in window.foot.line_label.text(), 10)
        self.assertIn(State.READING.value, [d.state for d in bench.presenter.state.documents])
        self.assertEqual(bench.stop_reading.text(), "Read on  Ctrl+R")
        QTest.mouseClick(bench.stop_reading, Qt.MouseButton.LeftButton)
        self.until(lambda: not bench.stop_reading.isVisible() and desktop.line.busy == 0, 90, "the reading to end")
        self.until(lambda: State.READING.value not in [d.state for d in bench.presenter.state.documents], 10)

    @whole_only
    def test_a_batch_is_thrown_away_while_it_is_read_and_comes_back_as_it_was(self) -> None:
        self.workers = reading_pool  # type: ignore[method-assign]
        desktop, window = self.begin("Oswinna Reedmace")
        work, store = window.work, desktop.workspace.batches
        self.key(work.list, Qt.Key.Key_S)
        self.until(lambda: work.presenter.state.scanned >= 2 and work.list.currentIndex().isValid(), 20)
        self.key(work.list, Qt.Key.Key_Delete)
        self.until(lambda: "still coming in" in window.message.text(), 10, "why it stays while the feeder runs")
        self.until(lambda: not work.presenter.state.scanning, 60)
        self.key(work.list, Qt.Key.Key_Return)
        bench = window.stack.currentWidget()
        assert isinstance(bench, BenchView)
        self.until(lambda: bench.stop_reading.isVisible() and bench.presenter.state.documents, 20)
        (batch_id,) = store.ids()
        self.key(window, Qt.Key.Key_1, CTRL)
        self.key(work.list, Qt.Key.Key_Delete)  # while its pages are being read
        self.until(lambda: not work.model.rows and "Batch thrown away" in window.message.text(), 10)
        self.assertIn("throw away", window.undo.text())
        self.until(lambda: not window.benches, 10, "its bench to be let go")
        self.until(lambda: desktop.line.busy == 0, 60)
        self.key(window, Qt.Key.Key_Z, CTRL)
        self.until(lambda: work.model.rows and work.model.rows[0].id == batch_id, 10, "the batch on the list again")
        self.until(lambda: desktop.line.busy == 0, 90)
        states = {d.state for d in store.load(batch_id).documents.values()}
        self.assertTrue(states and State.READING not in states, states)
        was = {p.id: (p.document_id, p.reason) for p in store.load(batch_id).pages}
        work.list.setCurrentIndex(work.model.index(0))
        self.key(work.list, Qt.Key.Key_Delete)
        self.until(lambda: work.thrown.isVisible(), 10)
        self.key(work.list, Qt.Key.Key_Delete, SHIFT)
        sheet = self.sheet(TrashSheet)
        self.until(lambda: sheet.list.count() == 1, 10)
        self.assertRegex(sheet.list.item(0).text(), r"1[0-9] sides")
        sheet.back.click()
        self.until(lambda: not sheet.list.count() and work.model.rows, 10)
        self.assertEqual({p.id: (p.document_id, p.reason) for p in store.load(batch_id).pages}, was)
        files = [desktop.workspace.place.files.path(p.file_sha) for p in store.load(batch_id).pages]
        self.key(sheet.list, Qt.Key.Key_Escape)
        work.list.setCurrentIndex(work.model.index(0))
        self.key(work.list, Qt.Key.Key_Delete)
        self.until(lambda: not work.model.rows, 10)
        self.key(work.list, Qt.Key.Key_Delete, SHIFT)
        sheet = self.sheet(TrashSheet)
        self.until(lambda: sheet.list.count() == 1, 10)
        sheet.erase.click()
        self.assertIn("Yes, erase 1", sheet.erase.text())
        sheet.erase.click()
        self.until(lambda: not sheet.list.count() and not work.thrown.isVisible(), 10)
        late = "only just brought in" in sheet.problem.text()  # files of a moment ago stay until the next start
        self.assertEqual(late, any(f.exists() for f in files))
        with desktop.workspace.place.database.read() as c:
            words = c.execute(text("SELECT count(*) FROM page WHERE source != '' OR text_id IS NOT NULL")).scalar()
            due = c.execute(text("SELECT count(*) FROM work WHERE kind = 'erase'")).scalar()
        self.assertEqual((words, due), (0, sum(f.exists() for f in files)))

    def test_a_stopped_feeder_keeps_what_came_in(self) -> None:
        desktop, window = self.begin()
        self.key(window.work.list, Qt.Key.Key_S)
        self.until(lambda: window.work.presenter.state.scanned >= 3, 20)
        self.key(window.work.list, Qt.Key.Key_S, SHIFT)
        self.until(lambda: not window.work.presenter.state.scanning, 20)
        self.until(lambda: desktop.line.busy == 0, 60)
        pages = desktop.workspace.batches.load(desktop.workspace.batches.ids()[-1]).pages
        self.assertTrue(3 <= len(pages) < 16, len(pages))
        self.assertTrue(all(p.disposition for p in pages))

    def test_files_come_in_under_the_chosen_routine_and_a_sheet_is_saved_to_print(self) -> None:
        desktop, window = self.begin()
        work, ws = window.work, desktop.workspace
        files = next(r for r in ws.setup.routines if r.source == "files")
        self.assertFalse(work.file_routine.isVisible(), "nothing to choose from")
        other = files.model_copy(update={"id": "Faxes", "name": "Faxes", "sign": "FX", "key": ""})
        administrator = next(p.id for p in ws.setup.people if "administrator" in p.roles)
        ws.put_setup(ws.setup.model_copy(update={"routines": (*ws.setup.routines, other)}), administrator)
        self.until(work.file_routine.isVisible, 10)
        work.file_routine.setFocus()
        self.key(work.file_routine, Qt.Key.Key_Down)
        names = self.files(DocumentPlan("Delivery note", 1, 6))
        with mock.patch.object(QFileDialog, "getOpenFileNames", return_value=(names, "")):
            self.key(work.list, Qt.Key.Key_I)
        self.until(lambda: len(work.model.rows) == 1, 30)
        self.assertEqual(ws.batches.load(work.model.rows[0].id).routine, "Faxes")
        target = self.folder / "sheet.pdf"
        QTest.mouseClick(work.sheets, Qt.MouseButton.LeftButton)
        with mock.patch.object(QFileDialog, "getSaveFileName", return_value=(str(target), "")):
            self.answer("Bill")
        self.until(target.exists, 20)
        found = find_separator(decode(target, is_pdf=True))
        self.assertEqual(found.type_name if found else None, "Bill")

    def test_a_reader_may_look_but_not_scan(self) -> None:
        desktop = self.start()
        reader = next(p.name for p in desktop.workspace.setup.people if "reader" in p.roles)
        desktop.begin(reader)
        window = desktop.window
        assert window is not None
        work = window.work
        self.until(lambda: work.presenter.state.plan)
        self.assertEqual([b.isEnabled() for b in (work.scan, work.preview, work.importing, work.folder)], [False] * 4)
        with mock.patch.object(QFileDialog, "getOpenFileNames", side_effect=AssertionError("nothing is asked for")):
            for key in (Qt.Key.Key_S, Qt.Key.Key_I, Qt.Key.Key_P):
                window.message.setText("")
                self.key(work.list, key)
                self.assertIn("You may look here, not work", window.message.text())
        self.assertEqual(desktop.workspace.batches.ids(), [])
        self.key(window, Qt.Key.Key_2, CTRL)
        cabinets = window.cabinets
        self.until(lambda: cabinets.model.rowCount() > 0, 10)
        cabinets.table.selectRow(0)
        self.until(lambda: cabinets.presenter.state.chosen, 10)
        self.assertFalse(cabinets.tags.isEnabled())

    def test_a_reader_is_offered_nothing_on_the_bench(self) -> None:
        desktop = self.start(scanned=True)
        desktop.begin(next(p.name for p in desktop.workspace.setup.people if "reader" in p.roles))
        window = desktop.window
        assert window is not None
        desktop.workspace.batches.share(scanned_template()[1], "person", window.seat.who)
        window.open_batch(scanned_template()[1])
        bench = window.benches[scanned_template()[1]]
        self.until(lambda: bench.slip.fields, 10)
        self.assertTrue(all(f.value.isReadOnly() for f in bench.slip.fields.values()))
        buttons = (bench.file_all, bench.slip.file, bench.slip.aside, bench.slip.type, *bench.offered_buttons)
        self.assertEqual([b.isEnabled() for b in buttons], [False] * len(buttons))
        for menu in bench.findChildren(QMenu):
            menu.aboutToShow.emit()
        offered = {a.text().split("\t")[0]: a.isEnabled() for m in bench.findChildren(QMenu) for a in m.actions()}
        self.assertEqual((offered["Break"], offered["Empty field"], offered["Zoom in"]), (False, False, True))
        self.key(bench.strip, Qt.Key.Key_B)
        self.assertIn("You may look here", window.message.text())
        self.assertIn("may look", bench.slip.why.text() + bench.presenter.state.slip.why_not)  # type: ignore[union-attr]
