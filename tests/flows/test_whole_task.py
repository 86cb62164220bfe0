"""The whole task in the real windows with the keyboard: scan, mend a break, index, file, find."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from keybundle.demo import seed
from keybundle.demo.stack import plan_stack, true_documents
from keybundle.desktop.views.bench_view import BenchView
from keybundle.desktop.views.record_dialog import RecordDialog
from keybundle.desktop.views.window import MainWindow
from tests.desktop.support import DesktopTest

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


class WholeTask(DesktopTest):
    def test_from_the_feeder_to_a_found_document(self) -> None:
        desktop = self.start()
        self.key(desktop.start.people, Qt.Key.Key_Return)  # type: ignore[union-attr]
        window = desktop.window
        assert window is not None
        self.assertEqual(window.seat.session.name, "Elspra Towpath")
        bench = self.scan(window)
        self.mend_a_break(bench)
        self.index_and_file(bench, window)
        self.find_again(window)

    def scan(self, window: MainWindow) -> BenchView:
        work = window.work
        self.until(lambda: work.presenter.state.can_scan)
        self.assertEqual(work.plan.text(), "8 sheets, two-sided: 16 sides")
        self.assertEqual(
            work.destination.text(), "It becomes your work. Its documents go to one of 4 cabinets, by their type."
        )
        self.key(work.list, Qt.Key.Key_S)
        self.until(lambda: work.stop.isVisible())
        self.until(lambda: len(work.model.rows) == 1 and not work.stop.isVisible(), 60, "the scan to end")
        self.key(work.list, Qt.Key.Key_Return)
        bench = window.stack.currentWidget()
        assert isinstance(bench, BenchView)
        states = lambda: [d.state for d in bench.presenter.state.documents]  # noqa: E731
        self.until(lambda: states() and "reading" not in states(), 90, "the reading to end")
        return bench

    def mend_a_break(self, bench: BenchView) -> None:
        strip, p = bench.strip, bench.presenter
        before = [d.id for d in p.state.documents]
        strip.setFocus()
        second = next(x for x in p.state.pages if x.document == before[1])
        self.click(strip.viewport(), strip.rect_of(second.id).center())
        self.assertEqual(p.state.page, second.id)
        self.key(strip, Qt.Key.Key_J)
        self.until(lambda: len(p.state.documents) == len(before) - 1, what="join up")
        self.key(strip, Qt.Key.Key_B)
        self.until(lambda: len(p.state.documents) == len(before), what="break")
        self.key(strip, Qt.Key.Key_Z, CTRL)
        self.until(lambda: len(p.state.documents) == len(before) - 1, what="undo")
        self.key(strip, Qt.Key.Key_Z, CTRL)
        self.until(lambda: [d.id for d in p.state.documents] == before, what="undo of both")
        self.key(strip, Qt.Key.Key_X)
        self.until(lambda: not next(x for x in p.state.pages if x.id == second.id).kept, what="leave out")
        self.key(strip, Qt.Key.Key_T)
        self.until(lambda: next(x for x in p.state.pages if x.id == second.id).kept, what="take back")
        for _ in range(2):
            self.key(strip, Qt.Key.Key_Z, CTRL)
            self.spin(0.3)
        self.until(lambda: [d.id for d in p.state.documents] == before, what="the start again")

    def index_and_file(self, bench: BenchView, window: MainWindow) -> None:
        p, truth = bench.presenter, true_documents(plan_stack(8, seed.STACK_SEED))
        self.until(lambda: all(d.state != "reading" for d in p.state.documents), 60)
        for i, document in enumerate(p.state.documents):
            p.going.go_to_document(document.id)
            bench.strip.setFocus()
            for _ in range(12):
                self.until(lambda d=document: p.state.slip is not None and p.state.slip.document == d.id)  # type: ignore[misc]
                assert p.state.slip is not None
                unsure = next((r for r in p.state.slip.rows if r.unsure), None)
                if unsure is None:
                    break
                self.key(bench.strip, Qt.Key.Key_Return)
                self.until(lambda n=unsure.name: bench.slip.focused_field() == n, what=f"focus on {unsure.name}")  # type: ignore[misc]
                field = bench.slip.fields[unsure.name].value
                wanted = truth[i].one(unsure.name)
                if field.text() != wanted:
                    field.selectAll()
                    QTest.keyClicks(field, wanted)
                self.key(field, Qt.Key.Key_Return)
                self.until(lambda n=unsure.name, d=document.id: self.is_settled(bench, d, n))  # type: ignore[misc]
        self.until(lambda: all(d.state == "ready" for d in p.state.documents), 30, "all to be ready")
        first = p.state.documents[0].id
        p.going.go_to_document(first)
        bench.slip.focus(p.state.slip.rows[0].name)  # type: ignore[union-attr]
        self.key(bench.slip.fields[p.state.slip.rows[0].name].value, Qt.Key.Key_Return, CTRL)  # type: ignore[union-attr]
        self.until(lambda: p.state.documents[0].state == "filed", 30, "the first document to be filed")
        self.assertNotEqual(p.state.document, first, "filing goes on to the next document")
        self.key(bench.strip, Qt.Key.Key_Return, CTRL | SHIFT)
        self.until(lambda: all(d.state == "filed" for d in p.state.documents), 60, "all to be filed")
        self.until(window.more.isVisible, what="the filing record to be offered")
        QTest.mouseClick(window.more, Qt.MouseButton.LeftButton)
        self.until(lambda: window.findChild(RecordDialog) is not None, what="the filing record")
        record = window.findChild(RecordDialog)
        self.assertIn("filed + 0 set aside + 0 waiting", record.text.toPlainText())
        record.close()
        window.activateWindow()
        self.until(window.isActiveWindow)

    def is_settled(self, bench: BenchView, document: str, name: str) -> bool:
        state = bench.presenter.state
        row = next((r for r in state.slip.rows if r.name == name), None) if state.slip else None
        return state.document != document or row is None or not row.unsure

    def find_again(self, window: MainWindow) -> None:
        record = true_documents(plan_stack(8, seed.STACK_SEED))[0]
        number = record.one("Agreement number")
        self.key(window, Qt.Key.Key_3, CTRL)
        self.assertTrue(window.finder.line.hasFocus())
        QTest.keyClicks(window.finder.line, f"Agreement number = {number}")
        self.key(window.finder.line, Qt.Key.Key_Return)
        state = lambda: window.finder.presenter.state  # noqa: E731
        self.until(lambda: len(state().hits) == 1, what="the one hit")
        window.finder.line.clear()
        QTest.keyClicks(window.finder.line, number)
        self.key(window.finder.line, Qt.Key.Key_Return)
        self.until(lambda: state().hits and number in state().hits[0].caption, what="the hit by a word")
        self.until(lambda: window.finder.page.shown is not None and window.finder.page.shown.marks, what="marked words")
        self.key(window, Qt.Key.Key_2, CTRL)
        self.until(lambda: window.cabinets.presenter.state.columns)
        mooring = record.one("Home mooring")
        window.cabinets.presenter.choose("Home mooring", mooring)
        self.until(lambda: window.cabinets.presenter.state.columns[0].chosen == mooring)
        self.assertIn(f"Home mooring is {mooring}", window.cabinets.conditions.text())
