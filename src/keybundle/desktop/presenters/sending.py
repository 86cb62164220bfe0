"""Sending documents: what, as, with and to; the last choices of each person; what came of it in one sentence."""

from __future__ import annotations

import contextlib
import shutil
import tempfile
import time
from collections.abc import Sequence
from dataclasses import asdict, field, fields, replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QUrl, Signal
from PySide6.QtGui import QDesktopServices

from keybundle.core.base.errors import AppError, InputProblem
from keybundle.core.base.ids import FiledId
from keybundle.core.base.progress import CancelToken, Progress
from keybundle.core.base.records import dataclass
from keybundle.core.export import forms
from keybundle.core.export.message import Letter
from keybundle.core.rights.model import Right
from keybundle.core.workflows.arrange import bench
from keybundle.core.workflows.keep.documents.browsing import load_document
from keybundle.core.workflows.send import sending, wishes
from keybundle.core.workflows.send.mailing import Mailed, mail_documents, usual_letter
from keybundle.core.workflows.send.packages import write_package
from keybundle.core.workflows.send.sending import Described, send_to_folder
from keybundle.core.workflows.send.wishes import Sent, SentDocument, Wish, last_wish
from keybundle.desktop.presenters.doing import Doing
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.presenters.texts import join_documents
from keybundle.desktop.words import tr, trn, worded

FOLDER, MAIL, PRINTER, DRAG = "folder", "mail", "print", "drag"
# The way that a sending of the trail is done again, and which choice its target is.
BEFORE = {
    FOLDER: (FOLDER, "folder"), "copy": (FOLDER, "folder"), MAIL: (MAIL, "to"), "message": (MAIL, "to"),
    PRINTER: (PRINTER, "printer"),
}  # fmt: skip
MOST_DRAGGED_BYTES = 20_000_000  # they are copied within the drag, which nothing may hold up
MOST_DRAGGED, DRAGGED, DRAGGED_KEPT_SECONDS = 20, "dragged-", 3600.0


@dataclass(frozen=True)
class Choices:
    """All that a sending sheet asks, as kept for a person: the wish, the way, and where to on each way."""

    wish: Wish = field(default_factory=Wish)
    way: str = FOLDER
    folder: str = ""
    to: str = ""
    subject: str = ""
    text: str = ""
    printer: str = ""
    into: str = ""
    copies: int = 1
    both_sides: bool = False


@dataclass(frozen=True)
class SendState:
    """What the sheet shows: the documents, what would go out, a small picture, how far a sending is."""

    ids: tuple[FiledId, ...] = ()
    told: str = ""
    example: str = ""
    problem: str = ""
    picture: str = ""
    doing: str = ""
    by_server: str = ""


class SendingPresenter(QObject):
    """State and verbs of sending; one for each window, a sending goes on when its sheet is closed."""

    changed = Signal(object)
    chosen = Signal(object)
    ended = Signal(bool)
    said = Signal(str)
    failed = Signal(str)
    left_out = Signal(str, object)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.state = SendState()
        self._dragged: tuple[SentDocument, ...] = ()
        self.doing = Doing(seat.runner, self)
        self.doing.changed.connect(lambda: self._put(doing=self.doing.told))

    def _put(self, **changed: Any) -> None:
        self.state = replace(self.state, **changed)
        self.changed.emit(self.state)

    def begin(self, ids: Sequence[FiledId], *, again: bool = False) -> None:
        """Take documents to send, with the choices made last; ``again``: with those of this document's last sending."""
        s = self._s
        mail = s.workspace.setup.mail
        by_server = tr("{host}, from {sender}", host=mail.host, sender=mail.sender) if mail.host else ""
        self.state = SendState(
            tuple(ids), trn("{n:,} document", "{n:,} documents", len(ids)), by_server=by_server, doing=self.doing.told
        )
        self.changed.emit(self.state)

        def load() -> tuple[Choices, Letter, str]:
            kept = _choices_of(s.workspace.setting(_setting(s.who)))
            before = last_wish(s.session, ids[0]) if again else None
            if before is not None:
                kept = _as_before(kept, *before)
            document = load_document(s.session, ids[0])
            picture = ""
            with contextlib.suppress(AppError):  # a page that cannot be drawn is told when it is to go
                if document.pages:
                    picture = str(bench.filed_preview(s.session, s.pool, document.pages[0]))
            return kept, usual_letter(s.session, ids[0]), picture

        def done(found: tuple[Choices, Letter, str]) -> None:
            choices, letter, picture = found
            self._put(picture=picture)
            more = tr(" and {n:,} more", n=len(ids) - 1) if len(ids) > 1 else ""
            self.chosen.emit(replace(choices, subject=letter.subject + more, text=choices.text or letter.text))

        s.runner.query(load, done, key="sending", owner=self, on_error=self.failed.emit)

    def look(self, wish: Wish) -> None:
        """Say what would go out."""
        s, ids = self._s, self.state.ids

        def done(found: Described) -> None:
            told = join_documents(found.documents, found.pages)
            self._put(told=told, example=found.example, problem="")

        s.runner.query(
            lambda: sending.describe(s.session, ids, wish), done, key="describe", owner=self,
            on_error=lambda said: self._put(example="", problem=said),
        )  # fmt: skip

    def send(self, choices: Choices) -> None:
        """Send, and keep the choices for the next time."""
        s, ids = self._s, self.state.ids
        kept = asdict(replace(choices, subject=""))
        s.runner.change(lambda: s.workspace.put_setting(_setting(s.who), kept), owner=self, lane="settings")
        work = {FOLDER: self._into_folder, MAIL: self._by_mail, PRINTER: self._onto_paper}[choices.way]
        work(ids, choices)

    def stop(self) -> None:
        """Stop; what is there by then is whole."""
        self.doing.stop()

    def _failed(self, told: str) -> None:
        self.failed.emit(told)
        self.ended.emit(False)

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
            self.ended.emit(False)

        s.runner.change(
            lambda: wishes.note_sent(s.session, sent, told), done, lane="sending", owner=self,
            on_error=self.failed.emit,
        )  # fmt: skip

    def _into_folder(self, ids: Sequence[FiledId], choices: Choices) -> None:
        s, target = self._s, Path(choices.folder).expanduser()

        def work(progress: Progress, cancel: CancelToken) -> Sent:
            if not choices.folder.strip():
                raise InputProblem(tr("No folder is named to write into; choose one. Nothing was sent."))
            if choices.wish.form == forms.PACKAGE:
                return write_package(s.session, s.pool, ids, target, progress=progress, cancel=cancel)
            return send_to_folder(s.session, s.pool, ids, choices.wish, target, progress=progress, cancel=cancel)

        def done(sent: Sent) -> None:
            self._tell(
                sent,
                tr(
                    "written into {target}: {files}",
                    target=target,
                    files=trn("{n:,} file", "{n:,} files", len(sent.files)),
                ),
            )

        self.doing.begin(tr("Sending"), work, done, self._failed)

    def _tell(self, sent: Sent, what: str) -> None:
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
        self.ended.emit(not sent.stopped and bool(sent.documents))

    def _by_mail(self, ids: Sequence[FiledId], choices: Choices) -> None:
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
                self._tell(mailed.sent, told)
                if not opened:
                    self.failed.emit(
                        tr("No mail program opens messages here. The message is kept: {draft}", draft=mailed.draft)
                    )
                return
            self._tell(
                mailed.sent, tr("sent to {to}", to=choices.to) if not mailed.refused else tr("sent, not to everybody")
            )
            if mailed.refused:
                told = "; ".join(f"{a}: {why}" for a, why in mailed.refused.items())
                self.failed.emit(tr("The mail server refused {told}", told=told))

        self.doing.begin(tr("Sending"), work, done, self._failed)

    def _onto_paper(self, ids: Sequence[FiledId], choices: Choices) -> None:
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
                sent,
                tr(
                    "printed: {pages} on {target}",
                    pages=trn("{n:,} page", "{n:,} pages", pages),
                    target=wish.target or wish.printer,
                ),
            )

        self.doing.begin(tr("Printing"), work, done, self._failed)


def _setting(who: str) -> str:
    return f"sending of {who}"


def _choices_of(kept: dict[str, Any] | None) -> Choices:
    """Return kept choices; what another version kept and this one does not know is passed over."""
    known = {f.name for f in fields(Choices)} - {"wish"}
    given = {name: value for name, value in (kept or {}).items() if name in known}
    wish = {f.name: kept["wish"][f.name] for f in fields(Wish) if f.name in kept["wish"]} if kept else {}
    return Choices(wish=Wish(**wish), **given)


def _as_before(kept: Choices, wish: Wish, told: dict[str, Any]) -> Choices:
    """Return the choices of a document's last sending."""
    way, where = BEFORE.get(told["how"], (FOLDER, ""))
    return replace(kept, wish=wish, way=way, **({where: told["to"]} if where else {}))
