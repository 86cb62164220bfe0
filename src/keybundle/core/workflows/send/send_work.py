"""What worker processes do for documents that leave: pictures of their pages, several PDF/A files joined to one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from keybundle.core.base.errors import explain_os_error
from keybundle.core.base.messages import message
from keybundle.core.export.forms import TIFF
from keybundle.core.export.join import join_pdfs
from keybundle.core.export.package import check_bag, close_bag
from keybundle.core.export.pdfa import SourcePage
from keybundle.core.export.pictures import save_page, save_tiff
from keybundle.core.export.titles import name_pdf
from keybundle.core.reading.text import PageText
from keybundle.core.workflows.pages.page_jobs import PageJob


def draw_document(pages: Sequence[PageJob], form: str, parts: Sequence[str]) -> None:
    """Draw pages into files: one TIFF, or a file for each page. Raises InputProblem, EnvironmentProblem."""
    sources = [SourcePage(Path(p.path), p.index, p.kind, p.dpi, PageText.from_bytes(p.text)) for p in pages]
    try:
        if form == TIFF:
            save_tiff(sources, Path(parts[0]))
        else:
            for source, part in zip(sources, parts, strict=True):
                save_page(source, Path(part), form)
    except OSError as error:
        raise explain_os_error(error, message("thing.picture-in", parent=Path(parts[0]).parent)) from error


def join(paths: Sequence[str], names: Sequence[str], title: str, made_at: str, part: str) -> None:
    """Join PDF/A files to one in their order. Raises EnvironmentProblem."""
    try:
        join_pdfs([Path(p) for p in paths], names, title, made_at, Path(part))
    except OSError as error:
        raise explain_os_error(error, f"“{Path(part).parent}”") from error


def name_file(part: str, title: str, made_at: str) -> None:
    """Say in a PDF/A what it is called today. Raises InputProblem, EnvironmentProblem."""
    try:
        name_pdf(Path(part), title, made_at)
    except OSError as error:
        raise explain_os_error(error, f"“{Path(part).parent}”") from error


def close_package(folder: str, info: Mapping[str, str]) -> None:
    """Make a folder of documents a package. Raises EnvironmentProblem."""
    try:
        close_bag(Path(folder), info)
    except OSError as error:
        raise explain_os_error(error, message("thing.package")) from error


def check_package(folder: str) -> None:
    """Check that a package is what was handed over. Raises InputProblem."""
    check_bag(Path(folder))
