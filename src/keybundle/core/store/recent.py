"""Which data directories were open on this account, the last one first."""

from __future__ import annotations

import contextlib
import json
from pathlib import Path

import platformdirs

from keybundle.core.base.files import write_atomic

MOST = 8


def _file() -> Path:
    return Path(platformdirs.user_config_dir("keybundle")) / "recent.json"


def list_places() -> list[Path]:
    """Return the data directories that were open and are still there; none where nothing is known."""
    try:
        told = json.loads(_file().read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return []
    return [path for x in told if isinstance(x, str) and (path := Path(x)).is_dir()] if isinstance(told, list) else []


def note_place(place: Path) -> None:
    """Note that a data directory is open; where that cannot be written, nothing is remembered."""
    kept = [str(place.resolve()), *(str(p) for p in list_places() if p != place.resolve())][:MOST]
    with contextlib.suppress(OSError):
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_atomic(_file(), json.dumps(kept, indent=1).encode())
