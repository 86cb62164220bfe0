"""Files handed over by the file manager: to the desktop that runs already, else to one that is started."""

from __future__ import annotations

from pathlib import Path

from keybundle.core.base.errors import explain_os_error
from keybundle.core.base.files import write_atomic
from keybundle.core.store.door import LONGEST_LINE, OK, door_path, hand_over, read_handed

__all__ = ["LONGEST_LINE", "OK", "door_path", "hand_over", "read_handed", "write_entry"]
MIME_TYPES = (
    "image/tiff", "image/png", "image/jpeg", "image/webp", "image/jp2", "image/bmp", "image/x-portable-anymap", "image/heic",
    "application/pdf", "text/plain", "text/csv", "text/html", "application/zip",
)  # fmt: skip


def write_entry(folder: Path, command: str) -> Path:
    """Write the desktop entry that lets file managers offer Key Bundle for page files; return where it is.

    Source: Desktop Entry Specification 1.5 (keys, and %F for several files).
    """
    entry = (
        "[Desktop Entry]\nType=Application\nVersion=1.5\nName=Key Bundle\nComment=Bring papers and files in to be filed\n"
        f"Exec={command} open %F\nTerminal=false\nCategories=Office;\nMimeType={';'.join(MIME_TYPES)};\n"
    )
    path = folder / "keybundle.desktop"
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise explain_os_error(error, f"“{folder}”") from error
    write_atomic(path, entry.encode())
    return path
