"""The command ``keybundle``: finds the command module, opens what it needs, and words what goes wrong.

Exit status: 0 done; 1 done, but some inputs were refused; 2 wrong use; 3 stopped before the end.
"""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

from keybundle import __version__
from keybundle.core.base.errors import AppError, EnvironmentProblem, InputProblem

StartDesktop = Callable[[Path, bool, Sequence[Path]], int]
DONE, SOME_REFUSED, WRONG_USE, STOPPED = 0, 1, 2, 3


def default_data() -> Path:
    """Return the data directory: ``KEYBUNDLE_DATA``, else the user's data folder."""
    told = os.environ.get("KEYBUNDLE_DATA")
    if told:
        return Path(told)
    import platformdirs

    return Path(platformdirs.user_data_dir("keybundle"))


def make_parser() -> argparse.ArgumentParser:
    """Return the parser with all commands."""
    from keybundle.cli import capture, find, init_demo, open_files, separator_sheets, setup, verify

    parser = argparse.ArgumentParser(prog="keybundle", description="Document capture: from paper to filed documents.")
    parser.add_argument("--version", action="version", version=f"Key Bundle {__version__}")
    parser.add_argument("--data", type=Path, default=None, help="the data directory (else KEYBUNDLE_DATA)")
    parser.add_argument("--demo", action="store_true", help="start the desktop with the demo data")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    for module in (init_demo, setup, capture, find, verify, separator_sheets, open_files):
        module.add_command(commands)
    return parser


def main(arguments: Sequence[str] | None = None, start_desktop: StartDesktop | None = None) -> int:
    """Run one command and return the exit status; without a command, start the desktop that was handed in."""
    parser = make_parser()
    try:
        given = parser.parse_args(arguments)
    except SystemExit as stop:
        return WRONG_USE if stop.code not in (0, None) else DONE
    data = given.data
    try:
        if given.command is None:
            if start_desktop is None:
                parser.print_usage(sys.stderr)
                return WRONG_USE
            return start_desktop(_desktop_data(data, given.demo), given.demo, ())
        given.data, given.start_desktop = data or default_data(), start_desktop
        status: int = given.run(given)
        return status
    except InputProblem as error:
        print(f"keybundle: {error}", file=sys.stderr)
        return WRONG_USE
    except EnvironmentProblem as error:
        print(f"keybundle: {error}", file=sys.stderr)
        return STOPPED
    except AppError as error:
        print(f"keybundle: {error}", file=sys.stderr)
        return STOPPED
    except KeyboardInterrupt:
        print("keybundle: Stopped; what was stored before is safe.", file=sys.stderr)
        return STOPPED


def _desktop_data(data: Path | None, demo: bool) -> Path:
    if data is not None or not demo or os.environ.get("KEYBUNDLE_DATA"):
        return data or default_data()
    return default_data().with_name("keybundle-demo")


if __name__ == "__main__":
    sys.exit(main())
