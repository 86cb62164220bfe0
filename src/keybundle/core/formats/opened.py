"""What a reader of a format finds in a file."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Protocol

from keybundle.core.base.page_kind import PageKind
from keybundle.core.base.records import dataclass


@dataclass(frozen=True)
class Member:
    """A file inside another: its place there, the path it goes by, its size in bytes, and why it cannot be taken out."""

    index: int
    name: str
    size: int
    why: str = ""


@dataclass(frozen=True)
class Opened:
    """A file as received: its media type, and its pages, or the files inside it.

    A native file is one page, whatever it holds. ``note`` says what whoever brought it in should know of it.
    """

    mime: str
    kind: PageKind = PageKind.PICTURE
    pages: int = 0
    members: tuple[Member, ...] = ()
    note: str = ""

    @property
    def is_container(self) -> bool:
        """Whether it is nothing but files inside a file."""
        return not self.pages


class Reader(Protocol):
    """One format, or formats that are told and opened alike."""

    def recognises(self, head: bytes, name: str) -> bool:
        """Whether a file is of this format by its first 64 KiB; its name decides only between kinds of text."""

    def open(self, path: Path, name: str) -> Opened:
        """Look through a file; raises InputProblem that names it."""


class NativeReader(Protocol):
    """The words of a native file."""

    def read_lines(self, path: Path) -> Iterator[str]:
        """Yield its lines as they are read, columns side by side; raises InputProblem."""
