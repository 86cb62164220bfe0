"""Filing records for the window: one as a page, asked for off the interface thread."""

from __future__ import annotations

from zoneinfo import ZoneInfo

from keybundle.core.workflows.file.records import list_records, record_as_html
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import spoken

KNOWN_RECORDS = 200


def load_record_page(seat: Seat, record_id: str) -> str:
    """Return a filing record as a page; empty for one that is no longer among the newest."""
    workspace = seat.workspace
    record = next((r for r in list_records(seat.session, KNOWN_RECORDS) if r.id == record_id), None)
    return record_as_html(record, ZoneInfo(workspace.setup.time_zone), spoken()) if record is not None else ""
