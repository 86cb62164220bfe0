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
    kept, known = set(new), set(old)
    if [x for x in old if x in kept] != [x for x in new if x in known]:
        return None
    gone = [i for i, x in enumerate(old) if x not in kept]
    return _runs(gone), _runs([i for i, x in enumerate(new) if x not in known])


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
    changes = find_changes([key(r) for r in rows], [key(r) for r in new])
    if changes is None:
        _reorder(model, rows, [key(r) for r in new], key)
        changes = find_changes([key(r) for r in rows], [key(r) for r in new])
    if changes is None:  # an id that comes twice has no place of its own
        model.beginResetModel()
        rows[:] = new
        model.endResetModel()
        return
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


def _reorder(model: Any, rows: list[Row], wanted: Sequence[Hashable], key: Callable[[Row], Hashable]) -> None:
    """Put rows that stay into another order, those that go behind them; what is current and chosen goes along."""
    place = {name: i for i, name in enumerate(wanted)}
    order = sorted(range(len(rows)), key=lambda i: (place.get(key(rows[i]), len(place)), i))
    now = {before: i for i, before in enumerate(order)}
    model.layoutAboutToBeChanged.emit()
    held = model.persistentIndexList()
    rows[:] = [rows[i] for i in order]
    model.changePersistentIndexList(held, [model.index(now[i.row()], i.column()) for i in held])
    model.layoutChanged.emit()
