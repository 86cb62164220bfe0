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


@dataclass(frozen=True)
class InputFile:
    """A file to take in: the name it goes by in its batch, and its path from the folder that was handed in on."""

    path: Path
    name: str
    tree: str


def expand(inputs: Iterable[Path]) -> Iterator[InputFile]:
    """Yield a file for each input; a folder gives the page files below it, by name. No two go by the same name."""
    seen: set[str] = set()
    for given in inputs:
        if given.is_dir():
            for path in sorted(p for p in given.rglob("*") if p.is_file()):
                if path.suffix.lower() in SCAN_SUFFIXES:
                    below = path.relative_to(given)
                    yield InputFile(path, _distinct(str(below), path, seen), str(given.resolve().name / below))
        else:
            yield InputFile(given, _distinct(given.name, given, seen), given.name)


def _distinct(name: str, path: Path, seen: set[str]) -> str:
    """Return the name, told apart from those seen by the file's folder, else by a number."""
    if name in seen:
        name = f"{path.parent.name}/{name}"
    found, number = name, 2
    while found in seen:
        found, number = f"{name} ({number})", number + 1
    seen.add(found)
    return found


def read_input(path: Path, name: str) -> bytes:
    """Return an input's bytes; raises InputProblem in words."""
    try:
        return path.read_bytes()
    except FileNotFoundError as error:
        raise InputProblem(f"“{name}” is not there. Check the name; nothing was taken in for it.") from error
    except OSError as error:
        raise InputProblem(f"“{name}” cannot be read: {error.strerror}. Check its permissions.") from error
