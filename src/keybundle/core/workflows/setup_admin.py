"""Exporting, importing and checking the set-up file."""

from __future__ import annotations

from pathlib import Path

from keybundle.core.base.errors import InputProblem, Report, explain_os_error
from keybundle.core.base.files import write_atomic
from keybundle.core.setup.model import Person, Setup
from keybundle.core.setup.text import load_setup, read_setup, write_setup
from keybundle.core.workflows.routines import may_prepare
from keybundle.core.workflows.workspace import Workspace


def _read(path: Path) -> str:
    try:
        return path.read_text(encoding="utf-8")
    except UnicodeDecodeError as error:
        raise InputProblem(f"“{path.name}” is not UTF-8 text; save the set-up file as UTF-8.") from error
    except OSError as error:
        raise explain_os_error(error, f"“{path.name}”") from error


def check_setup_file(path: Path) -> Report:
    """Return what is wrong with a set-up file, with line and reason; nothing when it can be imported."""
    result = read_setup(_read(path))
    return result if isinstance(result, Report) else Report()


def import_setup(workspace: Workspace, path: Path, who: str) -> Setup:
    """Put a set-up file in force; raises InputProblem with all findings and changes nothing then."""
    if workspace.has_setup:
        may_prepare(workspace, who)
    setup = load_setup(_read(path))
    workspace.put_setup(setup, who)
    return setup


def export_setup(workspace: Workspace, path: Path) -> None:
    """Write the whole set-up with the registers' rows as one text file."""
    write_atomic(path, write_setup(workspace.full_setup()).encode())


def begin_repository(workspace: Workspace, repository: str, administrator: str) -> None:
    """Give a fresh data directory its name and its first administrator."""
    if not repository.strip() or not administrator.strip():
        raise InputProblem("The repository and its first administrator both need a name.")
    if workspace.has_setup:
        raise InputProblem("This repository has begun already. Nothing was changed.")
    person = Person(name=administrator.strip(), role="administrator")
    workspace.put_setup(Setup(repository=repository.strip(), people=(person,)), administrator.strip())
