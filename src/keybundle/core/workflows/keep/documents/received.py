"""Files as they came, handed out to their own programs: copies that can only be read, named as they were received.

A copy of HTML begins with a line that lets nothing in it run or be fetched: the program that opens it is the browser.
"""

from __future__ import annotations

import shutil
from pathlib import Path, PurePath

from keybundle.core.base.errors import InputProblem, explain_os_error
from keybundle.core.base.files import write_atomic
from keybundle.core.base.ids import BatchId, FiledId, PageId
from keybundle.core.base.messages import message
from keybundle.core.formats import markup
from keybundle.core.rights.model import Right
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

OPENED, READ_ONLY, HEAD_BYTES = "opened", 0o400, 4096
# Source: Content Security Policy Level 3 (W3C), delivered by a meta element.
_NOTHING_RUNS = "default-src 'none'; style-src 'unsafe-inline'; img-src data:"
HARMLESS = f'<meta http-equiv="Content-Security-Policy" content="{_NOTHING_RUNS}">\n'.encode()


@needs(Right.LOOK)
def copy_page(session: Session, batch_id: BatchId, page_id: PageId) -> Path:
    """Return a copy of the file that a page of a batch came with; raises InputProblem, EnvironmentProblem."""
    page = session.batch(batch_id).load().page(page_id)
    return _copy(session.workspace, page.file_sha, page.source)


@needs(Right.LOOK)
def copy_filed(session: Session, document_id: FiledId, position: int) -> Path:
    """Return a copy of the file that a page of a filed document came with; raises InputProblem, EnvironmentProblem."""
    workspace, found = session.workspace, session.document(document_id).load()
    if position >= len(found.pages):
        raise InputProblem(message("received.no-such-page", caption=found.caption))
    page = found.pages[position]
    return _copy(workspace, page.file_sha, page.source)


def forget_copies(workspace: Workspace) -> None:
    """Take away the copies of earlier days; a program that still has one open keeps what it has."""
    shutil.rmtree(workspace.place.cache / OPENED, ignore_errors=True)


def _copy(workspace: Workspace, sha: str, name: str) -> Path:
    """Put a copy under its file's hash into the cache: what is erased is taken away there by that."""
    target = workspace.place.cache / OPENED / sha / (PurePath(name).name or sha)
    try:
        if not target.exists():
            data = workspace.place.files.get(sha)
            is_html = markup.recognises(data[:HEAD_BYTES], name)
            write_atomic(target, HARMLESS + data if is_html else data, durable=False)
            target.chmod(READ_ONLY)
    except OSError as error:
        raise explain_os_error(error, f"“{target.name}”") from error
    return target
