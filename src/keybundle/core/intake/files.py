"""Files as a source of pages: looked at in a worker, one captured page for each page in the file."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from pathlib import Path

from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.formats import names


@dataclass(frozen=True)
class Refused:
    """An input that was not taken in, and why."""

    source: str
    why: str


@dataclass(frozen=True)
class InputFile:
    """A file to take in: the name it goes by in its batch, and its path from the folder that was handed in on.

    ``name_bytes`` is its name as it lies on the disk, where that is no UTF-8 (empty: it is).
    """

    path: Path
    name: str
    tree: str
    name_bytes: bytes = b""


@dataclass
class Expanded:
    """What lies in some inputs: files to take in, and what was passed over, with the reason."""

    files: list[InputFile]
    passed_over: list[Refused]


def expand(inputs: Iterable[Path]) -> Expanded:
    """Look through inputs: each file, and those below each folder that can be read, by name. No two go by the same name.

    What below a folder is of no kind that is read here, and folders that cannot be looked into, are told as passed over.
    """
    seen: set[str] = set()
    found = Expanded([], [])
    for given in inputs:
        if not given.is_dir():
            name = legible(given.name)
            found.files.append(InputFile(given, _distinct(name, given, seen), name, _other_bytes(given.name)))
            continue
        for path in _walk(given, found.passed_over):
            below = path.relative_to(given)
            if path.suffix.lower() in names.ALL:
                tree, told = legible(str(given.resolve().name / below)), legible(str(below))
                found.files.append(InputFile(path, _distinct(told, path, seen), tree, _other_bytes(str(below))))
            else:
                told = legible(str(below))
                found.passed_over.append(Refused(told, message("files.no-page-file-so-passed", below=told)))
    return found


def legible(name: str) -> str:
    """Return a name as it can be written: one that is no UTF-8 is read as Western European, as old disks have it."""
    try:
        name.encode()
    except UnicodeEncodeError:
        return os.fsencode(name).decode("cp1252", "replace")
    return name


def _other_bytes(name: str) -> bytes:
    """Return the bytes of a name that is no UTF-8; empty for any other."""
    return b"" if legible(name) == name else os.fsencode(name)


def _walk(folder: Path, passed_over: list[Refused]) -> Iterator[Path]:
    """Yield the files below a folder, by name."""

    def refuse(error: OSError) -> None:
        name = legible(Path(str(error.filename)).name)
        said = message("files.folder-cannot-looked-into-so", name=name, strerror=error.strerror)
        passed_over.append(Refused(name, said))

    found = [Path(at) / name for at, _, inside in os.walk(folder, onerror=refuse) for name in inside]
    yield from sorted(p for p in found if p.is_file())


def _distinct(name: str, path: Path, seen: set[str]) -> str:
    """Return the name, told apart from those seen by the file's folder, else by a number."""
    if name in seen:
        name = f"{legible(path.parent.name)}/{name}"
    found, number = name, 2
    while found in seen:
        found, number = f"{name} ({number})", number + 1
    seen.add(found)
    return found
