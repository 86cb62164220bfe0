"""What kind of file a page is shown from."""

from __future__ import annotations

from enum import StrEnum


class PageKind(StrEnum):
    """Kinds of pages: pictures, pages of a PDF, and native files, each of which is one piece whatever it holds."""

    PICTURE = "picture"
    PDF = "pdf"
    TEXT = "text"
    CSV = "csv"
    HTML = "html"

    @property
    def is_native(self) -> bool:
        """Whether it is a file that is no picture of pages: its words are known, and it opens in its own program."""
        return self not in (PageKind.PICTURE, PageKind.PDF)
