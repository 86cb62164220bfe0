"""Storage areas in Prepare: one is added, a cabinet is put there, its files are brought, and a disk that is away is told."""

from __future__ import annotations

from pathlib import Path
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

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
        return sum(p.is_file() for p in folder.rglob("*"))

    def test_a_cabinet_moves_to_another_disk_and_back(self) -> None:
        desktop = self.start()
        desktop.begin("Oswinna Reedmace")
        window, archive = desktop.window, self.folder / "archive"
        assert window is not None
        archive.mkdir()
        self.show_areas(window)
        view = window.prepare.view("areas")
        self.until(lambda: view.presenter.state.rows, 10, "the areas")
        self.assertRegex(view.presenter.state.rows[0].told, r"[\d.,]+ of [\d.,]+ GB free, \d+ files")
        self.assertFalse(view.bring.isEnabled(), "all lies where it should")
        QTest.keyClicks(view.name, "Archive")
        with mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(archive)):
            self.press(view.add)
        self.until(lambda: len(view.presenter.state.rows) == 2, 10, "the further area")
        self.assertEqual(self.lies_in(archive), 0, "nothing lies there before something uses it")

        choice = view.choices["Boats"]
        choice.setFocus()
        self.key(choice, Qt.Key.Key_Down)
        choice.textActivated.emit(choice.currentText())
        self.until(lambda: view.presenter.state.astray, 10, "what does not lie where it belongs")
        astray = view.presenter.state.astray
        self.press(view.bring)
        self.until(lambda: not view.presenter.state.astray and not view.presenter.state.doing, 30, "the files")
        self.assertEqual(self.lies_in(archive), astray)
        self.assertIn(f"{astray} files brought", window.message.text())

        away = archive.rename(self.folder / "away")
        view.presenter.refresh()
        self.until(lambda: view.presenter.state.rows[1].is_away, 10, "the disk to be away")
        self.assertIn("away just now", view._shown[1].text())
        away.rename(archive)
        with mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(archive)):
            QTest.keyClicks(view.name, "Twice")
            self.press(view.add)
        self.until(lambda: "is a storage area already" in window.message.text(), 10, "the refusal")

    def test_who_does_not_prepare_is_not_shown_areas_nor_what_is_missing(self) -> None:
        desktop = self.start()
        desktop.begin("Hollin Waterhen")
        assert desktop.window is not None
        desktop.window.go_prepare()
        self.assertEqual(
            [code for code in desktop.window.prepare.pages if code in ("areas", "missing", "routines")], ["routines"]
        )
