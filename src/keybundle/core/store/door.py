"""Where a running desktop can be reached, and how files are handed to it.

One line of JSON goes in, ``ok`` comes back. The socket is the user's own; nothing of it goes over a network.
"""

from __future__ import annotations

import hashlib
import json
import os
import socket
from collections.abc import Sequence
from pathlib import Path

import platformdirs

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.files import make_folder
from keybundle.core.base.messages import message

ANSWER_SECONDS = 5.0
LONGEST_LINE = 4_000_000
OK = b"ok\n"


def door_path(root: Path) -> Path:
    """Return the socket of the desktop that holds a data directory; short, since socket names are limited.

    It lies where this account alone can make files, so that nobody else can sit there first.
    """
    key = hashlib.sha256(str(root.absolute()).encode()).hexdigest()[:16]
    told = os.environ.get("XDG_RUNTIME_DIR")
    folder = Path(told) if told else Path(platformdirs.user_cache_dir("keybundle"))
    make_folder(folder)
    return folder / f"keybundle-{os.getuid()}-{key}"


def hand_over(root: Path, files: Sequence[Path]) -> bool:
    """Hand files to the desktop that runs on a data directory; False when none does."""
    try:
        if door_path(root).stat().st_uid != os.getuid():
            return False
        with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as client:
            client.settimeout(ANSWER_SECONDS)
            client.connect(str(door_path(root)))
            client.sendall(json.dumps({"open": [str(f.absolute()) for f in files]}).encode() + b"\n")
            return client.recv(16) == OK
    except OSError:
        return False


def read_handed(line: bytes) -> list[Path]:
    """Return the files told by a line; raises InputProblem for anything else."""
    try:
        plain = json.loads(line)
        return [Path(str(f)) for f in plain["open"]]
    except (ValueError, KeyError, TypeError) as error:
        raise InputProblem(message("door.what-handed-over-no-list")) from error
