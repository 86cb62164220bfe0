"""Documents that leave: made in the chosen form, put into a folder whole or not at all, and noted in the audit trail.

What is wrong with one document (a stored file that is gone or changed) costs that document alone; what is wrong with the
place (full, not to be written) ends the sending, and what is there by then is whole.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import asdict, field, replace
from pathlib import Path
from typing import Any

from keybundle.core.base.errors import A_BUG, AppError, EnvironmentProblem, InputProblem
from keybundle.core.base.ids import FiledId
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.base.records import dataclass
from keybundle.core.export import forms
from keybundle.core.export.alto import make_alto
from keybundle.core.export.forms import Form
from keybundle.core.export.hocr import make_hocr
from keybundle.core.export.landing import Landing
from keybundle.core.export.naming import BUILT_IN, fill_name, safe_name, suffix_of
from keybundle.core.export.page import SentPage
from keybundle.core.export.tables import as_csv, as_json
from keybundle.core.finding.documents import count_pages
from keybundle.core.jobs.pool import Pool
from keybundle.core.reading.text import PageText
from keybundle.core.repository.model import FiledDocument, FiledPage
from keybundle.core.rights.model import Right
from keybundle.core.setup.formulas import caption_names
from keybundle.core.setup.model import called
from keybundle.core.workflows.file import renditions
from keybundle.core.workflows.keep.documents.browsing import load_document
from keybundle.core.workflows.pages.page_jobs import PageJob, picture_job
from keybundle.core.workflows.propose.defaults import local_day
from keybundle.core.workflows.send.under_way import hold_files, sending
from keybundle.core.workflows.send.wishes import Sent, SentDocument, Wish, check_wish, note_sent
from keybundle.core.workflows.session.naming import all_in_names
from keybundle.core.workflows.session.session import Session, needs
from keybundle.core.workflows.session.workspace import Workspace

CHUNK, COPYING = 48, 2
SEND_WORK = "keybundle.core.workflows.send.send_work"
SEND_PRIORITY = 2
STOPPED = message("sending.stopped-what-already-whole")
GONE_MEANWHILE = message("sending.gone-meanwhile")


@dataclass
class _Made:
    """A document whose files are made under names of their own: (part, folder, wanted name)."""

    document: FiledDocument
    pages: int
    parts: list[tuple[Path, str]] = field(default_factory=list)
    under_way: list[Future[Any]] = field(default_factory=list)
    why: str = ""
    is_shared: bool = False


NOT_TO_SEND = message("sending.document-no-longer-repository-or")
# Notes that documents leave, and returns those of them that still may: asked in the transaction that notes it.
Note = Callable[[Sequence[SentDocument]], set[FiledId]]


@needs(Right.SEND)
def send_to_folder(
    session: Session, pool: Pool, ids: Sequence[FiledId], wish: Wish, target: Path, *,
    progress: Progress = silent, cancel: CancelToken | None = None,
) -> Sent:  # fmt: skip
    """Write documents into a folder and note it in the audit trail before the files get their names.

    Raises InputProblem for a form or a name pattern that is none, or a person who may not send.
    """
    workspace = session.workspace
    check_wish(workspace, wish)
    told = {"how": "folder", "to": str(target), **asdict(wish)}
    make_pdfs(session, pool, ids, wish.form, progress, cancel)
    with sending(workspace, target) as ref:
        return make_files(
            session, pool, ids, wish, Landing(target, owner=ref), ref=ref, progress=progress, cancel=cancel,
            note=lambda sent: note_sent(session, sent, told),
        )  # fmt: skip


@needs(Right.SEND)
def make_pdfs(
    session: Session, pool: Pool, ids: Sequence[FiledId], form: str, progress: Progress, cancel: CancelToken | None
) -> None:
    """Make first the PDFs that are to go out and are still due; what cannot be made is told of its document then."""
    if form in (forms.PDFA, forms.PACKAGE):
        renditions.make_due(session.workspace, pool, only=set(ids), progress=progress, cancel=cancel)


@dataclass(frozen=True)
class Described:
    """What would go out: documents and pages, and the name of the first file."""

    documents: int
    pages: int
    example: str


@needs(Right.LOOK)
def describe(session: Session, ids: Sequence[FiledId], wish: Wish) -> Described:
    """Return what a sending would be; raises InputProblem where the wish is none, or no document is there.

    What the person may not send is not counted: it would be refused.
    """
    workspace = session.workspace
    check_wish(workspace, wish)
    with workspace.place.database.read() as c:
        seen = session.documents(c, ids, Right.SEND, with_values=False)
        pages = sum(count_pages(c, list(seen)).values())
    ids = [i for i in ids if i in seen] or ids
    first, form = load_document(session, ids[0]), wish.told
    stem = fill_name(wish.names, texts_of(workspace, first, 1))
    if form.key == forms.PACKAGE:
        stem = f"{workspace.setup.repository} {local_day(workspace, workspace.clock.stamp())}"
    elif wish.together and len(ids) > 1:
        stem = f"{len(ids)} documents {local_day(workspace, workspace.clock.stamp())}"
    suffix = form.suffix
    if form.key == forms.RECEIVED and (files := received_files(first)):
        suffix = suffix_of(files[0][1], head_of(workspace, files[0][0]))
    return Described(len(ids), pages, safe_name(stem, suffix))


@needs(Right.SEND)
def make_for_a_moment(
    session: Session, pool: Pool, ids: Sequence[FiledId], wish: Wish, folder: Path, *,
    progress: Progress = silent, cancel: CancelToken | None = None,
) -> Sent:  # fmt: skip
    """Make the files of documents in a folder of the cache, from where they are handed on; that is noted then (``note_sent``)."""
    with sending(session.workspace, folder) as ref:
        return make_files(
            session, pool, ids, wish, Landing(folder, owner=ref), ref=ref, progress=progress, cancel=cancel,
            note=lambda made: {d.id for d in made},
        )  # fmt: skip


@needs(Right.SEND)
def make_files(
    session: Session, pool: Pool, ids: Sequence[FiledId], wish: Wish, landing: Landing, *, note: Note, ref: str,
    progress: Progress = silent, cancel: CancelToken | None = None,
) -> Sent:  # fmt: skip
    """Make the files of documents in a folder, some documents at a time; ``note`` is told of each lot before it has names.

    ``ref`` is the sending that they are part of, which holds their files.
    """
    cancel, sent = cancel or CancelToken(), Sent()
    if wish.form == forms.PACKAGE:
        raise InputProblem(message("sending.hand-over-package-folder-many"))
    if wish.together:
        _send_together(session, pool, ids, wish, landing, sent, note, ref, progress, cancel)
        return sent
    done = 0
    progress(Step(0, len(ids), message("progress.sending")))
    for start in range(0, len(ids), CHUNK):
        if cancel.cancelled:
            sent.stopped = STOPPED
            break
        lot, made = _begin(session, pool, ids[start : start + CHUNK], wish, landing, sent, start, ref), []
        try:
            for one in lot:
                if _is_stopped(cancel):
                    sent.stopped = STOPPED
                    break
                _finish(one, sent)
                made.append(one)
                done += 1
                progress(Step(done, len(ids), message("progress.sending")))
            _land(made, landing, sent, note)
        except EnvironmentProblem as error:
            sent.stopped = str(error)
        finally:
            _clear(lot)
        if sent.stopped:
            break
    return sent


def _is_stopped(cancel: CancelToken) -> bool:
    return cancel.cancelled


def _load(session: Session, ids: Sequence[FiledId], wish: Wish, sent: Sent) -> list[tuple[FiledDocument, int]]:
    """Return documents with the number of their pages; the pages themselves only where the form or a name needs them.

    What somebody may not send is refused like what is not there.
    """
    workspace = session.workspace
    needs_pages = wish.form not in (forms.PDFA, forms.CSV, forms.JSON) or "{source}" in wish.names
    needs_values = wish.form in (forms.CSV, forms.JSON) or any(n not in BUILT_IN for n in caption_names(wish.names))
    with workspace.place.database.read() as c:
        rows = session.documents(c, list(set(ids)), Right.SEND, with_values=needs_values)
        counts = count_pages(c, list(rows)) if not needs_pages else {}
    rows = all_in_names(workspace.setup, rows)
    found = []
    for document_id in ids:
        if document_id not in rows:
            sent.refused.append((document_id, NOT_TO_SEND))
        elif needs_pages:
            document = load_document(session, document_id)
            found.append((document, len(document.pages)))
        else:
            found.append((rows[document_id], counts.get(document_id, 0)))
    return found


def _begin(
    session: Session, pool: Pool, ids: Sequence[FiledId], wish: Wish, landing: Landing, sent: Sent, before: int, ref: str,
) -> list[_Made]:  # fmt: skip
    """Copy or write what can be at once, and let workers draw the rest."""
    lot = [_Made(document, pages) for document, pages in _load(session, ids, wish, sent)]
    hold_files(session.workspace, ref, [made.document for made in lot])

    def make(made: _Made, number: int) -> None:
        if sent.stopped:
            return
        try:
            require_made(made.document, wish.told)
            _make(session, pool, made, wish, landing, number)
        except InputProblem as error:
            made.why = str(error)
        except EnvironmentProblem as error:
            made.why = sent.stopped = str(error)

    # Hashing lets other threads run: two files are checked and copied at a time.
    with ThreadPoolExecutor(COPYING, thread_name_prefix="sending") as threads:
        list(threads.map(make, lot, range(before + 1, before + 1 + len(lot))))
    return lot


def require_made(document: FiledDocument, form: Form) -> None:
    """Raise InputProblem for a document whose PDF is wanted and is still to be made."""
    if form.key in (forms.PDFA, forms.PACKAGE) and not document.pdf_sha:
        raise InputProblem(message("sending.pdf-still-made", caption=document.caption))


def texts_of(workspace: Workspace, document: FiledDocument, counter: int) -> dict[str, str]:
    """Return what a name pattern can say of a document that is told by names.

    A pattern that was written before a field was renamed still means it: by the field's id.
    """
    built_in = {
        "caption": document.caption, "type": document.type, "cabinet": document.cabinet, "number": str(document.number),
        "filed": local_day(workspace, document.filed_at), "counter": f"{counter:04d}",
        "source": Path(document.pages[0].source).stem if document.pages else "",
    }  # fmt: skip
    told = {**built_in, **dict(document.folder), **{n: v.text for n, v in document.values.items()}}
    kind = called(workspace.setup.document_types, document.type)
    before = {f.id: told[f.name] for f in (kind.fields if kind else ()) if f.name in told}
    return {**before, **told}


def _make(session: Session, pool: Pool, made: _Made, wish: Wish, landing: Landing, number: int) -> None:
    workspace, document, form = session.workspace, made.document, wish.told
    path = [safe_name(x) for x in (document.cabinet, *(v for _, v in document.folder))] if wish.folders else []
    folder = landing.folder(*path)
    stem = fill_name(wish.names, texts_of(workspace, document, number))
    if form.key == forms.PDFA:
        part = copy_stored(workspace, document.pdf_sha, landing, folder)
        made.parts.append((part, safe_name(stem, form.suffix)))
        called, made_at = document.caption, document.received_at or document.filed_at
        made.under_way.append(pool.submit(f"{SEND_WORK}:name_file", str(part), called, made_at, priority=SEND_PRIORITY))
    elif form.key == forms.RECEIVED:
        files = received_files(document)
        made.is_shared = bool(session.document(document.id, Right.SEND).shared_files())
        for count, (sha, source) in enumerate(files, 1):
            suffix = suffix_of(source, head_of(workspace, sha))
            name = safe_name(stem, f" {count}{suffix}" if len(files) > 1 else suffix)
            made.parts.append((copy_stored(workspace, sha, landing, folder), name))
    elif form.key in forms.PICTURES:
        jobs, count = picture_jobs(workspace, document), len(document.pages)
        parts = [landing.part(folder) for _ in (jobs if form.by_page else jobs[:1])]
        ends = [f" {i}" if form.by_page and count > 1 else "" for i in range(1, len(parts) + 1)]
        made.parts += [(p, safe_name(stem, f"{e}{form.suffix}")) for p, e in zip(parts, ends, strict=True)]
        told = [str(p) for p in parts]
        if jobs:
            made.under_way.append(
                pool.submit(f"{SEND_WORK}:draw_document", jobs, form.key, told, priority=SEND_PRIORITY)
            )
    else:
        data = _text_of([document], [made.pages], form.key, stem).encode()
        made.parts.append((landing.write(data, folder), safe_name(stem, form.suffix)))


def received_files(document: FiledDocument) -> list[tuple[str, str]]:
    """Return (SHA-256, name as received) of the files that a document's pages came in, each once."""
    found: dict[str, str] = {}
    for page in document.pages:
        found.setdefault(page.file_sha, page.source)
    return list(found.items())


def head_of(workspace: Workspace, sha: str) -> bytes:
    """Return the first bytes of a stored file, by which its kind is told; empty where it cannot be read."""
    try:
        with workspace.place.files.path(sha).open("rb") as file:
            return file.read(16)
    except OSError:  # told when it is copied
        return b""


def picture_jobs(workspace: Workspace, document: FiledDocument) -> list[PageJob]:
    """Return the work of drawing each page of a document."""
    files = workspace.place.files
    return [
        replace(picture_job(files, p.source or p.page_id, p.picture, p.frame), dpi=p.dpi, text=p.text)
        for p in document.pages
    ]


def copy_stored(workspace: Workspace, sha: str, landing: Landing, folder: Path) -> Path:
    """Copy a stored file and return its part; raises InputProblem where it is gone or not what was filed."""
    part, found = landing.copy(workspace.place.files.path(sha), folder)
    if found != sha:
        part.unlink(missing_ok=True)
        raise InputProblem(message("sending.stored-file-not-what-filed"))
    return part


def sent_pages(pages: Sequence[FiledPage]) -> list[SentPage]:
    """Return pages with their words, for the forms of text."""
    return [SentPage(PageText.from_bytes(p.text), p.dpi, p.source) for p in pages]


def _text_of(documents: Sequence[FiledDocument], counts: Sequence[int], key: str, title: str) -> str:
    if key in (forms.CSV, forms.JSON):
        return as_csv(documents, counts) if key == forms.CSV else as_json(documents, counts)
    pages = [page for d in documents for page in sent_pages(d.pages)]
    if key == forms.HOCR:
        return make_hocr(pages, title)
    return make_alto(pages) if key == forms.ALTO else "\f".join(f"{p.text.plain}\n" for p in pages)


def _finish(one: _Made, sent: Sent) -> None:
    for future in one.under_way:
        try:
            future.result()
        except InputProblem as error:
            one.why = one.why or str(error)
        except EnvironmentProblem as error:
            one.why = sent.stopped = str(error)
        except AppError:
            one.why = one.why or A_BUG


def _land(lot: Sequence[_Made], landing: Landing, sent: Sent, note: Note) -> None:
    """Give the files of whole documents their names; who made none is told."""
    good = [one for one in lot if one.parts and not one.why]
    planned = [(one, [landing.plan(part.parent, name) for part, name in one.parts]) for one in good]
    may = note([SentDocument(o.document.id, o.document.caption, o.pages, tuple(names)) for o, names in planned])
    for one in good:
        one.why = "" if one.document.id in may else NOT_TO_SEND  # erased meanwhile, or kept to others
    for one, names in (x for x in planned if not x[0].why):
        paths = tuple(landing.name(part, target) for (part, _), target in zip(one.parts, names, strict=True))
        one.parts.clear()
        sent.size += sum(p.stat().st_size for p in paths)
        sent.documents.append(SentDocument(one.document.id, one.document.caption, one.pages, paths))
        if one.is_shared:
            sent.shared.append(one.document.caption)
    sent.refused += [(one.document.caption, one.why) for one in lot if one.why]


def _clear(lot: Sequence[_Made]) -> None:
    for one in lot:
        for future in one.under_way:
            if not future.cancel():
                future.exception()  # a worker that is at it would write after the part is gone
        for part, _ in one.parts:
            part.unlink(missing_ok=True)


def _send_together(
    session: Session, pool: Pool, ids: Sequence[FiledId], wish: Wish, landing: Landing, sent: Sent, note: Note, ref: str,
    progress: Progress, cancel: CancelToken,
) -> None:  # fmt: skip
    """Make one file of all documents; one that cannot be part of it is left out and told."""
    found: list[tuple[FiledDocument, int]] = []
    workspace, form = session.workspace, wish.told
    progress(Step(0, len(ids), message("progress.sending")))
    for number, document_id in enumerate(ids, 1):
        found += _good(workspace, _load(session, [document_id], wish, sent), form, sent)
        progress(Step(number, len(ids) + 1, message("progress.sending")))
        if cancel.cancelled:
            sent.stopped = STOPPED
            return
    if not found:
        return
    hold_files(workspace, ref, [d for d, _ in found])
    documents, counts = [d for d, _ in found], [n for _, n in found]
    day = local_day(workspace, workspace.clock.stamp())
    alone = fill_name(wish.names, texts_of(workspace, documents[0], 1))
    stem = alone if len(documents) == 1 else f"{len(documents)} documents {day}"
    part = None
    try:
        folder = landing.folder()
        part = landing.part(folder)
        if form.key == forms.PDFA:
            paths = [str(workspace.place.files.path(d.pdf_sha)) for d in documents]
            names, made_at = [d.caption for d in documents], workspace.clock.stamp()
            pool.submit(f"{SEND_WORK}:join", paths, names, stem, made_at, str(part), priority=SEND_PRIORITY).result()
        elif form.key == forms.TIFF:
            jobs = [job for d in documents for job in picture_jobs(workspace, d)]
            pool.submit(f"{SEND_WORK}:draw_document", jobs, form.key, [str(part)], priority=SEND_PRIORITY).result()
        else:
            part = landing.write(_text_of(documents, counts, form.key, stem).encode(), folder)
        target = landing.plan(folder, safe_name(stem, form.suffix))
        told = [SentDocument(d.id, d.caption, pages, (target,)) for d, pages in found]
        if len(note(told)) < len({d.id for d in told}):
            raise InputProblem(GONE_MEANWHILE)
        there = landing.name(part, target)
        sent.size = there.stat().st_size
        sent.documents += [replace(d, files=(there,)) for d in told]
    except AppError as error:
        sent.stopped = str(error)
    finally:
        if part is not None:
            part.unlink(missing_ok=True)
    progress(Step(len(ids) + 1, len(ids) + 1, message("progress.sending")))


def _good(
    workspace: Workspace, found: Sequence[tuple[FiledDocument, int]], form: Form, sent: Sent
) -> list[tuple[FiledDocument, int]]:
    """Return the documents whose stored files are whole; the others are told."""
    good = []
    for document, pages in found:
        if form.key == forms.PDFA and not document.pdf_sha:
            sent.refused.append((document.caption, message("sending.pdf-still-made", caption=document.caption)))
            continue
        shas = {document.pdf_sha} if form.key == forms.PDFA else set()
        if form.key == forms.TIFF:
            shas = {p.picture[0] for p in document.pages}
        wrong = next((w for sha in sorted(shas) if (w := workspace.place.files.check(sha))), "")
        if wrong:
            sent.refused.append((document.caption, message("sending.stored-file-have-store-checked", wrong=wrong)))
        else:
            good.append((document, pages))
    return good
