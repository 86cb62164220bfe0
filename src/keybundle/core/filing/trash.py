"""Out of the cabinets, into the trash and back whole; and out of the trash for good, so that nothing holds a document's words.

What is erased is gone from every table, from the index and the lessons; the files are named that nothing else needs.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import field
from typing import Any

from sqlalchemy import ColumnElement, Connection, delete, null, or_, select, update

from keybundle.core.base.days import month_of
from keybundle.core.base.errors import InputProblem, NotAllowed
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.fields.values import FieldValue
from keybundle.core.filing.commit import index_text
from keybundle.core.filing.gate import By, Change, Following, allow
from keybundle.core.filing.revise import as_it_was, revise
from keybundle.core.repository import audit, rows
from keybundle.core.repository.folders import count_document, follow_became, load_folders
from keybundle.core.repository.paths import say_path
from keybundle.core.repository.renaming import drop_unneeded
from keybundle.core.repository.store import AGAIN, TAKEN_BACK
from keybundle.core.rights.model import Right
from keybundle.core.search import index
from keybundle.core.store import ledger, work
from keybundle.core.store import schema as t
from keybundle.core.store.setup_parts import time_zone
from keybundle.core.store.texts import drop_texts

TRASH = "trash"


def throw_away(c: Connection, document_id: str, *, by: By, at: str, why: str) -> None:
    """Put a document into the trash: out of lists, counts and index; its versions stay. Raises NotAllowed."""
    d, who = t.document.c, by.person
    row = c.execute(select(t.document).where(d.id == document_id, d.removed_at.is_(None))).first()
    if row is None:
        raise InputProblem(message("store.document-no-longer-repository-nothing"))
    allow(c, by, document_id, Change.DELETE)
    changed = {"removed_at": at, "removed_as": TRASH, "removed_by": who, "removed_why": why}
    c.execute(update(t.document).where(d.id == document_id).values(changed))
    count_document(c, row.folder_id, row.access_id, -1)
    rows.write_values(c, document_id, {})
    rows.write_tags(c, document_id, ())
    index.remove(c, [document_id])
    audit.append(c, at, who, "deleted", document_id, {"caption": row.caption, "why": why})


def bring_back(c: Connection, document_id: str, *, by: By, at: str, locale: str) -> str:
    """Take a document out of the trash, as it was, and return its caption; raises InputProblem where it is not there.

    A folder that is called otherwise by now, or became another one, is its folder still: a further version says so.
    Raises NotAllowed where it may not be brought back, or not filed where it would lie.
    """
    d, who = t.document.c, by.person
    row = c.execute(select(t.document).where(d.id == document_id, d.removed_as == TRASH)).first()
    if row is None:
        raise InputProblem(message("trash.not-there"))
    allow(c, by, document_id, Change.BRING_BACK)
    changed = {"removed_at": None, "removed_as": None, "removed_by": None, "removed_why": None}
    c.execute(update(t.document).where(d.id == document_id).values(changed))
    v = t.version.c
    last = c.execute(select(t.version).where(v.document_id == document_id, v.number == row.version)).one()
    values = {name: FieldValue.from_json(data) for name, data in last.data.items()}
    rows.write_values(c, document_id, values)
    rows.write_tags(c, document_id, last.tags)
    count_document(c, row.folder_id, row.access_id, 1)
    folder = load_folders(c, [row.folder_id])[row.folder_id] if row.folder_id is not None else ()
    p = t.version_page.c
    texts = c.execute(
        select(p.text_id).where(p.document_id == document_id, p.version == row.version).order_by(p.position)
    ).scalars()
    of = index.Kept(row.type, row.cabinet, month_of(row.filed_at, time_zone(c)))
    index.put(c, index.FILED, document_id, row.caption, index_text(values, folder, last.tags), list(texts), of)
    audit.append(c, at, who, "brought back", document_id, {"caption": row.caption})
    rows.want_rendition(c, document_id, row.version, at)
    _place_anew(c, document_id, row.version, by=by, at=at, locale=locale)
    return str(row.caption)


def _place_anew(c: Connection, document_id: str, version: int, *, by: By, at: str, locale: str) -> None:
    """Let a document that came back say where its folder is by now; raises NotAllowed where it may not be filed there."""
    now = rows.folder_of_version(c, document_id, version)
    row = c.execute(select(t.document.c.cabinet, t.document.c.folder_id).where(t.document.c.id == document_id)).one()
    is_moved = row.folder_id is not None and follow_became(c, row.folder_id) != row.folder_id
    if is_moved and not by.may_there(c, row.cabinet, [value for _, value in now], Right.FILE):
        raise NotAllowed(message("correcting.may-not-file-there", name=by.name, place=say_path([v for _, v in now])))
    revise(
        c, document_id, as_it_was(c, document_id, version), by=Following(by.person, by.name), base=None, at=at,
        comment=message("version.brought-back"), locale=locale,
    )  # fmt: skip


def erase(c: Connection, document_id: str, *, by: By, at: str) -> tuple[list[str], list[str]]:
    """Erase a document of the trash for good; return its files (SHA-256) that nothing needs any more, and the others.

    What was filed of the same document before, and taken back, goes with it. What is to be taken away outside of the
    database is noted as work. Raises InputProblem where the document is not in the trash, or its batch is still open;
    NotAllowed. Folders that nothing needs afterwards go with it.
    """
    d, b = t.document.c, t.batch.c
    row = c.execute(select(t.document).where(d.id == document_id, d.removed_as == TRASH)).first()
    if row is None:
        raise InputProblem(message("trash.not-there"))
    open_batch = select(b.id).where(b.id == row.batch_id, b.closed_at.is_(None))
    if row.batch_id is not None and c.execute(open_batch).first() is not None:
        raise InputProblem(message("trash.batch-open", caption=row.caption))
    allow(c, by, document_id, Change.ERASE)
    key = row.filing_key.split(AGAIN)[0]
    found = _Gone()
    for one in [document_id, *_taken_back(c, d.filing_key.startswith(f"{key}{AGAIN}", autoescape=True))]:
        _erase_document(c, one, key, found)
    _erase_in_batch(c, row.batch_id, document_id, found)
    _drop_what_is_left(c, found, at)
    audit.append(c, at, by.person, "erased", document_id, {})
    free = [sha for sha in dict.fromkeys(found.shas) if not ledger.is_held(c, sha)]
    return free, sorted(set(found.shas) - set(free))


def erase_sides(c: Connection, batch_id: str, *, at: str) -> int:
    """Erase what a closed batch holds of sides that are in no filed document, but for their count; return how many they were.

    What was filed of them before, and taken back, goes with them.
    """
    p, d, found = t.page.c, t.document.c, _Gone()
    ids = list(c.execute(select(p.id).where(p.batch_id == batch_id, p.document_id.is_(None))).scalars())
    for one in _taken_back(c, d.batch_id == batch_id):
        key = str(c.execute(select(d.filing_key).where(d.id == one)).scalar_one()).split(AGAIN)[0]
        if c.execute(select(d.id).where(d.filing_key == key)).first() is None:
            _erase_document(c, one, key, found)
    _blank_sides(c, batch_id, ids, found)
    _drop_what_is_left(c, found, at)
    return len(ids)


@dataclass
class _Gone:
    """What an erasing took from the tables: names of files, numbers of texts, folders, and what pictures are called by."""

    shas: list[str] = field(default_factory=list)
    texts: list[int] = field(default_factory=list)
    folders: list[int] = field(default_factory=list)
    names: list[str] = field(default_factory=list)


def _taken_back(c: Connection, which: ColumnElement[bool]) -> list[str]:
    d = t.document.c
    return list(c.execute(select(d.id).where(d.removed_as == TAKEN_BACK, which)).scalars())


def _erase_document(c: Connection, document_id: str, key: str, found: _Gone) -> None:
    """Take a document, of which nothing is to stay, out of every table; it holds no file any more."""
    d, p, v, r = t.document.c, t.version_page.c, t.version.c, t.rendition.c
    pages = c.execute(select(p.page_id, p.file_sha, p.flat_sha, p.text_id).where(p.document_id == document_id)).all()
    made = c.execute(select(r.sha).where(r.document_id == document_id, r.sha.is_not(None))).scalars()
    shas = {sha for page in pages for sha in (page.file_sha, page.flat_sha) if sha} | set(made)
    own = select(d.folder_id).where(d.id == document_id, d.folder_id.is_not(None))
    then = select(v.folder_id).where(v.document_id == document_id, v.folder_id.is_not(None))
    found.folders += c.execute(own.union(then)).scalars()
    found.shas += sorted(shas)
    found.texts += sorted({page.text_id for page in pages})
    found.names += [document_id, *dict.fromkeys(page.page_id for page in pages)]
    versions = c.execute(select(v.number).where(v.document_id == document_id)).scalars()
    work.drop(c, work.RENDITION, [f"{document_id}/{number}" for number in versions])
    work.drop(c, work.COPY, [document_id])
    index.remove(c, [document_id])
    for table in (t.document_value, t.document_tag, t.rendition, t.version_page, t.version, t.filing_entry):
        c.execute(delete(table).where(table.c.document_id == document_id))
    for lessons in (t.example, t.outcome):
        c.execute(delete(lessons).where(or_(lessons.c.document == document_id, lessons.c.document == key)))
    # What was typed over words of it, for it alone or for several (their ids stand together).
    c.execute(delete(t.draft).where(t.draft.c.subject.contains(document_id, autoescape=True)))
    c.execute(delete(t.document).where(d.id == document_id))
    ledger.let_go(c, ledger.DOCUMENT, document_id, shas)
    audit.purge(c, document_id)


def _drop_what_is_left(c: Connection, found: _Gone, at: str) -> None:
    """Let go of folders and texts that nothing needs any more, and note what is to be taken away outside of the database."""
    drop_unneeded(c, found.folders)
    drop_texts(c, found.texts)
    for name in dict.fromkeys(found.names):
        work.due(c, at, work.ERASE_PICTURES, name)
    ledger.take_away_unheld(c, at, found.shas)


def _erase_in_batch(c: Connection, batch_id: str | None, document_id: str, found: _Gone) -> None:
    """Let the closed batches that an erased document's pages came with keep their count of sides, and none of their words.

    A side that another document has too, or that waits in an open batch, is that one's, and stays.
    """
    bd, p, b, v = t.batch_document.c, t.page.c, t.batch.c, t.version_page.c
    own: list[str] = []
    if batch_id is not None:
        own = list(c.execute(select(bd.id).where(bd.batch_id == batch_id, bd.filed_id == document_id)).scalars())
        c.execute(delete(t.batch_value).where(t.batch_value.c.document_id.in_(own)))
        empty: dict[str, Any] = {"tags": [], "type_because": None, "type_rival": None, "trouble": ""}
        c.execute(update(t.batch_document).where(bd.id.in_(own)).values(empty))
    closed = select(p.id, p.batch_id).join(t.batch, b.id == p.batch_id).where(b.closed_at.is_not(None))
    closed = closed.where(~select(v.page_id).where(v.page_id == p.id).exists())
    sides = c.execute(closed.where(or_(p.document_id.in_(own), p.id.in_(found.names)))).all()
    for of in dict.fromkeys(side.batch_id for side in sides):
        _blank_sides(c, of, [side.id for side in sides if side.batch_id == of], found)


def _blank_sides(c: Connection, batch_id: str, pages: Sequence[str], found: _Gone) -> None:
    """Let sides be no more than a count: no names, no words, no way back to them; they hold no file any more."""
    p = t.page.c
    asked = select(p.id, p.text_id, p.file_sha, p.arrival, p.facts["flat_sha"].as_string().label("flat"))
    rows = c.execute(asked.where(p.id.in_(pages))).all()
    for row in rows:
        ledger.let_go(c, ledger.PAGE, row.id, [row.file_sha, row.flat or ""])
        found.shas += [sha for sha in (row.file_sha, row.flat) if sha]
        found.texts += [row.text_id] if row.text_id is not None else []
        found.names.append(row.id)
    blank = {"text_id": None, "facts": null(), "source": "", "name": "", "note": None}
    c.execute(update(t.page).where(p.id.in_(pages)).values(blank))
    a, arrivals = t.arrival.c, list({row.arrival for row in rows})
    still_named = select(p.arrival).where(p.arrival.in_(arrivals), p.source != "")
    gone = update(t.arrival).where(a.id.in_(arrivals), a.id.not_in(still_named))
    c.execute(gone.values(name="", name_bytes=None, tree="", sha="", brought=None))
    index.remove(c, pages)
    c.execute(delete(t.step).where(t.step.c.batch_id == batch_id))


def settle_index(c: Connection) -> bool:
    """Do a piece of the index's own clearing up, after which it holds no word that was taken out; False once it is done."""
    before = c.exec_driver_sql("SELECT total_changes()").scalar_one()
    c.exec_driver_sql("INSERT INTO search_text(search_text, rank) VALUES ('merge', -500)")
    after = c.exec_driver_sql("SELECT total_changes()").scalar_one()
    return int(after) - int(before) >= 2
