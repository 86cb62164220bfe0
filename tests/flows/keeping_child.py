"""Revises, erases, relocates and renders what is filed without end, telling each durable change, until it is killed."""

from __future__ import annotations

import random
import sys
from pathlib import Path
from typing import Any

from keybundle.core.store.place import hold
from keybundle.core.workflows.file import renditions
from keybundle.core.workflows.keep.areas import relocating
from keybundle.core.workflows.keep.documents import correcting, rearranging
from keybundle.core.workflows.keep.trash import deleting
from keybundle.core.workflows.keep.trash.erasing import finish_erasing
from keybundle.core.workflows.pages import pdf_work
from keybundle.core.workflows.session.behind import do_due
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from tests.flows.crash_child import say
from tests.standin import StandIn
from tests.support import acting, filed_ids

ADMIN, ARCHIVE, FEWEST = "Oswinna Reedmace", "archive", 12


def put(workspace: Workspace, who: str, cabinet: str, area: str) -> None:
    """Let a cabinet's files lie in an area, which is made where it is missing."""

    def change(setup: Any) -> Any:
        areas = setup.storage_areas
        if all(a.id != ARCHIVE for a in areas):
            areas = (*areas, type(areas[0])(name="Archive", id=ARCHIVE, path=ARCHIVE))
        kept = tuple(c.model_copy(update={"storage_area": area}) if c.id == cabinet else c for c in setup.cabinets)
        return setup.model_copy(update={"storage_areas": areas, "cabinets": kept})

    workspace.change_setup(who, change)


def render(what: str, args: tuple[Any, ...]) -> Any:
    return getattr(pdf_work, what)(*args)


def main(data: Path) -> None:
    with hold(data, who="the crash test"):
        workspace, pool = open_workspace(data, held=True), StandIn(render)
        me, rng = acting(workspace, ADMIN), random.Random()
        own = workspace.setup.storage_areas[0].id
        do_due(workspace, relocating.leaving(workspace), at_once=True)
        finish_erasing(workspace)
        say("ready")
        while True:
            ids = filed_ids(workspace)
            document = workspace.repository.load(rng.choice(ids))
            doing = rng.randrange(6)
            if doing == 0 and document.type == "Bill":
                given = {document.id: {"Bill number": f"R-{rng.randrange(10**6)}"}}
                done = correcting.correct(me, given, follow=False)
                say("revised", f"{done.versions[0][0]}:{document.version + 1}")
            elif doing == 1:
                page = rng.choice(document.pages).page_id
                rearranging.turn_pages(me, document.id, [page], 180, document.revision)
                say("revised", f"{document.id}:{document.version + 1}")
            elif doing == 2 and len(ids) > FEWEST:
                deleting.delete_documents(me, [document.id], "a crash test")
                say("step", "-")
                deleting.empty_trash(me, [document.id])
                say("erased", document.id)
            elif doing == 3:
                put(workspace, me.person, document.cabinet, rng.choice((own, ARCHIVE)))
                relocating.relocate(me, progress=lambda step: say("step", "-"))
            elif doing == 4:
                renditions.make_due(workspace, pool, at_once=True)  # type: ignore[arg-type]
                say("step", "-")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
