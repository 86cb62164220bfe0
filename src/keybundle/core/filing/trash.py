"""Out of the cabinets, into the trash and back whole; and out of the trash for good, so that nothing holds a document's words.

What is erased is gone from every table, from the index and the lessons; the files are named that nothing else needs.
"""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import Connection, delete, insert, null, or_, select, text, update

from keybundle.core.base.days import month_of
from keybundle.core.base.errors import InputProblem, NotAllowed
from keybundle.core.base.messages import message
from keybundle.core.fields.values import FieldValue
from keybundle.core.filing.commit import index_text
from keybundle.core.filing.gate import By, Change, Following, allow
from keybundle.core.filing.revise import as_it_was, revise
from keybundle.core.repository import audit, rows
from keybundle.core.repository.folders import count_document, follow_became, load_folders
from keybundle.core.repository.paths import say_path
from keybundle.core.repository.renaming import drop_unneeded
from keybundle.core.rights.model import Right
from keybundle.core.search import index
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
    """Erase a document of the trash for good; return its files (SHA-256) that nothing names any more, and the others.

    What is to be taken away outside of the database is noted as due (``erase_due``). Raises InputProblem where the document
    is not in the trash, or its batch is still open; NotAllowed. Folders that nothing needs afterwards go with it.
    """
    d, who = t.document.c, by.person
    row = c.execute(select(t.document).where(d.id == document_id, d.removed_as == TRASH)).first()
    if row is None:
        raise InputProblem(message("trash.not-there"))
    b = t.batch.c
    if (
        row.batch_id is not None
        and c.execute(select(b.id).where(b.id == row.batch_id, b.closed_at.is_(None))).first() is not None
    ):
        raise InputProblem(message("trash.batch-open", caption=row.caption))
    allow(c, by, document_id, Change.ERASE)
    shas, texts = _of_versions(c, document_id)
    folders = _folders_of(c, document_id)
    p = t.version_page.c
    pages = list(c.execute(select(p.page_id).where(p.document_id == document_id).distinct()).scalars())
    index.remove(c, [document_id])
    for table in (t.document_value, t.document_tag, t.rendition, t.version_page, t.version, t.copy_due):
        c.execute(delete(table).where(table.c.document_id == document_id))
    c.execute(delete(t.filing_entry).where(t.filing_entry.c.document_id == document_id))
    for table in (t.example, t.outcome):
        c.execute(delete(table).where(or_(table.c.document == document_id, table.c.document == row.filing_key)))
    _erase_in_batch(c, row.batch_id, document_id, texts)
    c.execute(delete(t.document).where(d.id == document_id))
    drop_unneeded(c, folders)
    drop_texts(c, texts)
    audit.purge(c, document_id)
    audit.append(c, at, who, "erased", document_id, {})
    return _make_due(c, shas, [*pages, document_id], at)


def _make_due(c: Connection, shas: Sequence[str], names: Sequence[str], at: str) -> tuple[list[str], list[str]]:
    """Note what is to be taken away outside of the database; return the files that nothing names any more, and the others."""
    kept = [sha for sha in shas if is_named(c, sha)]
    gone = [sha for sha in shas if sha not in kept]
    f = t.stored_file.c
    stored = {sha: at for sha, at in c.execute(select(f.sha, f.at).where(f.sha.in_(gone))).all()}
    due = [(name, False, at) for name in names] + [(sha, True, stored.get(sha, at)) for sha in gone]
    for name, is_file, since in due:
        c.execute(insert(t.erase_due).prefix_with("OR REPLACE").values(name=name, is_file=is_file, stored_at=since))
    c.execute(delete(t.stored_file).where(t.stored_file.c.sha.in_(gone)))
    return gone, kept


def erase_sides(c: Connection, batch_id: str, *, at: str) -> int:
    """Erase what a closed batch holds of sides that are in no document, but for their count; return how many they were."""
    p = t.page.c
    rows = c.execute(
        select(p.id, p.text_id, p.file_sha, p.facts["flat_sha"].as_string().label("flat"))
        .where(p.batch_id == batch_id, p.document_id.is_(None))
    ).all()  # fmt: skip
    ids = [r.id for r in rows]
    _blank_sides(c, batch_id, ids)
    drop_texts(c, [r.text_id for r in rows if r.text_id is not None])
    _make_due(c, sorted({sha for r in rows for sha in (r.file_sha, r.flat) if sha}), ids, at)
    return len(rows)


def _folders_of(c: Connection, document_id: str) -> list[int]:
    """Return the folders that a document lies in or has ever lain in."""
    d, v = t.document.c, t.version.c
    own = select(d.folder_id).where(d.id == document_id, d.folder_id.is_not(None))
    then = select(v.folder_id).where(v.document_id == document_id, v.folder_id.is_not(None))
    return list(c.execute(own.union(then)).scalars())


def _of_versions(c: Connection, document_id: str) -> tuple[list[str], list[int]]:
    p, r = t.version_page.c, t.rendition.c
    pages = c.execute(select(p.file_sha, p.flat_sha, p.text_id).where(p.document_id == document_id)).all()
    made = c.execute(select(r.sha).where(r.document_id == document_id, r.sha.is_not(None))).scalars()
    shas = {sha for page in pages for sha in (page.file_sha, page.flat_sha) if sha} | set(made)
    return sorted(shas), sorted({page.text_id for page in pages})


def _erase_in_batch(c: Connection, batch_id: str | None, document_id: str, texts: list[int]) -> None:
    """Let the closed batch that a document came with keep its count of sides, and none of its words."""
    if batch_id is None:
        return
    bd, p = t.batch_document.c, t.page.c
    own = list(c.execute(select(bd.id).where(bd.batch_id == batch_id, bd.filed_id == document_id)).scalars())
    c.execute(delete(t.batch_value).where(t.batch_value.c.document_id.in_(own)))
    c.execute(
        update(t.batch_document).where(bd.id.in_(own)).values(tags=[], type_because=None, type_rival=None, trouble="")
    )
    pages = list(c.execute(select(p.id).where(or_(p.document_id.in_(own), p.text_id.in_(texts)))).scalars())
    _blank_sides(c, batch_id, pages)


def _blank_sides(c: Connection, batch_id: str, pages: Sequence[str]) -> None:
    """Let sides be no more than a count: no names, no words, no way back to them."""
    p = t.page.c
    arrivals = list(c.execute(select(p.arrival).where(p.id.in_(pages)).distinct()).scalars())
    blank = {"text_id": None, "facts": null(), "source": "", "name": "", "note": None}
    c.execute(update(t.page).where(p.id.in_(pages)).values(blank))
    a = t.arrival.c
    still_named = select(p.arrival).where(p.arrival.in_(arrivals), p.source != "")
    gone = update(t.arrival).where(a.id.in_(arrivals), a.id.not_in(still_named))
    c.execute(gone.values(name="", name_bytes=None, tree="", sha="", brought=None))
    index.remove(c, pages)
    c.execute(delete(t.step).where(t.step.c.batch_id == batch_id))


def is_named(c: Connection, sha: str) -> bool:
    """Whether a page of a batch or a version, or a rendition, still needs a file; one that lies in the trash needs it too."""
    asked = text(
        "SELECT 1 FROM version_page WHERE file_sha = :sha UNION ALL SELECT 1 FROM version_page WHERE flat_sha = :sha AND "
        "flat_sha != '' UNION ALL SELECT 1 FROM rendition WHERE sha = :sha AND sha IS NOT NULL "
        "UNION ALL SELECT 1 FROM page WHERE file_sha = :sha AND facts IS NOT NULL LIMIT 1"
    )
    return c.execute(asked, {"sha": sha}).first() is not None


def settle_index(c: Connection) -> bool:
    """Do a piece of the index's own clearing up, after which it holds no word that was taken out; False once it is done."""
    before = c.exec_driver_sql("SELECT total_changes()").scalar_one()
    c.exec_driver_sql("INSERT INTO search_text(search_text, rank) VALUES ('merge', -500)")
    after = c.exec_driver_sql("SELECT total_changes()").scalar_one()
    return int(after) - int(before) >= 2
