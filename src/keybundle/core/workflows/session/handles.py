"""Handles on batches, pages and filed documents: a session gives them, to who may have them, and nobody else does.

What reads and writes batches and documents takes a handle, so that it cannot reach what was not asked for: a page or a
document of another batch is not found through it. A handle is for one piece of work and is not kept: rights are those of
the moment it is given.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import TYPE_CHECKING

from keybundle.core.base.errors import InputProblem, NotAllowed
from keybundle.core.base.ids import BatchId, DocumentId, FiledId, PageId
from keybundle.core.base.messages import message
from keybundle.core.base.records import dataclass
from keybundle.core.batches.arrivals import Arrival
from keybundle.core.batches.model import Balance, Batch, Facts, Page
from keybundle.core.batches.store import NextStep
from keybundle.core.filing.commit import commit_document, index_text, retag_document, uncommit_document
from keybundle.core.repository.model import FiledDocument, NewDocument
from keybundle.core.search import index
from keybundle.core.setup.model import name_of
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.session.opening import batches_of, repository_of
from keybundle.core.workflows.session.workspace import Workspace

if TYPE_CHECKING:
    from keybundle.core.workflows.session.session import Session

Command = Callable[[Batch], Batch]


class OpenBatch:
    """A batch that a session may see; ``session.batch(id)`` gives it."""

    def __init__(self, session: Session, batch_id: BatchId) -> None:
        self.session, self.id = session, batch_id
        self._store = batches_of(session.workspace)

    def load(self) -> Batch:
        """Return the whole batch without its texts."""
        return self._store.load(self.id)

    def balance(self) -> Balance:
        """Return its page balance, counted where its rows are."""
        return self._store.balance(self.id)

    def load_document(self, document_id: DocumentId) -> Batch:
        """Return the batch with one document and its pages alone; raises InputProblem for one of another batch."""
        self.require_document(document_id)
        return self._store.load_document(document_id)

    def load_around(self, page_id: PageId) -> Batch | None:
        """Return the document that one of its pages belongs to, as a batch of that alone; None when it is left out."""
        return self._store.load_around(page_id) if self._own([page_id]) else None

    def require_document(self, document_id: DocumentId) -> None:
        """Raise InputProblem for a document that is not of this batch."""
        if self._store.batch_of_document(document_id) != self.id:
            raise InputProblem(message("model.document-no-longer-batch-look"))

    @property
    def routine(self) -> Routine | None:
        """The routine that the batch is handled by, None where it is gone."""
        return self.session.workspace.setup.routine(self._store.routine_of(self.id))

    def texts(self, page_ids: Iterable[str]) -> dict[str, bytes]:
        """Return the stored text of its pages that have one, in the order asked for; pages of other batches have none."""
        return self._store.texts(self._own(page_ids))

    def text_ids(self, page_ids: Iterable[str]) -> dict[str, int]:
        """Return the numbers of the texts of its pages that have one."""
        return self._store.text_ids(self._own(page_ids))

    def _own(self, page_ids: Iterable[str]) -> list[str]:
        return self._store.pages_of_batch(self.id, list(page_ids))

    # -- commands ------------------------------------------------------------------------------------------------------------

    def apply(self, label: str, command: Command, *, by_hand: bool = True) -> Batch:
        """Run a command as one step of the session's person, as ``BatchStore.apply``."""
        return self._store.apply(self.id, self.session.person, label, command, by_hand=by_hand)

    def next_step(self, *, undone: bool) -> NextStep | None:
        """Return the person's own step that undo (or redo) would take, None where there is none."""
        return self._store.next_step(self.id, undone=undone, who=self.session.person)

    def tell_step(self, *, undone: bool) -> str | None:
        """Return what undo (or redo) would take, in words: the person's own step, else whose the last one is; None for none."""
        step = self.next_step(undone=undone)
        if step is not None:
            return step.label
        others = self._store.next_step(self.id, undone=undone)
        if others is None:
            return None
        name = name_of(self.session.workspace.setup.people, others.who)
        return message("session.step-of", label=others.label, name=name)

    def replay(self, *, undone: bool) -> tuple[str, frozenset[str]]:
        """Take the person's own last step back (or do it again); return its label and the batches that it touches.

        Raises NotAllowed for a step that the batch's routine leaves to others, and where the last step is somebody else's,
        whose it is.
        """
        step = self.next_step(undone=undone)
        if step is None:
            self._refuse_others(undone=undone)
        else:
            touched = [self.id, *([BatchId(step.partner)] if step.partner else [])]
            for batch_id in touched:
                self.session.batch(batch_id)
                self.session.require_under(batch_id, "page edits" if step.is_of_pages else "indexing")
        replay = self._store.redo if undone else self._store.undo
        label = replay(self.id, self.session.person)
        return label, frozenset(touched if step is not None else (self.id,))

    def _refuse_others(self, *, undone: bool) -> None:
        others = self._store.next_step(self.id, undone=undone)
        if others is not None:
            name = name_of(self.session.workspace.setup.people, others.who)
            raise NotAllowed(message("session.last-step-is-others", label=others.label, name=name))

    def transfer(self, page_ids: Sequence[str], target: OpenBatch, beside: str, *, after: bool) -> None:
        """Move pages to another open batch, beside a page of it; one step in each, undone as one."""
        self._store.transfer(self.id, page_ids, target.id, beside, self.session.person, after=after)

    def set_facts(self, page_id: PageId, facts: Facts | None, trouble: str) -> None:
        """Note what was found anew on one of its pages."""
        if self._store.batch_of_page(page_id) == self.id:
            self._store.set_facts(page_id, facts, trouble, again=True)

    # -- whose it is ---------------------------------------------------------------------------------------------------------

    def shared_with(self) -> set[tuple[str, str]]:
        """Return whom it was given to: (``person`` or ``group``, id)."""
        return self._store.shared_with(self.id)

    def share(self, kind: str, grantee: str, *, shared: bool) -> None:
        """Give it to a person or a group too, or no longer."""
        self._store.share(self.id, kind, grantee, shared=shared)

    def hand_over(self, owner: str) -> None:
        """Make somebody else its owner."""
        self._store.hand_over(self.id, owner)

    # -- filing, and the whole batch -------------------------------------------------------------------------------------------

    def forget_window(self, window: str) -> None:
        """Hear that a window of the person is closed: what was done there can be taken back from any."""
        self._store.forget_window(window)

    def list_unseen(self) -> dict[str, str]:
        """Return the documents and pages that others (by name) changed since the person saw the batch."""
        return self._store.list_unseen(self.id, self.session.person)

    def claim(self, document_ids: Sequence[str], claim: str) -> dict[str, int]:
        """Take ready documents in hand for filing; return those that could be taken, each with its revision."""
        return self._store.claim(self.id, document_ids, claim)

    def keep_claim(self, claim: str) -> None:
        """Keep in hand what a filing that is still at it has claimed."""
        self._store.keep_claim(claim)

    def file(self, new: NewDocument) -> FiledId:
        """File one of its documents in one transaction and return its id in the repository."""
        workspace = self.session.workspace
        repository = repository_of(workspace)
        filed = commit_document(workspace.place.database, self._store, repository, new, self.session.person)
        return FiledId(filed)

    def take_back(self, document_id: DocumentId, filed_id: FiledId) -> None:
        """Take a filed document back into the batch; raises NotAllowed."""
        workspace = self.session.workspace
        uncommit_document(
            workspace.place.database,
            self._store,
            repository_of(workspace),
            self.id,
            document_id,
            filed_id,
            self.session,
        )

    def close(self) -> Batch:
        """Close it and return it; raises InputProblem that names what is still open."""
        return self._store.close(self.id)

    def throw_away(self) -> Batch:
        """Close it with all its sides left out but those that are filed; return it as it was before."""
        return self._store.throw_away(self.id, self.session.person)

    def bring_back(self) -> None:
        """Open it again where it was thrown away."""
        self._store.bring_back(self.id)

    # -- what comes in -------------------------------------------------------------------------------------------------------

    def take(self, arrival: Arrival, pages: Sequence[Page]) -> list[Page]:
        """Note an arrival with its pages, in one transaction; return the pages as they are kept."""
        return self._store.take(self.id, arrival, pages)

    def note_arrival(self, arrival: Arrival, *, is_container: bool = False) -> None:
        """Note what came in and was not taken, or what holds others."""
        self._store.note_arrival(self.id, arrival, is_container=is_container)

    def let_join(self, arrival_ids: Sequence[str]) -> None:
        """Let arrivals be of this batch that came before it began."""
        self._store.let_join(self.id, arrival_ids)

    def reopen_capture(self, *, two_sided: bool) -> None:
        """Let further sides come in."""
        self._store.reopen_capture(self.id, two_sided=two_sided)


def release_claim(workspace: Workspace, claim: str) -> None:
    """Let go of what a filing had in hand, whatever the person who began it may see by now."""
    batches_of(workspace).release(claim)


@dataclass(frozen=True)
class OpenPage:
    """A page of a batch that a session may see; ``session.page(id)`` gives it."""

    batch: OpenBatch
    id: PageId

    def text(self) -> bytes | None:
        """Return its stored text, None before it was read."""
        return self.batch.texts([self.id]).get(self.id)


@dataclass(frozen=True)
class Filed:
    """A filed document that a session has a right at; ``session.document(id, right)`` gives it."""

    session: Session
    id: FiledId

    def load(self, *, with_pages: bool = True) -> FiledDocument:
        """Return the document as it is now."""
        return repository_of(self.session.workspace).load(self.id, with_pages=with_pages)

    def beside(self, new: NewDocument) -> FiledId:
        """File another document that is made of this one, and let it be found; return its id."""
        workspace = self.session.workspace
        repository = repository_of(workspace)
        with workspace.place.database.atomic() as c:
            made = repository.add(new, self.session.person)
            of = index.Kept(new.type, new.cabinet, repository.filed_month(made))
            said = index_text(new.values, new.folder, new.tags)
            index.put(c, index.FILED, made, new.caption, said, repository.text_ids(made), of)
        return FiledId(made)

    def tag(self, tags: Sequence[str]) -> None:
        """Give it other tags, and let it be found by them; raises NotAllowed."""
        workspace = self.session.workspace
        retag_document(workspace.place.database, repository_of(workspace), self.id, tags, self.session)

    def shared_files(self) -> list[str]:
        """Return which files of its pages hold pages of other documents too, by SHA-256."""
        return repository_of(self.session.workspace).shared_files(self.id)
