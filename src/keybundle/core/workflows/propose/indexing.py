"""Indexing one document by itself: its type and values are proposed from all that is known of it.

What a person gave or confirmed stays; everything else is proposed anew.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

from keybundle.core.base.messages import message
from keybundle.core.batches.model import Batch, Document, Page
from keybundle.core.fields.kinds import Kept, Refusal, normalise, revive
from keybundle.core.fields.values import MOST_OFFERED, FieldValue, Origin
from keybundle.core.filing.destination import compute_destination
from keybundle.core.proposing.evidence import is_by_hand
from keybundle.core.proposing.propose import Hints, ReadPage, propose_values
from keybundle.core.proposing.types import TypeGuess, guess_type
from keybundle.core.reading.text import PageText, weighed
from keybundle.core.repository.folder_values import given_along
from keybundle.core.separation.rules import barcode_values
from keybundle.core.setup.model import DocumentType, FieldSpec, name_of
from keybundle.core.setup.routines import Routine
from keybundle.core.workflows.pages.page_facts import side_facts
from keybundle.core.workflows.propose.defaults import make_default
from keybundle.core.workflows.propose.type_rules import told_type
from keybundle.core.workflows.propose.under import types_under
from keybundle.core.workflows.session.opening import batches_of
from keybundle.core.workflows.session.workspace import Workspace

BARCODE_CONFIDENCE = 0.98
BY_ROUTINE, BY_RULE = message("indexing.its-routine"), message("indexing.a-rule")


def index_document(workspace: Workspace, batch: Batch, document: Document) -> Document:
    """Return the document with type and values proposed from its pages read so far."""
    pages = [p for p in batch.pages_of(document.id) if p.is_read and p.facts is not None]
    texts = batches_of(workspace).texts([p.id for p in pages])
    read = [ReadPage(p.id, weighed(texts[p.id])) for p in pages if p.id in texts]
    setup = workspace.setup
    routine = setup.routine(batch.routine)
    allowed = types_under(routine, setup)
    proposed = document
    if setup.document_type(document.type) is None or document.type_origin == "page":
        fixed = TypeGuess(routine.document_type, 0.99, BY_ROUTINE) if routine and routine.document_type else None
        first_text = read[0].text if read else None
        by_rule = None if fixed else told_type(batch.pages_of(document.id)[0], first_text, allowed)
        told = fixed or (TypeGuess(*by_rule, BY_RULE) if by_rule else None)
        found = told or (guess_type(workspace.memory_for(batch.owner), read[0].text, allowed) if read else None)
        if found is not None:
            proposed = replace(
                document, type=found.name, type_confidence=found.confidence, type_origin="page",
                type_because=found.because or None, type_rival=found.rival or None,
            )  # fmt: skip
    kind = setup.document_type(proposed.type)
    if kind is not None:
        taught = workspace.memory_for(batch.owner).taught(read[0].text, kind.id) if read else {}
        first = batch.pages_of(document.id)[0]
        begins_file = first.source_index == 0 and first.side != "back"
        file_name = first.name or first.source if begins_file else ""
        hints = Hints(taught, file_name, first.facts.properties if begins_file and first.facts else {})
        fresh = propose_values(read, kind, workspace.books(), workspace.bar(routine), workspace.rule, hints)
        if routine is not None:
            fresh = {**fresh, **_barcode_values(workspace, pages, routine, kind)}
        fresh = {**fresh, **_given_values(workspace, batch, kind, document.id, fresh)}
        fresh = {**_assumed_values(workspace, batch, kind, document, fresh), **fresh}
        kept = _keep_by_hand(document, fresh)
        proposed = replace(proposed, type=kind.id, values={**fresh, **kept})
    return replace(proposed, proposed=True)


def take_proposal(now: Document, proposed: Document) -> Document:
    """Return the document as it is now with what was proposed for it; what somebody did meanwhile stays."""
    if now.filed_id or (now.type_origin == "typed" and now.type != proposed.type):
        return now
    by_hand = _keep_by_hand(now, proposed.values)
    return replace(
        now, type=proposed.type, type_confidence=proposed.type_confidence, type_origin=proposed.type_origin,
        values={**proposed.values, **by_hand}, proposed=proposed.proposed, type_because=proposed.type_because,
        type_rival=proposed.type_rival,
    )  # fmt: skip


def _keep_by_hand(document: Document, fresh: Mapping[str, FieldValue]) -> dict[str, FieldValue]:
    """Return the values that a person gave; beside those only taken from elsewhere, what the page says is offered."""
    kept = {k: v for k, v in document.values.items() if is_by_hand(v)}
    for name, value in kept.items():
        said = fresh.get(name)
        if said is not None and value.given_by and not value.confirmed_by:
            others = dict.fromkeys((said.text, *said.alternatives, *value.alternatives))
            kept[name] = replace(value, alternatives=tuple(x for x in others if x and x != value.text)[:MOST_OFFERED])
    return kept


def known_type(workspace: Workspace, batch: Batch, document: Document) -> DocumentType | None:
    """Return the type that a document is known to be of before it is read.

    By hand, by its separator sheet, by the routine, or by a rule that looks at barcodes or the source.
    """
    setup = workspace.setup
    routine = setup.routine(batch.routine)
    name = document.type or (routine.document_type if routine else "")
    told = None if name else told_type(batch.pages_of(document.id)[0], None, setup.document_types)
    return setup.document_type(name or (told[0] if told else None))


def index_zones(workspace: Workspace, batch: Batch, document: Document, page: str, text: PageText) -> Document:
    """Return the document with the values that the zones of its first page tell, while the rest waits to be read."""
    kind = known_type(workspace, batch, document)
    if kind is None or document.proposed:
        return document
    zoned = kind.model_copy(update={"fields": tuple(f for f in kind.fields if f.zone)})
    bar = workspace.bar(workspace.setup.routine(batch.routine))
    fresh = propose_values([ReadPage(page, text)], zoned, workspace.books(), bar, workspace.rule)
    kept = _keep_by_hand(document, fresh)
    typed = document if document.type else replace(document, type=kind.id, type_confidence=0.99, type_origin="page")
    return replace(typed, values={**fresh, **kept})


def known_first_pages(workspace: Workspace, routine: Routine, owner: str) -> Callable[[PageText], str]:
    """Return what tells the first pages of layouts that `owner` may know, by their type; none where no rule asks for it."""
    if not routine.separation.has("known first page"):
        return lambda text: ""
    memory, kinds = workspace.memory_for(owner), workspace.setup.document_types
    return lambda text: name_of(kinds, memory.tell_first_page(text))


def _assumed_values(
    workspace: Workspace, batch: Batch, kind: DocumentType, document: Document, fresh: Mapping[str, FieldValue]
) -> dict[str, FieldValue]:
    """Return values for fields that nothing else tells: carried over, else given by the folder, else their defaults.

    They stay unsure until somebody confirms them.
    """
    missing = [f for f in kind.fields if f.id not in fresh]
    found: dict[str, FieldValue] = {}
    given = _folder_values(workspace, kind, fresh) if missing else {}
    before = _values_before(workspace, document, kind) if any(f.carry for f in missing) else {}
    for spec in missing:
        carried = before.get(spec.id) if spec.carry else None
        if carried is not None and carried.items:
            found[spec.id] = FieldValue(carried.items, 0.0, Origin.CARRIED)
        elif spec.id in given:
            found[spec.id] = FieldValue((given[spec.id],), 0.0, Origin.FOLDER)
        elif spec.default:
            kept = document.values.get(spec.id)
            text = kept.text if kept and kept.origin is Origin.DEFAULT else make_default(workspace, spec.default, batch)
            if text:
                found[spec.id] = FieldValue((text,), 0.0, Origin.DEFAULT)
    return found


def _folder_values(workspace: Workspace, kind: DocumentType, fresh: Mapping[str, FieldValue]) -> Mapping[str, str]:
    """Return what the folder that the values lead to, as far as they do, gives its documents."""
    goes = compute_destination(kind, workspace.setup, fresh)
    with workspace.place.database.read() as c:
        return given_along(c, goes.cabinet, [value for _, value in goes.folder]) if goes.cabinet else {}


def _values_before(workspace: Workspace, document: Document, kind: DocumentType) -> Mapping[str, FieldValue]:
    """Return the values of the nearest document of the same type before this one, none where there is none."""
    before = batches_of(workspace).document_before(document.id, kind.id)
    return batches_of(workspace).load_document(before).document(before).values if before else {}


def _barcode_values(
    workspace: Workspace, pages: Sequence[Page], routine: Routine, kind: DocumentType
) -> dict[str, FieldValue]:
    """Return the values that the routine's barcode patterns give, by the fields' names in any case."""
    found: dict[str, FieldValue] = {}
    for page in pages:
        for name, (text, mark) in barcode_values(side_facts(page, None), routine.separation.rules).items():
            spec = kind.field_called(name)
            value = normalise(text, workspace.rule(spec)) if spec is not None else ""
            if spec is not None and isinstance(value, str) and value:
                given = FieldValue(
                    (value,), BARCODE_CONFIDENCE, Origin.BARCODE, page=page.id, box=mark.box, as_read=text
                )
                found.setdefault(spec.id, replace(given, sure=True))
    return found


def _given_values(
    workspace: Workspace, batch: Batch, kind: DocumentType, document_id: str, fresh: dict[str, FieldValue]
) -> dict[str, FieldValue]:
    """Return the values that came with the document's first page; what the page says instead is offered beside them."""
    pages = batch.pages_of(document_id)
    found: dict[str, FieldValue] = {}
    for name, text in batch.given_for(pages[0]).items() if pages else ():
        spec = kind.field_called(name)
        if spec is None:
            continue
        items = _read_given(workspace, spec, text)
        said = fresh.get(spec.id)
        others = tuple(x for x in (said.items if said else ()) if x not in items)
        if items and not (said is not None and said.items == items):
            found[spec.id] = FieldValue(items, 0.0, Origin.FOLDER, as_read=text, alternatives=others)
    return found


def _read_given(workspace: Workspace, spec: FieldSpec, text: str) -> tuple[str, ...]:
    """Return what came along as values: kept ones as they are, others as people here write them; what is none as it is."""
    rule, parts = workspace.rule(spec), [p.strip() for p in text.split(";")] if spec.several else [text]
    found = [revive(Kept(p), rule) if isinstance(text, Kept) else normalise(p, rule) for p in parts]
    return tuple(x for x in (p if isinstance(v, Refusal) else v for p, v in zip(parts, found, strict=True)) if x)
