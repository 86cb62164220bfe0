"""A halt in the window: two pictures, what to feed again, and the three ways on."""

from __future__ import annotations

import json

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel

from keybundle.core.batches.model import Batch, balance
from keybundle.desktop.app import Desktop
from keybundle.desktop.views.halt_band import HaltBand
from keybundle.desktop.views.window import MainWindow
from tests.desktop.support import DesktopTest
from tests.support import whole_only


class Halt(DesktopTest):
    def begin(self, trouble: str, stacks: int = 1) -> tuple[Desktop, MainWindow, HaltBand]:
        """Scan until the trouble with the second sheet stops it; the feeder may run on for a few of those that follow."""
        desktop = self.start()
        path = desktop.workspace.place.root / "feeder" / "stack.json"
        stack = [dict(sheet) for sheet in json.loads(path.read_text()) * stacks]
        stack[1]["trouble"] = trouble
        path.write_text(json.dumps(stack))
        desktop.begin("Elspra Towpath")
        window = desktop.window
        assert window is not None
        self.until(lambda: window.work.presenter.state.can_scan)
        self.key(window.work.list, Qt.Key.Key_S)
        self.until(window.work.halt.isVisible, 60, "the halt to be shown")
        return desktop, window, window.work.halt

    def batch(self, desktop: Desktop) -> Batch:
        (batch_id,) = desktop.workspace.batches.ids()
        return desktop.workspace.batches.load(batch_id)

    def test_stuck_sheets_are_shown_and_fed_again_by_one_key(self) -> None:
        desktop, window, band = self.begin("stuck")
        self.assertIn("Staples are the usual reason.", window.message.text())
        self.assertTrue(band.isVisible())
        ran_to = max(p.sheet for p in self.batch(desktop).pages)
        self.assertTrue(window.work.list.hasFocus(), "a halt takes the keyboard from nobody")
        self.key(window.work.list, Qt.Key.Key_A)
        self.until(lambda: len(self.batch(desktop).pages) >= 2 * (ran_to + 7), 60, "the sheets from the second on")
        self.until(lambda: not window.work.presenter.state.scanning, 30)
        batch = self.batch(desktop)
        self.assertEqual({p.reason for p in batch.pages if 2 <= p.sheet <= ran_to}, {"scanned again"})
        self.until(lambda: all(p.disposition for p in self.batch(desktop).pages), 30)
        self.assertTrue(balance(self.batch(desktop)).is_even)

    @whole_only
    def test_a_jam_goes_on_without_leaving_anything_out(self) -> None:
        desktop, _, band = self.begin("jam")
        said = " ".join(label.text() for label in band.findChildren(QLabel))
        self.assertIn("put the one that stopped back", said)
        QTest.mouseClick(band.buttons["go on"], Qt.MouseButton.LeftButton)
        self.until(lambda: max((p.sheet for p in self.batch(desktop).pages), default=0) == 8, 60)
        self.assertNotIn("scanned again", {p.reason for p in self.batch(desktop).pages})

    @whole_only
    def test_closing_it_leaves_the_feeder_stopped_and_the_batch_open(self) -> None:
        desktop, window, band = self.begin("stuck", stacks=4)
        before = len(self.batch(desktop).pages)
        self.key(window.work.list, Qt.Key.Key_Escape)
        self.assertFalse(band.isVisible())
        self.spin(1.0)
        self.assertEqual(len(self.batch(desktop).pages), before)
        self.assertFalse(window.work.presenter.state.scanning)
        self.key(window.work.list, Qt.Key.Key_M)
        self.until(lambda: len(self.batch(desktop).pages) > before, 20, "more sides in the same batch")
        window.work.presenter.incoming.stop()
        self.until(lambda: not window.work.presenter.state.scanning, 20)
