"""ZIP: the files inside it, each taken out by itself and within limits.

The names in it are names only: nothing is ever written where one of them says.
"""

from __future__ import annotations

import zipfile
import zlib
from collections.abc import Iterator, Sequence
from pathlib import Path, PurePosixPath

from keybundle.core.base.errors import InputProblem, explain_os_error
from keybundle.core.base.messages import message
from keybundle.core.formats.opened import Member, Opened

MOST_MEMBERS, MOST_BYTES = 5_000, 4 << 30
MOST_DENSE, DENSE_BYTES = 300, 32 << 20
BLOCK = 1 << 20
_SIGNS = (b"PK\x03\x04", b"PK\x05\x06")
# What is a ZIP inside, and a document outside.
_OFFICE = ("[Content_Types].xml", "mimetype", "META-INF/MANIFEST.MF")
_LOCKED = 0x1
# What zipfile raises of a broken file, of a way of packing that it does not know, and of a locked member.
_ERRORS = (zipfile.BadZipFile, zlib.error, NotImplementedError, EOFError, ValueError, RuntimeError)


def recognises(head: bytes, name: str) -> bool:
    """Whether it begins as a ZIP does."""
    return head.startswith(_SIGNS)


def open(path: Path, name: str) -> Opened:
    """List the files inside; raises InputProblem for a broken one, one with too many or too large, and for office files."""
    try:
        with zipfile.ZipFile(path) as archive:
            found = archive.infolist()
            if not {i.filename for i in found[:50]}.isdisjoint(_OFFICE):
                raise InputProblem(message("archives.office-file", name=name))
            files = [(i, info) for i, info in enumerate(found) if not info.is_dir()]
    except (*_ERRORS, OSError) as error:
        raise InputProblem(message("archives.broken", name=name)) from error
    if len(files) > MOST_MEMBERS:
        raise InputProblem(message("archives.too-many", name=name, n=len(files), most=MOST_MEMBERS))
    if sum(info.file_size for _, info in files) > MOST_BYTES:
        raise InputProblem(message("archives.too-large", name=name, most=MOST_BYTES >> 30))
    members = tuple(_members(files))
    if not members:
        raise InputProblem(message("archives.empty", name=name))
    return Opened("application/zip", members=members)


def take_out(path: Path, index: int, target: Path, name: str) -> None:
    """Write one file of those inside to a target; raises InputProblem, and nothing is left, where it is not what it says."""
    try:
        with zipfile.ZipFile(path) as archive, target.open("wb") as out:
            info = archive.infolist()[index]
            for block in _blocks(archive, info, name):
                out.write(block)
    except _ERRORS as error:
        target.unlink(missing_ok=True)
        raise InputProblem(message("archives.member-damaged", name=name)) from error
    except InputProblem:
        target.unlink(missing_ok=True)
        raise
    except OSError as error:
        target.unlink(missing_ok=True)
        raise explain_os_error(error, f"“{name}”") from error


def _blocks(archive: zipfile.ZipFile, info: zipfile.ZipInfo, name: str) -> Iterator[bytes]:
    """Yield a file's bytes, no more than it says that it has."""
    count = 0
    with archive.open(info) as file:
        while block := file.read(BLOCK):
            count += len(block)
            if count > info.file_size:
                raise InputProblem(message("archives.bomb", name=name))
            yield block


def _plain_name(info: zipfile.ZipInfo) -> str:
    """Return the path of a member without what would lead out of it, and without signs that cannot be shown."""
    parts = [p for p in PurePosixPath(info.filename.replace("\\", "/")).parts if p not in ("/", "..", ".")]
    return "".join(sign if sign.isprintable() else "\ufffd" for sign in "/".join(parts)) or "?"


def _members(files: Sequence[tuple[int, zipfile.ZipInfo]]) -> Iterator[Member]:
    """Yield the members, each with why it is not taken out: of those that grow far beyond their size no more than a little."""
    dense = 0
    for index, info in files:
        why, name = "", _plain_name(info)
        if info.flag_bits & _LOCKED:
            why = message("archives.member-locked", name=name)
        elif info.file_size > MOST_DENSE * max(1, info.compress_size):
            dense += info.file_size
            why = message("archives.bomb", name=name) if dense > DENSE_BYTES else ""
        yield Member(index, name, info.file_size, why)
