"""A data directory with one batch of so many placed and read pages; made in a process of its own."""

from __future__ import annotations

import io
import sys
from dataclasses import replace
from pathlib import Path

from keybundle.core.base.boxes import Frame
from keybundle.core.base.files import write_atomic
from keybundle.core.batches.arrivals import Arrival
from keybundle.core.batches.model import Facts, Page
from keybundle.core.marks.model import Wanted
from keybundle.core.separation.facts import Placing
from keybundle.core.workflows.line.page_work import examine, read
from keybundle.core.workflows.pages.page_jobs import PageJob
from keybundle.core.workflows.pages.preview_files import preview_path
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.demo import seed
from keybundle.demo.trials import draw_page


def sample_page() -> bytes:
    """Return a small page as a file, for batches of many."""
    out = io.BytesIO()
    draw_page(3, 100).sheet.image.convert("L").save(out, "PNG", dpi=(100, 100))
    return out.getvalue()


def make_batches(data: Path, pages: int, batches: int = 1) -> None:
    """Put batches of so many placed and read pages into a fresh data directory, pictures included."""
    workspace = open_workspace(data)
    seed.begin(workspace)
    who, sample = workspace.person(None).name, sample_page()
    sha = workspace.place.files.put(sample)
    source = workspace.place.files.path(sha)
    job = PageJob(path=str(source), name="many", page_id="first", steps=(True,) * 4)
    cache, root = str(workspace.place.cache), str(workspace.place.files.root)
    facts = Facts.from_json(examine(job, Wanted(separator=True), cache, root)[0])
    text = read(replace(job, frame=Frame(facts.width, facts.height)))[0]
    for number in range(batches):
        batch_id = workspace.batches.create("Post", "many", who)
        _fill(workspace, batch_id, sha, facts, text, range(number * pages, (number + 1) * pages))
    workspace.close()


def _fill(workspace: Workspace, batch_id: str, sha: str, facts: Facts, text: bytes, numbers: range) -> None:
    with workspace.place.database.atomic():
        for i in numbers:
            page = Page(f"page{i:05d}", i, "many", 0, i + 1, "front", sha)
            workspace.batches.take(batch_id, Arrival(f"a{i}", "many", "bench"), [page])
            workspace.batches.set_facts(page.id, replace(facts, rotation=0, skew_degrees=0.0))
            workspace.batches.set_text(page.id, text, 0)
            placing = Placing(page.id, True, "", i % 3 == 0, "separator sheet")
            workspace.batches.place(batch_id, [page.id], lambda pages, texts, state, p=placing: ([p], state))
            for kind in ("thumbnail", "screen"):
                made = preview_path(workspace.place.cache, "first", facts.rotation, kind)
                write_atomic(preview_path(workspace.place.cache, page.id, 0, kind), made.read_bytes(), durable=False)
        workspace.batches.end_capture(batch_id)


if __name__ == "__main__":
    make_batches(Path(sys.argv[1]), *map(int, sys.argv[2:]))
