"""Registers from CSV files: read with care, told line by line what is wrong, put in place of the entries before."""

from __future__ import annotations

import csv
import io
import itertools
from collections.abc import Collection, Iterator, Mapping, Sequence
from pathlib import Path

from keybundle.core.base.errors import Finding, InputProblem, Report
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.registers.book import Entry
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Register
from keybundle.core.workflows.session.entries import bring_entries
from keybundle.core.workflows.session.session import Session, needs

MOST_TOLD, SAMPLE_ROWS = 20, 5
MARKS = (",", ";", "\t")


@dataclass(frozen=True)
class CsvLook:
    """A CSV file as it was looked at: its head line, its first rows, and which head each column of the register could be."""

    path: Path
    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    guesses: Mapping[str, str]


def _cells(text: str, columns: Collection[str]) -> tuple[list[str], Iterator[tuple[int, list[str]]]]:
    """Return the head line of a CSV text (comma, semicolon or tab) and its rows, each with the line that it ends on."""
    first = text.split("\n", 1)[0]
    wanted = {c.casefold() for c in columns}

    def fit(mark: str) -> tuple[int, int]:
        heads = [h.strip().casefold() for h in next(csv.reader([first], delimiter=mark), [])]
        return len(wanted & set(heads)), len(heads)

    rows = csv.reader(io.StringIO(text, newline=""), delimiter=max(MARKS, key=fit))
    heads = [h.strip() for h in next(rows, [])]
    return heads, ((rows.line_num, row) for row in rows if any(cell.strip() for cell in row))


def guess_mapping(heads: Sequence[str], columns: Sequence[str]) -> dict[str, str]:
    """Return which head each column of a register could be: one of its name in any case, else one that holds it."""
    found: dict[str, str] = {}
    for column in columns:
        same = next((h for h in heads if h.casefold() == column.casefold()), None)
        held = next(
            (h for h in heads if h and (column.casefold() in h.casefold() or h.casefold() in column.casefold())), ""
        )
        found[column] = same if same is not None else held if held not in found.values() else ""
    return found


def read_register(
    text: str, register: Register, mapping: Mapping[str, str] | None = None
) -> tuple[list[Entry], Report]:
    """Return the entries of a CSV text with a head line (comma, semicolon or tab), and what is wrong with it.

    ``mapping`` names the head of each column, an empty one for a column that stays empty; without it heads are the
    columns' own names, in any order. Further ones are passed over. An empty or a repeated key is a finding.
    """
    heads, rows = _cells(text, register.columns)
    named = mapping if mapping is not None else {c: c for c in register.columns}
    missing = [c for c in register.columns if named.get(c, "") not in heads and (mapping is None or named.get(c))]
    if missing or not named.get(register.key):
        said = message(
            "register-files.head-line-no-column",
            missing=(missing or [register.key])[0], value=", ".join(h for h in heads if h) or "none",
        )  # fmt: skip
        return [], Report((Finding("missing-column", "line 1", said),))
    places = {c: heads.index(named[c]) if named.get(c) else -1 for c in register.columns}
    entries: list[Entry] = []
    seen: dict[str, int] = {}
    findings: list[Finding] = []
    for number, row in rows:
        entry = {c: row[i].strip() if 0 <= i < len(row) else "" for c, i in places.items()}
        key = entry[register.key]
        if not key:
            findings.append(
                Finding("empty-key", f"line {number}", message("register-files.key-empty", key=register.key))
            )
        elif key in seen:
            findings.append(
                Finding(
                    "key-twice",
                    f"line {number}",
                    message("register-files.key-stands-line-already", key=key, seen=seen[key]),
                )
            )
        else:
            seen[key] = number
            entries.append(entry)
    return entries, Report(tuple(findings))


def _read(path: Path) -> str:
    try:
        return path.read_bytes().decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = error.object[: error.start].count(b"\n") + 1
        raise InputProblem(message("register-files.not-utf-text-line-save", path_name=path.name, line=line)) from error
    except OSError as error:
        raise InputProblem(
            message("register-files.cannot-read-register-not-changed", path_name=path.name, strerror=error.strerror)
        ) from error


@needs(Right.PREPARE)
def look_at_csv(session: Session, register_id: str, path: Path) -> CsvLook:
    """Return what a CSV file holds and how its columns could be those of a register; raises InputProblem in words."""
    register = session.workspace.setup.register(register_id)
    if register is None:
        raise InputProblem(message("register-files.no-register", name=register_id))
    heads, rows = _cells(_read(path), register.columns)
    sample = tuple(tuple(row) for _, row in itertools.islice(rows, SAMPLE_ROWS))
    return CsvLook(path, tuple(heads), sample, guess_mapping(heads, register.columns))


@needs(Right.PREPARE)
def import_register(session: Session, name: str, path: Path, mapping: Mapping[str, str] | None = None) -> int:
    """Put the entries of a CSV file in place of a register's; return how many. Nothing changes where it has faults.

    ``mapping`` as in ``read_register``.
    """
    workspace, who = session.workspace, session.person
    register = workspace.setup.register(name)
    if register is None:
        raise InputProblem(message("register-files.no-register", name=name))
    text = _read(path)
    entries, report = read_register(text, register, mapping)
    if not report.ok or not entries:
        told = [str(f) for f in report.findings[:MOST_TOLD]] or [message("register-files.there-no-entry-in")]
        more = len(report.findings) - MOST_TOLD
        raise InputProblem(
            message("register-files.cannot-taken-register-not-changed", path_name=path.name, name=name)
            + "\n".join(told)
            + (f"\nand {more} more" if more > 0 else "")
        )
    by_key = {x[register.key]: x for x in entries}
    with workspace.place.database.atomic() as c:
        bring_entries(c, register, by_key, who=who, at=workspace.clock.stamp(), what="register replaced")
    workspace.forget_books()
    return len(entries)
