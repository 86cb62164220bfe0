"""``keybundle database-stand-in``: a small database with a table of suppliers, for trying out registers that read one."""

from __future__ import annotations

import argparse


def run(given: argparse.Namespace) -> int:
    """Make it, and say what the register needs."""
    from keybundle.demo.database import make_database

    number = make_database(given.file)
    print(
        f"{number} suppliers. Under Prepare, Registers, or in the set-up:",
        "[registers.source]",
        f'url = "sqlite:///{given.file.absolute()}"',
        'table = "suppliers"',
        sep="\n",
    )
    return 0
