"""What the bench shows and does: a batch with its destinations, the operator's commands, and page pictures."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from pathlib import Path

from sqlalchemy import Connection

from keybundle.core.base.boxes import Frame
from keybundle.core.base.changes import Changes
from keybundle.core.base.ids import BatchId, DocumentId, PageId
from keybundle.core.base.messages import message
from keybundle.core.base.page_kind import PageKind
from keybundle.core.base.records import dataclass
from keybundle.core.batches import arranging, commands
from keybundle.core.batches.model import Balance, Batch, Document, Page, balance
from keybundle.core.filing.destination import compute_destination, make_caption
from keybundle.core.finding import documents
from keybundle.core.finding.query import DocumentQuery
from keybundle.core.imaging.tiles import Tiles, is_large
from keybundle.core.jobs.pool import Pool
from keybundle.core.reading.text import PageText
from keybundle.core.repository.access import EVERYTHING
from keybundle.core.repository.folders import led
from keybundle.core.repository.model import FiledPage
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import DocumentType
from keybundle.core.workflows.line.line import ON_SCREEN, Line
from keybundle.core.workflows.pages.page_jobs import PICTURE_WORK, picture_job
from keybundle.core.workflows.pages.preview_files import preview_path, tiles_folder
from keybundle.core.workflows.propose.defaults import local_day
from keybundle.core.workflows.propose.why_not import why_not
from keybundle.core.workflows.session.access import say_kept_waiting
from keybundle.core.workflows.session.handles import OpenBatch
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.source_states import say_copies

Command = Callable[[Batch], Batch]


@dataclass(frozen=True)
class DocumentFacts:
    """What is computed of a document: caption, destination path (unknown parts empty), what stands in the way.

    ``kept`` says whom it is or will be kept to; empty for nobody in particular.
    """

    caption: str
    path: tuple[str, ...]
    levels: tuple[str, ...]
    why_not: str
    same: tuple[tuple[str, str], ...] = ()
    kept: str = ""


@dataclass(frozen=True)
class BenchData:
    """A batch with all that the bench shows of it; ``copies`` tells of registers whose database is away, by register."""

    batch: Batch
    facts: dict[str, DocumentFacts]
    balance: Balance
    undo: str | None
    redo: str | None
    received: str = ""
    copies: Mapping[str, str] = field(default_factory=dict)


@needs(Right.LOOK)
def load_bench(session: Session, batch_id: BatchId) -> BenchData:
    """Return a batch as the bench shows it."""
    workspace = session.workspace
    own = session.batch(batch_id)
    batch = own.load()
    same = find_filed_already(session, batch)
    facts = {
        key: _facts(own, batch.documents[key], pages, same.get(key, ()))
        for key, pages in batch.pages_by_document().items()
    }
    undo, redo = (own.tell_step(undone=x) for x in (False, True))
    with workspace.place.database.read() as c:
        copies = say_copies(c, workspace.setup)
    return BenchData(batch, facts, balance(batch), undo, redo, local_day(workspace, batch.created_at), copies)


@needs(Right.LOOK)
def list_pages(session: Session, batch_id: BatchId) -> tuple[Page, ...]:
    """Return the pages of a batch, in order."""
    return session.batch(batch_id).load().pages


@needs(Right.LOOK)
def load_slip(session: Session, batch_id: BatchId, document_id: DocumentId) -> Document:
    """Return a document of a batch as it is in the store now."""
    return session.batch(batch_id).load().document(document_id)


def _facts(
    own: OpenBatch, document: Document, pages: Sequence[Page], same: tuple[tuple[str, str], ...]
) -> DocumentFacts:
    session, workspace = own.session, own.session.workspace
    kind, told = workspace.setup.document_type(document.type), why_not(workspace, document, pages)
    if kind is None:
        return DocumentFacts(_first_line(own, pages[0]), (), (), told)
    destination = compute_destination(kind, workspace.setup, document.values)
    named = any(v.items for v in document.values.values())
    caption = make_caption(kind, document.values) if named else f"{kind.name}: {_first_line(own, pages[0])}"
    kept = say_kept_waiting(session, document.kept_to, destination)
    with workspace.place.database.read() as c:
        path = (destination.titles[0], *led(c, destination.cabinet, destination.path[1:]))
    return DocumentFacts(caption, path, destination.titles, told, same, kept)


@needs(Right.LOOK)
def find_filed_already(session: Session, batch: Batch) -> dict[str, tuple[tuple[str, str], ...]]:
    """Return, for documents whose key values are filed already, the (id, caption) of those that hold them.

    One look for each type at the field that tells most (one that is no register's, the last of the key) leaves few to
    be compared in full. What the person may not look at is told to those alone who oversee.
    """
    workspace = session.workspace
    with workspace.place.database.read() as c:
        return _filed_already(session, c, batch)


def _filed_already(session: Session, c: Connection, batch: Batch) -> dict[str, tuple[tuple[str, str], ...]]:
    workspace = session.workspace
    view = EVERYTHING if session.may(Right.OVERSEE) else session.view(c)
    found: dict[str, tuple[tuple[str, str], ...]] = {}
    for kind in (k for k in workspace.setup.document_types if k.key):
        own = {d.id: v for d in batch.documents.values() if d.type == kind.id and (v := _key_values(kind, d))}
        plain = [n for n in kind.key if (spec := kind.field(n)) is not None and not spec.register_name] or list(
            kind.key
        )
        known = documents.known_values(c, kind.id, plain[-1], [v[plain[-1]] for v in own.values()]) if own else set()
        for key, values in own.items():
            if values[plain[-1]] not in known:
                continue
            same = documents.find_same(c, DocumentQuery(view, type=kind.id, values=values))
            if same:
                found[key] = tuple(same)
    return found


def _key_values(kind: DocumentType, document: Document) -> dict[str, str]:
    """Return the values that tell a document from others; none where one is missing or it is filed."""
    values = {n: document.values[n].text for n in kind.key if n in document.values and document.values[n].items}
    return values if len(values) == len(kind.key) and not document.filed_id else {}


def _first_line(own: OpenBatch, page: Page) -> str:
    """Return the first telling line of a document without type."""
    data = own.texts([page.id]).get(page.id)
    lines = [x for x in PageText.from_bytes(data).plain.splitlines() if len(x) > 8] if data else []
    return lines[0][:60] if lines else message("bench.read-yet")


@needs(Right.INDEX)
def run_command(session: Session, line: Line, batch_id: BatchId, label: str, command: Command) -> Changes:
    """Run an operator's command as one undoable step; raises InputProblem in words."""
    session.batch(batch_id).apply(label, command)
    line.revise(batch_id)
    return Changes(frozenset([batch_id]), text=label)


@needs(Right.INDEX, under="page edits")
def edit_pages(session: Session, line: Line, batch_id: BatchId, label: str, command: Command) -> Changes:
    """Run a command about pages as one undoable step; raises InputProblem in words."""
    return run_command(session, line, batch_id, label, command)


@needs(Right.INDEX)
def toggle_reading(session: Session, line: Line, batch_id: BatchId) -> None:
    """Stop the reading of a batch, or read on; what was read stays."""
    session.batch(batch_id)
    (line.read_on if batch_id in line.stopped else line.stop_reading)(batch_id)


@needs(Right.INDEX)
def undo(session: Session, line: Line, batch_id: BatchId) -> Changes:
    """Take back the last step of a batch."""
    return _replay(session, line, batch_id, undone=False)


@needs(Right.INDEX)
def redo(session: Session, line: Line, batch_id: BatchId) -> Changes:
    """Do again what was undone last."""
    return _replay(session, line, batch_id, undone=True)


@needs(Right.LOOK)
def forget_window(session: Session, batch_id: BatchId, window: str) -> None:
    """Hear that a window of the person is closed: what was done there can be taken back from any."""
    session.batch(batch_id).forget_window(window)


def _replay(session: Session, line: Line, batch_id: BatchId, *, undone: bool) -> Changes:
    label, touched = session.batch(batch_id).replay(undone=undone)
    for batch in touched:
        line.revise(batch)
    return Changes(touched, text=message("bench.done-again" if undone else "bench.undone", label=label))


def page_command(name: str, page_ids: Sequence[str], new_id: Callable[[], str]) -> tuple[str, Command]:
    """Return the label and the command of a strip action on pages; raises KeyError for an unknown name.

    Actions on one page take the first of them.
    """
    chosen, first = list(page_ids), page_ids[0]
    table: dict[str, tuple[str, Command]] = {
        "break": (message("step.break"), lambda b: commands.break_at(b, first, new_id())),
        "join up": (message("step.join-up"), lambda b: commands.join_up(b, first)),
        "leave out": (message("step.leave-out"), lambda b: commands.leave_out(b, chosen)),
        "take back": (message("step.take-back"), lambda b: commands.take_back(b, chosen, new_id())),
        "turn right": (message("step.turn-right"), lambda b: commands.turn(b, chosen, 90)),
        "turn left": (message("step.turn-left"), lambda b: commands.turn(b, chosen, 270)),
        "move earlier": (message("step.move-earlier"), lambda b: commands.move(b, first, -1)),
        "move later": (message("step.move-later"), lambda b: commands.move(b, first, 1)),
        "to document before": (
            message("step.move-to-the-document-before"),
            lambda b: commands.move_to_neighbour(b, first, -1),
        ),
        "to document after": (
            message("step.move-to-the-document-after"),
            lambda b: commands.move_to_neighbour(b, first, 1),
        ),
        "split each": (message("step.split-into-single-pages"), lambda b: arranging.split_each(b, chosen, new_id)),
        "join documents": (message("step.join-documents"), lambda b: arranging.join_documents(b, chosen)),
        "reverse": (message("step.turn-the-order-round"), lambda b: arranging.reverse(b, chosen)),
        "interleave": (message("step.interleave-fronts-and-backs"), lambda b: arranging.interleave(b, chosen)),
        "shift breaks later": (message("step.shift-all-breaks-later"), lambda b: arranging.shift_breaks(b, 1)),
        "shift breaks earlier": (message("step.shift-all-breaks-earlier"), lambda b: arranging.shift_breaks(b, -1)),
    }
    return table[name]


def move_command(page_ids: Sequence[str], target: str, *, after: bool) -> tuple[str, Command]:
    """Return the label and the command of putting pages before a page, or after it, and into its document."""
    return message("step.move-pages"), lambda batch: arranging.move_pages(batch, page_ids, target, after=after)


@needs(Right.INDEX, under="page edits")
def move_to_batch(
    session: Session, line: Line, source: BatchId, page_ids: Sequence[PageId], target: BatchId, beside: PageId, *,
    after: bool,
) -> Changes:  # fmt: skip
    """Move pages from one open batch to another, beside a page there; one step that can be undone in either."""
    session.batch(source).transfer(page_ids, session.batch(target), beside, after=after)
    line.revise(source)
    line.revise(target)
    return Changes(frozenset([source, target]), text=message("step.move-between"))


@needs(Right.LOOK)
def page_text(session: Session, page_id: PageId) -> PageText | None:
    """Return the text of a page in a batch, None before it was read."""
    data = session.page(page_id).text()
    return PageText.from_bytes(data) if data else None


@needs(Right.LOOK)
def preview(
    session: Session,
    pool: Pool,
    page_id: str,
    picture: tuple[str, int, PageKind],
    frame: Frame,
    kind: str = "screen",
) -> Path:
    """Return the file of a page's picture (``thumbnail``, ``screen`` or ``full``), making it where it is missing."""
    session.require_picture(page_id, picture[0])
    workspace = session.workspace
    path = preview_path(workspace.place.cache, page_id, frame.rotation, kind)
    if not path.exists():
        job = picture_job(workspace.place.files, page_id, picture, frame)
        cache = str(workspace.place.cache)
        pool.submit(f"{PICTURE_WORK}:draw_previews", job, cache, kind == "full", priority=ON_SCREEN).result()
    return path


@needs(Right.LOOK)
def sharp(
    session: Session, pool: Pool, page_id: PageId, picture: tuple[str, int, PageKind], frame: Frame
) -> Path | Tiles:
    """Return a page in full resolution: its picture, or of a very large one its tiles, made where they are missing."""
    workspace = session.workspace
    if not is_large(frame.width, frame.height):
        return preview(session, pool, page_id, picture, frame, "full")
    session.require_picture(page_id, picture[0])
    folder = tiles_folder(workspace.place.cache, page_id, frame.rotation)
    if not folder.exists():
        job = picture_job(workspace.place.files, page_id, picture, frame)
        folder.parent.mkdir(parents=True, exist_ok=True)
        pool.submit(f"{PICTURE_WORK}:draw_tiles", job, str(folder), priority=ON_SCREEN).result()
    return Tiles(str(folder), *frame.upright_size)


@needs(Right.LOOK)
def filed_preview(session: Session, pool: Pool, page: FiledPage, kind: str = "screen") -> Path:
    """Return a small picture of a filed page, ``thumbnail`` or ``screen``: that of its batch's page, where it is there still."""
    return preview(session, pool, page.page_id, page.picture, page.frame, kind)


@needs(Right.LOOK)
def filed_sharp(session: Session, pool: Pool, page: FiledPage) -> Path | Tiles:
    """Return a filed page in full resolution, as ``sharp`` does."""
    return sharp(session, pool, PageId(page.page_id), page.picture, page.frame)
