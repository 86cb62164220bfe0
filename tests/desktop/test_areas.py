"""Storage areas in Prepare: one is added, a cabinet is put there, its files are brought, and a disk that is away is told."""

from __future__ import annotations

from pathlib import Path
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QPushButton

from keybundle.core.store.files import MARKER
from keybundle.desktop.views.window import MainWindow
from tests.desktop.support import DesktopTest


class Areas(DesktopTest):
    def press(self, button: object) -> None:
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.spin(0.05)

    def show_areas(self, window: MainWindow) -> None:
        window.go_prepare()
        window.prepare.show_page("areas")

    def lies_in(self, folder: Path) -> int:
        return sum(p.is_file() and p.name != MARKER for p in folder.rglob("*"))

    def test_a_cabinet_moves_to_another_disk_and_back(self) -> None:
        desktop = self.start()
        desktop.begin("Oswinna Reedmace")
        window, archive = desktop.window, self.folder / "archive"
        assert window is not None
        archive.mkdir()
        self.show_areas(window)
        view = window.prepare.view("areas")
        self.until(lambda: view.presenter.state.rows and view.presenter.state.told, 10, "the areas")
        self.assertRegex(view.presenter.state.rows[0].note, r"[\d.,]+ of [\d.,]+ GB free, \d+ files")
        self.assertFalse(view.cabinets.bring.isEnabled(), "all lies where it should")
        state = lambda: view.presenter.state  # noqa: E731
        self.burst("Archive\n", start=view.pane.new)
        self.until(lambda: len(state().rows) == 2 and state().part.name == "Archive", 10, "the further area")
        folder = view.form.rows["path"].editor
        self.assertTrue(folder.line.text().endswith("/areas/Archive"), "one of its own until another one is chosen")
        with mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(self.folder / "nowhere")):
            self.press(folder.findChild(QPushButton))
        self.until(
            lambda: "nowhere” cannot be used" in state().problems.get("path", ""), 10, "the refusal at its field"
        )
        with mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(archive)):
            self.press(folder.findChild(QPushButton))
        self.until(lambda: state().part.path == str(archive) and not state().problems, 10, "the chosen folder")
        # Whether it can be written in is tried with a file of a moment.
        self.until(lambda: self.lies_in(archive) == 0, 10, "nothing to lie there before something uses it")

        view.cabinets.list.setFocus()
        self.key(view.cabinets.list, Qt.Key.Key_Space)
        self.assertEqual(view.cabinets.put.text(), "Let their files lie in Archive")
        self.press(view.cabinets.put)
        self.until(lambda: view.presenter.state.astray, 10, "what does not lie where it belongs")
        astray = view.presenter.state.astray
        self.press(view.cabinets.bring)
        self.until(lambda: not view.presenter.state.astray and not view.presenter.state.doing, 30, "the files")
        self.assertEqual(self.lies_in(archive), astray)
        self.assertIn(f"{astray} files brought", window.message.text())

        with mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(self.folder)):
            self.press(view.form.rows["path"].editor.findChild(QPushButton))
        self.until(
            lambda: f"{astray} files lie in Archive" in state().problems.get("path", ""), 10, "no folder but by moving"
        )
        view.pane.remove.click()
        self.until(lambda: "Archive" in state().problem and "Boats" in state().problem, 10, "it is used")
        away = archive.rename(self.folder / "away")
        view.presenter.refresh()
        self.until(lambda: state().away, 10, "the disk to be away")
        self.assertIn("away just now", state().rows[1].note)
        away.rename(archive)
        self.burst("Twice\n", start=view.pane.new)
        self.until(lambda: state().part.name == "Twice", 10)
        with mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(archive)):
            self.press(view.form.rows["path"].editor.findChild(QPushButton))
        self.until(lambda: "is a storage area already" in state().problems.get("path", ""), 10, "the refusal")
        view.pane.remove.click()
        self.until(lambda: len(state().rows) == 2, 10, "nothing lies in it, so it goes")

    def test_who_does_not_prepare_is_not_shown_areas_nor_what_is_missing(self) -> None:
        desktop = self.start()
        desktop.begin("Hollin Waterhen")
        assert desktop.window is not None
        desktop.window.go_prepare()
        self.assertEqual(
            [code for code in desktop.window.prepare.pages if code in ("areas", "missing", "routines")], ["routines"]
        )
