"""How far a reading is trusted: layouts nobody confirmed, values that agree, places pointed at, zones read closely."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from keybundle.core.base.boxes import Frame
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.proposing.lessons import Taught
from keybundle.core.proposing.propose import NEW_LAYOUT, Hints, ReadPage, propose_values
from keybundle.core.reading.text import PageText, Word
from keybundle.core.setup.model import DocumentType, FieldSpec
from keybundle.core.setup.routines import Zone
from keybundle.core.workflows.line.page_work import read_zones
from keybundle.core.workflows.pages.page_jobs import PageJob
from keybundle.demo.trials import draw_page

NUMBER = FieldSpec(name="Number", labels=("Number",), pattern=r"K-\d{4}")


def page(certainty: float) -> ReadPage:
    words = (
        Word("Number", (100, 100, 190, 120), certainty, 0, 0),
        Word("K-4711", (260, 100, 350, 120), certainty, 0, 0),
    )
    return ReadPage("p", PageText(words, Frame(1000, 1400)))


def propose(spec: FieldSpec, certainty: float, hints: Hints | None = None) -> FieldValue:
    kind = DocumentType(name="Note", cabinet="Letters", fields=(spec,))
    return propose_values([page(certainty)], kind, {}, 0.8, lambda f: f.rule(), hints)["Number"]


class Trust(unittest.TestCase):
    TAUGHT = Hints(taught={"Number": Taught("Number", 0, "Number", (0.25, 0.06, 0.36, 0.09), 3, "")})

    def test_a_layout_that_nobody_confirmed_is_trusted_less(self) -> None:
        strange, known = propose(NUMBER, 0.85), propose(NUMBER, 0.85, self.TAUGHT)
        self.assertEqual((strange.text, known.text), ("K-4711", "K-4711"))
        self.assertLess(strange.confidence, known.confidence)
        self.assertLessEqual(strange.confidence, NEW_LAYOUT * 0.85)
        self.assertEqual((strange.sure, known.sure), (False, True))

    def test_a_clear_reading_is_sure_all_the_same(self) -> None:
        self.assertTrue(propose(NUMBER, 0.97).sure)

    def test_what_agrees_makes_up_for_it(self) -> None:
        for hints in (Hints(file_name="note K-4711.pdf"), Hints(properties={"subject": "K-4711"})):
            spec = NUMBER.model_copy(update={"file_property": "subject"})
            self.assertTrue(propose(spec, 0.85, hints).sure)
        other = propose(NUMBER, 0.85, Hints(file_name="note K-9999.pdf"))
        self.assertEqual((other.text, other.sure, other.alternatives), ("K-4711", False, ("K-9999",)))

    def test_a_place_that_somebody_pointed_at_is_trusted(self) -> None:
        zoned = NUMBER.model_copy(update={"zone": Zone(left=0.24, top=0.06, right=0.37, bottom=0.1)})
        self.assertGreater(propose(zoned, 0.85).confidence, propose(NUMBER, 0.85).confidence)

    def test_the_guess_that_is_kept_is_the_trust_that_was_told(self) -> None:
        found = propose(NUMBER, 0.85)
        self.assertEqual((found.guess, found.guess_score, found.origin), (found.text, found.confidence, Origin.PAGE))


class Zones(unittest.TestCase):
    def test_only_the_words_in_the_zones_are_read_where_they_stand(self) -> None:
        # Source: the words and boxes that the page was drawn with.
        drawn = draw_page(5, 200)
        width, height = drawn.sheet.image.size
        chosen = [w for w in drawn.words if len(w.text) > 5 and w.text.isalpha()][:3]
        zones = [(w.box[0] / width, w.box[1] / height, w.box[2] / width, w.box[3] / height) for w in chosen]
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "page.png"
            drawn.sheet.image.save(path, dpi=(200, 200))
            job = PageJob(path=str(path), name="page.png", frame=Frame(width, height))
            text = PageText.from_bytes(read_zones(job, zones))
        for number, word in enumerate(chosen):
            read = [w for w in text.words if w.block == number and w.text.strip(".,;:") == word.text]
            self.assertTrue(read, word.text)
            self.assertLess(max(abs(a - b) for a, b in zip(read[0].box, word.box, strict=True)), 12, word.text)
        self.assertLessEqual(len(text.words), 9, "what stands elsewhere on the page is not read")
