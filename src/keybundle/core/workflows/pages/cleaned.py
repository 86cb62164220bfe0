"""The cleaned picture of a page, made while the page is in a worker's hands anyway, and taken when its PDF is built.

What lies in the cache is nobody's word: where it is not there, or not what was put there, the picture is made from the original.
"""

from __future__ import annotations

import contextlib
import hashlib
from pathlib import Path

from keybundle.core.base.errors import EnvironmentProblem
from keybundle.core.base.files import write_atomic
from keybundle.core.workflows.pages.page_jobs import PageJob
from keybundle.core.workflows.pages.preview_files import CLEANED


def keep_cleaned(cache: str, job: PageJob, data: bytes) -> None:
    """Put what a page will be filed in into the cache; one that cannot be written costs time alone."""
    with contextlib.suppress(EnvironmentProblem):
        write_atomic(_path(cache, job), hashlib.sha256(data).digest() + data, durable=False)


def take_cleaned(cache: str, job: PageJob) -> bytes | None:
    """Return the cleaned picture that was made of just this picture in just this way; None where there is none."""
    try:
        kept = _path(cache, job).read_bytes()
    except OSError:
        return None
    size = hashlib.sha256().digest_size
    return kept[size:] if hashlib.sha256(kept[size:]).digest() == kept[:size] else None


def drop_cleaned(cache: str, job: PageJob) -> None:
    """Let go of it: the PDF is there, or nobody wants what was read of the page."""
    with contextlib.suppress(OSError):
        _path(cache, job).unlink()


def _path(cache: str, job: PageJob) -> Path:
    steps = "".join(str(int(step)) for step in job.steps)
    made_of = f"{Path(job.path).name}-{job.index}-{job.colour}-{steps}"
    return Path(cache, CLEANED, job.page_id[-2:], f"{job.page_id}-{made_of}")
