"""A filing record: what was filed where, with links, to save or print."""

from __future__ import annotations

import re
from pathlib import Path

from PySide6.QtCore import QUrl, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QDialog, QFileDialog, QHBoxLayout, QTextBrowser, QVBoxLayout, QWidget

from keybundle.desktop.views.calm import Button
from keybundle.desktop.words import tr

DOCUMENT = re.compile(r"keybundle:document/(\w+)")


class RecordDialog(QDialog):
    """Shows a record's page; a link opens the document."""

    document_opened = Signal(str)
    sending = Signal(object, bool)
    said = Signal(str)

    def __init__(self, page: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Filing record"))
        self.resize(820, 560)
        self._page = page
        self.text = QTextBrowser()
        self.text.setOpenLinks(False)
        self.text.setHtml(page)
        self.text.anchorClicked.connect(self._open)
        save = Button(tr("Save as a page"))
        save.clicked.connect(self._save)
        send = Button(tr("Send its documents"))
        send.clicked.connect(self._send)
        out = Button(tr("Print   Ctrl+P"))
        out.setToolTip(tr("On the usual printer; into a PDF file where there is none"))
        out.clicked.connect(self._print)
        QShortcut(QKeySequence("Ctrl+P"), self).activated.connect(self._print)
        close = Button(tr("Close"))
        close.clicked.connect(self.accept)
        buttons = QHBoxLayout()
        buttons.addWidget(save)
        buttons.addWidget(send)
        buttons.addWidget(out)
        buttons.addStretch(1)
        buttons.addWidget(close)
        layout = QVBoxLayout(self)
        layout.addWidget(self.text)
        layout.addLayout(buttons)

    def _open(self, url: QUrl) -> None:
        self.document_opened.emit(url.path().rsplit("/", 1)[-1])
        self.accept()

    def _send(self) -> None:
        ids = tuple(dict.fromkeys(DOCUMENT.findall(self._page)))
        if ids:
            self.sending.emit(ids, False)
            self.accept()

    def _print(self) -> None:
        from keybundle.desktop.presenters.printing import INTO_PDF, print_page, printers

        printer, target = printers()[0], ""
        if printer == INTO_PDF:
            target, _ = QFileDialog.getSaveFileName(
                self, tr("PDF file to print into"), "filing-record.pdf", tr("PDF (*.pdf)")
            )
            if not target:
                return
        print_page(self.text.document(), printer, target)
        self.said.emit(tr("The filing record is printed: {where}", where=target or printer))

    def _save(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, tr("Save the filing record"), "filing-record.html", tr("Web page (*.html)")
        )
        if name:
            Path(name).write_text(self._page, encoding="utf-8")
