"""Files as a source of pages: looked at in a worker, one captured page for each page in the file."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from keybundle.core.base.errors import InputProblem

SCAN_SUFFIXES = {
    ".tif", ".tiff", ".png", ".jpg", ".jpeg", ".webp", ".jp2", ".j2k", ".bmp", ".pnm", ".pbm", ".pgm", ".ppm", ".heic",
    ".heif", ".pdf",
}  # fmt: skip


@dataclass(frozen=True)
class Refused:
    """An input that was not taken in, and why."""

    source: str
    why: str


def expand(inputs: Iterable[Path]) -> Iterator[tuple[Path, str]]:
    """Yield (file, name) for each input; a folder gives the page files below it, by name.

    Raises InputProblem for an input that is not there.
    """
    for given in inputs:
        if given.is_dir():
            for path in sorted(p for p in given.rglob("*") if p.is_file()):
                if path.suffix.lower() in SCAN_SUFFIXES:
                    yield path, str(path.relative_to(given))
        else:
            yield given, given.name


def read_input(path: Path, name: str) -> bytes:
    """Return an input's bytes; raises InputProblem in words."""
    try:
        return path.read_bytes()
    except FileNotFoundError as error:
        raise InputProblem(f"“{name}” is not there. Check the name; nothing was taken in for it.") from error
    except OSError as error:
        raise InputProblem(f"“{name}” cannot be read: {error.strerror}. Check its permissions.") from error
