"""Filed documents as plain data."""

from __future__ import annotations

from collections.abc import Mapping

from keybundle.core.base.boxes import Frame
from keybundle.core.base.ids import FiledId
from keybundle.core.base.page_kind import PageKind
from keybundle.core.base.records import dataclass
from keybundle.core.fields.values import FieldValue


@dataclass(frozen=True)
class FiledPage:
    """A page of a version: its original file, how it becomes upright, and its text (bytes of ``PageText``).

    ``flat_sha`` names the flat picture of a photograph of paper, to which frame, dpi and text refer then. ``source`` is
    the name of its file as received, ``name`` the one it was given on the way in (empty: the same). ``text_id`` is the
    number that its text has in the store already (None: it has none yet). ``page_id`` stays the page's own in all versions.
    """

    page_id: str
    file_sha: str
    source_index: int
    kind: PageKind
    frame: Frame
    dpi: float
    text: bytes
    flat_sha: str = ""
    source: str = ""
    name: str = ""
    text_id: int | None = None
    colour: str = ""
    steps: tuple[bool, ...] = ()

    @property
    def picture(self) -> tuple[str, int, PageKind]:
        """The stored file that shows the page, its place in that, and its kind."""
        return (self.flat_sha, 0, PageKind.PICTURE) if self.flat_sha else (self.file_sha, self.source_index, self.kind)


@dataclass(frozen=True)
class NewDocument:
    """Everything that filing puts into the repository for one document.

    ``folder`` pairs each folder field with its value; ``key`` is the filing key that makes a second try harmless;
    ``named`` is what type and cabinet are called at that time, for the audit trail.
    """

    key: str
    cabinet: str
    folder: tuple[tuple[str, str], ...]
    type: str
    caption: str
    values: Mapping[str, FieldValue]
    pages: tuple[FiledPage, ...]
    pdf_sha: str = ""
    batch_id: str | None = None
    tags: tuple[str, ...] = ()
    received_at: str | None = None
    named: tuple[str, str] = ("", "")


@dataclass(frozen=True)
class FiledDocument:
    """A document as found in the repository; type, cabinet, folder fields and fields by id, until they are named.

    ``pdf_sha`` is empty while the PDF of its version is still to be made.
    """

    id: FiledId
    number: int
    cabinet: str
    folder: tuple[tuple[str, str], ...]
    type: str
    caption: str
    filed_at: str
    filed_by: str
    version: int
    pdf_sha: str
    values: Mapping[str, FieldValue]
    pages: tuple[FiledPage, ...] = ()
    tags: tuple[str, ...] = ()
    received_at: str | None = None
    revision: int = 0


@dataclass(frozen=True)
class ColumnEntry:
    """One value in a path column with the number of documents below it."""

    value: str
    count: int
