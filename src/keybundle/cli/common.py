"""What several commands share: opening a workspace for changes or for looking, and progress on a terminal."""

from __future__ import annotations

import argparse
import contextlib
import getpass
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.progress import Progress, Step, silent
from keybundle.core.store.place import hold
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.session import Session
from keybundle.core.workflows.session.signing_in import needs_password, sign_in_unattended
from keybundle.core.workflows.session.workspace import Workspace

if TYPE_CHECKING:
    from keybundle.core.jobs.pool import Pool

WORKERS = 2


@contextlib.contextmanager
def opened(data: Path, *, changes: bool, create: bool = False) -> Iterator[Workspace]:
    """Open a data directory; for changes it is held, waiting up to 10 s for whoever has it."""
    with hold(data, who="the command line") if changes and (create or data.exists()) else contextlib.nullcontext():
        workspace = open_workspace(data, create=create, held=changes)
        try:
            yield workspace
        finally:
            workspace.close()


@contextlib.contextmanager
def signed_in(given: argparse.Namespace, *, changes: bool) -> Iterator[Session]:
    """Open the data directory and sign in: by account, or as the person that was named, with a password where it takes one."""
    with opened(given.data, changes=changes) as workspace:
        name: str | None = given.person
        password = read_password(given.password_file)
        if password is None and needs_password(workspace, name):
            password = ask_password(f"Password of {name}: ")
        yield sign_in_unattended(workspace, name, password)


def ask_password(prompt: str) -> str:
    """Ask for a password on the terminal; raises InputProblem where there is none."""
    if not sys.stdin.isatty():
        raise InputProblem(
            "A password is needed, and there is no terminal to ask on; put it into a file: --password-file FILE."
        )
    return getpass.getpass(prompt)


def read_password(path: Path | None) -> str | None:
    """Return the first line of a password file, None for no file; raises InputProblem for one that cannot be read."""
    if path is None:
        return None
    try:
        return path.read_text(encoding="utf-8").partition("\n")[0].rstrip("\r")
    except (OSError, UnicodeDecodeError) as error:
        raise InputProblem(f"“{path}” cannot be read as a password file. Nothing was done.") from error


@contextlib.contextmanager
def working_pool() -> Iterator[Pool]:
    """Give worker processes, ended on the way out."""
    from keybundle.core.jobs.pool import Pool

    pool = Pool(WORKERS)
    try:
        yield pool
    finally:
        pool.close()


def terminal_progress() -> Progress:
    """Return a progress that writes one line on a terminal, and nothing anywhere else."""
    if not sys.stderr.isatty():
        return silent

    def show(step: Step) -> None:
        end = "\n" if step.done == step.total else ""
        print(f"\r{step.what}: {step.done} of {step.total}   ", end=end, file=sys.stderr, flush=True)

    return show


def several(n: int, one: str, more: str) -> str:
    """Return a count and its word."""
    return f"{n} {one if n == 1 else more}"
