"""What several tests share: a demo workspace that is made once, and a base class that lets no warning pass."""

from __future__ import annotations

import atexit
import functools
import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from keybundle.core.jobs.pool import Pool
from keybundle.core.workflows.workspace import Workspace, open_workspace
from keybundle.demo import seed

ROOT = Path(__file__).parent.parent
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OMP_THREAD_LIMIT", "1")


@functools.cache
def shared_folder() -> Path:
    """A folder for things that are made once in a test run."""
    folder = Path(tempfile.mkdtemp(prefix="keybundle-tests-"))
    atexit.register(shutil.rmtree, folder, True)
    return folder


@functools.cache
def shared_pool() -> Pool:
    """One pool of workers for the whole run: loading the engine for each test would cost most of the time."""
    pool = Pool(2)
    atexit.register(pool.close)
    return pool


@functools.cache
def demo_template() -> Path:
    folder = shared_folder() / "demo"
    workspace = open_workspace(folder)
    try:
        seed.begin(workspace)
        seed.file_documents(workspace, shared_pool(), 14)
        seed.make_feeder(workspace, shared_pool(), sheets=8)
    finally:
        workspace.close()
    return folder


class DataTest(unittest.TestCase):
    """Gives each test a folder of its own, and on request a copy of a small demo world."""

    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="keybundle-test-"))
        self.addCleanup(shutil.rmtree, self.folder, True)

    def demo_data(self) -> Path:
        """A data directory with the demo set-up, 14 filed documents and 8 sheets in the feeder."""
        target = self.folder / "data"
        shutil.copytree(demo_template(), target)
        return target

    def demo_workspace(self) -> Workspace:
        workspace = open_workspace(self.demo_data())
        self.addCleanup(workspace.close)
        return workspace


def run_cli(
    *arguments: object, env: dict[str, str] | None = None, timeout: float = 240
) -> subprocess.CompletedProcess[str]:
    """Run the command line in a process of its own."""
    command = [sys.executable, "-m", "keybundle.cli.main", *map(str, arguments)]
    return subprocess.run(
        command, capture_output=True, text=True, timeout=timeout, env={**os.environ, **(env or {})}, cwd=ROOT
    )
