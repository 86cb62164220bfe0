"""What holds which stored file. Nobody needs a file once nothing holds it: the one question of all that takes files away.

A row is written in the transaction that names the file: by a page of a batch until it is blanked (``PAGE``), by a document
for all its versions and PDFs until it is erased (``DOCUMENT``), by a sending as long as it reads them (``SENDING``).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from sqlalchemy import BindParameter, Connection, bindparam, delete, exists, select, text
from sqlalchemy.dialects.sqlite import insert

from keybundle.core.store import schema as t
from keybundle.core.store import work

PAGE, DOCUMENT, SENDING = "page", "document", "sending"
MOST_BOUND = 500

_u = t.file_use.c
_SHA: BindParameter[str] = bindparam("of_sha")
_KIND: BindParameter[str] = bindparam("of_kind")
_REF: BindParameter[str] = bindparam("of_ref")
_HOLD = insert(t.file_use).values(sha=_SHA, kind=_KIND, ref=_REF).on_conflict_do_nothing()
_LET_GO = delete(t.file_use).where(_u.sha == _SHA, _u.kind == _KIND, _u.ref == _REF)
_IS_HELD = select(exists().where(_u.sha == _SHA))
_IS_STORED = select(exists().where(t.stored_file.c.sha == _SHA))
_STORED = insert(t.stored_file).on_conflict_do_nothing()


def hold(c: Connection, kind: str, ref: str, shas: Iterable[str]) -> None:
    """Note that something needs files, by SHA-256; once more changes nothing, and an empty hash is no file."""
    if rows := [{"of_sha": sha, "of_kind": kind, "of_ref": ref} for sha in dict.fromkeys(shas) if sha]:
        c.execute(_HOLD, rows)


def let_go(c: Connection, kind: str, ref: str, shas: Iterable[str]) -> list[str]:
    """Note that something needs files no longer, and return those of them that nothing needs now."""
    mine = [sha for sha in dict.fromkeys(shas) if sha]
    if mine:
        c.execute(_LET_GO, [{"of_sha": sha, "of_kind": kind, "of_ref": ref} for sha in mine])
    return [sha for sha in mine if not is_held(c, sha)]


def let_go_of_all(c: Connection, kind: str, ref: str) -> list[str]:
    """Note that something that was under way needs no file any more; return those that nothing needs now.

    For what is held in passing: there are few such rows, and an index of these alone.
    """
    assert kind == SENDING
    own = (_u.kind == SENDING, _u.ref == ref)
    shas = list(c.execute(select(_u.sha).where(*own)).scalars())
    c.execute(delete(t.file_use).where(*own))
    return [sha for sha in shas if not is_held(c, sha)]


def is_held(c: Connection, sha: str) -> bool:
    """Whether anything needs a file; what lies in the trash, or was taken back, needs its files too."""
    return bool(c.execute(_IS_HELD, {"of_sha": sha}).scalar_one())


def shared_with_others(c: Connection, document_id: str, shas: Sequence[str]) -> Iterator[tuple[str, str]]:
    """Yield (file, other document) for each document besides this one that needs one of these files."""
    for start in range(0, len(shas), MOST_BOUND):
        some = shas[start : start + MOST_BOUND]
        asked = select(_u.sha, _u.ref).where(_u.sha.in_(some), _u.kind == DOCUMENT, _u.ref != document_id)
        for row in c.execute(asked).all():
            yield row.sha, row.ref


def know_file(c: Connection, sha: str, at: str, size: int) -> None:
    """Note a stored file, where it is not known yet; ``size`` in bytes."""
    c.execute(_STORED, {"sha": sha, "size": size, "at": at})


def is_known(c: Connection, sha: str) -> bool:
    """Whether a stored file is known, by whatever named it."""
    return bool(c.execute(_IS_STORED, {"of_sha": sha}).scalar_one())


def take_away_unheld(c: Connection, at: str, shas: Iterable[str]) -> None:
    """Note that those of some files that nothing needs are to be taken away wherever they lie (``work.ERASE``)."""
    f = t.stored_file.c
    for sha in dict.fromkeys(shas):
        if sha and not is_held(c, sha):
            since = c.execute(select(f.at).where(f.sha == sha)).scalar() or at
            c.execute(delete(t.stored_file).where(f.sha == sha))
            work.due(c, at, work.ERASE, sha, data={"since": since})


# What the tables themselves say of who needs what: the ledger must say the same at any time.
_WALK = (
    "SELECT file_sha AS sha, 'page' AS kind, id AS ref FROM page WHERE source != '' AND file_sha != '' "
    "UNION SELECT json_extract(facts, '$.flat_sha'), 'page', id FROM page WHERE source != '' AND facts IS NOT NULL "
    "AND coalesce(json_extract(facts, '$.flat_sha'), '') != '' "
    "UNION SELECT file_sha, 'document', document_id FROM version_page WHERE file_sha != '' "
    "UNION SELECT flat_sha, 'document', document_id FROM version_page WHERE flat_sha != '' "
    "UNION SELECT sha, 'document', document_id FROM rendition WHERE sha IS NOT NULL"
)
_NOTED = "SELECT sha, kind, ref FROM file_use WHERE kind IN ('page', 'document')"


def find_gaps(c: Connection) -> list[tuple[str, str, str, str]]:
    """Compare the ledger with a walk over all tables: return (what is wrong, file, kind, what needs it), empty where both agree.

    Files that are known and that nothing needs are told too, but for those that are about to be taken away.
    """
    lacking = c.execute(text(f"{_WALK} EXCEPT {_NOTED}")).all()
    left = c.execute(text(f"{_NOTED} EXCEPT SELECT * FROM ({_WALK})")).all()
    unknown = c.execute(text("SELECT DISTINCT sha FROM file_use EXCEPT SELECT sha FROM stored_file")).scalars()
    unneeded = c.execute(text("SELECT sha FROM stored_file EXCEPT SELECT sha FROM file_use")).scalars()
    return [
        *(("not noted", *row) for row in lacking),
        *(("noted in vain", *row) for row in left),
        *(("not known as stored", sha, "", "") for sha in unknown),
        *(("needed by nothing", sha, "", "") for sha in unneeded),
    ]
