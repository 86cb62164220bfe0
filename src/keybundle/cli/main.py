"""The command ``keybundle``: finds the command module, opens what it needs, and words what goes wrong.

Exit status: 0 done; 1 done, but some inputs were refused; 2 wrong use; 3 stopped before the end.
"""

from __future__ import annotations

import argparse
import importlib
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


COMMANDS = {
    "init-demo": "init_demo", "setup": "setup", "capture": "capture", "find": "find", "verify": "verify",
    "separator-sheets": "separator_sheets", "open": "open_files", "export": "export",
    "import-package": "import_package", "mail-stand-in": "mail_stand_in",
    "reset-administrator": "reset_administrator", "purge-details": "purge_details",
    "relocate": "relocate", "database-stand-in": "database_stand_in",
}  # fmt: skip


def _bare_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="keybundle", description="Document capture: from paper to filed documents.")
    parser.add_argument("--version", action="version", version=f"Key Bundle {__version__}")
    parser.add_argument("--data", type=Path, default=None, help="the data directory (else KEYBUNDLE_DATA)")
    parser.add_argument("--demo", action="store_true", help="start the desktop with the demo data")
    return parser


def make_parser(only: Sequence[str] = tuple(COMMANDS)) -> argparse.ArgumentParser:
    """Return the parser with these commands; each command's module loads what it needs."""
    parser = _bare_parser()
    commands = parser.add_subparsers(dest="command", metavar="COMMAND")
    for name in only:
        importlib.import_module(f"keybundle.cli.{COMMANDS[name]}").add_command(commands)
    return parser


def _find_command(arguments: Sequence[str] | None) -> Sequence[str]:
    """Return the commands that the parser must know to understand these arguments: one, none, or for help all."""
    early = _bare_parser()
    early.add_argument("rest", nargs=argparse.REMAINDER)
    early.exit_on_error = False
    given = list(sys.argv[1:] if arguments is None else arguments)
    if not given:
        return ()
    if any(a in ("-h", "--help") for a in given[:1]):
        return tuple(COMMANDS)
    try:
        rest = early.parse_args(given).rest
    except argparse.ArgumentError:
        return tuple(COMMANDS)
    return (rest[0],) if rest and rest[0] in COMMANDS else tuple(COMMANDS) if rest else ()


def main(arguments: Sequence[str] | None = None, start_desktop: StartDesktop | None = None) -> int:
    """Run one command and return the exit status; without a command, start the desktop that was handed in."""
    try:
        parser = make_parser(_find_command(arguments))
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
        sys.stdout.flush()
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
    except BrokenPipeError:  # whoever read what was said has read enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return DONE
    except Exception as error:  # the command line's last door
        import logging

        logging.getLogger(__name__).exception("a command failed")
        print(
            f"keybundle: Something went wrong inside Key Bundle ({type(error).__name__}). What was stored before is safe.",
            file=sys.stderr,
        )
        return STOPPED
    except KeyboardInterrupt:
        print("keybundle: Stopped; what was stored before is safe.", file=sys.stderr)
        return STOPPED


def _desktop_data(data: Path | None, demo: bool) -> Path:
    """Return where the desktop works: where it is told, else with the demo data, else where it worked last."""
    if data is not None or os.environ.get("KEYBUNDLE_DATA"):
        return data or default_data()
    if demo:
        return default_data().with_name("keybundle-demo")
    from keybundle.core.store.recent import list_places

    return next(iter(list_places()), default_data())


if __name__ == "__main__":
    sys.exit(main())
