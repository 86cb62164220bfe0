"""What several tests share: a demo workspace that is made once, and a base class that lets no warning pass."""

from __future__ import annotations

import atexit
import contextlib
import fcntl
import functools
import hashlib
import io
import json
import os
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Callable, Mapping
from pathlib import Path
from unittest import mock

import pikepdf

from keybundle.cli import main as cli
from keybundle.core.batches.arrivals import Arrival
from keybundle.core.batches.model import Page
from keybundle.core.batches.store import BatchStore
from keybundle.core.finding import documents
from keybundle.core.finding.columns import count_in
from keybundle.core.finding.query import DocumentQuery
from keybundle.core.jobs import pool as pool_module
from keybundle.core.jobs.pool import Pool
from keybundle.core.separation.facts import Placing
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.session import Session
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.core.workflows.take_in.capture import find_routine, scan_stack
from keybundle.core.workflows.take_in.devices import Options, find_scanners
from keybundle.demo import seed
from keybundle.demo.names import PEOPLE
from tests.remembering import RememberingPool

ROOT = Path(__file__).parent.parent
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OMP_THREAD_LIMIT", "1")

# What is slow by nature (kills, random hands, devices) is sampled in a usual run, and whole in ``scripts/test --all``.
WHOLE = "KEYBUNDLE_WHOLE" in os.environ
SEED = int(os.environ.get("KEYBUNDLE_SEED", "2026"))
whole_only = unittest.skipUnless(WHOLE, "a part of the whole: scripts/test --all")


def sampled(whole: int, usual: int) -> int:
    """How many of something slow are tried in this run."""
    return whole if WHOLE else usual


@functools.cache
def shared_folder() -> Path:
    """A folder for things that are made once in a test run."""
    folder = Path(tempfile.mkdtemp(prefix="keybundle-tests-"))
    atexit.register(shutil.rmtree, folder, True)
    return folder


@functools.cache
def shared_pool() -> Pool:
    """One pool of workers for the whole run: loading the engine for each test would cost most of the time.

    What it has read once it knows. For what is about reading under way there is ``reading_pool``.
    """
    pool = RememberingPool(2, _worlds().with_name(f"{_worlds().name}-read"))
    atexit.register(pool.close)
    return pool


@functools.cache
def reading_pool() -> Pool:
    """Workers that read each page anew, and take their time for it."""
    pool = Pool(2)
    atexit.register(pool.close)
    return pool


@functools.cache
def _worlds() -> Path:
    """Where the worlds of these sources lie, for all processes of a test run and for later ones."""
    digest = hashlib.sha256()
    for path in sorted((ROOT / "src" / "keybundle").rglob("*")):
        if path.suffix in (".py", ".sql"):
            digest.update(path.read_bytes())
    folder = ROOT / "build" / "worlds"
    folder.mkdir(parents=True, exist_ok=True)
    for other in folder.iterdir():
        if not other.name.startswith(digest.hexdigest()[:16]):
            # Another process of the same run may be at it too.
            shutil.rmtree(other, ignore_errors=True) if other.is_dir() else other.unlink(missing_ok=True)
    return folder / digest.hexdigest()[:16]


def _make_once(name: str, make: Callable[[Path], None]) -> Path:
    """Return a world of that name, made by the first who asks for it."""
    target = _worlds().with_name(f"{_worlds().name}-{name}")
    with target.with_suffix(".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not target.exists():
            half = target.with_suffix(".half")
            shutil.rmtree(half, ignore_errors=True)
            make(half)
            half.rename(target)
    return target


def demo_template() -> Path:
    """The demo set-up, 14 filed documents and 8 sheets in the feeder."""

    def make(folder: Path) -> None:
        workspace = open_workspace(folder)
        try:
            seed.begin(workspace)
            seed.file_documents(workspace, shared_pool(), 14)
            seed.make_feeder(workspace, shared_pool(), sheets=8)
        finally:
            workspace.close()

    return _make_once("demo", make)


@functools.cache
def scanned_template() -> tuple[Path, str]:
    """The demo world with its 8 sheets scanned and read; the folder and the batch."""

    def make(folder: Path) -> None:
        shutil.copytree(demo_template(), folder)
        workspace = open_workspace(folder)
        line = Line(workspace, shared_pool())
        try:
            scanner = find_scanners(workspace)[0]
            options = Options(sides_per_minute=0)
            scan_stack(
                acting(workspace, PEOPLE[2][0]), line, find_routine(acting(workspace), "Post"), scanner, options=options
            )
            assert line.wait(180)
            scanner.refill()
        finally:
            line.close()
            workspace.close()

    folder = _make_once("scanned", make)
    # Immutable: reading it leaves nothing beside it that others would copy in the middle.
    with sqlite3.connect(f"file:{folder / 'keybundle.sqlite'}?immutable=1", uri=True) as c:
        (batch_id,) = c.execute("SELECT id FROM batch").fetchone()
    c.close()
    return folder, batch_id


def acting(workspace: Workspace, who: str | None = None) -> Session:
    """The session of a person, by name or id (none: the first administrator), whatever way in the repository allows."""
    return Session(workspace, workspace.person(who).id)


class DataTest(unittest.TestCase):
    """Gives each test a folder of its own, and on request a copy of a small demo world."""

    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="keybundle-test-"))
        self.addCleanup(shutil.rmtree, self.folder, True)

    def demo_data(self, *, scanned: bool = False) -> Path:
        """A data directory with the demo set-up, 14 filed documents and 8 sheets in the feeder.

        ``scanned``: with these sheets scanned and read as the batch ``scanned_template()[1]``, and in the feeder again.
        """
        target = self.folder / "data"
        shutil.copytree(scanned_template()[0] if scanned else demo_template(), target)
        return target

    def demo_workspace(self) -> Workspace:
        workspace = open_workspace(self.demo_data())
        self.addCleanup(workspace.close)
        return workspace


def place(workspace: Workspace, batch_id: str, placing: Placing) -> None:
    """Give a captured side its place, as separation would."""
    workspace.batches.place(batch_id, [placing.page], lambda pages, texts, state: ([placing], state))


def add_page(batches: BatchStore, batch_id: str, page: Page) -> Page:
    """Take a side in as an arrival of its own, as a capture would."""
    return batches.take(batch_id, Arrival(page.arrival or f"of {page.id}", page.source, "test"), [page])[0]


def keep_in_feeder(workspace: Workspace, sheets: int) -> None:
    """Take all but the first sheets out of the feeder, for what needs real pages but not many."""
    stack = workspace.place.root / "feeder" / "stack.json"
    stack.write_text(json.dumps(json.loads(stack.read_text())[:sheets]))


def run_cli(
    *arguments: object, env: dict[str, str] | None = None, timeout: float = 240, apart: bool = False
) -> subprocess.CompletedProcess[str]:
    """Run the command line: here, with the pool of all tests, or (``apart``) in a process of its own, as a person does."""
    told = [str(a) for a in arguments]
    if apart or env:
        command = [sys.executable, "-m", "keybundle.cli.main", *told]
        return subprocess.run(
            command, capture_output=True, text=True, timeout=timeout, env={**os.environ, **(env or {})}, cwd=ROOT
        )
    out, err, lent = io.StringIO(), io.StringIO(), mock.Mock(wraps=shared_pool())
    lent.close = lambda: None
    with (
        contextlib.redirect_stdout(out), contextlib.redirect_stderr(err),
        mock.patch.object(pool_module, "Pool", return_value=lent),
    ):  # fmt: skip
        status = cli.main(told)
    return subprocess.CompletedProcess(told, status, out.getvalue(), err.getvalue())


def filed_ids(ws: Workspace, cabinet: str = "", chosen: Mapping[str, str] | None = None) -> list[str]:
    """Return the filed documents of a cabinet (by id; empty: of all) below chosen folder values, the newest first."""
    with ws.place.database.read() as c:
        return documents.list_ids(c, DocumentQuery(cabinet=cabinet, chosen=chosen or {}), 1_000_000)


def count_filed(ws: Workspace, cabinet: str = "") -> int:
    """Return how many documents are filed, as the folders count them."""
    with ws.place.database.read() as c:
        return count_in(c, cabinet)


def is_copy(left: bytes, kept: bytes) -> bool:
    """Whether a PDF that left has the pages of the one that is kept; what it is called is said as it leaves."""
    with pikepdf.open(io.BytesIO(left)) as one, pikepdf.open(io.BytesIO(kept)) as other:
        return [p.Contents.read_bytes() for p in one.pages] == [p.Contents.read_bytes() for p in other.pages]
