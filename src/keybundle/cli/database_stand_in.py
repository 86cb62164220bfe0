"""``keybundle database-stand-in``: a small database with a table of suppliers, for trying out registers that read one."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any


def add_command(commands: Any) -> None:
    """Declare the command."""
    parser = commands.add_parser("database-stand-in", help="a small database that a register can be read from")
    parser.add_argument("file", type=Path, metavar="FILE", help="the SQLite file to make")
    parser.set_defaults(run=run)


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
