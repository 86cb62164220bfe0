"""A scanned page to look at before it counts: accept it, scan it again, or let it go."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QPixmap, QShortcut
from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from keybundle.desktop.presenters.preview import PreviewPresenter, PreviewShown
from keybundle.desktop.views.calm import Button
from keybundle.desktop.views.told import Told
from keybundle.desktop.words import tr

HEIGHT_PX = 560


class PreviewDialog(QDialog):
    """Shows the page; closing lets it go."""

    def __init__(self, presenter: PreviewPresenter, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.presenter = presenter
        self.setWindowTitle(tr("Preview of a page"))
        self.picture = Told()
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setMinimumSize(420, HEIGHT_PX)
        self.told = Told()
        self.told.setWordWrap(True)
        self.accept_it = self._button(tr("Accept   Enter"), "Return", lambda: self._end(presenter.accept))
        self.accept_it.setProperty("role", "main")
        self.next_page = self._button(tr("Accept, next page   N"), "N", lambda: self._wait(self._accept_and_go_on))
        self.again = self._button(tr("Scan again   A"), "A", lambda: self._wait(presenter.again))
        self.leave = self._button(tr("Do not keep   Esc"), "", self.reject)
        buttons = QHBoxLayout()
        for button in (self.leave, self.again, self.next_page, self.accept_it):
            buttons.addWidget(button)
        layout = QVBoxLayout(self)
        layout.addWidget(self.picture, 1)
        layout.addWidget(self.told)
        layout.addLayout(buttons)
        self._wait(lambda: None)

    def _button(self, text: str, key: str, run: object) -> QPushButton:
        button = Button(text)
        button.setAutoDefault(False)
        button.clicked.connect(run)
        if key:
            QShortcut(QKeySequence(key), self).activated.connect(button.click)
        return button

    def _accept_and_go_on(self) -> None:
        self.presenter.accept(next_page=True)

    def _wait(self, run: object) -> None:
        """Show that a page is being scanned, and run what scans it."""
        self.picture.setText("Scanning...")
        self._enable(False)
        run()  # type: ignore[operator]

    def _enable(self, on: bool) -> None:
        for button in (self.accept_it, self.next_page, self.again):
            button.setEnabled(on)

    def _end(self, run: object) -> None:
        run()  # type: ignore[operator]
        self.done(QDialog.DialogCode.Accepted)

    def render_preview(self, shown: PreviewShown) -> None:
        """Show a page."""
        picture = QPixmap(shown.picture)
        self.picture.setPixmap(picture.scaledToHeight(HEIGHT_PX, Qt.TransformationMode.SmoothTransformation))
        self.told.setText(shown.told)
        self._enable(True)
        self.accept_it.setFocus()

    def reject(self) -> None:
        self.presenter.let_go()
        super().reject()
