"""What a routine lets its documents be, and where it lets them go."""

from __future__ import annotations

from keybundle.core.setup.model import DocumentType, Setup
from keybundle.core.setup.routines import Routine


def types_under(routine: Routine | None, setup: Setup) -> tuple[DocumentType, ...]:
    """Return the document types that a routine's documents can be of."""
    allowed = set(routine.types) if routine is not None else set()
    return tuple(k for k in setup.document_types if not allowed or k.id in allowed)


def cabinets_under(routine: Routine | None, setup: Setup) -> tuple[str, ...]:
    """Return the cabinets (ids) that a routine's documents can be filed in, by their types."""
    if routine is None:
        return ()
    one = setup.document_type(routine.document_type)
    kinds = (one,) if one is not None else types_under(routine, setup)
    return tuple(dict.fromkeys(k.cabinet for k in kinds if k.cabinet))
