"""Killing the work at random moments, and what must hold after each kill; used by the suite and by scripts/soak."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path
from unittest import mock

from sqlalchemy import text

from keybundle.core.jobs.pool import Pool
from keybundle.core.repository import audit
from keybundle.core.workflows.file import renditions
from keybundle.core.workflows.keep.areas import relocating
from keybundle.core.workflows.keep.trash.erasing import finish_erasing
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.oversee.verify import verify
from keybundle.core.workflows.session.behind import do_due
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from tests.core.test_versions import ADMIN, index_anew, index_words
from tests.flows.conservation import find_losses
from tests.flows.keeping_child import render
from tests.standin import StandIn
from tests.support import ROOT, acting

LONGEST_SECONDS = 20.0


def kill_once(
    data: Path, steps: int, seconds: float, child_module: str = "tests.flows.crash_child"
) -> set[tuple[str, str]]:
    """Let the child come so many steps far, and so many seconds more, kill it, and return what it told as durable.

    Steps, and not seconds alone: on a slow machine too the kills fall into every part of the work.
    """
    command = [sys.executable, "-m", child_module, str(data)]
    child = subprocess.Popen(command, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    told: list[str] = []
    far_enough = threading.Semaphore(0)
    assert child.stdout is not None and child.stderr is not None
    first = child.stdout.readline()
    if first.strip() != "ready":
        raise AssertionError(f"the child did not start: {first}{child.stderr.read()}")

    def listen() -> None:
        for line in child.stdout or ():
            told.append(line)
            far_enough.release()

    reader = threading.Thread(target=listen)
    reader.start()
    end = time.monotonic() + LONGEST_SECONDS
    for _ in range(steps):
        far_enough.acquire(timeout=max(0.0, end - time.monotonic()))
    time.sleep(seconds)
    os.kill(child.pid, signal.SIGKILL)
    child.wait()
    reader.join()
    said = child.stderr.read()
    child.stdout.close()
    child.stderr.close()
    if "Traceback" in said:
        raise AssertionError(said)
    whole = (line.split() for line in told if line.endswith("\n"))
    return {(kind, ident) for kind, ident in whole if kind != "step"}


def check_after(workspace: Workspace, told: set[tuple[str, str]]) -> list[str]:
    """Return what is wrong: lost pages, lost or double filings, uneven balances, a broken trail."""
    wrong = []
    with workspace.place.database.read() as c:
        pages = dict(c.execute(text("SELECT id, file_sha FROM page")).all())  # type: ignore[arg-type]
        filed = set(c.execute(text("SELECT id FROM document WHERE removed_at IS NULL")).scalars())
        noted = list(c.execute(text("SELECT filed_id FROM batch_document WHERE filed_id IS NOT NULL")).scalars())
        from_batches = set(c.execute(text("SELECT id FROM document WHERE batch_id IS NOT NULL")).scalars())
        if (state := audit.verify(c)) != "whole":
            wrong.append(f"audit trail {state}")
    wrong += [f"lost {kind} {i}" for kind, i in told if i not in (pages if kind == "page" else filed)]
    wrong += [f"no file for page {i}" for i, sha in pages.items() if not workspace.place.files.path(sha).exists()]
    if len(noted) != len(set(noted)) or set(noted) != from_batches:
        wrong.append("filings and their notes in the batches differ")
    return wrong + find_losses(workspace, {i for kind, i in told if kind == "page"})


def check_kept(workspace: Workspace, told: set[tuple[str, str]]) -> list[str]:
    """Return what is wrong with what is filed: lost versions, erased documents that are there, areas, PDFs, the index."""
    me, wrong = acting(workspace, ADMIN), list[str]()
    with workspace.place.database.read() as c:
        versions = dict(c.execute(text("SELECT id, version FROM document")).all())  # type: ignore[arg-type]
        bare = c.execute(text("SELECT d.id FROM document d WHERE NOT EXISTS (SELECT 1 FROM rendition r WHERE "
                              "r.document_id = d.id AND r.version = d.version)")).scalars()  # fmt: skip
        wrong += [f"document {i} has a version without a PDF, made or due" for i in bare]
    erased = {i for kind, i in told if kind == "erased"}
    wrong += [f"{i} was erased and is there" for i in erased & set(versions)]
    for kind, said in told:
        document, _, number = said.partition(":")
        # A kill may fall between the erasing and the telling of it: then the document is gone whole.
        if kind == "revised" and document in versions and versions[document] < int(number):
            wrong.append(f"lost version {number} of {document}")
    with mock.patch("keybundle.core.store.files.MAY_BE_SOMEBODYS", 0.0):
        do_due(workspace, relocating.leaving(workspace), at_once=True)
        if left := finish_erasing(workspace):
            wrong.append(f"{left} files of erased documents could not be taken away")
    found = verify(me)
    wrong += [f"{sha} is {why}" for sha, why in found.bad] + ([] if found.trail == "whole" else [found.trail])
    if index_words(workspace) != index_anew(workspace):
        wrong.append("the index is not that of the rows")
    return wrong


def run_keeping_kills(data: Path, kills: int, seed: int) -> list[str]:
    """Kill corrections, erasings, relocations and renderings at random moments, check each time, and let all come to its end."""
    rng, wrong, everything = random.Random(seed), list[str](), set[tuple[str, str]]()
    for number in range(kills):
        everything |= kill_once(data, rng.randrange(10), rng.uniform(0.0, 0.3), "tests.flows.keeping_child")
        workspace = open_workspace(data, held=True)
        try:
            wrong += [f"kill {number} (seed {seed}): {w}" for w in check_kept(workspace, everything)]
        finally:
            workspace.close()
    workspace = open_workspace(data, held=True)
    try:
        me = acting(workspace, ADMIN)
        with mock.patch("keybundle.core.store.files.MAY_BE_SOMEBODYS", 0.0):
            wrong += [f"{sha} stays astray: {why}" for sha, why in relocating.relocate(me).left]
        wrong += ["files are astray"] if relocating.count_astray(me) else []
        renditions.make_due(workspace, StandIn(render), at_once=True)  # type: ignore[arg-type]
        wrong += ["PDFs are due"] if renditions.count_due(workspace) else []
        wrong += check_kept(workspace, everything)
    finally:
        workspace.close()
    return wrong


def run_kills(data: Path, kills: int, seed: int, pool: Pool) -> list[str]:
    """Kill the work so often at random moments, check each time, and at the end let it go on to its end."""
    rng = random.Random(seed)
    wrong: list[str] = []
    everything: set[tuple[str, str]] = set()
    for number in range(kills):
        everything |= kill_once(data, rng.randrange(14), rng.uniform(0.0, 0.3))
        workspace = open_workspace(data, held=True)
        try:
            wrong += [f"kill {number} (seed {seed}): {w}" for w in check_after(workspace, everything)]
        finally:
            workspace.close()
    workspace = open_workspace(data, held=True)
    line = Line(workspace, pool)
    try:
        line.resume()
        if not line.wait(400):
            wrong.append("reading did not come to its end")
        wrong += check_after(workspace, everything)
        for batch_id in workspace.batches.ids():
            batch = workspace.batches.load(batch_id)
            wrong += [f"page {p.id} was not placed" for p in batch.pages if p.disposition is None]
            wrong += [f"page {p.id} was not read" for p in batch.pages if p.kept and not p.is_read]
            wrong += [
                f"document {d.id} hangs" for d in batch.documents.values() if d.state.value == "reading" or d.claim
            ]
        if not verify(acting(workspace)).is_whole:
            wrong.append("a stored file is bad")
        if {kind for kind, _ in everything} != ({"page", "filed"} if kills > 4 else {"page"}):
            wrong.append(f"the kills hit too little: {len(everything)} things were told")
    finally:
        line.close()
        workspace.close()
    return wrong
