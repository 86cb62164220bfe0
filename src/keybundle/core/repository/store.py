"""Cabinets' folders and documents in the database. Every call that writes takes part in the caller's transaction."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import astuple
from decimal import Decimal, InvalidOperation
from typing import Any

from sqlalchemy import Connection, Row, delete, func, insert, select, update

from keybundle.core.base.boxes import Frame
from keybundle.core.base.clock import Clock
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.folding import fold
from keybundle.core.base.messages import message
from keybundle.core.fields.values import FieldValue
from keybundle.core.repository import access, audit
from keybundle.core.repository.access import EVERYTHING, View
from keybundle.core.repository.model import ColumnEntry, FiledDocument, FiledPage, NewDocument
from keybundle.core.rights.model import AccessList
from keybundle.core.store import schema as t
from keybundle.core.store.database import Database

SEPARATOR = "\x1f"
MOST_BOUND = 500


def to_number(text: str) -> float | None:
    """Return the value as a number for range queries, or None."""
    try:
        number = float(Decimal(text))
    except (InvalidOperation, ValueError):
        return None
    return number if math.isfinite(number) else None


class Repository:
    """The repository of a data directory."""

    def __init__(self, database: Database, clock: Clock) -> None:
        self._db = database
        self._clock = clock

    def find_key(self, key: str) -> str | None:
        """Return the document filed under a filing key."""
        with self._db.read() as c:
            found: str | None = c.execute(select(t.document.c.id).where(t.document.c.filing_key == key)).scalar()
            return found

    def add(self, new: NewDocument, who: str) -> str:
        """Put a document in its folder and return its id; one already filed under the same key is left as it is."""
        with self._db.atomic() as c:
            known = self.find_key(new.key)
            if known is not None:
                return known
            folder_id = self._ensure_folder(c, new.cabinet, new.folder)
            document_id, at = self._clock.new_id(), self._clock.stamp()
            number = (c.execute(select(func.max(t.document.c.number))).scalar() or 0) + 1
            c.execute(
                insert(t.document).values(
                    id=document_id, number=number, cabinet=new.cabinet, folder_id=folder_id, type=new.type,
                    caption=new.caption, filed_at=at, filed_by=who, filing_key=new.key, batch_id=new.batch_id,
                    received_at=new.received_at,
                )
            )  # fmt: skip
            c.execute(
                insert(t.version).values(
                    document_id=document_id, number=1, at=at, who=who, comment="as filed", pdf_sha=new.pdf_sha
                )
            )
            _insert_pages(c, document_id, new.pages)
            _insert_values(c, document_id, {**new.values, **_folder_values(new)})
            _insert_tags(c, document_id, new.tags)
            for sha in {new.pdf_sha, *(p.file_sha for p in new.pages), *(p.picture[0] for p in new.pages)}:
                _know_file(c, sha, at)
            place = [value for _, value in new.folder]
            audit.append(c, at, who, "filed", document_id, {
                "cabinet": new.named[1] or new.cabinet, "folder": place, "type": new.named[0] or new.type,
                "ids": {"cabinet": new.cabinet, "type": new.type}, "caption": new.caption, "pdf": new.pdf_sha,
                "pages": [p.file_sha for p in new.pages],
                "values": {name: list(v.items) for name, v in new.values.items()},
            })  # fmt: skip
            return document_id

    def take_back(self, document_id: str, who: str) -> None:
        """Take a document out of its folder again; its rows stay, marked, and its filing key becomes free."""
        with self._db.atomic() as c:
            row = c.execute(select(t.document).where(t.document.c.id == document_id)).first()
            if row is None or row.removed_at is not None:
                raise InputProblem(message("store.document-no-longer-repository-nothing"))
            at = self._clock.stamp()
            changed = {"removed_at": at, "filing_key": f"{row.filing_key}#{document_id}"}
            c.execute(update(t.document).where(t.document.c.id == document_id).values(changed))
            c.execute(delete(t.document_value).where(t.document_value.c.document_id == document_id))
            c.execute(delete(t.document_tag).where(t.document_tag.c.document_id == document_id))
            audit.append(c, at, who, "taken back", document_id, {"caption": row.caption})

    def set_tags(self, document_id: str, tags: Sequence[str], who: str) -> None:
        """Give a document other tags; raises InputProblem when it is not there."""
        with self._db.atomic() as c:
            before = self.load(document_id, with_pages=False).tags
            if tuple(tags) != before:
                c.execute(delete(t.document_tag).where(t.document_tag.c.document_id == document_id))
                _insert_tags(c, document_id, tags)
                told = {"before": list(before), "after": list(tags)}
                audit.append(c, self._clock.stamp(), who, "tags changed", document_id, told)

    def _ensure_folder(self, c: Connection, cabinet: str, folder: Sequence[tuple[str, str]]) -> int:
        parent = access.ensure_root(c, cabinet)
        path: list[str] = []
        for level, (name, value) in enumerate(folder):
            path.append(value)
            joined = SEPARATOR.join(path)
            chosen = select(t.folder.c.id).where(t.folder.c.cabinet == cabinet, t.folder.c.path == joined)
            found: int | None = c.execute(chosen).scalar()
            if found is None:
                made = insert(t.folder).values(
                    cabinet=cabinet, parent_id=parent, level=level, field=name, value=value, path=joined,
                    access_id=access.list_of_folder(c, parent),
                )  # fmt: skip
                found = int(c.execute(made.returning(t.folder.c.id)).scalar_one())
            parent = found
        return parent

    def nearest_list(self, cabinet: str, folder: Sequence[str]) -> AccessList | None:
        """Return the list that counts at a folder, there or not yet: that of the deepest part of its path that is there."""
        with self._db.read() as c:
            for depth in range(len(folder), -1, -1):
                found = access.find_folder(c, cabinet, SEPARATOR.join(folder[:depth]))
                if found is not None:
                    return access.load_list(c, found.access_id)
        return None

    def load(self, document_id: str, *, with_pages: bool = True, view: View = EVERYTHING) -> FiledDocument:
        """Return a document; raises InputProblem when it is not there, or not in view."""
        with self._db.read() as c:
            row = c.execute(
                select(t.document, t.version.c.number.label("version"), t.version.c.pdf_sha)
                .join(t.version, t.version.c.document_id == t.document.c.id)
                .where(t.document.c.id == document_id, t.document.c.removed_at.is_(None), *view.documents())
                .order_by(t.version.c.number.desc())
            ).first()
            if row is None:
                raise InputProblem(message("store.document-no-longer-repository"))
            pages = _load_pages(c, document_id, row.version) if with_pages else ()
            values, tags = _load_values(c, [document_id]), _load_tags(c, [document_id])
            return _filed(
                row, _load_folder(c, row.folder_id), values.get(document_id, {}), pages, tags.get(document_id, ())
            )

    def count(self, cabinet: str | None = None, *, view: View = EVERYTHING) -> int:
        """Return how many documents there are in view."""
        chosen = (
            select(func.count()).select_from(t.document).where(t.document.c.removed_at.is_(None), *view.documents())
        )
        with self._db.read() as c:
            return int(c.execute(chosen.where(t.document.c.cabinet == cabinet) if cabinet else chosen).scalar() or 0)

    def column(
        self, cabinet: str, field: str, chosen: Mapping[str, str], *, view: View = EVERYTHING
    ) -> list[ColumnEntry]:
        """Return a folder field's values with counts, among the documents below the values chosen in other columns."""
        v = t.document_value
        query = (
            select(v.c.value, func.count())
            .join(t.document, t.document.c.id == v.c.document_id)
            .where(v.c.field == field, t.document.c.cabinet == cabinet, t.document.c.removed_at.is_(None))
            .where(*view.documents())
            .group_by(v.c.value)
            .order_by(v.c.value)
        )
        for name, value in chosen.items():
            query = query.where(_has_value(name, value))
        with self._db.read() as c:
            return [ColumnEntry(row[0], row[1]) for row in c.execute(query)]

    def find_same(
        self, type_name: str, values: Mapping[str, str], limit: int = 3, *, view: View = EVERYTHING
    ) -> list[tuple[str, str]]:
        """Return (id, caption) of documents of a type that hold all these values, the newest first."""
        d = t.document.c
        query = select(d.id, d.caption).where(d.type == type_name, d.removed_at.is_(None), *view.documents())
        for name, value in values.items():
            query = query.where(_has_value(name, value))
        with self._db.read() as c:
            return [(r.id, r.caption) for r in c.execute(query.order_by(d.number.desc()).limit(limit))]

    def known_values(self, type_name: str, field: str, values: Sequence[str]) -> set[str]:
        """Return which of these values some document of a type holds in a field."""
        v, d, found = t.document_value.c, t.document.c, set[str]()
        with self._db.read() as c:
            for start in range(0, len(values), MOST_BOUND):
                chosen = select(v.value).distinct().join(t.document, d.id == v.document_id).where(
                    v.field == field, v.folded.in_([fold(x) for x in values[start : start + MOST_BOUND]]),
                    d.type == type_name, d.removed_at.is_(None),
                )  # fmt: skip
                found |= set(c.execute(chosen).scalars())
        return found

    def earlier_values(
        self, field: str, typed: str, limit: int = 8, *, view: View = EVERYTHING
    ) -> list[tuple[str, int]]:
        """Return (value, number of documents) of a field's earlier values that begin with a text, the most used first."""
        v = t.document_value.c
        low = fold(typed.strip())
        chosen = select(v.value, func.count().label("n")).where(v.field == field)
        if view.hidden:
            chosen = chosen.join(t.document, t.document.c.id == v.document_id).where(*view.documents())
        if low:
            chosen = chosen.where(v.folded >= low, v.folded < low + "\uffff")
        with self._db.read() as c:
            rows = c.execute(chosen.group_by(v.value).order_by(func.count().desc(), v.value).limit(limit))
            return [(r.value, int(r.n)) for r in rows]

    def list_folders(
        self, cabinet: str, typed: str, limit: int = 200, *, view: View = EVERYTHING
    ) -> list[tuple[str, ...]]:
        """Return the paths of a cabinet's deepest folders that hold every typed word, by name."""
        f = t.folder.c
        inner = t.folder.alias().c
        below = select(inner.parent_id).where(inner.parent_id.is_not(None))
        words = typed.casefold().split()
        with self._db.read() as c:
            is_deepest = (f.cabinet == cabinet, f.path != "", f.id.not_in(below))
            rows = c.execute(select(f.path).where(*is_deepest, *view.folders()).order_by(f.path))
            paths = (tuple(r.path.split(SEPARATOR)) for r in rows)
            found = (p for p in paths if all(w in " ".join(p).casefold() for w in words))
            return [p for p, _ in zip(found, range(limit), strict=False)]

    def recent_folders(self, cabinet: str, limit: int = 6, *, view: View = EVERYTHING) -> list[tuple[str, ...]]:
        """Return the paths of the folders that documents were filed to last."""
        d, f = t.document.c, t.folder.c
        last = func.max(d.number)
        chosen = (
            select(f.path).join(t.document, d.folder_id == f.id).where(d.cabinet == cabinet, d.removed_at.is_(None))
        ).where(f.path != "", *view.documents())
        with self._db.read() as c:
            return [
                tuple(r.path.split(SEPARATOR))
                for r in c.execute(chosen.group_by(f.path).order_by(last.desc()).limit(limit))
            ]

    def list_ids(self, cabinet: str, chosen: Mapping[str, str], *, view: View = EVERYTHING) -> list[str]:
        """Return the documents below the chosen values, newest first."""
        query = select(t.document.c.id).where(t.document.c.cabinet == cabinet, t.document.c.removed_at.is_(None))
        query = query.where(*view.documents())
        for name, value in chosen.items():
            query = query.where(_has_value(name, value))
        with self._db.read() as c:
            return list(c.execute(query.order_by(t.document.c.filed_at.desc(), t.document.c.number.desc())).scalars())

    def count_pages(self, document_ids: Sequence[str]) -> dict[str, int]:
        """Return how many pages the newest version of each document has."""
        v, p, found = t.version.c, t.version_page.c, dict[str, int]()
        newest = select(v.document_id, func.max(v.number).label("number")).group_by(v.document_id).subquery()
        with self._db.read() as c:
            for start in range(0, len(document_ids), MOST_BOUND):
                some = document_ids[start : start + MOST_BOUND]
                chosen = (
                    select(p.document_id, func.count())
                    .join(newest, (newest.c.document_id == p.document_id) & (newest.c.number == p.version))
                    .where(p.document_id.in_(some), newest.c.document_id.in_(some))
                    .group_by(p.document_id)
                )
                found |= {row[0]: row[1] for row in c.execute(chosen)}
        return found

    def shared_files(self, document_id: str) -> list[str]:
        """Return which files of a document's pages hold pages of other documents too, by SHA-256."""
        p, d = t.version_page.c, t.document.c
        own = select(p.file_sha).where(p.document_id == document_id)
        others = (
            select(p.file_sha)
            .distinct()
            .join(t.document, d.id == p.document_id)
            .where(p.file_sha.in_(own), p.document_id != document_id, d.removed_at.is_(None))
        )
        with self._db.read() as c:
            return list(c.execute(others).scalars())

    def load_many(
        self, document_ids: Sequence[str], *, with_values: bool = True, view: View = EVERYTHING
    ) -> dict[str, FiledDocument]:
        """Return documents in view without their pages, by id; on request without values and tags."""
        with self._db.read() as c:
            rows = c.execute(
                select(t.document, t.version.c.number.label("version"), t.version.c.pdf_sha)
                .join(t.version, t.version.c.document_id == t.document.c.id)
                .where(t.document.c.id.in_(document_ids), t.document.c.removed_at.is_(None), *view.documents())
                .order_by(t.version.c.number)
            ).all()
            asked = [r.id for r in rows] if with_values else ()
            values, tags = _load_values(c, asked), _load_tags(c, asked)
            folders = _load_folders(c, {r.folder_id for r in rows if r.folder_id is not None})
            return {
                r.id: _filed(r, folders.get(r.folder_id, ()), values.get(r.id, {}), (), tags.get(r.id, ()))
                for r in rows
            }


def _has_value(name: str, value: str) -> Any:
    v = t.document_value.alias()
    return select(v.c.document_id).where(
        v.c.document_id == t.document.c.id, v.c.field == name, v.c.value == value
    ).exists()  # fmt: skip


def _folder_values(new: NewDocument) -> dict[str, FieldValue]:
    """Return the folder fields that are no document field: stored at the folder, found at every document below it."""
    return {name: FieldValue((value,), 1.0, sure=True) for name, value in new.folder if name not in new.values}


def _insert_pages(c: Connection, document_id: str, pages: Sequence[FiledPage]) -> None:
    for position, page in enumerate(pages):
        c.execute(
            insert(t.version_page).values(
                document_id=document_id, version=1, position=position, file_sha=page.file_sha, dpi=page.dpi,
                source_index=page.source_index, is_pdf=page.is_pdf, page_id=page.page_id,
                frame=list(astuple(page.frame)), text=page.text, flat_sha=page.flat_sha, source=page.source, name=page.name,
            )
        )  # fmt: skip


def _insert_values(c: Connection, document_id: str, values: Mapping[str, FieldValue]) -> None:
    for name, value in values.items():
        for position, item in enumerate(value.items):
            c.execute(
                insert(t.document_value).values(
                    document_id=document_id, field=name, position=position, value=item, folded=fold(item),
                    number=to_number(item), data=value.to_json(),
                )
            )  # fmt: skip


def _insert_tags(c: Connection, document_id: str, tags: Sequence[str]) -> None:
    for position, tag in enumerate(tags):
        row = {"document_id": document_id, "position": position, "tag": tag, "folded": fold(tag)}
        c.execute(insert(t.document_tag).values(row))


def _load_tags(c: Connection, ids: Sequence[str]) -> dict[str, tuple[str, ...]]:
    d, found = t.document_tag.c, dict[str, tuple[str, ...]]()
    for row in c.execute(select(t.document_tag).where(d.document_id.in_(ids)).order_by(d.document_id, d.position)):
        found[row.document_id] = (*found.get(row.document_id, ()), row.tag)
    return found


def _know_file(c: Connection, sha: str, at: str) -> None:
    if c.execute(select(t.stored_file.c.sha).where(t.stored_file.c.sha == sha)).first() is None:
        c.execute(insert(t.stored_file).values(sha=sha, area="main", size=0, at=at))


def _load_folder(c: Connection, folder_id: int | None) -> tuple[tuple[str, str], ...]:
    found: list[tuple[str, str]] = []
    while folder_id is not None:
        row = c.execute(select(t.folder).where(t.folder.c.id == folder_id)).one()
        if row.path:
            found.append((row.field, row.value))
        folder_id = row.parent_id
    return tuple(reversed(found))


def _load_folders(c: Connection, ids: Collection[int]) -> dict[int, tuple[tuple[str, str], ...]]:
    """Return the (field, value) pairs of folders, the highest level first, by a query for each level."""
    rows: dict[int, Row[Any]] = {}
    wanted = list(ids)
    while wanted:
        for start in range(0, len(wanted), MOST_BOUND):
            chosen = select(t.folder).where(t.folder.c.id.in_(wanted[start : start + MOST_BOUND]))
            rows |= {r.id: r for r in c.execute(chosen)}
        wanted = [p for p in {r.parent_id for r in rows.values()} if p is not None and p not in rows]
    found: dict[int, tuple[tuple[str, str], ...]] = {}
    for folder_id in ids:
        pairs: list[tuple[str, str]] = []
        at: int | None = folder_id
        while at is not None:
            if rows[at].path:
                pairs.append((rows[at].field, rows[at].value))
            at = rows[at].parent_id
        found[folder_id] = tuple(reversed(pairs))
    return found


def _load_values(c: Connection, ids: Sequence[str]) -> dict[str, dict[str, FieldValue]]:
    found: dict[str, dict[str, FieldValue]] = {}
    rows = c.execute(select(t.document_value).where(t.document_value.c.document_id.in_(ids)))
    for row in rows:
        found.setdefault(row.document_id, {})[row.field] = FieldValue.from_json(row.data)
    return found


def _load_pages(c: Connection, document_id: str, version: int) -> tuple[FiledPage, ...]:
    p = t.version_page
    rows = c.execute(select(p).where(p.c.document_id == document_id, p.c.version == version).order_by(p.c.position))
    return tuple(
        FiledPage(
            r.page_id, r.file_sha, r.source_index, r.is_pdf, Frame(*r.frame), r.dpi, r.text, r.flat_sha, r.source, r.name
        )
        for r in rows
    )  # fmt: skip


def _filed(
    row: Row[Any], folder: tuple[tuple[str, str], ...], values: dict[str, FieldValue], pages: tuple[FiledPage, ...],
    tags: tuple[str, ...],
) -> FiledDocument:  # fmt: skip
    return FiledDocument(
        row.id, row.number, row.cabinet, folder, row.type, row.caption, row.filed_at, row.filed_by, row.version,
        row.pdf_sha, values, pages, tags, row.received_at,
    )  # fmt: skip
