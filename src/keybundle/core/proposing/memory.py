"""What was learned from filed documents, compared with new pages: their type, their layout, what like ones teach."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import field

import numpy as np
import numpy.typing as npt

from keybundle.core.base.records import dataclass
from keybundle.core.proposing.examples import Example
from keybundle.core.proposing.layouts import Asked, Layout, gather
from keybundle.core.proposing.lessons import Taught, agree_on
from keybundle.core.proposing.look import TOKENS, Rarity, look_at, weigh_tokens
from keybundle.core.reading.text import PageText

KNOWN_TYPE, KNOWN_FIRST, LEAD = 0.72, 0.68, 1.1
LEAST_FOR_FIRST, MOST_LESSONS = 3, 12
GATHERED_ANEW = 1.5


@dataclass(frozen=True)
class Guess:
    """A type as guessed from a look: how well the best layout of that type covers it, and the best of any other type."""

    type: str
    likeness: float
    rival: float
    rival_type: str = ""

    @property
    def is_known(self) -> bool:
        """Whether the page is clearly of a layout that was seen before."""
        return self.likeness >= KNOWN_TYPE and self.likeness >= LEAD * self.rival


@dataclass(frozen=True)
class Memory:
    """All examples, gathered into layouts; never changed, so that any thread may ask it.

    ``seen`` is ``(TOKENS,) int32``: how many examples have each token. ``gathered`` is how many there were when the
    layouts were last made from nothing.
    """

    examples: tuple[Example, ...] = ()
    layouts: tuple[Layout, ...] = ()
    seen: npt.NDArray[np.int32] = field(default_factory=lambda: np.zeros(TOKENS, dtype=np.int32))
    rarity: Rarity = field(default_factory=lambda: weigh_tokens(np.zeros(TOKENS, dtype=np.int32), 0))
    gathered: int = 0

    @classmethod
    def of(cls, examples: Sequence[Example]) -> Memory:
        """Return a memory of these examples; pages without words are left aside."""
        return cls().with_examples(examples)

    def with_examples(self, more: Sequence[Example]) -> Memory:
        """Return the memory with more examples.

        They are put to the layouts that are there. What tokens weigh shifts with each; when half as many again have
        come, the layouts are made anew from all.
        """
        examples = (*self.examples, *more)
        seen = self.seen.copy()
        for example in more:
            seen[example.look.ids] += 1
        rarity = weigh_tokens(seen, sum(1 for e in examples if len(e.look.ids)))
        is_anew = len(examples) >= GATHERED_ANEW * self.gathered
        firsts = [e for e in (examples if is_anew else more) if e.page == 0 and len(e.look.ids)]
        layouts = gather(() if is_anew else self.layouts, firsts, rarity)
        return Memory(examples, tuple(layouts), seen, rarity, len(examples) if is_anew else self.gathered)

    def _covers(self, text: PageText, least: int) -> list[tuple[float, Layout]]:
        """Return (cover, layout), the best first, of layouts with so many members."""
        asked = self._ask(text)
        if asked is None:
            return []
        found = [(x.cover(asked, self.rarity), x) for x in self.layouts if len(x.members) >= least]
        return sorted(found, key=lambda pair: -pair[0])

    def _ask(self, text: PageText) -> Asked | None:
        look = look_at(text) if self.layouts else None
        return Asked.of(look, self.rarity) if look is not None and len(look.ids) else None

    def guess_type(self, text: PageText) -> Guess | None:
        """Return the type whose known layouts cover a page best; None where no layout is known yet."""
        ranked = self._covers(text, 2)
        if not ranked:
            return None
        best = ranked[0]
        rival, other = next(((cover, x.type) for cover, x in ranked if x.type != best[1].type), (0.0, ""))
        return Guess(best[1].type, best[0], rival, other)

    def tell_first_page(self, text: PageText) -> str:
        """Return the type of the known layout whose first page this page looks like; empty where it looks like none."""
        ranked = self._covers(text, LEAST_FOR_FIRST)
        return ranked[0][1].type if ranked and ranked[0][0] >= KNOWN_FIRST else ""

    def taught(self, text: PageText, type_name: str) -> Mapping[str, Taught]:
        """Return what documents of this page's layout teach about the fields of a type."""
        asked = self._ask(text)
        if asked is None:
            return {}
        own = [(x.joins(asked, self.rarity), x) for x in self.layouts if x.type == type_name]
        fit, layout = max(own, key=lambda pair: pair[0], default=(0.0, None))
        if layout is None or fit < 1:
            return {}
        return agree_on([lesson for e in layout.members[-MOST_LESSONS:] for lesson in e.lessons])
