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
from types import ModuleType

from keybundle.cli.arguments import make_parser, module_of

StartDesktop = Callable[[Path, bool, Sequence[Path]], int]
DONE, SOME_REFUSED, WRONG_USE, STOPPED = 0, 1, 2, 3


def default_data() -> Path:
    """Return the data directory: ``KEYBUNDLE_DATA``, else the user's data folder."""
    told = os.environ.get("KEYBUNDLE_DATA")
    if told:
        return Path(told)
    import platformdirs

    return Path(platformdirs.user_data_dir("keybundle"))


def main(arguments: Sequence[str] | None = None, start_desktop: StartDesktop | None = None) -> int:
    """Run one command and return the exit status; without a command, start the desktop that was handed in."""
    try:
        told = sys.argv[1:] if arguments is None else arguments
        given = make_parser(told).parse_args(told)
    except SystemExit as stop:
        return WRONG_USE if stop.code not in (0, None) else DONE
    return _run(given, start_desktop)


def _run(given: argparse.Namespace, start_desktop: StartDesktop | None) -> int:
    """Do what was asked for, and word what goes wrong."""
    from keybundle.core.base.errors import AppError, InputProblem

    data = given.data
    try:
        if given.command is None:
            if start_desktop is None:
                make_parser().print_usage(sys.stderr)
                return WRONG_USE
            return start_desktop(_desktop_data(data, given.demo), given.demo, ())
        given.data, given.start_desktop = data or default_data(), start_desktop
        status: int = _load(module_of(given.command)).run(given)
        sys.stdout.flush()
        return status
    except InputProblem as error:
        print(f"keybundle: {error}", file=sys.stderr)
        return WRONG_USE
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


def _load(name: str) -> ModuleType:
    """Return a command's module."""
    if name in sys.modules:
        return sys.modules[name]
    from keybundle.core.base.loading import loading

    with loading():
        return importlib.import_module(name)


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
