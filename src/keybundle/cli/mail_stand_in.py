"""``keybundle mail-stand-in``: a mail server on this machine that keeps what it is handed, for trying out."""

from __future__ import annotations

import argparse
import contextlib
import threading
from pathlib import Path
from typing import Any

SENDER = 'sender = "archive@larkmere.example"'


def add_command(commands: Any) -> None:
    """Declare the command."""
    parser = commands.add_parser("mail-stand-in", help="a mail server on this machine that keeps what it is handed")
    parser.add_argument(
        "--keep", type=Path, required=True, metavar="DIR", help="where messages are kept, one file each"
    )
    parser.add_argument("--port", type=int, default=2525, metavar="N")
    parser.add_argument("--seconds", type=float, default=None, metavar="S", help="end after so long (else at Ctrl+C)")
    parser.set_defaults(run=run)


def run(given: argparse.Namespace) -> int:
    """Listen until it is stopped."""
    from keybundle.demo.mail_server import StandInMailServer

    server = StandInMailServer(given.keep, port=given.port)
    server.start()
    print(
        "Listening. In the set-up:",
        "[mail]",
        'host = "127.0.0.1"',
        f"port = {server.port}",
        SENDER,
        sep="\n",
        flush=True,
    )
    try:
        with contextlib.suppress(KeyboardInterrupt):
            threading.Event().wait(given.seconds)
    finally:
        server.stop()
    return 0
