"""Readings of made pages, kept between runs by all that they depend on."""

from __future__ import annotations

import functools
import hashlib
from collections.abc import Callable
from pathlib import Path

from bench.yardstick import CACHE
from keybundle.core import reading
from keybundle.demo import layouts

CORE = Path(str(reading.__file__)).parent.parent
OTHERS = frozenset(("second.py", "languages.py", "mail_server.py"))  # no page is drawn or read by them
ROOMS = (Path(str(layouts.__file__)).parent, *(CORE / room for room in ("imaging", "reading", "base")))


@functools.cache
def _stamp(more: tuple[Path, ...]) -> str:
    paths = sorted(p for room in (*ROOMS, *more) for p in (room.glob("*.py") if room.is_dir() else [room]))
    paths = [p for p in paths if p.name not in OTHERS]
    return hashlib.sha256(b"".join(p.read_bytes() for p in paths)).hexdigest()[:16]


def keep_pages(job: object, make: Callable[[], list[bytes]], more: tuple[Path, ...] = ()) -> list[bytes]:
    """Return the pages that a job makes, from the cache where they are there.

    They count as the same while the job (as it is printed) and the code that draws, scans and reads are: the demo world's,
    the core's, and ``more`` files and folders.
    """
    path = CACHE / "read" / hashlib.sha256(f"{_stamp(more)}/{job}".encode()).hexdigest()[:24]
    if path.exists():
        sizes, _, body = path.read_bytes().partition(b"\n")
        found, at = [], 0
        for size in map(int, sizes.split()):
            found.append(body[at : at + size])
            at += size
        return found
    pages = make()
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(" ".join(str(len(p)) for p in pages).encode() + b"\n" + b"".join(pages))
    return pages
