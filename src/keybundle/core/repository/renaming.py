"""Folders given another value where they stand, brought below others, made one; and gone when nobody needs them any more.

Nothing hangs on a path: lists, tags, values and areas are the row's. What is derived from a folder's value in its
documents follows afterwards, document by document (``folder.follows`` says who began that).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import Connection, delete, func, insert, select, text, update

from keybundle.core.base.folding import fold
from keybundle.core.base.records import dataclass
from keybundle.core.base.sorting import sort_key
from keybundle.core.repository import access, audit
from keybundle.core.repository.folders import follow_became, reach, step_down
from keybundle.core.repository.paths import WORDS_SQL, bounds_below, is_below, join_path, split_path
from keybundle.core.store import schema as t


@dataclass(frozen=True)
class Joined:
    """What a folder brought to the one that it became: tags and fields of values that that one did not have before."""

    folder: int
    into: int
    tags: tuple[str, ...]
    values: tuple[str, ...]
    was_kept: bool
    name: tuple[int, str]


def set_value(c: Connection, folder_id: int, value: str, locale: str, *, leave_name: bool = True) -> None:
    """Give a folder another value, and the paths below it, in one moment; nothing else of it changes.

    What folders below are sorted and found by follows (``unsaid_below``, ``say_below``): with many that would take too long.
    Its former value leads to it from then on. Where it takes a name again that it had before, those that it had since lead
    nowhere any more: they may be others'. No other folder of that value may stand beside it.
    """
    f, n = t.folder.c, t.folder_name
    row = c.execute(select(t.folder).where(f.id == folder_id)).one()
    taken = c.execute(
        delete(n).where(n.c.parent_id == row.parent_id, n.c.value == value).returning(n.c.folder_id, n.c.position)
    ).first()
    takes_back = taken is not None and taken.folder_id == folder_id
    if taken is not None and takes_back:
        since = (n.c.folder_id == folder_id, n.c.parent_id == row.parent_id, n.c.position > taken.position)
        c.execute(delete(n).where(*since))
    path = (*split_path(row.path)[:-1], value)
    _set_paths(c, row, path)
    c.execute(update(t.folder).where(f.id == folder_id).values(value=value, folded=fold(" ".join(path))))
    _set_levels(c, [folder_id], row.field, value, locale)
    if leave_name and not takes_back:
        _lead(c, row.parent_id, row.value, folder_id)


def unsaid_below(c: Connection, folder_id: int) -> list[int]:
    """Return the folders below one that are still sorted and found by a former value of it."""
    f, level = t.folder.c, t.folder_level.c
    row = c.execute(select(t.folder).where(f.id == folder_id)).one()
    stale = select(level.folder_id).where(
        level.folder_id == f.id, level.cabinet == f.cabinet, level.field == row.field, level.value != row.value
    )
    below = is_below(f.path, split_path(row.path))
    return list(c.execute(select(f.id).where(f.cabinet == row.cabinet, below, t.IS_THERE, stale.exists())).scalars())


def say_below(c: Connection, folder_id: int, below: int, locale: str) -> None:
    """Let a folder below one that was given another value be sorted and found by that."""
    f = t.folder.c
    row = c.execute(select(f.field, f.value).where(f.id == folder_id)).one()
    path = c.execute(select(f.path).where(f.id == below)).scalar()
    if path is not None:
        c.execute(update(t.folder).where(f.id == below).values(folded=fold(" ".join(split_path(path)))))
        _set_levels(c, [below], row.field, row.value, locale)


def free_name(c: Connection, cabinet: str, path: Sequence[str]) -> None:
    """Let a name lead nowhere any more, so that a folder can be made that is called so."""
    above = reach(c, cabinet, path[:-1])
    if above is not None and above.depth == len(path) - 1:
        n = t.folder_name.c
        c.execute(delete(t.folder_name).where(n.parent_id == above.id, n.value == path[-1]))


def _set_paths(c: Connection, row: Any, path: Sequence[str], *, words: bool = False) -> None:
    """Let the path of a folder and of all below it begin with another one; ``words``: what they are found by too."""
    old, new = row.path, join_path(path)
    low, high = bounds_below(old)
    bound = {"cabinet": row.cabinet, "old": old, "new": new, "low": low, "high": high, "cut": len(old) + 1}
    moved = ":new || substr(path, :cut)"
    also = f", folded = fold({WORDS_SQL.format(path=moved)})" if words else ""
    sql = (
        f"UPDATE folder SET path = {moved}{also} "
        "WHERE cabinet = :cabinet AND became IS NULL AND (path = :old OR (path > :low AND path < :high))"
    )
    c.execute(text(sql), bound)


def _set_levels(c: Connection, folders: Sequence[int], field: str, value: str, locale: str) -> None:
    level = t.folder_level.c
    key = sort_key(value, locale)
    for start in range(0, len(folders), 500):
        here = (level.folder_id.in_(folders[start : start + 500]), level.field == field)
        c.execute(update(t.folder_level).where(*here).values(value=value, sort_key=key))


def put_below(c: Connection, folder_id: int, parent: int) -> None:
    """Bring a folder, with all below it, below another one of the same level; no folder of its value may stand there."""
    f = t.folder.c
    row = c.execute(select(t.folder).where(f.id == folder_id)).one()
    above = c.execute(select(t.folder).where(f.id == parent)).one()
    _set_paths(c, row, (*split_path(above.path), row.value), words=True)
    c.execute(update(t.folder).where(f.id == folder_id).values(parent_id=parent))
    n = t.folder_name.c
    c.execute(delete(t.folder_name).where(n.parent_id == parent, n.value == row.value))
    ids = [folder_id, *below_ids(c, folder_id)]
    said = c.execute(select(t.folder_level).where(t.folder_level.c.folder_id == parent)).all()
    for level in said:
        for start in range(0, len(ids), 500):
            here = (t.folder_level.c.folder_id.in_(ids[start : start + 500]), t.folder_level.c.field == level.field)
            c.execute(update(t.folder_level).where(*here).values(value=level.value, sort_key=level.sort_key))
    access.follow_nearest(c, folder_id)


def below_ids(c: Connection, folder_id: int) -> list[int]:
    """Return the folders below one, at any depth."""
    row = c.execute(select(t.folder).where(t.folder.c.id == folder_id)).one()
    f = t.folder.c
    below = is_below(f.path, split_path(row.path)) if row.path else f.path != ""
    return list(c.execute(select(f.id).where(f.cabinet == row.cabinet, below, t.IS_THERE)).scalars())


def children_of(c: Connection, folder_id: int) -> list[Any]:
    """Return the rows of the folders just below one."""
    return list(c.execute(select(t.folder).where(t.folder.c.parent_id == folder_id, t.IS_THERE)))


def join_into(c: Connection, folder_id: int, into: int) -> Joined:
    """Let an empty folder without any below it become another one; its name leads there, its tags and values go along.

    Its list and its area do not: what lies there is kept as that folder is. They stay at the row, for ``part_again``.
    """
    f, n, v, g = t.folder.c, t.folder_name, t.folder_value, t.folder_tag
    row = c.execute(select(t.folder).where(f.id == folder_id)).one()
    has_tags = set(c.execute(select(g.c.tag).where(g.c.folder_id == into)).scalars())
    has_values = set(c.execute(select(v.c.field).where(v.c.folder_id == into)).scalars())
    tags = [x for x in c.execute(select(g.c.tag).where(g.c.folder_id == folder_id)).scalars() if x not in has_tags]
    values = [r for r in c.execute(select(v).where(v.c.folder_id == folder_id)) if r.field not in has_values]
    if tags:
        c.execute(insert(g), [{"folder_id": into, "tag": x} for x in tags])
    if values:
        c.execute(insert(v), [{"folder_id": into, "field": r.field, "value": r.value} for r in values])
    c.execute(update(t.folder).where(f.id == folder_id).values(became=into, documents=0, last=0, follows=None))
    if row.is_kept:
        c.execute(update(t.folder).where(f.id == into).values(is_kept=True))
    c.execute(delete(t.folder_level).where(t.folder_level.c.folder_id == folder_id))
    c.execute(update(n).where(n.c.folder_id == folder_id).values(folder_id=into))
    _lead(c, row.parent_id, row.value, into)
    return Joined(
        folder_id, into, tuple(tags), tuple(r.field for r in values), bool(row.is_kept), (row.parent_id, row.value)
    )


def _lead(c: Connection, parent: int, value: str, to: int) -> None:
    n = t.folder_name
    c.execute(delete(n).where(n.c.parent_id == parent, n.c.value == value))
    last = c.execute(select(func.max(n.c.position)).where(n.c.folder_id == to)).scalar() or 0
    c.execute(insert(n).values(parent_id=parent, value=value, folder_id=to, position=last + 1))


def part_again(c: Connection, joined: Joined, pairs: Sequence[tuple[str, str]], locale: str) -> bool:
    """Let a folder that became another one be there again, with what it brought along; False where its name is taken."""
    f, n = t.folder.c, t.folder_name
    row = c.execute(select(t.folder).where(f.id == joined.folder)).one()
    above = c.execute(select(t.folder).where(f.id == row.parent_id)).one()
    path = (*split_path(above.path), row.value)
    led = c.execute(select(n.c.folder_id).where(n.c.parent_id == row.parent_id, n.c.value == row.value)).scalar()
    named = step_down(c, row.cabinet, row.parent_id, split_path(above.path), row.value)
    if row.became is None or above.became is not None or (named is not None and led is None):
        return False
    c.execute(delete(n).where(n.c.parent_id == row.parent_id, n.c.value == row.value))
    c.execute(
        update(t.folder).where(f.id == joined.folder).values(
            became=None, path=join_path(path), folded=fold(" ".join(path)), is_kept=True
        )
    )  # fmt: skip
    for field, value in pairs:
        c.execute(
            insert(t.folder_level).values(
                cabinet=row.cabinet, field=field, value=value, sort_key=sort_key(value, locale), folder_id=joined.folder
            )
        )
    g, v = t.folder_tag.c, t.folder_value.c
    c.execute(delete(t.folder_tag).where(g.folder_id == joined.into, g.tag.in_(joined.tags)))
    c.execute(delete(t.folder_value).where(v.folder_id == joined.into, v.field.in_(joined.values)))
    access.follow_nearest(c, joined.folder)
    return True


def drop_unneeded(c: Connection, folder_ids: Sequence[int]) -> int:
    """Take away folders that nothing needs any more, with their names, and those above them in their turn; return how many.

    A folder is needed while a document or a version lies in it, a folder lies below it or became it, it was made by hand or
    from a register, and while it is kept to somebody, tagged, gives values or has a storage area of its own.
    """
    gone, wanted = 0, [follow_became(c, i) for i in folder_ids] + list(folder_ids)
    while wanted:
        folder_id = wanted.pop()
        row = c.execute(select(t.folder).where(t.folder.c.id == folder_id)).first()
        if row is None or not row.path or _is_needed(c, row):
            continue
        for table in (t.folder_name, t.folder_level, t.folder_count, t.folder_value, t.folder_tag):
            c.execute(delete(table).where(table.c.folder_id == folder_id))
        c.execute(delete(t.folder_name).where(t.folder_name.c.parent_id == folder_id))
        c.execute(delete(t.folder).where(t.folder.c.id == folder_id))
        audit.purge(c, folder_subject(folder_id))
        gone += 1
        wanted += [x for x in (row.parent_id, row.became) if x is not None]
    return gone


def folder_subject(folder_id: int) -> str:
    """Return what the audit trail calls a folder."""
    return f"folder {folder_id}"


def _is_needed(c: Connection, row: Any) -> bool:
    if row.became is None and (row.is_kept or row.own_access_id is not None or row.storage_area):
        return True
    asked: list[Any] = [
        select(t.document.c.id).where(t.document.c.folder_id == row.id),
        select(t.version.c.number).where(t.version.c.folder_id == row.id),
        select(t.folder.c.id).where(t.folder.c.parent_id == row.id),
        select(t.folder.c.id).where(t.folder.c.became == row.id),
    ]
    if row.became is None:
        asked += [
            select(func.count()).where(x.c.folder_id == row.id).having(func.count() > 0)
            for x in (t.folder_tag, t.folder_value)
        ]
    return any(c.execute(question.limit(1)).first() is not None for question in asked)
