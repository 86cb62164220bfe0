"""``keybundle reset-administrator``: let the owner of the data directory make somebody administrator again."""

from __future__ import annotations

import argparse

from keybundle.cli.common import ask_password, opened, read_password
from keybundle.core.base.errors import InputProblem
from keybundle.core.workflows.session.signing_in import reset_administrator


def run(given: argparse.Namespace) -> int:
    """Set the new password; the audit trail says that this was done, and by which account."""
    with opened(given.data, changes=True) as workspace:
        password = read_password(given.password_file)
        if password is None:
            password = ask_password("New password: ")
            if ask_password("Once more: ") != password:
                raise InputProblem("These two are not the same. Nothing was changed.")
        name = reset_administrator(workspace, given.person, password)
    print(f"{name} is administrator and signs in with the new password. The audit trail says so.")
    return 0
