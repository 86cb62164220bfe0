"""Run the parts that are named (all without a name) and write docs/performance.md when all were run."""

from __future__ import annotations

import platform
import subprocess
import sys
from datetime import UTC, datetime
from pathlib import Path

from bench import editors, indexing, looking, pages, parts, repository, rights, start
from bench.world import blank, reading, second, sheets, trees, values
from bench.yardstick import feeder, kept_originals, time_bare_decode, time_bare_engine, time_bare_window

PARTS = {
    "marks": parts.measure_marks, "cleaning": parts.measure_cleaning, "values": parts.measure_values,
    "types": indexing.measure_types, "learning": indexing.measure_learning, "reading": indexing.measure_reading,
    "registers": indexing.measure_registers, "effort": indexing.measure_effort, "pages": pages.measure_pages,
    "photos": pages.measure_photos, "pace": pages.measure_pace, "window": pages.measure_window, "keys": pages.measure_keys,
    "looking": looking.measure_looking, "start": start.measure_start, "slip": parts.measure_slip, "line": parts.measure_line,
    "world": reading.measure_world_reading, "blank": blank.measure_world_blank,
    "sheets": sheets.measure_world_sheets, "second": second.measure_world_second, "world-values": values.measure_world_values,
    "trees": trees.measure_world_trees, "rights": rights.measure_rights,
    "editors": editors.measure_editors,
    "repository": repository.measure_repository,
}  # fmt: skip
TARGET = Path(__file__).parent.parent / "docs" / "performance.md"


def yardstick() -> list[str]:
    """Return the machine's own figures."""
    data, plan = feeder()
    kept = kept_originals(data, plan)[:6]
    engine = time_bare_engine(kept, 1) / len(kept)
    return [
        f"Yardstick of this machine ({platform.machine()}, 2 worker processes): bare engine {engine:.2f} s/page, "
        f"bare decode {time_bare_decode():.0f} ms, bare window {time_bare_window():.2f} s.",
    ]


def main(names: list[str]) -> None:
    """Measure and print; a whole run is kept."""
    chosen = names or list(PARTS)
    commit = subprocess.run(
        ["git", "rev-parse", "--short", "HEAD"], capture_output=True, text=True, check=False
    ).stdout.strip()
    lines = [
        "# Performance", "",
        "Made by `scripts/bench`; ratios are taken within one run, absolute figures are medians of 5.", "",
        f"Measured {datetime.now(UTC):%Y-%m-%d} at {commit}.", "", *yardstick(), "",
        "| what | here | beside it | ratio | aim |", "| --- | --- | --- | --- | --- |",
    ]  # fmt: skip
    notes: list[str] = []
    for name in chosen:
        found = PARTS[name]()
        print("\n".join(found), flush=True)
        if any(x.startswith("| ---") for x in found):  # a table of its own
            notes.append("\n".join(found))
            continue
        lines += [x for x in found if x.startswith("|")]
        notes += [x for x in found if x and not x.startswith("|")]
    lines += ["", *(f"{n}\n" for n in notes)]
    if not names:
        TARGET.write_text("\n".join(lines).rstrip() + "\n")


if __name__ == "__main__":
    main(sys.argv[1:])
