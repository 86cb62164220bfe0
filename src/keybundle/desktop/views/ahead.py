"""What is likely to be wanted next is loaded before anybody waits for it: the first visit of a place is no start of its own."""

from __future__ import annotations

import importlib
import time
from collections.abc import Callable

from keybundle.core.base.progress import CancelToken
from keybundle.desktop.words import number

LIBRARIES = frozenset({"rapidfuzz.distance", "rapidfuzz.fuzz", "urllib.request", "tomlkit", "numpy"})
# Libraries stand beside what needs them: a pause lies between any two of these, and none within one.
AHEAD = tuple(name if name in LIBRARIES else f"keybundle.{name}" for name in (
    "core.workflows.index.slip", "core.workflows.keep.documents.browsing", "desktop.presenters.cabinets",
    "desktop.views.viewer_view", "desktop.views.cabinets_view", "rapidfuzz.distance", "rapidfuzz.fuzz",
    "core.workflows.line.hands", "core.workflows.file.filing", "core.workflows.index.page_texts",
    "desktop.presenters.bench_slips", "desktop.presenters.bench", "desktop.views.bench_view", "desktop.presenters.find",
    "desktop.views.find_view", "desktop.presenters.viewer", "desktop.views.viewer_window",
    "core.workflows.keep.documents.story", "core.workflows.take_in.rescan", "urllib.request", "core.workflows.send.packages",
    "desktop.presenters.sending", "desktop.views.send_sheet", "desktop.views.prepare.prepare_view",
    "desktop.presenters.prepare.missing", "tomlkit", "desktop.presenters.prepare.types", "desktop.presenters.prepare.routines",
    "desktop.presenters.prepare.registers", "desktop.presenters.prepare.people", "desktop.views.prepare.types_view",
    "desktop.views.prepare.people_view", "numpy", "desktop.views.prepare.pages", "desktop.views.keys_dialog",
    "desktop.views.list_sheet", "desktop.views.record_dialog", "desktop.presenters.records", "desktop.views.mapping_sheet",
    "desktop.views.preview_dialog", "desktop.views.ask_sheet", "desktop.views.trash_sheet", "desktop.views.person_sheet",
    "desktop.views.give_sheet", "desktop.views.access_sheet",
))  # fmt: skip
PAUSE_SECONDS, QUIET_SECONDS = 0.01, 0.1
GROUPED = 12345


def load_ahead(closing: CancelToken, quiet: Callable[[], float]) -> None:
    """Load the modules one after another, for a thread of its own; none just after somebody has touched keys or pointer.

    ``quiet`` says for how many seconds nobody has.
    """
    number(GROUPED)  # the tables of the locale
    for name in AHEAD:
        while not closing.cancelled and quiet() < QUIET_SECONDS:
            time.sleep(PAUSE_SECONDS)
        if closing.cancelled:
            return
        importlib.import_module(name)
        time.sleep(PAUSE_SECONDS)
