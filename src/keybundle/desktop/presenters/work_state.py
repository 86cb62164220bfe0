"""All that the work place shows, as frozen data, and the words for it; plain functions."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from keybundle.core.base.ids import BatchId
from keybundle.core.base.records import dataclass
from keybundle.core.batches.model import State
from keybundle.core.setup.model import Setup, name_of
from keybundle.core.setup.parts import KeptTo
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.file.records import Record
from keybundle.core.workflows.oversee.worklist import WorkRow
from keybundle.core.workflows.take_in.capture import WHOLE, ImportPlan, map_path
from keybundle.core.workflows.take_in.scan_choices import ScanChoice
from keybundle.desktop.presenters.texts import join_words, say_age
from keybundle.desktop.words import tr, trn

__all__ = [
    "WHOLE",
    "BatchRow",
    "HaltShown",
    "MappingAsked",
    "ScanChoice",
    "WorkState",
    "make_row",
    "map_levels",
    "say_again",
    "say_feeder",
    "say_record",
]


@dataclass(frozen=True)
class BatchRow:
    """A row of the work list, ready to draw: the band's pieces are (state, pages)."""

    id: str
    sign: str
    title: str
    told: str
    counts: str
    band: tuple[tuple[str, int], ...]


@dataclass(frozen=True)
class HaltShown:
    """Why the feeder stopped, the batch, the sheet (0: it never came), what to feed again, and two pictures.

    Each picture is (file, what it is): the side that stopped the feeder and the one before it.
    """

    words: str
    batch: str
    sheet: int
    sheets_after: int
    again: str
    pictures: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class MappingAsked:
    """Files below folders, and what the levels of these can be mapped to, before anything is taken in."""

    files: tuple[Path, ...]
    into: BatchId | None
    given: Mapping[str, str]
    plan: ImportPlan


def map_levels(tree: str, levels: Mapping[int, str]) -> dict[str, str]:
    """Return the values that a file's path gives where levels of it are mapped to fields."""
    return map_path(tree, levels)


@dataclass(frozen=True)
class WorkState:
    """All that the work place shows."""

    rows: tuple[BatchRow, ...] = ()
    routines: tuple[str, ...] = ()
    routine: str = ""
    file_routines: tuple[str, ...] = ()
    file_routine: str = ""
    files_told: str = ""
    types: tuple[str, ...] = ()
    routine_told: str = ""
    routine_keys: tuple[tuple[str, str], ...] = ()
    scanner: str = ""
    scanners: tuple[str, ...] = ()
    feeder: str = ""
    plan: str = ""
    destination: str = ""
    unusual: str = ""
    can_scan: bool = False
    scanning: str = ""
    scanned: int = 0
    scan_total: int = 0
    today: tuple[tuple[str, str], ...] = ()
    records: tuple[tuple[str, str], ...] = ()
    refused: tuple[str, ...] = ()
    options: tuple[ScanChoice, ...] = ()
    options_told: str = ""
    may_work: bool = True
    thrown: int = 0


def say_again(sheet: int, last: int) -> str:
    """Return what to put back on the stack after a halt."""
    if not sheet:
        return tr("All sheets that came in are safe; put the one that stopped back on the stack.")
    if last == sheet:
        return tr("To scan it again, put sheet {sheet} back on the stack.", sheet=sheet)
    return tr(
        "The feeder ran on to sheet {last}. To scan again, put sheets {sheet} to {last} back on the stack.",
        last=last,
        sheet=sheet,
    )


def say_feeder(sheets: int | None) -> str:
    """Return what lies in the feeder."""
    if sheets is None:
        return tr("This scanner does not tell what lies in its feeder")
    return (
        tr("{sheets} in the feeder", sheets=trn("{n:,} sheet", "{n:,} sheets", sheets))
        if sheets > 0
        else tr("The feeder is empty")
    )


def make_row(row: WorkRow, reading_stopped: bool) -> BatchRow:
    """Return a row of the work list."""
    parts = [f"{row.count(s)} {tr(s.value)}" for s in (State.READING, State.TO_CHECK, State.READY, State.SET_ASIDE, State.FILED)
             if row.count(s)]  # fmt: skip
    if row.unplaced:
        parts.insert(0, trn("{n:,} side being separated", "{n:,} sides being separated", row.unplaced))
    band = [(s.value, pages) for s, pages in row.pieces]
    if row.unplaced:
        band.append(("reading", row.unplaced))
    told = f"{row.owner_name}, {say_age(row.age)}" + (tr(", coming in") if row.is_capturing else "")
    if reading_stopped and row.count(State.READING):
        told = tr("reading stopped (Ctrl+R reads on), {told}", told=told)
    title = f"{row.routine_name}: {row.origin}"
    return BatchRow(row.id, row.sign, title, told, join_words(parts) or _say_empty(row), tuple(band))


def _say_empty(row: WorkRow) -> str:
    return (
        tr("all {sides} left out", sides=trn("{n:,} side", "{n:,} sides", row.left_out))
        if row.left_out
        else tr("nothing placed yet")
    )


def say_record(record: Record, at: str) -> str:
    """Return a filing record in a line."""
    return f"{at}   {trn('{n:,} document', '{n:,} documents', len(record.entries))}"


def say_whose(routine: Routine | None, setup: Setup) -> str:
    """Return whose work a stack becomes under a routine: that of whoever brings it in, and of whom the routine gives it to."""
    given = routine.given_to if routine is not None else KeptTo()
    others = [name_of(setup.people, p) for p in given.people]
    others += [tr("group {name}", name=name_of(setup.groups, g)) for g in given.groups]
    return (
        tr("It becomes your work, and that of {others}.", others=join_words(others))
        if others
        else tr("It becomes your work.")
    )
