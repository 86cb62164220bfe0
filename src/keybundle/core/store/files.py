"""Files by content hash: original bytes go in once, unaltered, and come out under their SHA-256.

Guaranteed: after ``put`` returns, the bytes and their name are on the disk. Not guaranteed: that nobody else changes
them later; ``check`` finds that out.
"""

from __future__ import annotations

import hashlib
from pathlib import Path

from keybundle.core.base.errors import explain_os_error
from keybundle.core.base.files import write_atomic


class FileStore:
    """One storage area: ``root/ab/cd/abcd...`` for each SHA-256."""

    def __init__(self, root: Path) -> None:
        self.root = root

    def path(self, sha: str) -> Path:
        """Return where the file of that hash lies, there or not."""
        return self.root / sha[:2] / sha[2:4] / sha

    def put(self, data: bytes) -> str:
        """Store bytes durably and return their SHA-256; raises EnvironmentProblem."""
        sha = hashlib.sha256(data).hexdigest()
        if not self.path(sha).exists():
            write_atomic(self.path(sha), data)
        return sha

    def get(self, sha: str) -> bytes:
        """Return the bytes; raises EnvironmentProblem when they are gone."""
        try:
            return self.path(sha).read_bytes()
        except OSError as error:
            raise explain_os_error(error, f"the stored file {sha[:12]}") from error

    def check(self, sha: str) -> str:
        """Return an empty text when the file is whole, else what is wrong with it."""
        path = self.path(sha)
        if not path.exists():
            return "missing"
        digest = hashlib.sha256()
        with path.open("rb") as file:
            while block := file.read(1 << 20):
                digest.update(block)
        return "" if digest.hexdigest() == sha else "changed"
