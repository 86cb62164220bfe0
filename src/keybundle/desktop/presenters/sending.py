"""Sending documents, as one sheet asked for it: into a folder, by mail, onto paper; what came of it in one sentence."""

from __future__ import annotations

import itertools
import shutil
import tempfile
import time
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path

from PySide6.QtCore import QObject, QUrl, Signal
from PySide6.QtGui import QDesktopServices

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.ids import FiledId
from keybundle.core.base.progress import CancelToken, Progress
from keybundle.core.export import forms
from keybundle.core.export.message import Letter
from keybundle.core.rights.model import Right
from keybundle.core.workflows.keep.documents.browsing import load_document
from keybundle.core.workflows.send import sending, wishes
from keybundle.core.workflows.send.mailing import Mailed, mail_documents
from keybundle.core.workflows.send.packages import write_package
from keybundle.core.workflows.send.sending import send_to_folder
from keybundle.core.workflows.send.wishes import Sent, SentDocument, Wish
from keybundle.desktop.presenters.doing import Doing
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.send_request import DRAG, FOLDER, MAIL, PRINTER, Choices
from keybundle.desktop.presenters.texts import join_documents
from keybundle.desktop.words import tr, trn, worded

MOST_DRAGGED_BYTES = 20_000_000  # they are copied within the drag, which nothing may hold up
DRAGGING = 0  # the number of what was dragged out: no sheet asked for it
MOST_DRAGGED, DRAGGED, DRAGGED_KEPT_SECONDS = 20, "dragged-", 3600.0


class SendingPresenter(QObject):
    """Sends what sheets ask for and what is dragged out; one for each window, a sending goes on when its sheet is closed.

    ``ended`` says which sending it was, and whether all went.
    """

    ended = Signal(int, bool)
    said = Signal(str)
    failed = Signal(str)
    left_out = Signal(str, object)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.seat = self._s = seat
        self._dragged: tuple[SentDocument, ...] = ()
        self._sendings = itertools.count(1)
        self.doing = Doing(seat.runner, self)

    def send(self, ids: Sequence[FiledId], choices: Choices) -> int:
        """Send documents as chosen; return by which number ``ended`` will tell of it."""
        number = next(self._sendings)
        work = {FOLDER: self._into_folder, MAIL: self._by_mail, PRINTER: self._onto_paper}[choices.way]
        work(ids, choices, number)
        return number

    def stop(self) -> None:
        """Stop; what is there by then is whole."""
        self.doing.stop()

    def _failed(self, number: int, told: str) -> None:
        self.failed.emit(told)
        self.ended.emit(number, False)

    def make_drag(self, ids: Sequence[FiledId]) -> list[Path]:
        """Return the documents as PDF files to be dragged out; they are copies of what is stored, and quickly made."""
        s = self._s
        if len(ids) > MOST_DRAGGED:
            self.failed.emit(
                tr(
                    "{n} documents are too many to drag; at most {most}. Send them instead (Ctrl+E).",
                    n=len(ids),
                    most=MOST_DRAGGED,
                )
            )
            return []
        try:
            s.session.require(Right.SEND)
        except InputProblem as refused:
            self.failed.emit(worded(refused))
            return []
        size = wishes.stored_size(s.session, ids)
        if size > MOST_DRAGGED_BYTES:
            self.failed.emit(tr("{size} MB are too much to drag. Send them instead (Ctrl+E).", size=size // 1000000))
            return []
        self._clear_dragged()
        folder = Path(tempfile.mkdtemp(prefix=DRAGGED, dir=s.workspace.place.cache))
        sent = sending.make_for_a_moment(s.session, s.pool, ids, Wish(), folder)
        if sent.refused or sent.stopped:
            self.failed.emit(sent.stopped or f"{sent.refused[0][0]}: {sent.refused[0][1]}")
        self._dragged = tuple(sent.documents)
        return sent.files

    def _clear_dragged(self) -> None:
        """Let go of what was dragged out long ago: who took it has copied it by now."""
        old = time.time() - DRAGGED_KEPT_SECONDS
        for folder in self._s.workspace.place.cache.glob(f"{DRAGGED}*"):
            if folder.stat().st_mtime < old:
                shutil.rmtree(folder, ignore_errors=True)

    def note_drag(self) -> None:
        """Note that the documents that were dragged out last were taken."""
        s, told, sent = self._s, {"how": DRAG, "to": "another program", **asdict(Wish())}, self._dragged

        def done(_: object) -> None:
            self.said.emit(tr("{documents} dragged out", documents=trn("{n:,} document", "{n:,} documents", len(sent))))
            self.ended.emit(DRAGGING, False)

        s.runner.change(
            lambda: wishes.note_sent(s.session, sent, told), done, lane="sending", owner=self,
            on_error=self.failed.emit,
        )  # fmt: skip

    def _into_folder(self, ids: Sequence[FiledId], choices: Choices, number: int) -> None:
        s, target = self._s, Path(choices.folder).expanduser()

        def work(progress: Progress, cancel: CancelToken) -> Sent:
            if not choices.folder.strip():
                raise InputProblem(tr("No folder is named to write into; choose one. Nothing was sent."))
            if choices.wish.form == forms.PACKAGE:
                return write_package(s.session, s.pool, ids, target, progress=progress, cancel=cancel)
            return send_to_folder(s.session, s.pool, ids, choices.wish, target, progress=progress, cancel=cancel)

        def done(sent: Sent) -> None:
            self._tell(
                number,
                sent,
                tr(
                    "written into {target}: {files}",
                    target=target,
                    files=trn("{n:,} file", "{n:,} files", len(sent.files)),
                ),
            )

        self.doing.begin(tr("Sending"), work, done, lambda told: self._failed(number, told))

    def _tell(self, number: int, sent: Sent, what: str) -> None:
        pages = sum(d.pages for d in sent.documents)
        told = f"{join_documents(len(sent.documents), pages)} {what}" if sent.documents else tr("Nothing was sent")
        told = ". ".join(filter(None, [told, wishes.say_shared(sent)]))
        if sent.stopped:
            self.failed.emit(f"{told}. {sent.stopped}")
        elif sent.refused:
            out = tr("{told}; {n} left out", told=told, n=len(sent.refused))
            self.left_out.emit(out, tuple(f"{name}: {why}" for name, why in sent.refused))
        else:
            self.said.emit(told)
        self.ended.emit(number, not sent.stopped and bool(sent.documents))

    def _by_mail(self, ids: Sequence[FiledId], choices: Choices, number: int) -> None:
        s = self._s
        letter = Letter((choices.to,) if choices.to.strip() else (), choices.subject, choices.text)

        def work(progress: Progress, cancel: CancelToken) -> Mailed:
            return mail_documents(s.session, s.pool, ids, choices.wish, letter, progress=progress, cancel=cancel)

        def done(mailed: Mailed) -> None:
            if mailed.draft is not None:
                opened = QDesktopServices.openUrl(QUrl.fromLocalFile(str(mailed.draft)))
                told = (
                    tr("stands open in your mail program")
                    if opened
                    else tr("lie in a message: {draft}", draft=mailed.draft)
                )
                self._tell(number, mailed.sent, told)
                if not opened:
                    self.failed.emit(
                        tr("No mail program opens messages here. The message is kept: {draft}", draft=mailed.draft)
                    )
                return
            self._tell(
                number,
                mailed.sent,
                tr("sent to {to}", to=choices.to) if not mailed.refused else tr("sent, not to everybody"),
            )
            if mailed.refused:
                told = "; ".join(f"{a}: {why}" for a, why in mailed.refused.items())
                self.failed.emit(tr("The mail server refused {told}", told=told))

        self.doing.begin(tr("Sending"), work, done, lambda told: self._failed(number, told))

    def _onto_paper(self, ids: Sequence[FiledId], choices: Choices, number: int) -> None:
        from keybundle.desktop.presenters.printing import INTO_PDF, PrintWish, print_pictures

        s, into_pdf = self._s, choices.printer in ("", INTO_PDF)
        printer = INTO_PDF if into_pdf else choices.printer
        wish = PrintWish(printer, choices.copies, choices.both_sides, choices.into if into_pdf else "")

        def work(progress: Progress, cancel: CancelToken) -> tuple[Sent, int]:
            s.session.require(Right.SEND)
            folder = Path(tempfile.mkdtemp(prefix="printing-", dir=s.workspace.place.cache))
            try:
                sent = sending.make_for_a_moment(
                    s.session, s.pool, ids, Wish(forms.PNG), folder, progress=progress, cancel=cancel
                )
                dpis = [p.dpi for d in sent.documents for p in load_document(s.session, d.id).pages]
                told = {"how": PRINTER, "to": wish.target or wish.printer, **asdict(Wish(forms.PNG))}
                if sent.files and not cancel.cancelled:
                    if len(wishes.note_sent(s.session, sent.documents, told)) < len({d.id for d in sent.documents}):
                        raise InputProblem(sending.GONE_MEANWHILE)
                    return sent, print_pictures(sent.files, dpis, wish, progress, cancel)
                return sent, 0
            finally:
                shutil.rmtree(folder, ignore_errors=True)

        def done(found: tuple[Sent, int]) -> None:
            sent, pages = found
            self._tell(
                number,
                sent,
                tr(
                    "printed: {pages} on {target}",
                    pages=trn("{n:,} page", "{n:,} pages", pages),
                    target=wish.target or wish.printer,
                ),
            )

        self.doing.begin(tr("Printing"), work, done, lambda told: self._failed(number, told))
