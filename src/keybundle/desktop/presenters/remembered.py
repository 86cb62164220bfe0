"""What the window remembers of how somebody left it: declared here, kept for each person, never a part of the repository."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from PySide6.QtCore import QSettings

from keybundle.core.base.records import dataclass


@dataclass(frozen=True)
class Setting:
    """A thing that is remembered: its name in the file, what it is before anybody left it, and what it is for."""

    name: str
    default: Any
    told: str


SETTINGS = (
    Setting("geometry", None, "size and place of the main window"),
    Setting("geometry beside", None, "size and place of the windows beside it"),
    Setting("prepare page", "", "the page of Prepare that was open last"),
    Setting("scan routine", "", "the routine that was scanned under last"),
    Setting("cabinet", "", "the cabinet that was looked into last"),
    Setting("cabinet columns", None, "order and widths of the document table's columns, for each cabinet"),
    Setting("register columns", None, "order and widths of the columns of entries, for each register"),
    Setting("slip columns", None, "order and widths of the columns of the table of slips, for each set of fields"),
    Setting("cabinets splitter", None, "how list and page share the cabinets"),
    Setting("cabinets columns splitter", None, "how path columns and documents share the cabinets"),
    Setting("find splitter", None, "how hits and page share Find"),
    Setting("bench zoom", None, "how large pages are shown on the bench"),
    Setting("viewer zoom", None, "how large pages are shown in the viewer"),
    Setting("viewer window", None, "size and place of the viewer's windows"),
    Setting("page window", None, "size and place of the bench's second page"),
    Setting("own keys", None, "keys that somebody gave commands besides those they have"),
    Setting("keys told", "", "which change of keys was told"),
    Setting("bench splitter", None, "how page and slip share the bench"),
)
_BY_NAME: Mapping[str, Setting] = {s.name: s for s in SETTINGS}


class Remembered:
    """The settings of one person in the file of this data directory."""

    def __init__(self, settings: QSettings, person: str) -> None:
        self._settings, self._person = settings, person

    def get(self, name: str, of: str = "") -> Any:
        """Return what is remembered (``of`` one thing among several); the default before anybody left it.

        Raises KeyError for what is not declared.
        """
        declared = _BY_NAME[name]
        found = self._settings.value(self._key(name, of))
        return declared.default if found is None else found

    def put(self, name: str, value: Any, of: str = "") -> None:
        """Remember something; raises KeyError for what is not declared."""
        self._settings.setValue(self._key(_BY_NAME[name].name, of), value)

    def _key(self, name: str, of: str) -> str:
        # Names of cabinets and registers may hold what parts the keys of the file.
        told = of.replace("/", "_").replace("\\", "_")
        return f"{self._person}/{name}/{told}" if of else f"{self._person}/{name}"
