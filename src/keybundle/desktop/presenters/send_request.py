"""A sending as it is asked for at one sheet: these documents and no others, what would go out, and the choices made."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import asdict, field, fields, replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.errors import AppError
from keybundle.core.base.ids import FiledId
from keybundle.core.base.records import dataclass
from keybundle.core.export.message import Letter
from keybundle.core.workflows.arrange import bench
from keybundle.core.workflows.keep.documents.browsing import load_document
from keybundle.core.workflows.send import sending
from keybundle.core.workflows.send.mailing import usual_letter
from keybundle.core.workflows.send.sending import Described
from keybundle.core.workflows.send.wishes import Wish, last_wish
from keybundle.desktop.presenters.texts import join_documents
from keybundle.desktop.words import tr, trn

if TYPE_CHECKING:
    from keybundle.desktop.presenters.letters import Letters
    from keybundle.desktop.presenters.sending import SendingPresenter

FOLDER, MAIL, PRINTER, DRAG = "folder", "mail", "print", "drag"
# The way that a sending of the trail is done again, and which choice its target is.
BEFORE = {
    FOLDER: (FOLDER, "folder"), "copy": (FOLDER, "folder"), MAIL: (MAIL, "to"), "message": (MAIL, "to"),
    PRINTER: (PRINTER, "printer"),
}  # fmt: skip


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
    """What the sheet shows: the documents by name, what would go out, a small picture, how far a sending is."""

    ids: tuple[FiledId, ...] = ()
    named: str = ""
    told: str = ""
    example: str = ""
    problem: str = ""
    picture: str = ""
    doing: str = ""
    by_server: str = ""


class SendRequest(QObject):
    """What one sheet asks to be sent. It goes with its sheet; what it has handed over to be sent goes on."""

    changed = Signal(object)
    chosen = Signal(object)
    ended = Signal(bool)

    def __init__(
        self, sender: SendingPresenter, letters: Letters, ids: Sequence[FiledId], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._sender, self._letters, self._s = sender, letters, sender.seat
        self._number = 0
        self._typed: dict[str, str] = {}
        mail = self._s.workspace.setup.mail
        self.state = SendState(
            tuple(ids), told=trn("{n:,} document", "{n:,} documents", len(ids)), doing=sender.doing.told,
            by_server=tr("{host}, from {sender}", host=mail.host, sender=mail.sender) if mail.host else "",
        )  # fmt: skip
        sender.doing.changed.connect(self._told)
        sender.ended.connect(self._ended)

    def _put(self, **changed: Any) -> None:
        self.state = replace(self.state, **changed)
        self.changed.emit(self.state)

    def _told(self) -> None:
        self._put(doing=self._sender.doing.told)

    def _ended(self, number: int, is_good: bool) -> None:
        if number == self._number:
            if is_good:
                self._letters.sent(self.state.ids, self._typed)
            self.ended.emit(is_good)

    def type(self, name: str, text: str) -> None:
        """Take what stands in a part of the message (a name of ``Choices``) after a key: it outlives the sheet."""
        self._letters.type(self.state.ids, self.state.named, name, text)

    def let_go(self) -> None:
        """Let go of what was typed for the message."""
        self._letters.let_go(self.state.ids)

    def begin(self, *, again: bool = False, way: str = "") -> None:
        """Ask for the choices made last; ``again``: for those of the first document's last sending; ``way``: on this way."""
        s, ids = self._s, self.state.ids
        self.changed.emit(self.state)

        def load() -> tuple[Choices, str, Letter, str]:
            kept = choices_of(s.workspace.setting(setting_of(s.who)))
            before = last_wish(s.session, ids[0]) if again else None
            if before is not None:
                kept = _as_before(kept, *before)
            document = load_document(s.session, ids[0])
            picture = ""
            named = document.caption + (tr(" and {n:,} more", n=len(ids) - 1) if len(ids) > 1 else "")
            with contextlib.suppress(AppError):  # a page that cannot be drawn is told when it is to go
                if document.pages:
                    picture = str(bench.filed_preview(s.session, s.pool, document.pages[0]))
            return kept, named, usual_letter(s.session, ids[0]), picture

        def done(found: tuple[Choices, str, Letter, str]) -> None:
            choices, named, letter, picture = found
            self._put(picture=picture, named=named)
            more = tr(" and {n:,} more", n=len(ids) - 1) if len(ids) > 1 else ""
            typed: dict[str, Any] = self._letters.find(ids)
            usual = replace(choices, subject=letter.subject + more, text=choices.text or letter.text)
            usual = replace(usual, way=way or (MAIL if typed else usual.way), **typed)
            self.chosen.emit(usual)

        def failed(told: str) -> None:
            self._sender.failed.emit(told)
            typed: dict[str, Any] = self._letters.find(ids)
            if typed:  # the document is gone; what was written for it can still be copied
                self.chosen.emit(Choices(way=MAIL, **typed))

        s.runner.query(load, done, key="sending", owner=self, on_error=failed)

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
        """Let it be sent, and keep the choices for the next time."""
        s, self._typed = self._s, self._letters.find(self.state.ids)
        kept = asdict(replace(choices, subject=""))
        s.runner.change(lambda: s.workspace.put_setting(setting_of(s.who), kept), owner=self, lane="settings")
        self._number = self._sender.send(self.state.ids, choices)

    def stop(self) -> None:
        """Stop what is being sent; what is there by then is whole."""
        self._sender.stop()


def setting_of(who: str) -> str:
    """Return under which name a person's choices are kept."""
    return f"sending of {who}"


def choices_of(kept: dict[str, Any] | None) -> Choices:
    """Return kept choices; what another version kept and this one does not know is passed over."""
    known = {f.name for f in fields(Choices)} - {"wish"}
    given = {name: value for name, value in (kept or {}).items() if name in known}
    wish = {f.name: kept["wish"][f.name] for f in fields(Wish) if f.name in kept["wish"]} if kept else {}
    return Choices(wish=Wish(**wish), **given)


def _as_before(kept: Choices, wish: Wish, told: dict[str, Any]) -> Choices:
    """Return the choices of a document's last sending."""
    way, where = BEFORE.get(told["how"], (FOLDER, ""))
    return replace(kept, wish=wish, way=way, **({where: told["to"]} if where else {}))
