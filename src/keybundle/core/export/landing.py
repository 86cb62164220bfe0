"""Files that arrive in a folder whole or not at all, and over no other.

A file is written under a name of its own beside its place, and gets its name by a link, which no file system lets fall on
another one. Where links are unknown (FAT) it is renamed after a look: then somebody who writes the same name in that very
moment loses.
"""

from __future__ import annotations

import errno
import filecmp
import hashlib
import os
import secrets
import shutil
from collections.abc import Iterator
from dataclasses import field
from pathlib import Path

from keybundle.core.base.errors import EnvironmentProblem, InputProblem, explain_os_error
from keybundle.core.base.files import PART
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.export.naming import unlike

BLOCK = 1 << 20
NO_LINKS = (errno.EPERM, errno.ENOTSUP, errno.EOPNOTSUPP, errno.EMLINK)


@dataclass
class Landing:
    """A folder that files are written to; ``taken`` are the names that are given away in each of its folders.

    ``owner`` is whose its unfinished files are: what a kill leaves of them is found by it (``sweep_parts``).
    With ``keeps_same`` a file that stands there already under the wanted name with the same bytes is the one that was meant:
    writing it once more, after something stopped halfway, changes nothing.
    """

    root: Path
    keeps_same: bool = False
    taken: dict[Path, set[str]] = field(default_factory=dict)
    owner: str = "file"

    def folder(self, *parts: str) -> Path:
        """Return a folder below the root, made where it is missing; raises EnvironmentProblem."""
        folder = self.root.joinpath(*parts)
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except (FileExistsError, NotADirectoryError) as error:
            raise EnvironmentProblem(message("landing.file-not-folder-choose-another", folder=folder)) from error
        except OSError as error:
            raise explain_os_error(error, f"“{folder}”") from error
        return folder

    def part(self, folder: Path) -> Path:
        """Return a name to write a file under until it is whole."""
        return folder / f"{PART}{self.owner}-{secrets.token_hex(8)}"

    def copy(self, source: Path, folder: Path) -> tuple[Path, str]:
        """Copy a stored file and return its part and the SHA-256 of what was copied.

        Raises InputProblem where the stored file cannot be read, EnvironmentProblem where the copy cannot be written.
        """
        part, digest = self.part(folder), hashlib.sha256()
        try:
            with part.open("wb") as out:
                for block in _stored_blocks(source):
                    digest.update(block)
                    out.write(block)
        except OSError as error:
            part.unlink(missing_ok=True)
            raise explain_os_error(error, message("thing.file-in", folder=folder)) from error
        except InputProblem:
            part.unlink(missing_ok=True)
            raise
        return part, digest.hexdigest()

    def write(self, data: bytes, folder: Path) -> Path:
        """Write bytes and return their part; raises EnvironmentProblem."""
        part = self.part(folder)
        try:
            part.write_bytes(data)
        except OSError as error:
            part.unlink(missing_ok=True)
            raise explain_os_error(error, message("thing.file-in", folder=folder)) from error
        return part

    def plan(self, folder: Path, wanted: str) -> Path:
        """Return the place that a file will get: the wanted name, or that with a number where it is taken."""
        taken = self.taken.setdefault(folder, set())
        if self.keeps_same and wanted.casefold() not in taken:
            taken.add(wanted.casefold())
            return folder / wanted
        while (target := folder / unlike(wanted, taken)).exists():
            pass
        return target

    def name(self, part: Path, target: Path) -> Path:
        """Give a whole file its planned name; another one where somebody else took that since. Raises EnvironmentProblem."""
        while True:
            if self.keeps_same and target.exists() and filecmp.cmp(part, target, shallow=False):
                part.unlink()
                return target
            try:
                _link(part, target)
            except FileExistsError:
                target = self.plan(part.parent, target.name)
                continue
            except OSError as error:
                raise explain_os_error(error, f"“{target.name}”") from error
            return target


def sweep_parts(root: Path, owner: str) -> None:
    """Take away what is unfinished of somebody's below a folder; raises EnvironmentProblem where that is away."""
    if not root.is_dir():
        raise EnvironmentProblem(message("copies.folder-not", folder=root))
    for left in root.rglob(f"{PART}{owner}-*"):
        try:
            shutil.rmtree(left) if left.is_dir() else left.unlink(missing_ok=True)
        except OSError as error:
            raise explain_os_error(error, f"“{left}”") from error


def _stored_blocks(source: Path) -> Iterator[bytes]:
    try:
        with source.open("rb") as file:
            while block := file.read(BLOCK):
                yield block
    except OSError as error:
        raise InputProblem(message("landing.stored-file-missing-or-cannot")) from error


def _link(part: Path, target: Path) -> None:
    try:
        os.link(part, target)
    except OSError as error:
        if error.errno not in NO_LINKS:
            raise
        if target.exists():
            raise FileExistsError(target) from error
        os.replace(part, target)
        return
    part.unlink()
