"""Which languages the OCR engine can read here. Kept apart from it, so that the interface loads no imaging."""

from __future__ import annotations

import glob
import os

from keybundle.core.base.errors import Passing
from keybundle.core.base.messages import message


def find_language_data() -> str:
    """Return the folder of Tesseract's language data."""
    told = os.environ.get("TESSDATA_PREFIX")
    for folder in [told] if told else sorted(glob.glob("/usr/share/tesseract-ocr/*/tessdata"), reverse=True):
        if folder and os.path.isdir(folder):
            return folder
    raise Passing(message("languages.data-ocr-engine-missing-so"))


def list_languages() -> list[str]:
    """Return the languages whose data is installed, by Tesseract's names; raises Passing. Data of scripts is none."""
    names = (
        os.path.basename(p).removesuffix(".traineddata") for p in glob.glob(f"{find_language_data()}/*.traineddata")
    )
    return sorted(n for n in names if n.islower() and n != "osd")
