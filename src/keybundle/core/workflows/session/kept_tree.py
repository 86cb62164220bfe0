"""Where in the whole repository something is kept to somebody: cabinets, folders and documents with lists of their own."""

from __future__ import annotations

from sqlalchemy import select

from keybundle.core.base.records import dataclass
from keybundle.core.repository import access
from keybundle.core.repository.paths import say_path, split_path
from keybundle.core.rights.model import Right
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.access import Entry, Spot, told_entries
from keybundle.core.workflows.session.session import Session, needs

MOST_DOCUMENTS = 500


@dataclass(frozen=True)
class KeptPlace:
    """A thing with a list of its own (``entries`` None: a cabinet without one), and the things below it that have one."""

    spot: Spot
    name: str
    entries: tuple[Entry, ...] | None
    below: tuple[KeptPlace, ...] = ()


@needs(Right.GIVE_RIGHTS)
def list_kept(session: Session) -> tuple[KeptPlace, ...]:
    """Return every cabinet with the folders and documents in it that have lists of their own.

    Of each cabinet at most ``MOST_DOCUMENTS`` documents are named, the newest first.
    """
    setup, f, d = session.workspace.setup, t.folder.c, t.document.c
    with session.workspace.place.database.read() as c:
        lists = access.load_lists(c)
        own: dict[str, dict[str, str]] = {}
        for r in c.execute(
            select(f.cabinet, f.path, f.own_access_id).where(f.own_access_id.is_not(None), t.IS_THERE).order_by(f.path)
        ):
            own.setdefault(r.cabinet, {})[r.path] = r.own_access_id
        found = []
        for cabinet in setup.cabinets:
            mine = own.get(cabinet.id, {})
            kept = select(d.id, d.caption, d.access_id).where(
                d.cabinet == cabinet.id, d.access_id.is_not(None), d.removed_at.is_(None)
            )
            below = [
                KeptPlace(
                    Spot(cabinet.id, split_path(path)), say_path(split_path(path)),
                    told_entries(setup, lists[key]),
                )
                for path, key in mine.items() if path
            ] + [
                KeptPlace(Spot(cabinet.id, document=r.id), r.caption, told_entries(setup, lists[r.access_id]))
                for r in c.execute(kept.order_by(d.number.desc()).limit(MOST_DOCUMENTS))
            ]  # fmt: skip
            entries = told_entries(setup, lists[mine[""]]) if "" in mine else None
            found.append(KeptPlace(Spot(cabinet.id), cabinet.name, entries, tuple(below)))
    return tuple(found)
