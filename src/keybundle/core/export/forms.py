"""The forms in which documents leave: what each is called, the suffix of its files, and whether one file can hold many."""

from __future__ import annotations

from dataclasses import dataclass

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message


@dataclass(frozen=True)
class Form:
    """A form: ``key`` is its word on the command line, ``suffix`` empty where each file keeps its own.

    ``joins`` says that several documents can stand in one file, ``by_page`` that each page is a file.
    """

    key: str
    title: str
    suffix: str
    joins: bool = True
    by_page: bool = False


PDFA, RECEIVED, TEXT, HOCR, ALTO, CSV, JSON = "pdfa", "received", "text", "hocr", "alto", "csv", "json"
PACKAGE = "package"
TIFF, PNG, JPEG = "tiff", "png", "jpeg"
PICTURES = (TIFF, PNG, JPEG)
FORMS = (
    Form(PDFA, "Searchable PDF/A", ".pdf"),
    Form(RECEIVED, "Files as they came", "", joins=False),
    Form(TIFF, "Pictures: TIFF", ".tif"),
    Form(PNG, "Pictures: PNG, a file each page", ".png", joins=False, by_page=True),
    Form(JPEG, "Pictures: JPEG, a file each page", ".jpg", joins=False, by_page=True),
    Form(TEXT, "Plain text", ".txt"),
    Form(HOCR, "Text with places: hOCR", ".hocr"),
    Form(ALTO, "Text with places: ALTO", ".xml"),
    Form(CSV, "Values: CSV", ".csv"),
    Form(JSON, "Values: JSON", ".json"),
)
AS_PACKAGE = Form(PACKAGE, "Hand-over package", "")


def find_form(key: str) -> Form:
    """Return a form by its key; raises InputProblem that names those there are."""
    found = next((f for f in (*FORMS, AS_PACKAGE) if f.key == key.casefold()), None)
    if found is None:
        raise InputProblem(message("forms.no-form-send-documents", key=key, list=", ".join(f.key for f in FORMS)))
    return found
