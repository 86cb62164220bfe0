"""Errors sorted by whose turn it is, and findings for bad input.

``EnvironmentProblem`` and ``InputProblem`` carry a sentence for the user; anything else that escapes is a bug.
"""

from __future__ import annotations

import errno

from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass

A_BUG = message("errors.something-went-wrong-inside-key")


class AppError(Exception):
    """Root of all errors of the core; ``str(error)`` is a sentence for the user."""


class EnvironmentProblem(AppError):
    """The machine stands in the way: disk full, no permission, missing language data."""


class Passing(EnvironmentProblem):
    """What stands in the way may be over by itself, or soon: no space, a lock, no worker. Worth another try."""


class OldFormat(EnvironmentProblem):
    """A store of a format that is no longer read."""


class WorkerBug(AppError):
    """A worker raised what it should not have; the trace is in the log."""


class InputProblem(AppError):
    """What was handed in cannot be used: a broken file, a wrong rule, an unknown name."""


class NotAllowed(InputProblem):
    """Somebody lacks a right for what they asked for; nothing was done."""


class Held(EnvironmentProblem):
    """Another process holds the data directory."""


class Cancelled(AppError):
    """The work was cancelled; what was done before is kept."""


@dataclass(frozen=True)
class Finding:
    """One thing that is wrong with an input.

    Parameters
    ----------
    rule : stable id such as ``"unknown-register"``.
    where : the thing or place, such as ``"line 12"`` or a file name.
    message : a sentence that says what is wrong and what to do.
    """

    rule: str
    where: str
    message: str

    def __str__(self) -> str:
        return f"{self.where}: {self.message}"


@dataclass(frozen=True)
class Report:
    """What was found; usable when nothing was."""

    findings: tuple[Finding, ...] = ()

    @property
    def ok(self) -> bool:
        """Whether nothing was found."""
        return not self.findings


def explain_os_error(error: OSError, thing: str) -> EnvironmentProblem:
    """Word an operating-system error about ``thing`` with the next step in it."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return Passing(message("errors.no-space-left-store-what", thing=thing))
    if error.errno in (errno.EACCES, errno.EPERM, errno.EROFS):
        return EnvironmentProblem(message("errors.cannot-written-permission-missing-give", thing=thing))
    return EnvironmentProblem(
        message("errors.could-not-used-nothing-changed", thing=thing, value=error.strerror or error)
    )
