"""The set-up as one TOML file: read with the line of each fault, written so that it reads back the same."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Collection, Mapping
from typing import Any

import tomlkit
from pydantic import ValidationError

from keybundle.core.base.errors import Finding, InputProblem, Report
from keybundle.core.base.messages import message
from keybundle.core.setup.ids import PARTS, by_ids, by_names, match_ids
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


def read_setup(
    text: str, present: Setup | None = None, used: Mapping[str, Collection[str]] | None = None
) -> Setup | Report:
    """Return the set-up told by a TOML text, its parts known by ids, or a report with line and reason of each fault.

    A part without an id is the ``present`` one of its name; ``used`` are ids that new parts must not get (``match_ids``).
    """
    try:
        data: dict[str, Any] = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        place = re.search(r"line (\d+)", str(error))
        return Report((Finding("not-toml", f"line {place[1] if place else 1}", message("text.toml", error=error)),))
    lines = locate_lines(text)
    try:
        setup = by_ids(Setup.model_validate(match_ids(data, present, used or {})))
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


def load_setup(text: str, present: Setup | None = None, used: Mapping[str, Collection[str]] | None = None) -> Setup:
    """Return the set-up, or raise InputProblem with all findings; ``present`` and ``used`` as in ``read_setup``."""
    result = read_setup(text, present, used)
    if isinstance(result, Report):
        raise InputProblem("\n".join(str(f) for f in result.findings))
    return result


def check_setup(setup: Setup) -> Report:
    """Return what does not hold together in a set-up that was changed, without lines."""
    try:
        whole = Setup.model_validate(setup.model_dump(by_alias=True))
    except ValidationError as error:
        said = (_say(tuple(e["loc"]), e["msg"], e["input"]) for e in error.errors())
        return Report(tuple(Finding("not-valid", "", s) for s in said))
    return Report(tuple(Finding(rule, "", say) for _, rule, say in find_faults(whole)))


def write_setup(setup: Setup) -> str:
    """Return the set-up as TOML that reads back the same: by names, with ids where they are no longer the names."""
    plain = _without_own_ids(by_names(setup).model_dump(mode="json", by_alias=True, exclude_defaults=True))
    document = tomlkit.document()
    document.add(tomlkit.comment("Set-up of a Key Bundle repository; see docs/setup-file.md"))
    document.add("schema_version", 1)
    for key in ("repository", "locale", "time_zone"):
        document.add(key, getattr(setup, key))
    parts = {key: value for key, value in plain.items() if key not in document}
    tables = {key: value for key, value in parts.items() if isinstance(value, list) and key in PARTS}
    dicts = {key: value for key, value in parts.items() if isinstance(value, dict)}
    for key, value in parts.items():
        if key not in tables and key not in dicts:
            document.add(key, value)
    for key, value in dicts.items():
        document.add(key, value)
    for key, value in tables.items():
        document.add(key, _tables(value))
    return tomlkit.dumps(document)


def write_routine(routine: Routine) -> str:
    """Return one routine as TOML."""
    document = tomlkit.document()
    document.add(tomlkit.comment("A routine of Key Bundle; bring it in under Prepare, Routines"))
    plain = routine.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    document.add("routines", _tables([{k: v for k, v in plain.items() if k != "id"}]))
    return tomlkit.dumps(document)


def read_routines(text: str) -> tuple[Routine, ...]:
    """Return the routines of a TOML text, of one that holds nothing else or of a whole set-up; raises InputProblem."""
    try:
        found = tomllib.loads(text).get("routines", [])
        routines = tuple(Routine.model_validate(r) for r in found)
    except tomllib.TOMLDecodeError as error:
        raise InputProblem(message("text.no-routine-key-bundle-not", error=error)) from error
    except ValidationError as error:
        said = "; ".join(_say(tuple(e["loc"]), e["msg"], e["input"]) for e in error.errors())
        raise InputProblem(message("text.routine-cannot-used-nothing-changed", said=said)) from error
    if not routines:
        raise InputProblem(message("text.no-routine-file-nothing-changed"))
    return routines


def _without_own_ids(data: Any) -> Any:
    """Leave out ids that are the names; a part of which only the name is left becomes that name."""
    if isinstance(data, list):
        return [_without_own_ids(x) for x in data]
    if not isinstance(data, dict):
        return data
    plain = {k: _without_own_ids(v) for k, v in data.items() if not (k == "id" and v == data.get("name"))}
    return (
        {**plain, "folder_fields": [x["name"] if list(x) == ["name"] else x for x in plain["folder_fields"]]}
        if ("folder_fields" in plain)
        else plain
    )


def _tables(items: list[dict[str, Any]]) -> Any:
    array = tomlkit.aot()
    for item in items:
        table = tomlkit.table()
        for key, value in item.items():
            if key == "folder_fields":
                table.add(key, _levels(value))
            elif isinstance(value, list) and value and isinstance(value[0], dict):
                table.add(key, _tables(value))
            elif key == "rows":
                rows = tomlkit.array()
                rows.extend(value)
                table.add(key, rows.multiline(True))
            else:
                table.add(key, value)
        array.append(table)
    return array


def _levels(items: list[Any]) -> Any:
    array = tomlkit.array()
    for item in items:
        if isinstance(item, dict):
            told = tomlkit.inline_table()
            told.update(item)
            item = told
        array.append(item)
    return array
