"""A message with documents (RFC 5322, RFC 2045 to 2049), and handing it in at a mail server (RFC 5321)."""

from __future__ import annotations

import mimetypes
import re
import smtplib
import ssl
import stat
from collections.abc import Sequence
from email.message import EmailMessage
from email.utils import formatdate, make_msgid, parseaddr
from pathlib import Path

from keybundle.core.base import messages
from keybundle.core.base.errors import EnvironmentProblem, InputProblem
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.setup.model import MailServer

SECONDS = 30.0
SIZE_EXCEEDED = 552
_ADDRESS = re.compile(r"^[^@\s<>,;]+@[^@\s<>,;]+$")


@dataclass(frozen=True)
class Letter:
    """To whom, about what, and the words that go with the documents."""

    to: tuple[str, ...]
    subject: str
    text: str


def read_addresses(line: str) -> tuple[str, ...]:
    """Return the addresses of a line, told apart by commas or semicolons; raises InputProblem that names a wrong one."""
    found = tuple(part.strip() for part in re.split(r"[,;\n]", line) if part.strip())
    for told in found:
        # A sign that ends a line, or is none, has no place in a header: only commas and line feeds part addresses.
        if not told.isprintable() or not _ADDRESS.match(parseaddr(told)[1]):
            raise InputProblem(messages.message("message.no-e-mail-address-write", told=told))
    return found


def make_message(letter: Letter, sender: str, files: Sequence[Path], *, is_draft: bool) -> EmailMessage:
    """Return a message with files; ``is_draft`` says that the user's program opens it ready to send."""
    message = EmailMessage()
    message["Subject"] = " ".join(letter.subject.split())
    if sender:
        message["From"] = sender
    if letter.to:
        message["To"] = ", ".join(letter.to)
    message["Date"] = formatdate(localtime=True)
    if is_draft:
        message["X-Unsent"] = "1"
    else:
        message["Message-ID"] = make_msgid(domain=parseaddr(sender)[1].partition("@")[2] or "localhost")
    message.set_content(f"{letter.text.rstrip()}\n")
    for path in files:
        kind, coding = mimetypes.guess_type(path.name)
        main, _, sub = (kind if kind and not coding else "application/octet-stream").partition("/")
        message.add_attachment(path.read_bytes(), maintype=main, subtype=sub, filename=path.name)
    return message


def hand_in(message: EmailMessage, server: MailServer, to: Sequence[str], seconds: float = SECONDS) -> dict[str, str]:
    """Hand a message in and return the addresses that the server refused, each with its reason.

    Raises InputProblem where the server refuses the whole message, EnvironmentProblem where it cannot be reached.
    """
    name, plain = f"{server.host}:{server.port}", [parseaddr(a)[1] for a in to]
    try:
        with _connect(server, seconds) as client:
            refused = client.send_message(message, from_addr=parseaddr(server.sender)[1], to_addrs=plain)
    except smtplib.SMTPRecipientsRefused as error:
        return {a: _say(*r) for a, r in error.recipients.items()}
    except smtplib.SMTPAuthenticationError as error:
        told = _say(error.smtp_code, error.smtp_error)
        raise InputProblem(
            messages.message("message.does-not-let-nothing-sent", name=name, user=server.user, told=told)
        ) from error
    except smtplib.SMTPResponseException as error:
        told = _say(error.smtp_code, error.smtp_error)
        if error.smtp_code == SIZE_EXCEEDED:
            raise InputProblem(messages.message("message.message-larger-than-takes-send", name=name)) from error
        raise InputProblem(messages.message("message.did-not-take-message-nothing", name=name, told=told)) from error
    except (OSError, smtplib.SMTPException) as error:
        raise EnvironmentProblem(
            messages.message("message.mail-server-cannot-reached-or", name=name, name__=type(error).__name__)
        ) from error
    return {a: _say(*r) for a, r in refused.items()}


def _connect(server: MailServer, seconds: float) -> smtplib.SMTP:
    password = _read_password(server) if server.user else ""
    client: smtplib.SMTP
    if server.security == "tls":
        client = smtplib.SMTP_SSL(server.host, server.port, timeout=seconds, context=ssl.create_default_context())
    else:
        client = smtplib.SMTP(server.host, server.port, timeout=seconds)
    try:
        if server.security == "starttls":
            client.starttls(context=ssl.create_default_context())
        if server.user:
            client.login(server.user, password)
    except BaseException:
        client.close()
        raise
    return client


def _read_password(server: MailServer) -> str:
    """Return the password in the set-up's file; raises InputProblem where others may read it too, or it is not there."""
    path, nothing = Path(server.password_file).expanduser(), message("message.nothing-sent")
    try:
        if path.stat().st_mode & (stat.S_IRWXG | stat.S_IRWXO):
            raise InputProblem(messages.message("message.holds-password-others-may-read", path=path, nothing=nothing))
        return path.read_text(encoding="utf-8").strip()
    except OSError as error:
        raise InputProblem(
            message(
                "message.password-not-had-from", host=server.host, path=path, strerror=error.strerror, nothing=nothing
            )
        ) from error


def _say(code: int, told: bytes | str) -> str:
    text = told.decode(errors="replace") if isinstance(told, bytes) else told
    return f"{text.strip()} ({code})"
