"""Rows that live by id: a list that changes keeps its current row, selection, open editor and scroll place."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from typing import Any, TypeVar

from PySide6.QtCore import QModelIndex

Runs = list[tuple[int, int]]
Row = TypeVar("Row")


def find_changes(old: Sequence[Hashable], new: Sequence[Hashable]) -> tuple[Runs, Runs] | None:
    """Return the runs (first, last) that go, by their old numbers, and those that come, by their new ones.

    None where what stays has another order: then there is no telling what moved.
    """
    if len(new) > len(old) and list(new[: len(old)]) == list(old):  # more follow
        return [], [(len(old), len(new) - 1)]
    known = set(old)
    if known.isdisjoint(new):  # lists of a hundred thousand that share nothing are the usual large case
        return _whole(old), _whole(new)
    kept = set(new)
    if [x for x in old if x in kept] != [x for x in new if x in known]:
        return None
    gone = [i for i, x in enumerate(old) if x not in kept]
    return _runs(gone), _runs([i for i, x in enumerate(new) if x not in known])


def _whole(rows: Sequence[Hashable]) -> Runs:
    return [(0, len(rows) - 1)] if rows else []


def _runs(numbers: Sequence[int]) -> Runs:
    found: Runs = []
    for number in numbers:
        if found and found[-1][1] == number - 1:
            found[-1] = (found[-1][0], number)
        else:
            found.append((number, number))
    return found


def change_rows(
    model: Any, rows: list[Row], new: Sequence[Row], key: Callable[[Row], Hashable], columns: int = 1
) -> None:
    """Bring the rows of an item model (its own list) to new ones by id, and tell its views; contents of all may differ."""
    # Ids stand for themselves; the lists may be long, and all of this holds the interface thread.
    old_keys = list(rows) if key is str else [key(r) for r in rows]
    new_keys = list(new) if key is str else [key(r) for r in new]
    if old_keys == new_keys:
        changes: tuple[Runs, Runs] | None = ([], [])
    elif len(old_keys) == len(new_keys) == len(set(old_keys)) and set(old_keys) == set(new_keys):
        _reorder(model, rows, new, old_keys, new_keys)
        changes = ([], [])
    else:
        changes = find_changes(old_keys, new_keys)
    if changes is None:
        known = dict(zip(old_keys, rows, strict=True))
        wanted = dict.fromkeys(new_keys)
        if len(wanted) < len(new_keys) or len(known) < len(old_keys):  # what comes twice has no place of its own
            model.beginResetModel()
            rows[:] = new
            model.endResetModel()
            return
        order = [x for x in new_keys if x in known] + [x for x in old_keys if x not in wanted]
        _reorder(model, rows, [known[x] for x in order], old_keys, order)
        changes = find_changes(order, new_keys) or ([], [])
    gone, come = changes
    for first, last in reversed(gone):
        model.beginRemoveRows(QModelIndex(), first, last)
        del rows[first : last + 1]
        model.endRemoveRows()
    for first, last in come:
        model.beginInsertRows(QModelIndex(), first, last)
        rows[first:first] = new[first : last + 1]
        model.endInsertRows()
    rows[:] = new
    if rows:
        model.dataChanged.emit(model.index(0, 0), model.index(len(rows) - 1, columns - 1))


def _reorder(
    model: Any, rows: list[Row], new: Sequence[Row], old_keys: Sequence[Hashable], new_keys: Sequence[Hashable]
) -> None:
    """Put the same rows into another order; what is current and chosen goes along."""
    model.layoutAboutToBeChanged.emit()
    held = model.persistentIndexList()
    names = {old_keys[i.row()] for i in held}
    place = {name: i for i, name in enumerate(new_keys) if name in names} if names else {}
    rows[:] = new
    model.changePersistentIndexList(held, [model.index(place[old_keys[i.row()]], i.column()) for i in held])
    model.layoutChanged.emit()
