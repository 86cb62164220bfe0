"""Filing documents whose words and values are known already: the real filing code without OCR."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from pathlib import Path

from keybundle.core.base.page_kind import PageKind
from keybundle.core.base.records import dataclass
from keybundle.core.fields.values import FieldValue
from keybundle.core.filing.commit import commit_document
from keybundle.core.filing.destination import compute_destination, make_caption
from keybundle.core.proposing import examples
from keybundle.core.reading.text import PageText
from keybundle.core.repository.model import FiledPage, NewDocument
from keybundle.core.setup.model import Setup, called
from keybundle.core.store.files import FileStore
from keybundle.core.workflows.pages.page_jobs import PageJob
from keybundle.core.workflows.pages.pdf_work import make_pdf
from keybundle.core.workflows.session.opening import batches_of, repository_of
from keybundle.core.workflows.session.workspace import Workspace


@dataclass(frozen=True)
class KnownPage:
    """A page's original bytes with its true text."""

    data: bytes
    dpi: float
    text: bytes


def prepare_known(
    setup: Setup, files: FileStore, key: str, type_name: str, values: dict[str, FieldValue], pages: Sequence[KnownPage],
    made_at: str,
) -> NewDocument:  # fmt: skip
    """Store the originals and the PDF of a known document; may run in a worker. Raises KeyError for an unknown type."""
    kind = called(setup.document_types, type_name)
    if kind is None:
        raise KeyError(type_name)
    shas = [files.put(p.data) for p in pages]
    caption = make_caption(kind, values)
    sources = [
        PageJob(path=str(files.path(sha)), name=key, dpi=p.dpi, text=p.text) for sha, p in zip(shas, pages, strict=True)
    ]
    with tempfile.TemporaryDirectory() as made:
        target = Path(made, "document.pdf")
        make_pdf(sources, made_at, str(target))
        pdf = files.put_file(target, key)
    destination = compute_destination(kind, setup, values)
    filed = tuple(
        FiledPage(f"{key}-{i}", sha, 0, PageKind.PICTURE, PageText.from_bytes(p.text).frame, p.dpi, p.text)
        for i, (sha, p) in enumerate(zip(shas, pages, strict=True))
    )
    folder = tuple((name, value or "") for name, value in destination.folder)
    named = (kind.name, destination.titles[0])
    return NewDocument(key, kind.cabinet, folder, kind.id, caption, values, filed, pdf, named=named)


def file_known(workspace: Workspace, document: NewDocument, who: str) -> str:
    """File a prepared document; one filed before under its key is left as it is."""
    kind = workspace.setup.document_type(document.type)
    with workspace.place.database.atomic() as c:
        filed_id = commit_document(
            workspace.place.database, batches_of(workspace), repository_of(workspace), document, who
        )
        if kind is not None:
            pages = [(p.page_id, PageText.from_bytes(p.text)) for p in document.pages]
            examples.remember(c, document.key, kind, pages, document.values, workspace.rule, workspace.clock.stamp())
        return filed_id
