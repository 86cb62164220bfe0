"""Every command as one record: buttons, shortcuts, the shortcut sheet and the command search all come from here."""

from __future__ import annotations

from keybundle.core.base.records import dataclass
from keybundle.core.rights.model import Right
from keybundle.desktop.words import mark, tr


@dataclass(frozen=True)
class Command:
    """A command: ``place`` is where it acts (``everywhere``, ``work``, ``bench strip``, ``bench slip``, ...).

    ``named`` and ``said`` are its name and what it does as they stand in the catalogue; ``shortcut`` is portable key text,
    ``also`` holds further keys that do the same.
    """

    id: str
    named: str
    said: str
    shortcut: str
    place: str
    also: tuple[str, ...] = ()

    @property
    def keys(self) -> tuple[str, ...]:
        """All its keys, the one that is shown beside it first."""
        return (self.shortcut, *self.also)

    @property
    def title(self) -> str:
        """Its name, in the language that is spoken."""
        return tr(self.named)

    @property
    def words(self) -> str:
        """What it does, in the language that is spoken."""
        return tr(self.said)


COMMANDS: tuple[Command, ...] = (
    Command("go.work", "Work", "Show the work list", "Ctrl+1", "everywhere"),
    Command("go.cabinets", "Cabinets", "Browse what is filed", "Ctrl+2", "everywhere"),
    Command("go.find", "Find", "Find documents by any word or field", "Ctrl+3", "everywhere", ("Ctrl+F",)),
    Command(
        "go.prepare", "Prepare", "See and change cabinets, types, registers, routines, people", "Ctrl+4", "everywhere"
    ),
    Command(
        "go.window",
        "Window beside",
        "Open another window on the same work, with its own places",
        "Ctrl+Shift+N",
        "everywhere",
    ),
    Command(
        "go.person", "You", "Your password, who else works here, signing in as somebody else", "Ctrl+5", "everywhere"
    ),
    Command("go.lock", "Lock", "Lock the window; what you were at stays as it is", "F12", "everywhere"),
    Command("go.sheet", "To the sheet", "Lead the keyboard into the sheet at the right edge", "F9", "everywhere"),
    Command("help.keys", "Keys", "Show all keys and search commands", "F1", "everywhere"),
    Command("help.messages", "Messages", "Read again what was said at the foot", "Ctrl+M", "everywhere"),
    Command(
        "line.retry",
        "Try again",
        "Try again at once what a full disk or a locked store holds up",
        "Ctrl+Shift+Y",
        "everywhere",
    ),
    Command("edit.undo", "Undo", "Undo the last step of the open batch", "Ctrl+Z", "everywhere"),
    Command("edit.redo", "Redo", "Do the undone step again", "Ctrl+Shift+Z", "everywhere"),
    Command("work.scan", "Scan", "Scan the stack in the feeder under the chosen routine", "S", "work"),
    Command("work.preview", "Preview a page", "Scan a page to look at, then accept it or scan it again", "P", "work"),
    Command("work.options", "Scan options", "Change how the next stacks are scanned", "O", "work"),
    Command("work.stop", "Stop scanning", "Stop the feeder; what came in is kept", "Shift+S", "work"),
    Command("work.scan more", "Scan more", "Scan what lies in the feeder into the chosen batch", "M", "work"),
    Command("work.look", "Look for scanners", "Ask again which scanners are there", "L", "work"),
    Command("work.import", "Import files", "Bring files in under the routine Files", "I", "work"),
    Command(
        "work.import folder",
        "Import a folder",
        "Bring in a folder with all below it; its path can give values",
        "Shift+I",
        "work",
    ),
    Command("work.refill", "Refill feeder", "Put the demo stack into the simulated feeder again", "F", "work"),
    Command("work.open", "Open batch", "Open the chosen batch on the bench", "Return", "work"),
    Command("work.stop reading", "Stop reading", "Stop the reading of the chosen batch, or read on", "Ctrl+R", "work"),
    Command("work.go on", "Go on", "After a halt: the sheets are fine, feed what lies in the feeder", "G", "work"),
    Command("work.again", "Scan again", "After a halt: leave its sheets out and feed them again", "A", "work"),
    Command("work.leave out", "Leave out", "After a halt: leave out the sheet that stopped the feeder", "X", "work"),
    Command("work.later", "Later", "Leave the feeder stopped; what came in is kept", "Esc", "work"),
    Command("work.give", "Give to", "Give the chosen batch to other people and groups too", "Shift+G", "work"),
    Command(
        "work.throw away",
        "Throw away",
        "Take the chosen batch off the list whole; it can be brought back",
        "Del",
        "work",
    ),
    Command(
        "work.thrown",
        "Batches thrown away",
        "See the batches thrown away, bring back or erase them",
        "Shift+Del",
        "work",
    ),
    Command("work.close", "Close batch", "Close a batch whose every document is filed", "C", "work"),
    Command("strip.next", "Next page", "Go to the next page", "Right", "bench strip"),
    Command("strip.previous", "Previous page", "Go to the page before", "Left", "bench strip"),
    Command("strip.next document", "Next document", "Go to the next document's first page", "Down", "bench strip"),
    Command("strip.previous document", "Previous document", "Go to the document before", "Up", "bench strip"),
    Command("strip.break", "Break", "Start a new document at this page", "B", "bench strip"),
    Command("strip.join up", "Join up", "Take away the break before this document", "J", "bench strip"),
    Command("strip.leave out", "Leave out", "Keep this page out of every document", "X", "bench strip"),
    Command("strip.take back", "Take back", "Put a left-out page back", "T", "bench strip"),
    Command("strip.turn right", "Turn right", "Turn the page clockwise by a quarter", "R", "bench strip"),
    Command("strip.turn left", "Turn left", "Turn the page counter-clockwise by a quarter", "Shift+R", "bench strip"),
    Command("strip.move earlier", "Move earlier", "Move the page one place towards the front", "[", "bench strip"),
    Command("strip.move later", "Move later", "Move the page one place towards the end", "]", "bench strip"),
    Command(
        "strip.to document before", "To document before", "Give the page to the document before", ",", "bench strip"
    ),
    Command("strip.to document after", "To document after", "Give the page to the document after", ".", "bench strip"),
    Command("strip.reach next", "Select further", "Select one page more towards the end", "Shift+Right", "bench strip"),
    Command(
        "strip.reach previous", "Select back", "Select one page more towards the front", "Shift+Left", "bench strip"
    ),
    Command("strip.select document", "Select document", "Select its pages; again: all pages", "Ctrl+A", "bench strip"),
    Command("strip.cut", "Cut", "Take the chosen pages in hand to paste them elsewhere", "Ctrl+X", "bench strip"),
    Command("strip.paste", "Paste before", "Put the pages in hand before this page", "Ctrl+V", "bench strip"),
    Command("strip.paste after", "Paste after", "Put the pages in hand after this page", "Ctrl+Shift+V", "bench strip"),
    Command("strip.split each", "Split each", "Make each chosen page a document of its own", "E", "bench strip"),
    Command(
        "strip.join documents", "Join documents", "Join the documents of the chosen pages", "Shift+J", "bench strip"
    ),
    Command("strip.reverse", "Reverse the order", "Reverse the order of the chosen pages", "V", "bench strip"),
    Command(
        "strip.interleave", "Interleave", "Put backs behind fronts that were scanned as two stacks", "K", "bench strip"
    ),
    Command(
        "strip.shift breaks later", "All breaks later", "Move every break one page towards the end", ">", "bench strip"
    ),
    Command(
        "strip.shift breaks earlier", "All breaks earlier", "Move every break one page to the front", "<", "bench strip"
    ),
    Command("strip.contact sheet", "Contact sheet", "Show all pages large, or the page and slip", "W", "bench strip"),
    Command("strip.slip", "To the slip", "Go to the slip's next unsure value", "Return", "bench strip"),
    Command(
        "bench.file", "File and go on", "File this document and go to the next one to check", "Ctrl+Return", "bench"
    ),
    Command("bench.file all", "File all ready", "File every ready document of the batch", "Ctrl+Shift+Return", "bench"),
    Command(
        "bench.set aside", "Set aside", "Set the document aside with a reason, or bring it back", "Ctrl+D", "bench"
    ),
    Command("bench.changes", "History", "List who changed which value, and from what", "Ctrl+H", "bench"),
    Command("bench.take back", "Take back filed", "Take a filed document back into the batch", "Ctrl+B", "bench"),
    Command("bench.give", "Give to", "Give this batch to other people and groups too", "Ctrl+Shift+G", "bench"),
    Command(
        "bench.prepare",
        "Prepare it",
        "Change the type, at the field that one is in (Alt+Left comes back); who may not proposes what is missing",
        "Ctrl+Alt+P",
        "bench",
    ),
    Command("bench.stop reading", "Stop reading", "Stop the reading of this batch, or read on", "Ctrl+R", "bench"),
    Command("bench.next document", "Next document", "Go to the next document", "Ctrl+PgDown", "bench"),
    Command("bench.previous document", "Previous document", "Go to the document before", "Ctrl+PgUp", "bench"),
    Command(
        "bench.lift",
        "Lift",
        "Lift the field's value from the page: type to find, arrows extend, Enter takes",
        "Ctrl+L",
        "bench",
    ),
    Command(
        "bench.separate again",
        "Separate again",
        "Cut the batch by its routine's present rules",
        "Ctrl+Shift+R",
        "bench",
    ),
    Command(
        "bench.scan again",
        "Scan page again",
        "Scan a page in place of this one; it is left out",
        "Ctrl+Shift+A",
        "bench",
    ),
    Command(
        "bench.scan in",
        "Scan pages in",
        "Scan what lies in the feeder to the place after this page",
        "Ctrl+Shift+M",
        "bench",
    ),
    Command(
        "bench.stop",
        "Stop",
        "Stop what is under way here, such as filing; what is done is kept",
        "Ctrl+Shift+K",
        "bench",
    ),
    Command("bench.second window", "Page window", "Show the page in a second window too", "Ctrl+Shift+P", "bench"),
    Command(
        "bench.keep to", "Kept to", "See and change whom the document is kept to once it is filed", "Ctrl+K", "bench"
    ),
    Command("bench.send", "Send", "Save, mail or print the document once it is filed", "Ctrl+E", "bench"),
    Command("bench.print", "Print", "Print this document as it is filed", "Ctrl+P", "bench"),
    Command("bench.close", "Close batch", "Close the batch; what is still open is named", "Ctrl+Shift+C", "bench"),
    Command("bench.zoom in", "Zoom in", "Show the page larger", "Ctrl++", "bench", ("Ctrl+=",)),
    Command("bench.zoom out", "Zoom out", "Show the page smaller", "Ctrl+-", "bench"),
    Command("bench.zoom fit", "Fit", "Show the whole page", "Ctrl+0", "bench"),
    Command("slip.confirm", "Confirm", "Confirm the value and go to the next unsure one", "Return", "bench slip"),
    Command("slip.empty", "Empty field", "Empty the field", "Alt+E", "bench slip"),
    Command("slip.empty all", "Empty the slip", "Empty all fields of the slip", "Ctrl+Shift+Backspace", "bench slip"),
    Command(
        "slip.clear assumed",
        "Empty what nobody confirmed",
        "Empty what was only carried over, defaulted or prefilled",
        "Alt+Shift+E",
        "bench slip",
    ),
    Command("slip.today", "Today", "Give the date field today's date, marked as such", "Alt+D", "bench slip"),
    Command(
        "slip.before",
        "Values of the document before",
        "Fill what is empty from the document of this type before",
        "Alt+V",
        "bench slip",
    ),
    Command("slip.register", "Register", "Look into the register behind the field", "Alt+R", "bench slip"),
    Command("slip.tags", "Tags", "Go to the document's tags", "Ctrl+T", "bench slip"),
    Command("slip.pick 1", "Take the first", "Take the first of what is offered instead", "Alt+1", "bench slip"),
    Command("slip.pick 2", "Take the second", "Take the second of what is offered instead", "Alt+2", "bench slip"),
    Command("slip.pick 3", "Take the third", "Take the third of what is offered instead", "Alt+3", "bench slip"),
    Command("slip.pick 4", "Take the fourth", "Take the fourth of what is offered instead", "Alt+4", "bench slip"),
    Command("slip.pick 5", "Take the fifth", "Take the fifth of what is offered instead", "Alt+5", "bench slip"),
    Command(
        "bench.starters",
        "Starters",
        "Start the slip from a kept set of values, or keep this one",
        "Ctrl+Shift+S",
        "bench",
    ),
    Command(
        "bench.other type",
        "Other type",
        "Give the document the type that would be next; again: the one before",
        "Alt+T",
        "bench",
    ),
    Command(
        "bench.folder", "Choose folder", "Choose the folder by hand; its values go into their fields", "Ctrl+J", "bench"
    ),
    Command(
        "bench.table",
        "Table",
        "Show all slips of the batch as a table, or page and slip",
        "Ctrl+Shift+T",
        "bench",
    ),
    Command(
        "table.fill down",
        "Fill down",
        "Give the topmost selected value to the selected cells below",
        "Ctrl+Down",
        "bench table",
    ),
    Command(
        "table.sort up",
        "Sort",
        "Sort by this column, the least first; once more: the list's own order",
        "Ctrl+Shift+Up",
        "table",
    ),
    Command("table.sort down", "Sort downwards", "Sort by this column, the greatest first", "Ctrl+Shift+Down", "table"),
    Command("table.column earlier", "Column earlier", "Move this column one place earlier", "Ctrl+Shift+Left", "table"),
    Command("table.column later", "Column later", "Move this column one place later", "Ctrl+Shift+Right", "table"),
    Command("table.columns", "Columns", "Choose which columns are shown", "Ctrl+Shift+H", "table"),
    Command("table.copy", "Copy cells", "Copy the chosen cells as a block", "Ctrl+C", "table"),
    Command(
        "table.paste", "Paste cells", "Paste a block from this cell on, or one value into all chosen", "Ctrl+V", "table"
    ),
    Command("bench.text", "Text", "Show the page's text as text, to search it or to type it", "Ctrl+Shift+X", "bench"),
    Command(
        "bench.poor pages", "Poor pages", "List the pages that read badly, to scan them again", "Ctrl+Shift+Q", "bench"
    ),
    Command("bench.aside list", "What is set aside", "List what is set aside in this batch", "Ctrl+Shift+D", "bench"),
    Command(
        "bench.not taken",
        "Not taken in",
        "List what came in with this batch and was not taken, with the reasons",
        "Ctrl+Shift+I",
        "bench",
    ),
    Command("bench.own program", "Own program", "Open the file as it came in its own program", "Ctrl+O", "bench"),
    Command("bench.language", "Language", "Read the chosen pages in another language", "Ctrl+Shift+L", "bench"),
    Command("slip.strip", "To the strip", "Go from the slip to the page strip", "Esc", "bench slip"),
    Command("cabinets.correct", "Correct", "Correct a value of the document; of all that are chosen", "F2", "cabinets"),
    Command(
        "cabinets.keep", "Keep corrections", "Keep what was corrected in the table, all together", "Ctrl+S", "cabinets"
    ),
    Command("cabinets.discard", "Let go of corrections", "Let go of what is not kept yet", "Ctrl+Shift+U", "cabinets"),
    Command(
        "cabinets.not kept",
        "Not kept yet",
        "List what is typed and not kept, and why not",
        "Ctrl+U",
        "cabinets",
    ),
    Command("cabinets.delete", "Delete", "Put the chosen documents into the trash, with the reason", "Del", "cabinets"),
    Command("cabinets.trash", "Trash", "See what was deleted; bring it back or erase it", "Shift+Del", "cabinets"),
    Command("cabinets.filter", "Filter", "Type to filter the column that has the focus", "/", "cabinets"),
    Command("cabinets.clear", "Clear", "Clear all chosen values and filters", "Esc", "cabinets"),
    Command("cabinets.order", "Other order", "Put the columns in another order", "Ctrl+Alt+V", "cabinets"),
    Command("cabinets.flat", "Flat list", "Close all columns, or show them again", "Ctrl+Alt+F", "cabinets"),
    Command("cabinets.tags", "Tags", "Change the tags of the chosen documents", "Ctrl+T", "cabinets"),
    Command(
        "cabinets.scan",
        "Scan with these values",
        "Scan a stack that takes over the chosen values, to be confirmed",
        "Ctrl+Alt+S",
        "cabinets",
    ),
    Command("cabinets.next page", "Next page", "Turn to the next page of the shown document", "Alt+PgDown", "cabinets"),
    Command("cabinets.previous page", "Previous page", "Turn to the page before", "Alt+PgUp", "cabinets"),
    Command(
        "cabinets.large",
        "Large",
        "Show the page large while going through the list, and let it go",
        "Space",
        "cabinets",
    ),
    Command("cabinets.open", "Open", "Open the document in a window of its own", "Return", "cabinets"),
    Command(
        "cabinets.keep to",
        "Kept to",
        "See and change whom the cabinet, the chosen folder or document is kept to",
        "Ctrl+K",
        "cabinets",
    ),
    Command("cabinets.send", "Send", "Save, mail or print the chosen documents", "Ctrl+E", "cabinets"),
    Command("cabinets.print", "Print", "Print the chosen documents", "Ctrl+P", "cabinets"),
    Command("cabinets.send again", "Send again", "Send the document as it was sent last", "Ctrl+Shift+E", "cabinets"),
    Command("find.open", "Open hit", "Open the hit in a window of its own, with the words marked", "Return", "find"),
    Command("find.next page", "Next page", "Turn to the next page of the shown hit", "Alt+PgDown", "find hits"),
    Command("find.previous page", "Previous page", "Turn to the page before", "Alt+PgUp", "find hits"),
    Command("find.next place", "Next place", "Go to the next place that answers the search", "N", "find hits"),
    Command("find.previous place", "Previous place", "Go to the place before", "Shift+N", "find hits"),
    Command(
        "find.large", "Large", "Show the page large while going through the hits, and let it go", "Space", "find hits"
    ),
    Command("cabinets.prepare", "Prepare it", "Change how the cabinet is prepared", "Ctrl+Alt+P", "cabinets"),
    Command("find.send", "Send", "Save, mail or print the chosen hits", "Ctrl+E", "find"),
    Command("find.print", "Print", "Print the chosen hits", "Ctrl+P", "find"),
    Command(
        "find.table",
        "Table",
        "Show the filed hits as a table to correct them, or as a list",
        "Ctrl+Shift+T",
        "find",
    ),
    Command("find.correct", "Correct", "Correct a value of the hit; of all that are chosen", "F2", "find"),
    Command("find.keep", "Keep corrections", "Keep what was corrected among the hits, all together", "Ctrl+S", "find"),
    Command("find.discard", "Let go of corrections", "Let go of what is not kept yet", "Ctrl+Shift+U", "find"),
    Command("find.not kept", "Not kept yet", "List what is typed and not kept, and why not", "Ctrl+U", "find"),
    Command("find.send again", "Send again", "Send the hit as it was sent last", "Ctrl+Shift+E", "find"),
    Command("viewer.next", "Next page", "Turn to the next page", "Right", "viewer"),
    Command("viewer.previous", "Previous page", "Turn to the page before", "Left", "viewer"),
    Command("viewer.first", "First page", "Turn to the first page", "Home", "viewer"),
    Command("viewer.last", "Last page", "Turn to the last page", "End", "viewer"),
    Command("viewer.down", "Further down", "Move on; at the foot of a page to the next one", "Down", "viewer"),
    Command("viewer.up", "Further up", "Move back; at the head of a page to the one before", "Up", "viewer"),
    Command("viewer.go to", "Go to page", "Go to a page by its number", "G", "viewer"),
    Command("viewer.zoom in", "Larger", "Show the page larger", "+", "viewer", ("=",)),
    Command("viewer.zoom out", "Smaller", "Show the page smaller", "-", "viewer"),
    Command("viewer.fit", "Whole or width", "Show the whole page, or its width", "0", "viewer"),
    Command("viewer.turn", "Turn", "Turn the page clockwise for looking; nothing is changed", "R", "viewer"),
    Command("viewer.turn back", "Turn back", "Turn the page counter-clockwise for looking", "Shift+R", "viewer"),
    Command("viewer.next place", "Next place", "Go to the next place that answers the search", "N", "viewer"),
    Command("viewer.previous place", "Previous place", "Go to the place before", "Shift+N", "viewer"),
    Command("viewer.values", "Values", "Show the values at the side", "1", "viewer"),
    Command("viewer.text", "Text", "Show the text of the page at the side, to search and copy it", "2", "viewer"),
    Command("viewer.story", "Story", "Show what happened to the document", "3", "viewer"),
    Command("viewer.copy text", "Copy text", "Copy the text of the page", "Ctrl+Alt+C", "viewer"),
    Command(
        "viewer.copy words",
        "Lift",
        "Copy words: type to find, arrows extend, Enter takes; or Ctrl and drag",
        "Ctrl+L",
        "viewer",
    ),
    Command("viewer.own program", "Own program", "Open the file as it came in its own program", "Ctrl+O", "viewer"),
    Command("viewer.correct", "Correct", "Correct a value of the document", "F2", "viewer"),
    Command("viewer.keep", "Keep corrections", "Keep what was typed here and could not be kept", "Ctrl+S", "viewer"),
    Command(
        "viewer.discard", "Let go of corrections", "Let go of what could not be kept here", "Ctrl+Shift+U", "viewer"
    ),
    Command("viewer.undo", "Undo", "Put back the value that was corrected last here", "Ctrl+Z", "viewer"),
    Command("viewer.send", "Send", "Save, mail or print the document", "Ctrl+E", "viewer"),
    Command("viewer.print", "Print", "Print the document", "Ctrl+P", "viewer"),
    Command("viewer.send again", "Send again", "Send the document as it was sent last", "Ctrl+Shift+E", "viewer"),
    Command("viewer.close", "Close", "Close the viewer", "Esc", "viewer"),
    Command("prepare.new", "New", "Add one more of what the page lists", "Ctrl+N", "prepare"),
    Command("prepare.copy", "Copy", "Make a copy of the chosen one", "Ctrl+Alt+N", "prepare"),
    Command(
        "prepare.remove", "Remove", "Remove the chosen one; what hangs on it is said first", "Ctrl+Delete", "prepare"
    ),
    Command("prepare.earlier", "Earlier", "Move the chosen one earlier in its list", "Alt+Up", "prepare"),
    Command("prepare.later", "Later", "Move the chosen one later in its list", "Alt+Down", "prepare"),
    Command("prepare.history", "History", "See who changed the chosen one, and go back to before", "Ctrl+H", "prepare"),
    Command("prepare.filter", "Filter", "Filter the list as you type", "/", "prepare"),
    Command("prepare.editor", "To the form", "Go to the first field of the form", "F6", "prepare"),
    Command("prepare.pages", "To the pages", "Go to the list of pages", "Esc", "prepare"),
    Command("prepare.back", "Back", "Go back to the page where you were", "Alt+Left", "prepare"),
    Command("find.clear", "New search", "Empty the line for a new search", "Esc", "find"),
)


# What the places where commands act are called, in their order.
PLACES = {
    "everywhere": mark("Everywhere"), "work": mark("Work"), "bench": mark("Bench"),
    "bench strip": mark("Page strip"), "bench slip": mark("Slip"),
    "bench table": mark("Table of slips"),
    "cabinets": mark("Cabinets"), "find": mark("Find"), "find hits": mark("Hits"), "viewer": mark("Viewer"),
    "prepare": mark("Prepare"), "table": mark("Tables"),
}  # fmt: skip
# The keys of commands that had others before, told once.
MOVED = {
    "bench.send": "Ctrl+Shift+F", "slip.empty": "Ctrl+E", "slip.clear assumed": "Ctrl+Shift+E", "table.columns": "Ctrl+Shift+M",
    "cabinets.next page": "Alt+Right", "cabinets.previous page": "Alt+Left", "find.next page": "Alt+Right",
    "find.previous page": "Alt+Left", "cabinets.prepare": "Ctrl+Shift+P", "cabinets.trash": "Ctrl+Shift+T",
    "cabinets.scan": "S", "cabinets.order": "V", "cabinets.flat": "Shift+V", "viewer.copy text": "Ctrl+Shift+C",
    "prepare.copy": "Ctrl+D",
}  # fmt: skip


def find_command(command_id: str) -> Command:
    """Return a command by its id; raises KeyError for an unknown one."""
    return _BY_ID[command_id]


_BY_ID = {c.id: c for c in COMMANDS}


# What somebody may run who may look but not work; every other command changes something.
LOOKS = frozenset({
    "cabinets.keep to", "bench.keep to", "go.person", "go.lock",
    "go.work", "go.cabinets", "go.find", "go.prepare", "go.window", "help.keys", "help.messages",
    "line.retry",
    "work.look", "work.open", "work.later", "strip.next", "strip.previous", "strip.next document",
    "strip.previous document", "strip.reach next", "strip.reach previous", "strip.select document", "strip.contact sheet",
    "strip.slip", "bench.changes", "bench.next document", "bench.previous document", "bench.second window",
    "bench.zoom in", "bench.zoom out", "bench.zoom fit", "bench.table", "bench.text", "bench.poor pages",
    "bench.aside list", "bench.not taken", "bench.own program", "viewer.own program",
    "slip.strip", "cabinets.filter", "cabinets.clear", "cabinets.order", "cabinets.flat",
    "cabinets.next page", "cabinets.previous page", "cabinets.large", "cabinets.open", "find.open", "find.clear",
    "find.next page", "find.previous page", "find.next place", "find.previous place", "find.large", "viewer.next",
    "viewer.previous", "viewer.first", "viewer.last", "viewer.down", "viewer.up", "viewer.go to", "viewer.zoom in",
    "viewer.zoom out", "viewer.fit", "viewer.turn", "viewer.turn back", "viewer.next place", "viewer.previous place",
    "viewer.values", "viewer.text", "viewer.story", "viewer.copy text", "viewer.copy words", "viewer.close",
    "prepare.history", "prepare.filter", "prepare.editor", "prepare.pages", "prepare.back",
})  # fmt: skip
# What the other commands take; the rights of their places where nothing is said here.
NEEDED = {
    "work.stop": Right.BRING_IN, "work.stop reading": Right.INDEX, "work.give": Right.INDEX, "work.close": Right.FILE,
    "work.throw away": Right.FILE, "work.thrown": Right.FILE,
    "bench.file": Right.FILE, "bench.file all": Right.FILE, "bench.take back": Right.TAKE_BACK, "bench.send": Right.SEND,
    "bench.print": Right.SEND,
    "bench.close": Right.FILE,
    "bench.scan again": Right.BRING_IN, "bench.scan in": Right.BRING_IN, "cabinets.tags": Right.CORRECT,
    "cabinets.correct": Right.CORRECT, "find.correct": Right.CORRECT, "find.keep": Right.CORRECT,
    "find.discard": Right.CORRECT, "find.not kept": Right.CORRECT,
    "viewer.correct": Right.CORRECT, "viewer.undo": Right.CORRECT, "viewer.keep": Right.CORRECT,
    "viewer.discard": Right.CORRECT, "cabinets.not kept": Right.CORRECT,
    "cabinets.keep": Right.CORRECT, "cabinets.discard": Right.CORRECT, "cabinets.delete": Right.DELETE,
    "cabinets.trash": Right.DELETE,
    "cabinets.scan": Right.BRING_IN, "cabinets.prepare": Right.PREPARE, "bench.prepare": Right.INDEX,
}  # fmt: skip
NEEDED_AT = {
    "work": Right.BRING_IN,
    "cabinets": Right.SEND,
    "find": Right.SEND,
    "viewer": Right.SEND,
    "prepare": Right.PREPARE,
}
MAY_LOOK = mark("You may look here, not work; ask an administrator for another role.")
LACKS = mark("This takes the right “{right}”, which none of your roles has; ask an administrator.")


def right_of(command_id: str) -> Right:
    """Return the right that a command takes."""
    if command_id in LOOKS:
        return Right.LOOK
    return NEEDED.get(command_id) or NEEDED_AT.get(find_command(command_id).place, Right.INDEX)


def search_commands(text: str) -> list[Command]:
    """Return the commands whose title or words hold all words of ``text``."""
    wanted = text.casefold().split()
    return [c for c in COMMANDS if all(w in f"{c.title} {c.words} {c.place}".casefold() for w in wanted)]
