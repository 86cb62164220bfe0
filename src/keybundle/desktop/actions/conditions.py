"""What commands need before they can be run, as records: a condition by its name, what is said where it does not hold.

A place says which conditions hold (``Handlers.provide``). What the store knows better than the window is left to it: a
condition that could be refused by what the window has not heard yet holds while a change is under way.
"""

from __future__ import annotations

from keybundle.desktop.words import mark

CONDITIONS = {
    # the work list
    "batch": mark("Choose a batch in the list first."),
    "scanner": mark("There is no scanner. Plug one in and look for scanners again (L)."),
    "scanner for it": mark("There is no scanner for the routine of this batch."),
    "routine": mark("There is no routine for a scanner yet. Under Prepare (Ctrl+4) one is made."),
    "incoming": mark("Nothing is coming in that could be stopped."),
    "halt": mark("The feeder has not halted at anything."),
    # the bench
    "page": mark("There is no page here yet."),
    "pages in hand": mark("No pages are in hand; choose some and cut them with Ctrl+X."),
    "document": mark("This page is in no document. Go to one that is."),
    "unfiled": mark("This document is filed or being filed; Ctrl+B takes it back to be changed."),
    "filed": mark("This document is not filed yet."),
    "ready": mark("Something is still missing on this slip."),
    "some ready": mark("No document here is ready to be filed."),
    "field": mark("Go to a field of the slip first."),
    "date field": mark("Go to a field for a date first."),
    "register field": mark("Go to a field with a register first."),
    "readings": mark("Nothing else is offered for this field."),
    "type rival": mark("No other type is proposed for this document."),
    "reading": mark("All pages of this batch are read."),
    "under way": mark("Nothing is under way here that could be stopped."),
    # cabinets, hits, documents
    "cabinet": mark("Choose a cabinet first."),
    "row": mark("Choose a document in the table first."),
    "documents": mark("Choose documents in the table first."),
    "to send": mark("Choose documents in the table to send them."),
    "corrections": mark("Nothing is corrected here that is not kept yet."),
    "choices": mark("Nothing is chosen that could be cleared."),
    "hit": mark("Choose a hit first."),
    "filed hits": mark("Choose filed hits to send them; work that waits is sent once it is filed."),
    "shown": mark("No document is shown here."),
    "places": mark("What was searched for stands nowhere in this document."),
    "text": mark("This page has no text to copy."),
    "corrected": mark("Nothing was corrected here that could be put back."),
    # tables, prepare, everywhere
    "cell": mark("Choose a cell first."),
    "cell to paste at": mark("Choose the cell where the block begins."),
    "copied": mark("Nothing was copied that could be pasted."),
    "way back": mark("There is no page to go back to."),
    "undo": mark("There is nothing to take back here."),
    "redo": mark("Nothing was taken back here that could be done again."),
}

_OF_BATCH = ("work.scan more", "work.open", "work.stop reading", "work.give", "work.throw away", "work.close")
_OF_HALT = ("work.go on", "work.again", "work.leave out", "work.later")
_OF_PAGES = (
    "strip.next", "strip.previous", "strip.next document", "strip.previous document", "strip.break", "strip.join up",
    "strip.leave out", "strip.take back", "strip.turn right", "strip.turn left", "strip.move earlier", "strip.move later",
    "strip.to document before", "strip.to document after", "strip.reach next", "strip.reach previous",
    "strip.select document", "strip.cut", "strip.split each", "strip.join documents", "strip.reverse", "strip.interleave",
    "strip.shift breaks later", "strip.shift breaks earlier", "bench.separate again", "bench.zoom in", "bench.zoom out",
    "bench.zoom fit", "bench.text", "bench.own program", "bench.language", "strip.slip",
)  # fmt: skip
_OF_SLIP = ("slip.before", "slip.clear assumed", "slip.empty all", "bench.starters", "bench.folder", "bench.set aside")
_OF_DOCUMENTS = ("cabinets.delete", "cabinets.tags")
_OF_VIEWER = (
    "viewer.next", "viewer.previous", "viewer.first", "viewer.last", "viewer.down", "viewer.up", "viewer.go to",
    "viewer.zoom in", "viewer.zoom out", "viewer.fit", "viewer.turn", "viewer.turn back", "viewer.copy words",
    "viewer.own program", "viewer.correct", "viewer.send", "viewer.print", "viewer.send again",
)  # fmt: skip

# What each command needs, the first that does not hold is said; a command that is not named needs nothing.
NEEDS: dict[str, tuple[str, ...]] = {
    **dict.fromkeys(_OF_BATCH, ("batch",)),
    **dict.fromkeys(_OF_HALT, ("halt",)),
    **dict.fromkeys(_OF_PAGES, ("page",)),
    **dict.fromkeys(_OF_SLIP, ("document", "unfiled")),
    **dict.fromkeys(_OF_DOCUMENTS, ("documents",)),
    **dict.fromkeys(_OF_VIEWER, ("shown",)),
    **dict.fromkeys((f"slip.pick {n}" for n in range(1, 6)), ("field", "unfiled", "readings")),
    **dict.fromkeys(("cabinets.filter", "cabinets.order", "cabinets.flat", "cabinets.scan"), ("cabinet",)),
    **dict.fromkeys(("cabinets.next page", "cabinets.previous page", "cabinets.large"), ("shown",)),
    **dict.fromkeys(("cabinets.keep", "cabinets.discard", "cabinets.not kept"), ("corrections",)),
    **dict.fromkeys(("viewer.keep", "viewer.discard"), ("corrections",)),
    **dict.fromkeys(("find.keep", "find.discard", "find.not kept"), ("corrections",)),
    **dict.fromkeys(("find.next page", "find.previous page", "find.large"), ("shown",)),
    **dict.fromkeys(("find.next place", "find.previous place"), ("shown", "places")),
    **dict.fromkeys(("cabinets.send", "cabinets.print", "cabinets.send again"), ("to send",)),
    **dict.fromkeys(("find.send", "find.print", "find.send again"), ("filed hits",)),
    **dict.fromkeys(("viewer.next place", "viewer.previous place"), ("shown", "places")),
    **dict.fromkeys(("table.column earlier", "table.column later", "table.copy"), ("cell",)),
    "work.scan": ("scanner",),
    "work.preview": ("scanner",),
    "work.options": ("routine",),
    "work.scan more": ("batch", "scanner for it"),
    "work.stop": ("incoming",),
    "strip.paste": ("page", "pages in hand"),
    "strip.paste after": ("page", "pages in hand"),
    "bench.file": ("document", "unfiled", "ready"),
    "bench.file all": ("some ready",),
    "bench.take back": ("document", "filed"),
    "bench.send": ("document", "filed"),
    "bench.print": ("document", "filed"),
    "bench.keep to": ("document",),
    "bench.next document": ("page",),
    "bench.previous document": ("page",),
    "bench.stop reading": ("reading",),
    "bench.stop": ("under way",),
    "bench.lift": ("field", "unfiled"),
    "bench.other type": ("document", "unfiled", "type rival"),
    "bench.scan again": ("page", "scanner"),
    "bench.scan in": ("page", "scanner"),
    "slip.empty": ("field", "unfiled"),
    "slip.today": ("field", "unfiled", "date field"),
    "slip.register": ("field", "unfiled", "register field"),
    "slip.tags": ("document",),
    "table.fill down": ("cell",),
    "table.paste": ("copied", "cell to paste at"),
    "cabinets.correct": ("row",),
    "find.correct": ("row",),
    "cabinets.open": ("row",),
    "cabinets.clear": ("choices",),
    "cabinets.keep to": ("cabinet",),
    "cabinets.prepare": ("cabinet",),
    "find.open": ("hit",),
    "viewer.copy text": ("shown", "text"),
    "viewer.undo": ("corrected",),
    "prepare.back": ("way back",),
    "edit.undo": ("undo",),
    "edit.redo": ("redo",),
}
