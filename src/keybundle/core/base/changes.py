"""What a change touched, told to everybody who shows it."""

from __future__ import annotations

from dataclasses import field

from keybundle.core.base.records import dataclass


@dataclass(frozen=True)
class Changes:
    """Kinds of thing and ids that changed.

    ``batches`` and ``documents`` hold ids; ``repository`` says that filed documents changed, ``setup`` that the
    set-up or a register did.
    """

    batches: frozenset[str] = field(default_factory=frozenset)
    documents: frozenset[str] = field(default_factory=frozenset)
    repository: bool = False
    text: str = ""
    setup: bool = False

    def __or__(self, other: Changes) -> Changes:
        return Changes(
            self.batches | other.batches,
            self.documents | other.documents,
            self.repository or other.repository,
            other.text or self.text,
            self.setup or other.setup,
        )
