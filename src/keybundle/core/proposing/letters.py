"""Letters that have no labels: their date, their subject and who wrote them, by where letters have these."""

from __future__ import annotations

import re
from collections.abc import Iterator

from keybundle.core.base.records import dataclass
from keybundle.core.fields.kinds import Kind, Rule
from keybundle.core.proposing.candidates import Candidate, parse_words
from keybundle.core.proposing.rows import Rows, Segment
from keybundle.core.reading.text import Word

LETTER_SCORE = 0.75
ABOVE_ROWS, SIGNED_ROWS, HEAD_SHARE, TALL_SHARE, LARGE, LONGEST_NAME = 3, 5, 0.2, 0.8, 1.15, 8
_SALUTATION = re.compile(r"(dear|gentlemen|ladies and gentlemen|to whom it may concern)\b", re.I)
_CLOSING = re.compile(
    r"(yours (faithfully|sincerely|truly)|(kind|best|warm) (regards|wishes)|with (kind|best)|sincerely)\b", re.I
)
_SUBJECT = re.compile(r"(re|subject|regarding|concerning|ref)\.?:?", re.I)


@dataclass(frozen=True)
class Letter:
    """A page that greets somebody: the numbers of the rows with its salutation and its closing (None: on another page)."""

    rows: Rows
    height_px: int
    salutation: int
    closing: int | None

    def find(self, meaning: str, rule: Rule) -> Candidate | None:
        """Return what a letter says for ``date``, ``subject`` or ``sender``; None where it does not."""
        find = {"date": self._dates, "subject": self._subjects, "sender": self._senders}.get(meaning)
        return next(find(rule), None) if find else None

    def _dates(self, rule: Rule) -> Iterator[Candidate]:
        if rule.kind is not Kind.DATE:
            return
        for row in self.rows.rows[: self.salutation]:
            for segment in row:
                for at in range(min(len(segment.words), LONGEST_NAME)):
                    parsed = parse_words(segment.words[at:], rule)
                    if parsed is not None:
                        yield _candidate(*parsed)

    def _subjects(self, rule: Rule) -> Iterator[Candidate]:
        """Yield the line above the greeting, else the one below it when it stands alone and is no sentence."""
        above = self.rows.rows[max(0, self.salutation - ABOVE_ROWS) : self.salutation]
        for row in reversed(above):
            greeting = self.rows.rows[self.salutation][0].box
            if len(row) == 1 and greeting[1] - row[0].box[3] < 6 * self.rows.height:
                yield from _line(row[0], rule)
                return

    def _senders(self, rule: Rule) -> Iterator[Candidate]:
        """Yield the large line of the letterhead, else who signed."""
        head = [s for row in self.rows.rows for s in row if s.box[3] < HEAD_SHARE * self.height_px]
        heights = sorted(s.box[3] - s.box[1] for s in self.rows.segments)
        tall = heights[int(TALL_SHARE * len(heights))]  # of a line of the body with strokes above and below
        large = [s for s in head if s.box[3] - s.box[1] > LARGE * tall and len(s.words) <= LONGEST_NAME]
        if large:
            yield from _line(max(large, key=lambda s: s.box[3] - s.box[1]), rule)
        if self.closing is not None:
            for row in self.rows.rows[self.closing + 1 : self.closing + 1 + SIGNED_ROWS]:
                if len(row) == 1 and 2 <= len(row[0].words) <= LONGEST_NAME and row[0].text[:1].isupper():
                    yield from _line(row[0], rule)
                    return


def find_letter(rows: Rows, height_px: int) -> Letter | None:
    """Return the letter that a page begins; None where nobody is greeted. ``height_px`` is the page's."""
    heads = [(i, row[0].text) for i, row in enumerate(rows.rows)]
    greeted = next((i for i, said in heads if _SALUTATION.match(said) and len(said.split()) <= LONGEST_NAME), None)
    if greeted is None:
        return None
    closing = next((i for i, said in heads if i > greeted and _CLOSING.match(said) and len(said.split()) <= 4), None)
    return Letter(rows, height_px, greeted, closing)


def _line(segment: Segment, rule: Rule) -> Iterator[Candidate]:
    words = segment.words[1:] if _SUBJECT.fullmatch(segment.words[0].text) else segment.words
    parsed = parse_words(words, rule) if words else None
    if parsed is not None:
        yield _candidate(*parsed)


def _candidate(as_read: str, value: str, words: tuple[Word, ...]) -> Candidate:
    return Candidate(as_read, value, words, LETTER_SCORE * min(w.confidence for w in words))
