"""Hand-over packages: a BagIt folder (RFC 8493) with all that is needed to read and to check documents without this program.

docs/hand-over.md describes what lies in one. Runs in workers: the library for BagIt changes the working directory.
"""

from __future__ import annotations

import hashlib
import json
import logging
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.repository.audit import chain, digest_of

DOCUMENTS, PDF, VALUES, PAGES, TEXT, TRAIL, DETAILS, RECEIVED = (
    "documents", "document.pdf", "values.json", "pages.json", "text.txt", "trail.tsv", "trail-details.jsonl", "received",
)  # fmt: skip
MOST_NAMED = 5


def close_bag(folder: Path, info: Mapping[str, str]) -> None:
    """Make a folder a bag with SHA-256 manifests; what lies in it becomes its payload. Raises OSError."""
    import bagit

    bagit.make_bag(str(folder), dict(info), checksums=["sha256"])


def check_bag(folder: Path) -> None:
    """Check a package: every file is there, none besides, each with its hash, none outside. Raises InputProblem in words."""
    import bagit

    logging.getLogger("bagit").setLevel(logging.CRITICAL)  # what it finds is told in words
    name = folder.name
    try:
        bagit.Bag(str(folder)).validate()
    except bagit.BagValidationError as error:
        told = [str(d) for d in error.details] or [error.message]
        more = f", and {len(told) - MOST_NAMED} more" if len(told) > MOST_NAMED else ""
        raise InputProblem(
            message("package.not-what-handed-over-nothing", name=name, list="; ".join(told[:MOST_NAMED]), more=more)
        ) from error
    except (bagit.BagError, OSError, UnicodeError, ValueError) as error:
        raise InputProblem(message("package.no-hand-over-package-can", name=name, error=error)) from error
    for document in list_documents(folder):
        _check_document(document, name)


def list_documents(folder: Path) -> list[Path]:
    """Return the folders of a package's documents, in order; raises InputProblem where there are none."""
    home = folder / "data" / DOCUMENTS
    found = sorted(p for p in home.iterdir() if p.is_dir()) if home.is_dir() else []
    if not found:
        raise InputProblem(message("package.holds-no-documents-nothing-taken", folder_name=folder.name))
    return found


def read_values(document: Path) -> dict[str, Any]:
    """Return what a package says of a document; raises InputProblem."""
    try:
        found = json.loads((document / VALUES).read_text(encoding="utf-8"))
        return {**found, "values": dict(found["values"])}
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise InputProblem(message("package.what-says-values-cannot-read", document_name=document.name)) from error


def _check_document(document: Path, package: str) -> None:
    """Check a document against the part of the audit trail that goes with it."""
    lines = (document / TRAIL).read_text(encoding="utf-8").splitlines() if (document / TRAIL).exists() else []
    pdf = hashlib.sha256((document / PDF).read_bytes()).hexdigest() if (document / PDF).exists() else ""
    for line in lines:
        previous, _, rest = line.partition("\t")
        told, _, head = rest.rpartition("\t")
        if chain(previous, told) != head:
            raise InputProblem(
                message("package.trail-changed-nothing-taken-2", document_name=document.name, package=package)
            )
    details = (document / DETAILS).read_text(encoding="utf-8").splitlines() if (document / DETAILS).exists() else []
    told_of = [_known_detail(line, lines, document.name, package) for line in details]
    if not any(pdf and pdf in data for data in told_of):
        raise InputProblem(
            message("package.trail-speaks-another-file-nothing", document_name=document.name, package=package)
        )


def _known_detail(line: str, rows: list[str], name: str, package: str) -> str:
    """Return the details of a row; raises InputProblem where their digest stands in no row of the trail."""
    try:
        told = json.loads(line)
        data = str(told["data"])
        digest = digest_of(str(told["salt"]), data)
    except (ValueError, KeyError, TypeError):
        data, digest = "", "none"
    if not any(digest in row for row in rows):
        raise InputProblem(message("package.trail-changed-nothing-taken", name=name, package=package))
    return data
