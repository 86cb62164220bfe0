"""Files that are no pictures of pages, from a ZIP to the cabinet: seen, corrected, filed, found and opened as they came."""

from __future__ import annotations

import zipfile
from pathlib import Path
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QFileDialog

from keybundle.core.batches.model import Document, State
from keybundle.core.workflows.keep.documents.received import OPENED
from keybundle.desktop.views.list_sheet import ListSheet
from tests.desktop.support import DesktopTest

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
BILL = """Quillfeather Lock Gates
Mill Lane 4, Holmelock

                              Bill number: R-2041
                              Bill date: 2026-03-04

Item                               Count        Price       Amount
Oak gate                               6       120.00       720.00
                                               Net          720.00
                                               VAT 10 %      72.00
                                               Total        792.00
"""


class Arrivals(DesktopTest):
    def test_a_text_in_a_zip_goes_all_the_way(self) -> None:
        desktop = self.start()
        desktop.begin(next(p.name for p in desktop.workspace.setup.people if "operator" in p.roles))
        window, ws = desktop.window, desktop.workspace
        assert window is not None
        post = self.folder / "post of Monday.zip"
        with zipfile.ZipFile(post, "w") as made:
            made.writestr("bill.txt", BILL)
            made.writestr("torn.tif", b"II*\0 torn")
        with mock.patch.object(QFileDialog, "getOpenFileNames", return_value=([str(post)], "")):
            self.key(window.work.list, Qt.Key.Key_I)
        self.until(lambda: ws.batches.ids() and not window.work.presenter.state.scanning, 30, "the files")
        batch = ws.batches.ids()[0]

        def document() -> Document:
            return ws.batches.load(batch).in_order()[0]

        self.until(lambda: any(d.state is State.TO_CHECK for d in ws.batches.load(batch).in_order()), 30, "the values")
        self.until(lambda: window.work.presenter.state.rows, 10)
        self.key(window.work.list, Qt.Key.Key_Return)
        bench = window.stack.currentWidget()
        self.until(lambda: bench.presenter.state.slip is not None and bench.presenter.state.pages, 20, "the bench")
        self.assertEqual([p.native for p in bench.presenter.state.pages], ["TEXT"])
        self.assertIn("1 not taken in", bench.presenter.state.balance)

        # What was not taken is told, and the file opens as it came.
        self.key(bench.strip, Qt.Key.Key_I, CTRL | SHIFT)
        sheet = self.sheet(ListSheet)
        self.assertIn("“post of Monday.zip/torn.tif” is damaged", sheet.list.item(0).text())
        self.key(sheet.list, Qt.Key.Key_Escape)
        opened: list[str] = []
        with mock.patch.object(QDesktopServices, "openUrl", lambda url: opened.append(url.toLocalFile()) or True):
            self.key(bench.strip, Qt.Key.Key_O, CTRL)
            self.until(lambda: opened, 10, "its own program")
        self.assertEqual(Path(opened[0]).name, "bill.txt")
        self.assertEqual(Path(opened[0]).read_bytes(), BILL.encode())
        self.assertEqual(Path(opened[0]).stat().st_mode & 0o222, 0, "a copy to be read")
        self.key(bench.strip, Qt.Key.Key_R)
        self.assertIn("cannot be turned", window.message.text())

        # Its values stand where they are on the sheet; they are confirmed, and it is filed.
        rows = {r.label: r for r in bench.presenter.state.slip.rows}
        self.assertEqual((rows["Bill number"].text, rows["Total"].text), ("R-2041", "792.00"))
        self.assertIsNotNone(rows["Bill number"].place)
        self.key(bench.strip, Qt.Key.Key_Return)
        for _ in rows:
            if bench.presenter.state.slip.can_file:
                break
            self.key(self.app.focusWidget(), Qt.Key.Key_Return)
            self.spin(0.2)
        self.until(lambda: bench.presenter.state.slip.can_file, 10, "the slip to be whole")
        self.key(self.app.focusWidget(), Qt.Key.Key_Return, CTRL)
        self.until(lambda: document().filed_id, 30, "the filing")

        # It is found by a word that no field holds, and opens from the viewer too.
        self.key(window, Qt.Key.Key_3, CTRL)
        self.until(lambda: window.finder.line.hasFocus(), 10)
        self.burst("oak mill\n")
        self.until(lambda: window.finder.presenter.state.hits, 20, "the hit")
        window.finder.hits.setFocus()
        self.key(window.finder.hits, Qt.Key.Key_Return)
        self.until(lambda: window.viewers.windows and self.is_in_front(window.viewers.windows[-1]), 20, "the viewer")
        viewer = window.viewers.windows[-1].viewer
        self.until(lambda: viewer.presenter.shown is not None, 10)
        opened.clear()
        with mock.patch.object(QDesktopServices, "openUrl", lambda url: opened.append(url.toLocalFile()) and False):
            self.key(viewer.page, Qt.Key.Key_O, CTRL)
            self.until(lambda: opened, 10, "its own program")
        self.assertIn(f"/{OPENED}/", opened[0])
