"""Documents by e-mail: handed in at the set-up's mail server, or as a message that the user's own program opens."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Sequence
from dataclasses import asdict, field, replace
from pathlib import Path

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.files import write_atomic
from keybundle.core.base.ids import FiledId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, silent
from keybundle.core.base.records import dataclass
from keybundle.core.export.message import Letter, hand_in, make_message, read_addresses
from keybundle.core.export.naming import fill_name, safe_name, unlike
from keybundle.core.jobs.pool import Pool
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.workflows.keep.documents.browsing import load_document
from keybundle.core.workflows.send.sending import GONE_MEANWHILE, make_for_a_moment, make_pdfs, texts_of
from keybundle.core.workflows.send.wishes import Sent, SentDocument, Wish, check_wish, note_sent
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

MB = 1024 * 1024
IN_MAIL = 4 / 3  # base64
NO_ADDRESS = message("mailing.nobody-named-send-write-address")


@dataclass
class Mailed:
    """What a mailing brought: what was made, the message for the user's program (None: handed in), refused addresses."""

    sent: Sent
    draft: Path | None = None
    refused: dict[str, str] = field(default_factory=dict)


@needs(Right.SEND)
def usual_letter(session: Session, document_id: FiledId) -> Letter:
    """Return the subject and the text that a message with a document begins with."""
    workspace = session.workspace
    document, mail = load_document(session, document_id), workspace.setup.mail
    texts = texts_of(workspace, document, 1)
    return Letter((), fill_name(mail.subject, texts), fill_name(mail.text, texts) if mail.text else "")


@needs(Right.SEND)
def mail_documents(
    session: Session, pool: Pool, ids: Sequence[FiledId], wish: Wish, letter: Letter, *,
    progress: Progress = silent, cancel: CancelToken | None = None,
) -> Mailed:  # fmt: skip
    """Make the documents' files, put them into a message, and hand it in or leave it as a draft for the user's program.

    It is noted in the audit trail before it leaves, and once more what the server refused. Raises InputProblem for no
    address where a server sends it, a message that is too large, or one that the server refuses as a whole.
    """
    workspace, who = session.workspace, session.person
    check_wish(workspace, wish)
    server = workspace.setup.mail
    to = read_addresses(", ".join(letter.to))
    if server.host and not to:
        raise InputProblem(NO_ADDRESS)
    folder = Path(tempfile.mkdtemp(prefix="sending-", dir=workspace.place.cache))
    try:
        make_pdfs(session, pool, ids, wish.form, progress, cancel)
        sent = make_for_a_moment(session, pool, ids, wish, folder, progress=progress, cancel=cancel)
        if sent.stopped or not sent.documents:
            return Mailed(sent)
        _check_size(sent, server.largest_mb)
        letter = replace(letter, to=to)
        message = make_message(letter, server.sender, sent.files, is_draft=not server.host)
        how, whom = "mail" if server.host else "message", ", ".join(to)
        told = {"how": how, "to": whom, "subject": letter.subject, **asdict(wish)}
        if len(note_sent(session, sent.documents, told)) < len({d.id for d in sent.documents}):
            raise InputProblem(GONE_MEANWHILE)
        if not server.host:
            draft = _draft_name(workspace.place.cache / "drafts", safe_name(letter.subject or "Documents", ".eml"))
            write_atomic(draft, message.as_bytes(), durable=False)
            return Mailed(sent, draft)
        try:
            refused = hand_in(message, server, to)
        except Exception as error:
            _note_refused(workspace, who, sent.documents, {a: str(error) for a in to})
            raise
        if refused:
            _note_refused(workspace, who, sent.documents, refused)
        return Mailed(sent, None, refused)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _draft_name(folder: Path, wanted: str) -> Path:
    """Return a name that no other draft has: the user's program may still have that one open."""
    taken = {p.name.casefold() for p in folder.glob("*")} if folder.is_dir() else set()
    return folder / unlike(wanted, taken)


def _check_size(sent: Sent, largest_mb: int) -> None:
    size = sent.size * IN_MAIL / MB
    if size > largest_mb:
        raise InputProblem(message("mailing.message-would-mb-most-mb", size=size, largest_mb=largest_mb))


def _note_refused(workspace: Workspace, who: str, documents: Sequence[SentDocument], refused: dict[str, str]) -> None:
    rows = [(d.id, {"refused": refused}) for d in documents]
    with workspace.place.database.atomic() as c:
        audit.append_all(c, workspace.clock.stamp(), who, "not sent", rows)
