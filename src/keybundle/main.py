"""The console command: hands the desktop to the command line, which starts it where no command is given."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path

from keybundle.cli.main import main


def _start_desktop(data: Path, demo: bool, files: Sequence[Path]) -> int:
    from keybundle.core.base.loading import loading

    with loading():
        from keybundle.desktop.opening import run_desktop

    return run_desktop(data, demo=demo, files=files)


def run() -> None:
    """Console entry point."""
    sys.exit(main(start_desktop=_start_desktop))
