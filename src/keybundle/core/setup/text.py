"""The set-up as one TOML file: read with the line of each fault, written so that it reads back the same."""

from __future__ import annotations

import re
import tomllib
from typing import Any

import tomlkit
from pydantic import ValidationError

from keybundle.core.base.errors import Finding, InputProblem, Report
from keybundle.core.setup.model import Setup
from keybundle.core.setup.routines import Routine
from keybundle.core.setup.validation import Path, find_faults

_HEADER = re.compile(r"^\s*(\[\[?)\s*([^\]]+?)\s*\]\]?\s*(?:#.*)?$")
_KEY = re.compile(r"^\s*(?:\"([^\"]+)\"|([A-Za-z0-9_-]+))\s*=")


def locate_lines(text: str) -> dict[Path, int]:
    """Return the line number, from 1, of each table header and key of a TOML text."""
    lines: dict[Path, int] = {}
    counts: dict[Path, int] = {}
    current: Path = ()
    for number, line in enumerate(text.splitlines(), 1):
        if header := _HEADER.match(line):
            current = _enter(header[2], header[1] == "[[", counts)
            lines.setdefault(current, number)
        elif key := _KEY.match(line):
            lines.setdefault((*current, key[1] or key[2]), number)
    return lines


def _enter(dotted: str, is_array: bool, counts: dict[Path, int]) -> Path:
    path: Path = ()
    names = [n.strip().strip('"') for n in dotted.split(".")]
    for depth, name in enumerate(names):
        path = (*path, name)
        last = depth == len(names) - 1
        if last and is_array:
            counts[path] = counts.get(path, -1) + 1
        if path in counts:
            path = (*path, counts[path])
    return path


def _line_of(path: Path, lines: dict[Path, int]) -> int:
    while path and path not in lines:
        path = path[:-1]
    return lines.get(path, 1)


def read_setup(text: str) -> Setup | Report:
    """Return the set-up told by a TOML text, or a report with line and reason of each fault."""
    try:
        data: dict[str, Any] = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        place = re.search(r"line (\d+)", str(error))
        return Report((Finding("not-toml", f"line {place[1] if place else 1}", f"this is not TOML: {error}"),))
    lines = locate_lines(text)
    try:
        setup = Setup.model_validate(data)
    except ValidationError as error:
        return Report(
            tuple(
                Finding(
                    e["type"], f"line {_line_of(tuple(e['loc']), lines)}", _say(tuple(e["loc"]), e["msg"], e["input"])
                )
                for e in error.errors()
            )
        )
    faults = find_faults(setup)
    if faults:
        return Report(tuple(Finding(rule, f"line {_line_of(path, lines)}", say) for path, rule, say in faults))
    return setup


def _say(path: Path, message: str, given: object) -> str:
    key = next((str(p) for p in reversed(path) if isinstance(p, str)), "set-up")
    told = f" (here: “{given}”)" if isinstance(given, str | int | float) else ""
    return f"{key}: {message.removeprefix('Value error, ')}{told}"


def load_setup(text: str) -> Setup:
    """Return the set-up, or raise InputProblem with all findings."""
    result = read_setup(text)
    if isinstance(result, Report):
        raise InputProblem("\n".join(str(f) for f in result.findings))
    return result


def load_kept_setup(text: str) -> Setup:
    """Return a set-up as it was kept, which was found to hold together then; raises ValidationError for any other."""
    return Setup.model_validate(tomllib.loads(text))


def write_setup(setup: Setup) -> str:
    """Return the set-up as TOML that reads back the same."""
    plain = setup.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    document = tomlkit.document()
    document.add(tomlkit.comment("Set-up of a Key Bundle repository; see docs/setup-file.md"))
    document.add("schema_version", 1)
    for key in ("repository", "locale", "time_zone"):
        document.add(key, getattr(setup, key))
    for key, value in plain.items():
        if isinstance(value, dict):
            document.add(key, value)
    for key, value in plain.items():
        if isinstance(value, list) and key not in document:
            document.add(key, _tables(value))
    return tomlkit.dumps(document)


def write_routine(routine: Routine) -> str:
    """Return one routine as TOML."""
    document = tomlkit.document()
    document.add(tomlkit.comment("A routine of Key Bundle; bring it in under Prepare, Routines"))
    document.add("routines", _tables([routine.model_dump(mode="json", by_alias=True, exclude_defaults=True)]))
    return tomlkit.dumps(document)


def read_routines(text: str) -> tuple[Routine, ...]:
    """Return the routines of a TOML text, of one that holds nothing else or of a whole set-up; raises InputProblem."""
    try:
        found = tomllib.loads(text).get("routines", [])
        routines = tuple(Routine.model_validate(r) for r in found)
    except tomllib.TOMLDecodeError as error:
        raise InputProblem(
            f"This is no routine of Key Bundle: it is not TOML ({error}). Nothing was changed."
        ) from error
    except ValidationError as error:
        said = "; ".join(_say(tuple(e["loc"]), e["msg"], e["input"]) for e in error.errors())
        raise InputProblem(f"This routine cannot be used: {said}. Nothing was changed.") from error
    if not routines:
        raise InputProblem("There is no routine in this file. Nothing was changed.")
    return routines


def _tables(items: list[dict[str, Any]]) -> Any:
    array = tomlkit.aot()
    for item in items:
        table = tomlkit.table()
        for key, value in item.items():
            if isinstance(value, list) and value and isinstance(value[0], dict):
                table.add(key, _tables(value))
            elif key == "rows":
                rows = tomlkit.array()
                rows.extend(value)
                table.add(key, rows.multiline(True))
            else:
                table.add(key, value)
        array.append(table)
    return array
