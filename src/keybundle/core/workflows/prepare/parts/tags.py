"""Tags in one place: counted, renamed, merged, taken away, coloured; on folders too."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import delete, func, insert, select

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.folding import fold
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken, Progress, Step, silent
from keybundle.core.base.records import dataclass
from keybundle.core.repository import audit
from keybundle.core.repository.access import find_folder
from keybundle.core.repository.folder_values import put_folder_tags, tags_of_folders
from keybundle.core.repository.paths import split_path
from keybundle.core.rights.model import Right
from keybundle.core.setup.model import TAG_COLOURS, Setup
from keybundle.core.store import schema as t
from keybundle.core.workflows.index.tags import Retagged, put_back, retag_each
from keybundle.core.workflows.session.session import Session, needs


@dataclass(frozen=True)
class TagRow:
    """A tag with the number of documents and folders that have it, and its colour (empty: none)."""

    name: str
    documents: int
    folders: int
    colour: str


@dataclass(frozen=True)
class TagsChanged:
    """What renaming or taking away a tag changed, so that it can be put back."""

    old: str
    new: str
    documents: Retagged
    folders: tuple[int, ...]
    colour: str


@needs(Right.LOOK)
def list_tags(session: Session) -> list[TagRow]:
    """Return all tags that something has, or that have a colour, by name."""
    g, f, d = t.document_tag, t.folder_tag.c, t.document
    chosen = select(g.c.tag, func.count().label("n")).join(d, d.c.id == g.c.document_id).where(d.c.removed_at.is_(None))
    with session.workspace.place.database.read() as c:
        documents = {r.tag: int(r.n) for r in c.execute(chosen.group_by(g.c.tag))}
        folders = {r.tag: int(r.n) for r in c.execute(select(f.tag, func.count().label("n")).group_by(f.tag))}
    colours = session.workspace.setup.tag_colours
    names = sorted({*documents, *folders, *colours}, key=fold)
    return [TagRow(n, documents.get(n, 0), folders.get(n, 0), colours.get(n, "")) for n in names]


@needs(Right.PREPARE)
def colour_tag(session: Session, tag: str, colour: str) -> None:
    """Give a tag a colour of the palette, or none; raises InputProblem for another one."""
    if colour and colour not in TAG_COLOURS:
        raise InputProblem(message("tags.no-colour", colour=colour, known=", ".join(TAG_COLOURS)))

    def change(setup: Setup) -> Setup:
        kept = {n: c for n, c in setup.tag_colours.items() if n != tag}
        return setup.model_copy(update={"tag_colours": {**kept, tag: colour} if colour else kept})

    session.workspace.change_setup(session.person, change)


@needs(Right.PREPARE, Right.CORRECT)
def rename_tag(
    session: Session, old: str, new: str, *, progress: Progress = silent, cancel: CancelToken | None = None
) -> TagsChanged:
    """Give a tag another name wherever it is; one that is there already takes it in, an empty name takes it away."""
    workspace, new = session.workspace, " ".join(new.split())
    if "," in new:
        raise InputProblem(message("tags.no-comma"))
    g, done = t.document_tag.c, 0
    with workspace.place.database.read() as c:
        ids = list(c.execute(select(g.document_id).where(g.folded == fold(old), g.tag == old)).scalars())

    def tell() -> None:
        nonlocal done
        done += 1
        progress(Step(done, len(ids), message("tags.renaming")))

    def tags_of(own: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(dict.fromkeys(x for x in (new if tag == old else tag for tag in own) if x))

    changed = retag_each(session, ids, tags_of, tell, cancel)
    if changed.stopped or (cancel is not None and cancel.cancelled):
        return TagsChanged(old, new, changed, (), "")
    colour = workspace.setup.tag_colours.get(old, "")
    with workspace.place.database.atomic() as c:
        f = t.folder_tag
        folders = tuple(c.execute(select(f.c.folder_id).where(f.c.tag == old)).scalars())
        c.execute(delete(f).where(f.c.tag == old))
        if new and folders:
            rows = [{"folder_id": folder, "tag": new} for folder in folders]
            c.execute(insert(f).prefix_with("OR IGNORE"), rows)
        if colour:
            kept = workspace.setup.tag_colours.get(new, colour) if new else ""
            colour_tag(session, old, "")
            if new:
                colour_tag(session, new, kept)
        told = {"before": old, "after": new, "documents": len(changed)}
        audit.append(c, workspace.clock.stamp(), session.person, "tag renamed", old, told)
    return TagsChanged(old, new, changed, folders, colour)


@needs(Right.PREPARE, Right.CORRECT)
def take_back_renaming(session: Session, changed: TagsChanged) -> int:
    """Give documents and folders the tag back that was renamed or taken away; return how many documents have it again."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        if changed.folders:
            rows = [{"folder_id": folder, "tag": changed.old} for folder in changed.folders]
            c.execute(insert(t.folder_tag).prefix_with("OR IGNORE"), rows)
            if changed.new:
                here = (t.folder_tag.c.tag == changed.new, t.folder_tag.c.folder_id.in_(changed.folders))
                c.execute(delete(t.folder_tag).where(*here))
        if changed.colour:
            colour_tag(session, changed.old, changed.colour)
    return put_back(session, changed.documents)


@needs(Right.CORRECT)
def tag_folder(session: Session, cabinet: str, path: Sequence[str], tags: Sequence[str]) -> None:
    """Give a folder these tags; raises InputProblem for one that is not there."""
    workspace = session.workspace
    with workspace.place.database.atomic() as c:
        found = find_folder(c, cabinet, path)
        if found is None or not path:
            raise InputProblem(message("relocating.no-such-folder", path=" / ".join(path)))
        put_folder_tags(c, int(found.id), tags)
        told = {"folder": list(path), "tags": list(tags)}
        audit.append(c, workspace.clock.stamp(), session.person, "folder tagged", cabinet, told)


@needs(Right.LOOK)
def folder_tags(session: Session, cabinet: str) -> dict[tuple[str, ...], tuple[str, ...]]:
    """Return the tags of a cabinet's folders by their paths."""
    with session.workspace.place.database.read() as c:
        return {split_path(path): tags for path, tags in tags_of_folders(c, cabinet, session.view(c)).items()}
