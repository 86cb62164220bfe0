"""Pages onto paper, or into a PDF where there is no printer; each sheet is the size of its page."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QMarginsF, QRectF, QSizeF, Qt
from PySide6.QtGui import QImageReader, QPageLayout, QPageSize, QPainter, QTextDocument
from PySide6.QtPrintSupport import QPrinter, QPrinterInfo

from keybundle.core.base.errors import EnvironmentProblem, InputProblem
from keybundle.core.base.progress import CancelToken, Progress, Step
from keybundle.core.base.records import dataclass
from keybundle.desktop.words import mark, tr

MM_PER_INCH = 25.4
INTO_PDF = mark("A PDF file")


@dataclass(frozen=True)
class PrintWish:
    """Which printer (``INTO_PDF``: the file ``target``), how many copies, both sides of a sheet or one."""

    printer: str = INTO_PDF
    copies: int = 1
    both_sides: bool = False
    target: str = ""


def printers() -> list[str]:
    """Return the printers of the system, the usual one first; without one, a PDF file alone."""
    names = QPrinterInfo.availablePrinterNames()
    usual = QPrinterInfo.defaultPrinterName()
    return [*sorted(names, key=lambda n: n != usual), INTO_PDF]


def print_page(page: QTextDocument, printer: str, target: str = "") -> None:
    """Print a page of text on a printer, or (``INTO_PDF``) into the file ``target``."""
    on = QPrinter(QPrinter.PrinterMode.HighResolution)
    if printer == INTO_PDF:
        on.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
        on.setOutputFileName(target)
    else:
        on.setPrinterName(printer)
    page.print_(on)


def print_pictures(
    paths: Sequence[Path], dpis: Sequence[float], wish: PrintWish, progress: Progress, cancel: CancelToken
) -> int:
    """Print pictures of pages in their order and return how many; raises EnvironmentProblem where the printer refuses."""
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    if wish.printer == INTO_PDF:
        if not wish.target:
            raise InputProblem(tr("No file is named to print into; choose one."))
        printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
        printer.setOutputFileName(wish.target)
    else:
        printer.setPrinterName(wish.printer)
        printer.setCopyCount(wish.copies)
        printer.setDuplex(QPrinter.DuplexMode.DuplexAuto if wish.both_sides else QPrinter.DuplexMode.DuplexNone)
    printer.setFullPage(True)
    painter, done, where = QPainter(), 0, wish.target or wish.printer
    try:
        for path, dpi in zip(paths, dpis, strict=True):
            if cancel.cancelled:
                break
            reader = QImageReader(str(path))
            reader.setAllocationLimit(0)
            image = reader.read()
            if image.isNull():
                raise InputProblem(tr("A page could not be read for printing: {reader}.", reader=reader.errorString()))
            size_mm = QSizeF(image.width(), image.height()) * (MM_PER_INCH / dpi)
            _set_paper(printer, size_mm)
            if not painter.isActive():
                if not painter.begin(printer):
                    raise EnvironmentProblem(
                        tr("“{where}” does not take anything to print. Nothing was printed.", where=where)
                    )
            elif not printer.newPage():
                raise EnvironmentProblem(
                    tr("“{where}” stopped after {done} of {n} pages.", where=where, done=done, n=len(paths))
                )
            room = QRectF(0, 0, painter.viewport().width(), painter.viewport().height())
            painter.drawImage(_fitted(room, QSizeF(image.size())), image)
            done += 1
            progress(Step(done, len(paths), tr("Printing")))
    finally:
        if painter.isActive():
            painter.end()
    return done


def _set_paper(printer: QPrinter, size_mm: QSizeF) -> None:
    """Let the paper be the page's: one of the usual sizes where one is near, lying where the page lies."""
    lies = size_mm.width() > size_mm.height()
    upright = size_mm.transposed() if lies else size_mm
    paper = QPageSize(upright, QPageSize.Unit.Millimeter, "", QPageSize.SizeMatchPolicy.FuzzyMatch)
    way = QPageLayout.Orientation.Landscape if lies else QPageLayout.Orientation.Portrait
    printer.setPageLayout(QPageLayout(paper, way, QMarginsF(0, 0, 0, 0)))


def _fitted(room: QRectF, size: QSizeF) -> QRectF:
    size = size.scaled(room.size(), Qt.AspectRatioMode.KeepAspectRatio)
    return QRectF(
        room.center().x() - size.width() / 2, room.center().y() - size.height() / 2, size.width(), size.height()
    )
