"""Documents of the cabinets in the database. Every call that writes takes part in the caller's transaction."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from sqlalchemy import func, insert, select, update

from keybundle.core.base.clock import Clock
from keybundle.core.base.days import month_of
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.messages import message
from keybundle.core.repository import audit, rows
from keybundle.core.repository.access import EVERYTHING, View
from keybundle.core.repository.folders import count_document, ensure_folder, load_folders, nearest_list
from keybundle.core.repository.model import FiledDocument, NewDocument
from keybundle.core.repository.paths import join_path
from keybundle.core.rights.model import AccessList
from keybundle.core.store import ledger
from keybundle.core.store import schema as t
from keybundle.core.store.database import Database
from keybundle.core.store.setup_parts import time_zone

FILED_ONCE = "version.as-filed"
TAKEN_BACK, AGAIN = "taken back", "#"  # how it was removed; what parts its filing key from what makes it another one


class Repository:
    """The repository of a data directory."""

    def __init__(
        self, database: Database, clock: Clock, locale: Callable[[], str], size: Callable[[str], int] = lambda sha: 0
    ) -> None:
        self._db = database
        self._clock = clock
        self._locale, self._size = locale, size

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
            folder_id = ensure_folder(c, new.cabinet, new.folder, self._locale())
            placed = load_folders(c, [folder_id])[folder_id]
            document_id, at = self._clock.new_id(), self._clock.stamp()
            number = (c.execute(select(func.max(t.document.c.number))).scalar() or 0) + 1
            c.execute(
                insert(t.document).values(
                    id=document_id, number=number, cabinet=new.cabinet, folder_id=folder_id, type=new.type,
                    caption=new.caption, filed_at=at, filed_by=who, filing_key=new.key, batch_id=new.batch_id,
                    received_at=new.received_at, pages=len(new.pages), version=1, revision=0,
                )
            )  # fmt: skip
            values = rows.as_placed(new.values, new.folder, placed)
            c.execute(
                insert(t.version).values(
                    document_id=document_id, number=1, at=at, who=who, comment=message(FILED_ONCE), type=new.type,
                    folder_id=folder_id, path=join_path([value for _, value in placed]), caption=new.caption, tags=list(new.tags),
                    data={name: value.to_json() for name, value in values.items()},
                )
            )  # fmt: skip
            rows.insert_rendition(c, document_id, 1, new.pdf_sha, at)
            rows.insert_pages(c, document_id, 1, new.pages)
            rows.write_values(c, document_id, values)
            rows.write_tags(c, document_id, new.tags)
            count_document(c, folder_id, None, 1)
            for sha in {*(p.file_sha for p in new.pages), *(p.picture[0] for p in new.pages), new.pdf_sha} - {""}:
                ledger.know_file(c, sha, at, self._size(sha))
            place = [value for _, value in placed]
            audit.append(c, at, who, "filed", document_id, {
                "cabinet": new.named[1] or new.cabinet, "folder": place, "type": new.named[0] or new.type,
                "ids": {"cabinet": new.cabinet, "type": new.type}, "caption": new.caption,
                **({"pdf": new.pdf_sha} if new.pdf_sha else {}),
                "pages": [p.file_sha for p in new.pages],
                "values": {name: list(v.items) for name, v in new.values.items()},
            })  # fmt: skip
            return document_id

    def take_back(self, document_id: str, who: str) -> None:
        """Take a document out of its folder again: its batch has it, and nothing of it stays here but that it was filed.

        Its filing key becomes free.
        """
        with self._db.atomic() as c:
            row = c.execute(select(t.document).where(t.document.c.id == document_id)).first()
            if row is None or row.removed_at is not None:
                raise InputProblem(message("store.document-no-longer-repository-nothing"))
            at = self._clock.stamp()
            changed = {
                "removed_at": at, "removed_as": TAKEN_BACK, "removed_by": who, "removed_why": "",
                "filing_key": f"{row.filing_key}{AGAIN}{document_id}", "caption": "",
            }  # fmt: skip
            c.execute(update(t.document).where(t.document.c.id == document_id).values(changed))
            count_document(c, row.folder_id, row.access_id, -1)
            rows.write_values(c, document_id, {})
            rows.write_tags(c, document_id, ())
            rows.drop_versions(c, document_id, at)
            audit.append(c, at, who, "taken back", document_id, {"caption": row.caption})

    def set_tags(self, document_id: str, tags: Sequence[str], who: str) -> None:
        """Give a document other tags; raises InputProblem when it is not there."""
        with self._db.atomic() as c:
            before = self.load(document_id, with_pages=False).tags
            if tuple(tags) != before:
                rows.write_tags(c, document_id, tags)
                d, v = t.document.c, t.version.c
                current = select(d.version).where(d.id == document_id).scalar_subquery()
                own = update(t.version).where(v.document_id == document_id, v.number == current)
                c.execute(own.values(tags=list(tags)))
                told = {"before": list(before), "after": list(tags)}
                audit.append(c, self._clock.stamp(), who, "tags changed", document_id, told)

    def nearest_list(self, cabinet: str, folder: Sequence[str]) -> AccessList | None:
        """Return the list that counts at a folder, there or not yet: that of the deepest part of its path that is there."""
        with self._db.read() as c:
            return nearest_list(c, cabinet, folder)

    def load(self, document_id: str, *, with_pages: bool = True, view: View = EVERYTHING) -> FiledDocument:
        """Return a document; raises InputProblem when it is not there, or not in view."""
        with self._db.read() as c:
            row = c.execute(rows.documents_where(t.document.c.id == document_id, *view.documents())).first()
            if row is None:
                raise InputProblem(message("store.document-no-longer-repository"))
            return rows.load_document(c, row, with_pages=with_pages)

    def filed_month(self, document_id: str) -> str:
        """Return the month in which a document was filed, as ``2026-11``, by the repository's time zone."""
        with self._db.read() as c:
            filed_at = c.execute(select(t.document.c.filed_at).where(t.document.c.id == document_id)).scalar_one()
            return month_of(str(filed_at), time_zone(c))

    def text_ids(self, document_id: str) -> list[int]:
        """Return the numbers of the texts of a document's current pages, in their order."""
        with self._db.read() as c:
            p, d = t.version_page.c, t.document.c
            current = (p.document_id == document_id, p.document_id == d.id, p.version == d.version)
            return list(c.execute(select(p.text_id).where(*current).order_by(p.position)).scalars())

    def shared_files(self, document_id: str) -> list[str]:
        """Return which files of a document's pages hold pages of other documents too, by SHA-256."""
        p, d = t.version_page.c, t.document.c
        with self._db.read() as c:
            own = list(c.execute(select(p.file_sha).where(p.document_id == document_id).distinct()).scalars())
            others = list(ledger.shared_with_others(c, document_id, own))
            ids = {other for _, other in others}
            there = set(c.execute(select(d.id).where(d.id.in_(ids), d.removed_at.is_(None))).scalars())
            return list(dict.fromkeys(sha for sha, other in others if other in there))

    def load_many(
        self, document_ids: Sequence[str], *, with_values: bool = True, view: View = EVERYTHING
    ) -> dict[str, FiledDocument]:
        """Return documents in view without their pages, by id; on request without values and tags."""
        with self._db.read() as c:
            found = c.execute(rows.documents_where(t.document.c.id.in_(document_ids), *view.documents())).all()
            asked = [r.id for r in found] if with_values else ()
            values, tags = rows.load_values(c, asked), rows.load_tags(c, asked)
            folders = load_folders(c, {r.folder_id for r in found if r.folder_id is not None})
            return {
                r.id: rows.to_document(
                    r, folders.get(r.folder_id, ()), values.get(r.id, {}), (), tags.get(r.id, ())
                )
                for r in found
            }  # fmt: skip
