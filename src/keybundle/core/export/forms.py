"""The forms in which documents leave: what each is called, the suffix of its files, and whether one file can hold many."""

from __future__ import annotations

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass


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
    Form(PDFA, message("form.pdfa"), ".pdf"),
    Form(RECEIVED, message("form.received"), "", joins=False),
    Form(TIFF, message("form.tiff"), ".tif"),
    Form(PNG, message("form.png"), ".png", joins=False, by_page=True),
    Form(JPEG, message("form.jpeg"), ".jpg", joins=False, by_page=True),
    Form(TEXT, message("form.text"), ".txt"),
    Form(HOCR, message("form.hocr"), ".hocr"),
    Form(ALTO, message("form.alto"), ".xml"),
    Form(CSV, message("form.csv"), ".csv"),
    Form(JSON, message("form.json"), ".json"),
)
AS_PACKAGE = Form(PACKAGE, message("form.package"), "")


def find_form(key: str) -> Form:
    """Return a form by its key; raises InputProblem that names those there are."""
    found = next((f for f in (*FORMS, AS_PACKAGE) if f.key == key.casefold()), None)
    if found is None:
        raise InputProblem(message("forms.no-form-send-documents", key=key, list=", ".join(f.key for f in FORMS)))
    return found
