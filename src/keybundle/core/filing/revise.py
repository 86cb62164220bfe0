"""The one way to change what is filed: a pure command on a document makes its next version, or nothing.

A version keeps values, type, folder, caption, tags and pages as they were; the current one's are what lists and the index
know. A change that was made on an older revision is refused in words. Taking a change back is a further version with what
stood before; nothing is ever written over.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any, NoReturn

from sqlalchemy import Connection, insert, select, update

from keybundle.core.base.days import month_of
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.fields.values import FieldValue
from keybundle.core.filing.commit import index_text
from keybundle.core.filing.gate import By, Change, allow, allow_move
from keybundle.core.repository import audit, rows
from keybundle.core.repository.folders import count_document, ensure_folder, load_folders
from keybundle.core.repository.model import FiledDocument, FiledPage
from keybundle.core.repository.paths import join_path
from keybundle.core.search import index
from keybundle.core.store import schema as t
from keybundle.core.store.setup_parts import person_name, time_zone

Command = Callable[[FiledDocument], FiledDocument]


def set_values(values: Mapping[str, FieldValue], caption: str) -> Command:
    """Return the command that puts values, some of them perhaps empty, in place of a document's."""

    def command(before: FiledDocument) -> FiledDocument:
        merged = {**before.values, **values}
        return replace(before, values={k: v for k, v in merged.items() if v.items}, caption=caption)

    return command


def move_to(cabinet: str, folder: tuple[tuple[str, str], ...]) -> Command:
    """Return the command that files a document in another folder; values that only the folder gives go with it."""

    def command(before: FiledDocument) -> FiledDocument:
        old = {field for field, value in before.folder if before.values.get(field, NO_VALUE).items == (value,)}
        new = dict(folder)
        values = {k: v for k, v in before.values.items() if k not in old or k in new}
        other = {k: v for k, v in new.items() if values.get(k, NO_VALUE).items != (v,)}
        values |= {k: FieldValue((v,), 1.0, sure=True) for k, v in other.items()}
        return replace(before, cabinet=cabinet, folder=folder, values=values)

    return command


NO_VALUE = FieldValue(())


def both(first: Command, second: Command) -> Command:
    """Return the command that does one thing and then another, as one version."""
    return lambda before: second(first(before))


def revise(
    c: Connection, document_id: str, command: Command, *, by: By, base: int | None, at: str, comment: str, locale: str,
    named: Mapping[str, str] | None = None, what: Change = Change.VALUES, follows: bool = False,
) -> FiledDocument:  # fmt: skip
    """Write the next version of a document in the caller's transaction and return it; the same where nothing changed.

    ``base`` is the revision that the change was made on (None: whatever it is now), ``named`` what fields are called, for the
    audit trail; ``follows`` says that it goes to another folder for values that this very change corrects. Raises InputProblem
    where the document has moved on since, and who did that; NotAllowed where ``by`` may not do it, or not bring it there.
    """
    row = c.execute(rows.documents_where(t.document.c.id == document_id)).first()
    if row is None:
        raise InputProblem(message("store.document-no-longer-repository-nothing"))
    allow(c, by, document_id, what)
    before = rows.load_document(c, row)
    if base is not None and base != before.revision:
        refuse_older(c, before)
    after = command(before)
    if after == before:
        return before
    who, folder_id = by.person, row.folder_id
    if (after.cabinet, after.folder) != (before.cabinet, before.folder):
        allow_move(c, by, document_id, after.cabinet, [value for _, value in after.folder], follows=follows)
        folder_id = ensure_folder(c, after.cabinet, after.folder, locale)
        placed = load_folders(c, [folder_id])[folder_id]
        after = replace(after, folder=placed, values=rows.as_placed(after.values, after.folder, placed))
        if after == before:
            return before
    number = before.version + 1
    _write_version(c, after, number, folder_id, who=who, at=at, comment=comment)
    changed = {
        "type": after.type, "caption": after.caption, "cabinet": after.cabinet, "folder_id": folder_id,
        "pages": len(after.pages), "version": number, "revision": before.revision + 1,
    }  # fmt: skip
    c.execute(update(t.document).where(t.document.c.id == document_id).values(changed))
    if folder_id != row.folder_id:
        count_document(c, row.folder_id, row.access_id, -1)
        count_document(c, folder_id, row.access_id, 1)
    texts = rows.insert_pages(c, document_id, number, after.pages)
    _keep_rendition(c, before, after, number, at)
    rows.write_values(c, document_id, after.values)
    rows.write_tags(c, document_id, after.tags)
    said = index_text(after.values, after.folder, after.tags)
    of = index.Kept(after.type, after.cabinet, month_of(after.filed_at, time_zone(c)))
    index.put(c, index.FILED, document_id, after.caption, said, texts, of)
    audit.append(c, at, who, "revised", document_id, _difference(before, after, named or {}))
    return replace(after, version=number, revision=before.revision + 1)


def refuse_older(c: Connection, now: FiledDocument) -> NoReturn:
    """Raise InputProblem: a change was made on an older revision than a document has now, and who changed it."""
    v = t.version.c
    last = c.execute(select(v.who).where(v.document_id == now.id, v.number == now.version)).scalar() or ""
    raise InputProblem(message("revise.changed-meanwhile", caption=now.caption, name=person_name(c, last)))


def _write_version(
    c: Connection, after: FiledDocument, number: int, folder_id: int, *, who: str, at: str, comment: str
) -> None:
    c.execute(
        insert(t.version).values(
            document_id=after.id, number=number, at=at, who=who, comment=comment, type=after.type, folder_id=folder_id,
            path=join_path([value for _, value in after.folder]), caption=after.caption, tags=list(after.tags),
            data={name: v.to_json() for name, v in after.values.items()},
        )
    )  # fmt: skip


def _keep_rendition(c: Connection, before: FiledDocument, after: FiledDocument, number: int, at: str) -> None:
    """Let the PDF of the version before stand for this one too where its pages are the same; else it is to be made."""
    is_same = _pictures(before.pages) == _pictures(after.pages) and bool(before.pdf_sha)
    rows.insert_rendition(c, after.id, number, before.pdf_sha if is_same else "", at)


def _pictures(pages: tuple[FiledPage, ...]) -> list[tuple[Any, ...]]:
    return [(p.picture, p.frame, p.text, p.colour, p.steps) for p in pages]


def _difference(before: FiledDocument, after: FiledDocument, named: Mapping[str, str]) -> dict[str, Any]:
    """Return what the audit trail keeps of a change: each thing that is another now, before and after."""
    names = [n for n in (*before.values, *after.values) if before.values.get(n) != after.values.get(n)]
    found: dict[str, Any] = {
        "values": {
            n: [list(before.values.get(n, NO_VALUE).items), list(after.values.get(n, NO_VALUE).items)]
            for n in dict.fromkeys(names)
        }
    }
    if called := {n: named[n] for n in names if named.get(n, n) != n}:
        found["names"] = called
    for name in ("caption", "type", "cabinet"):
        if getattr(before, name) != getattr(after, name):
            found[name] = [getattr(before, name), getattr(after, name)]
    if before.folder != after.folder:
        found["folder"] = [[v for _, v in before.folder], [v for _, v in after.folder]]
    if before.pages != after.pages:
        found["pages"] = [[p.page_id for p in before.pages], [p.page_id for p in after.pages]]
    return found


def as_it_was(c: Connection, document_id: str, number: int) -> Command:
    """Return the command that makes a document what it was in an earlier version; raises InputProblem for none such.

    Its tags stay as they are: they are changed by themselves. A folder that is called otherwise by now, or became another
    one, is that folder still, and the document says what it is called.
    """
    then = rows.load_version(c, document_id, number)
    if then is None:
        raise InputProblem(message("revise.no-such-version", number=number))
    folder = rows.folder_of_version(c, document_id, number)
    values = rows.as_placed(then.values, then.folder, folder)
    return lambda before: replace(
        before,
        type=then.type,
        caption=then.caption,
        cabinet=then.cabinet,
        folder=folder,
        values=values,
        pages=then.pages,
    )


def revision_standing_as(c: Connection, document_id: str, number: int, *, known: int) -> int | None:
    """Return the revision of a document that is now what it was in a version, by whatever way; None where it is not.

    A change that was made and put back again leaves it so, and what was changed before can be put back in its turn. It is
    so too where it has the revision ``known`` of then: nobody has changed it since, whatever its folder is called by now.
    """
    row = c.execute(rows.documents_where(t.document.c.id == document_id)).first()
    if row is None:
        return None
    if row.revision == known:
        return known
    now = rows.load_document(c, row)
    return now.revision if as_it_was(c, document_id, number)(now) == now else None
