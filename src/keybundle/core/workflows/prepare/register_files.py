"""Registers from CSV files: read with care, told line by line what is wrong, put in place of the entries before."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from sqlalchemy import delete, insert

from keybundle.core.base.errors import Finding, InputProblem, Report
from keybundle.core.base.messages import message
from keybundle.core.registers.book import Entry
from keybundle.core.repository import audit
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import Register
from keybundle.core.store import schema as t
from keybundle.core.workflows.session.session import Session, needs

MOST_TOLD = 20
MARKS = (",", ";", "\t")


def read_register(text: str, register: Register) -> tuple[list[Entry], Report]:
    """Return the entries of a CSV text with a head line (comma, semicolon or tab), and what is wrong with it.

    Columns are found by name in any order; further ones are passed over. An empty or a repeated key is a finding.
    """
    first = text.split("\n", 1)[0]
    known = {
        mark: len(set(register.columns) & {h.strip() for h in next(csv.reader([first], delimiter=mark), [])})
        for mark in MARKS
    }
    rows = csv.reader(io.StringIO(text, newline=""), delimiter=max(MARKS, key=lambda mark: known[mark]))
    head = [h.strip() for h in next(rows, [])]
    missing = [c for c in register.columns if c not in head]
    if missing:
        said = message(
            "register-files.head-line-no-column", missing=missing[0], value=", ".join(h for h in head if h) or "none"
        )
        return [], Report((Finding("missing-column", "line 1", said),))
    places = {c: head.index(c) for c in register.columns}
    entries: list[Entry] = []
    seen: dict[str, int] = {}
    findings: list[Finding] = []
    for row in rows:
        if not any(cell.strip() for cell in row):
            continue
        number = rows.line_num
        entry = {c: row[i].strip() if i < len(row) else "" for c, i in places.items()}
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


@needs(Right.PREPARE)
def import_register(session: Session, name: str, path: Path) -> int:
    """Put the entries of a CSV file in place of a register's; return how many. Nothing changes where it has faults."""
    workspace, who = session.workspace, session.person
    register = workspace.setup.register(name)
    if register is None:
        raise InputProblem(message("register-files.no-register", name=name))
    try:
        text = path.read_bytes().decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = error.object[: error.start].count(b"\n") + 1
        raise InputProblem(message("register-files.not-utf-text-line-save", path_name=path.name, line=line)) from error
    except OSError as error:
        raise InputProblem(
            message("register-files.cannot-read-register-not-changed", path_name=path.name, strerror=error.strerror)
        ) from error
    entries, report = read_register(text, register)
    if not report.ok or not entries:
        told = [str(f) for f in report.findings[:MOST_TOLD]] or [message("register-files.there-no-entry-in")]
        more = len(report.findings) - MOST_TOLD
        raise InputProblem(
            message("register-files.cannot-taken-register-not-changed", path_name=path.name, name=name)
            + "\n".join(told)
            + (f"\nand {more} more" if more > 0 else "")
        )
    e = t.register_entry
    with workspace.place.database.atomic() as c:
        c.execute(delete(e).where(e.c.register == name))
        rows = [{"register": name, "key": x[register.key], "position": i, "row": x} for i, x in enumerate(entries)]
        c.execute(insert(e), rows)
        audit.append(c, workspace.clock.stamp(), who, "register replaced", name, {"entries": len(entries)})
    workspace.forget_books()
    return len(entries)
