"""``keybundle mail-stand-in``: a mail server on this machine that keeps what it is handed, for trying out."""

from __future__ import annotations

import argparse
import contextlib
import threading

SENDER = 'sender = "archive@larkmere.example"'


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
