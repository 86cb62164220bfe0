"""A mail server that keeps what it is handed as files: a stand-in for trying out and for tests. It sends nothing on."""

from __future__ import annotations

import socket
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import AuthResult

NOBODY = "nobody@"


class StandInMailServer:
    """Listens on this machine alone; refuses addresses that begin with ``nobody@`` and messages over its size."""

    def __init__(
        self,
        folder: Path,
        *,
        port: int = 0,
        largest: int = 30 * 1024 * 1024,
        passwords: Mapping[str, str] | None = None,
    ) -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self.port = port or _free_port()
        self._passwords = passwords or {}
        asks: dict[str, Any] = {"authenticator": self._let_in, "auth_require_tls": False}
        self._controller = Controller(
            self, hostname="127.0.0.1", port=self.port, data_size_limit=largest, **(asks if passwords else {})
        )

    def _let_in(self, server: Any, session: Any, envelope: Any, mechanism: str, given: Any) -> AuthResult:
        name, password = given.login.decode(), given.password.decode()
        return AuthResult(success=self._passwords.get(name) == password, handled=False)

    def start(self) -> None:
        """Begin to listen."""
        self._controller.start()

    def stop(self) -> None:
        """Listen no more."""
        self._controller.stop()

    async def handle_RCPT(self, server: Any, session: Any, envelope: Any, address: str, options: Any) -> str:
        """Take an address, or refuse it."""
        if self._passwords and not session.authenticated:
            return "530 sign in first"
        if address.startswith(NOBODY):
            return "550 there is nobody of that name here"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:
        """Keep a message."""
        number = len(list(self.folder.glob("*.eml"))) + 1
        (self.folder / f"{number:04d}.eml").write_bytes(envelope.content)
        (self.folder / f"{number:04d}.to").write_text("\n".join(envelope.rcpt_tos), encoding="utf-8")
        return "250 kept"


def _free_port() -> int:
    with socket.create_server(("127.0.0.1", 0)) as probe:
        return int(probe.getsockname()[1])
