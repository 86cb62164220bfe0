"""What a folder gives its documents follows the folder that they go to, as long as nobody has confirmed it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from keybundle.core.batches import commands
from keybundle.core.batches.model import Batch, Document
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.filing.destination import compute_destination
from keybundle.core.repository.folder_values import given_along
from keybundle.core.workflows.session.workspace import Workspace

Command = Callable[[Batch], Batch]


def following(workspace: Workspace, document_ids: Sequence[str], command: Command) -> Command:
    """Return a command after which these documents have what the folder gives that their values lead to by then."""

    def run(batch: Batch) -> Batch:
        after = command(batch)
        for document_id in dict.fromkeys(document_ids):
            before, now = batch.documents.get(document_id), after.documents.get(document_id)
            changes = _changes(workspace, before, now) if before is not None and now is not None else {}
            if changes:
                after = commands.set_values(after, document_id, changes)
        return after

    return run


def _changes(workspace: Workspace, before: Document, now: Document) -> dict[str, FieldValue | None]:
    kind = workspace.setup.document_type(now.type)
    if kind is None or now.is_shut or before.type != now.type:
        return {}
    was, goes = (compute_destination(kind, workspace.setup, d.values) for d in (before, now))
    if was.folder == goes.folder:
        return {}
    with workspace.place.database.read() as c:
        given = given_along(c, goes.cabinet, [value for _, value in goes.folder]) if goes.cabinet else {}
    found: dict[str, FieldValue | None] = {}
    for spec in kind.fields:
        value, gives = now.values.get(spec.id), given.get(spec.id, "")
        is_given = value is not None and value.origin is Origin.FOLDER
        is_free = value is None or (not value.confirmed_by and (is_given or not value.items))
        if is_free and gives and (value is None or value.text != gives):
            found[spec.id] = FieldValue((gives,), 0.0, Origin.FOLDER)
        elif is_free and is_given and not gives:
            found[spec.id] = None
    return found
