"""What filed documents teach: layouts, labels, types, first pages; and confidences that mean what they say."""

from __future__ import annotations

import random
import threading
import unittest

import numpy as np
import scipy.spatial.distance
import scipy.stats
from hypothesis import given
from hypothesis import strategies as st
from sklearn.isotonic import IsotonicRegression

from keybundle.core.base.boxes import Frame
from keybundle.core.batches.model import State
from keybundle.core.fields.dates import tell_order
from keybundle.core.fields.kinds import Rule
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.proposing import calibration as cal
from keybundle.core.proposing.calibration import Calibration
from keybundle.core.proposing.examples import Example
from keybundle.core.proposing.layouts import Asked, Layout
from keybundle.core.proposing.lessons import learn_fields
from keybundle.core.proposing.look import TOKENS, Look, Rarity, look_at
from keybundle.core.proposing.memory import Memory
from keybundle.core.proposing.propose import Hints, ReadPage, propose_values
from keybundle.core.proposing.types import guess_type
from keybundle.core.reading.text import PageText, Word
from keybundle.core.setup.model import FieldSpec, Setup
from keybundle.core.workflows.file.filing import file_documents, take_back
from keybundle.core.workflows.index import slip
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.prepare.types import learned
from keybundle.core.workflows.propose import learning
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import CALIBRATION
from keybundle.demo.layouts import Layout as PaperLayout
from keybundle.demo.layouts import draw_document, fixed_layout
from keybundle.demo.names import make_world
from keybundle.demo.records import Record, make_record
from keybundle.demo.setup import make_setup
from tests.support import DataTest, acting, scanned_template, shared_pool

SETUP: Setup = make_setup(make_world())


def rule(spec: FieldSpec) -> Rule:
    return spec.rule()


def document(name: str, layout: PaperLayout, seed: int) -> tuple[Record, list[PageText]]:
    """A drawn document with its true words, as if it had been read without a mistake."""
    rng = random.Random(seed)
    record = make_record(name, make_world(), rng)
    pages = []
    for page in draw_document(record, layout, rng, dpi=100):
        line, last, words = -1, -1, []
        for placed in page.words:
            line += placed.box[3] != last
            last = placed.box[3]
            words.append(Word(placed.text, placed.box, 0.96, 0, line))
        pages.append(PageText(tuple(words), Frame(page.sheet.image.width, page.sheet.image.height)))
    return record, pages


def examples(name: str, layout: PaperLayout, seeds: range) -> list[Example]:
    found = []
    kind = SETUP.document_type(name)
    assert kind is not None
    for seed in seeds:
        record, pages = document(name, layout, seed)
        values = {n: FieldValue(i, 1.0, Origin.TYPED) for n, i in record.values.items()}
        lessons = learn_fields([(str(i), p) for i, p in enumerate(pages)], kind, values, rule)
        found += [
            Example(seed * 100 + i, f"{name}{seed}", name, i, look_at(p), lessons if i == 0 else ())
            for i, p in enumerate(pages)
        ]
    return found


STRANGE = fixed_layout("Delivery note", 1).__class__(
    **{**fixed_layout("Delivery note", 1).__dict__, "title": "Delivery note", "date_style": "numeric",
       "labels": {"Supplier": "Trader", "Order number": "Our sign", "Delivery date": "Came in on the"}}
)  # fmt: skip


class Lessons(unittest.TestCase):
    def test_two_documents_of_a_layout_teach_its_own_labels(self) -> None:
        kind = SETUP.document_type("Delivery note")
        assert kind is not None
        record, pages = document("Delivery note", STRANGE, 77)
        read = [ReadPage(str(i), p) for i, p in enumerate(pages)]
        date = lambda hints: propose_values(read, kind, {}, 0.8, rule, hints).get("Delivery date", FieldValue())  # noqa: E731
        self.assertNotEqual(date(None).items, record.values["Delivery date"], "nobody told its label")
        memory = Memory.of(examples("Delivery note", STRANGE, range(2)))
        taught = memory.taught(pages[0], "Delivery note")
        self.assertEqual(taught["Delivery date"].label, "Came in on the")
        found = date(Hints(taught))
        self.assertEqual(found.items, record.values["Delivery date"])
        self.assertTrue(found.sure)

    def test_another_layout_is_taught_nothing(self) -> None:
        memory = Memory.of(examples("Delivery note", STRANGE, range(3)))
        _, pages = document("Delivery note", fixed_layout("Delivery note", 3), 5)
        self.assertEqual(memory.taught(pages[0], "Delivery note"), {})
        self.assertEqual(memory.taught(pages[0], "Bill"), {})

    def test_the_order_of_day_and_month_is_told_and_learned(self) -> None:
        kind = SETUP.document_type("Delivery note")
        assert kind is not None
        words = ["Delivery", "date", "03/04/2026"]
        page = PageText(
            tuple(Word(w, (100 + 90 * i, 100, 180 + 90 * i, 120), 0.95, 0, 0) for i, w in enumerate(words)),
            Frame(800, 1100),
        )
        read = [ReadPage("p", page)]
        found = propose_values(read, kind, {}, 0.8, rule)["Delivery date"]
        self.assertEqual((found.text, found.alternatives[0]), ("2026-04-03", "2026-03-04"))
        self.assertEqual(found.note, "“03/04/2026” could be 2026-04-03 or 2026-03-04; it is read day first here.")
        other = FieldValue(("2026-03-04",), 1.0, Origin.TYPED, as_read="03/04/2026", page="p", box=(280, 100, 360, 120))
        lesson = learn_fields([("p", page)], kind, {"Delivery date": other}, rule)[0]
        self.assertEqual(lesson.date_order, "month first")
        memory = Memory.of([Example(1, "d", "Delivery note", 0, look_at(page), (lesson,))])
        taught = propose_values(read, kind, {}, 0.8, rule, Hints(memory.taught(page, "Delivery note")))
        self.assertEqual(taught["Delivery date"].text, "2026-03-04")
        self.assertIn("this sender writes month first", taught["Delivery date"].note)
        self.assertEqual(
            [tell_order(x) for x in ("31/12/2025", "12/31/2025", "3/4/2025", "x")], ["day first", "month first", "", ""]
        )

    def test_a_file_name_tells_what_no_page_does(self) -> None:
        kind = SETUP.document_type("Delivery note")
        assert kind is not None
        blank = [ReadPage("p", PageText((), Frame(800, 1100)))]
        found = propose_values(blank, kind, {}, 0.8, rule, Hints(file_name="note PO-12345 scan.tif"))["Order number"]
        self.assertEqual((found.text, found.origin, found.sure), ("PO-12345", Origin.FILE, False))


class Looks(unittest.TestCase):
    def test_types_and_first_pages_of_known_layouts(self) -> None:
        known = [("Bill", 1), ("Bill", 2), ("Letter", 2), ("Mooring agreement", 1), ("Mooring agreement", 3)]
        memory = Memory.of([e for n, k in known for e in examples(n, fixed_layout(n, k), range(5))])
        names = {n for n, _ in known}
        for name, k in known:
            _, pages = document(name, fixed_layout(name, k), 60)
            guess = guess_type(memory, pages[0], SETUP.document_types)
            self.assertEqual(guess.name if guess else None, name)
            told = [bool(memory.tell_first_page(p)) for p in pages]
            self.assertEqual(told, [True] + [False] * (len(pages) - 1), (name, k))
        fewer = tuple(t for t in SETUP.document_types if t.name in names)
        _, strange = document("Safety certificate", fixed_layout("Safety certificate", 3), 61)
        self.assertIsNone(guess_type(memory, strange[0], fewer), "a type that nobody ever filed")
        self.assertIsNone(guess_type(Memory(), PageText((), Frame(10, 10)), SETUP.document_types))

    @given(st.sets(st.integers(0, 60), min_size=1), st.sets(st.integers(0, 60), min_size=1))
    def test_likeness_of_two_looks_against_scipy(self, a: set[int], b: set[int]) -> None:
        # Source: scipy.spatial.distance.dice (SciPy 1.17), with every token weighing the same.
        def look(ids: set[int]) -> Look:
            return Look(np.array(sorted(ids), dtype=np.int32), np.ones(len(ids), dtype=np.float32))

        even = Rarity(np.ones(TOKENS, dtype=np.float32), np.ones(TOKENS, dtype=np.float32))
        layout = Layout.begin(Example(1, "d", "Bill", 0, look(a)))
        flags = [[i in x for i in range(61)] for x in (a, b)]
        self.assertAlmostEqual(
            layout.cover(Asked.of(look(b), even), even), 1 - scipy.spatial.distance.dice(*flags), places=5
        )
        self.assertEqual(Look.from_bytes(look(a).to_bytes()).ids.tolist(), sorted(a))


class Together(DataTest):
    def test_filing_and_keeping_what_was_fitted_do_not_wait_for_each_other(self) -> None:
        ws = self.demo_workspace()
        ws.put_setup(ws.full_setup(), ws.person(None).id)
        in_hand, go_on = threading.Event(), threading.Event()
        done: list[str] = []

        def file() -> None:
            with ws.place.database.atomic():
                in_hand.set()
                go_on.wait(10)
                done.append(ws.setup.repository)

        def keep() -> None:
            ws.put_setting(CALIBRATION, cal.fit([]))
            done.append("kept")

        threads = [threading.Thread(target=work, daemon=True) for work in (file, keep)]
        threads[0].start()
        self.assertTrue(in_hand.wait(10))
        threads[1].start()
        threads[1].join(0.3)
        self.assertTrue(threads[1].is_alive(), "it waits for the filing")
        go_on.set()
        for thread in threads:
            thread.join(10)
        self.assertEqual(done, ["Larkmere Navigation Trust", "kept"])


class Confidence(unittest.TestCase):
    def outcomes(self, count: int) -> list[tuple[float, bool]]:
        rng = random.Random(3)
        return [(s, rng.random() < s**2) for s in (rng.random() for _ in range(count))]

    def test_the_curve_is_that_of_scikit_learn(self) -> None:
        # Source: sklearn.isotonic.IsotonicRegression (scikit-learn 1.9), predicted at points between the outcomes.
        outcomes = self.outcomes(600)
        found = Calibration.from_json(cal.fit(outcomes))
        ordered = sorted(outcomes)
        curve = IsotonicRegression(y_min=0, y_max=1, out_of_bounds="clip").fit(
            [s for s, _ in ordered], [float(r) for _, r in ordered]
        )
        for x in np.linspace(-0.1, 1.1, 41):
            self.assertAlmostEqual(found.apply(float(x)), float(curve.predict([x])[0]), places=5)
        self.assertLess(
            abs(found.apply(0.7) - 0.49), 0.12, "the truth behind these outcomes is the square of the score"
        )
        bar = found.bar_for(0.8)
        self.assertGreaterEqual(found.apply(bar), 0.8)
        self.assertLess(found.apply(bar - 0.05), 0.8)
        self.assertEqual(sum(b.count for b in found.bins), 600)

    def test_few_outcomes_change_nothing(self) -> None:
        found = Calibration.from_json(cal.fit(self.outcomes(40)))
        self.assertEqual((found.apply(0.7), found.bar_for(0.8)), (0.7, 0.8))
        self.assertEqual(Calibration.from_json(cal.fit([])), Calibration())

    @given(st.integers(0, 12), st.integers(1, 3000))
    def test_what_can_be_claimed_against_scipy(self, wrong: int, n: int) -> None:
        # Source: Clopper and Pearson (1934) by the beta distribution, scipy.stats.beta.ppf.
        wrong = min(wrong, n)
        expected = 1.0 if wrong == n else float(scipy.stats.beta.ppf(0.95, wrong + 1, n - wrong))
        self.assertAlmostEqual(cal.upper_share(wrong, n), expected, places=6)

    def test_a_claim_holds_for_many_values_too(self) -> None:
        # Source: scipy.stats.beta.ppf(0.95, 1001, 199000).
        self.assertAlmostEqual(cal.upper_share(1000, 200_000), 0.005267, places=5)
        scores = tuple(i / 20_000 for i in range(20_000))
        wrong = scores[:: 20_000 // 1023]
        for bar, share in cal.list_claims(scores, wrong)[::100]:
            n, k, shown = self.known(scores, wrong).claim(bar)
            self.assertAlmostEqual(share, shown, places=6, msg=f"{k} of {n}")

    def known(self, scores: tuple[float, ...], wrong: tuple[float, ...] = ()) -> Calibration:
        claims = cal.list_claims(scores, wrong)
        return Calibration((0.0, 1.0), (0.0, 1.0), len(scores), scores, wrong, claims=claims)

    def test_a_bar_is_claimed_only_when_enough_was_confirmed(self) -> None:
        few, many = (self.known((0.9,) * n) for n in (1000, 1600))
        self.assertEqual(few.bar_for_claim(500), (cal.CAUTIOUS_BAR, False))
        self.assertTrue(many.bar_for_claim(500)[1])
        self.assertIn("cannot be claimed yet: it takes about 1,500", learned.say_bar(few, 0.8, 500))
        mixed = self.known((0.6,) * 1 + (0.9,) * 1600, (0.6,))
        bar, can = mixed.bar_for_claim(500)
        self.assertTrue(can and bar > 0.6, "values as good as the wrong one stay unsure")


class Filing(DataTest):
    def test_what_is_filed_is_learned_and_forgotten_again(self) -> None:
        workspace = open_workspace(self.demo_data(scanned=True))
        self.addCleanup(workspace.close)
        pool, who, batch_id = shared_pool(), workspace.person(None).id, scanned_template()[1]
        line = Line(workspace, pool)
        self.addCleanup(line.close)
        types, documents = learned.list_learned(acting(workspace))
        self.assertEqual(sum(t.documents for t in types), len(documents))
        ready = next(d for d in workspace.batches.load(batch_id).in_order() if d.state is State.READY)
        field = next(n for n, v in ready.values.items() if v.origin is Origin.PAGE)
        slip.enter_value(acting(workspace, who), line, batch_id, ready.id, field, ready.values[field].text)
        self.assertTrue(line.wait(60))
        self.assertEqual(
            workspace.batches.load(batch_id).documents[ready.id].values[field].guess, ready.values[field].text
        )
        self.assertEqual(len(file_documents(acting(workspace, who), pool, batch_id, [ready.id]).entries), 1)
        after = learned.list_learned(acting(workspace))[1]
        self.assertEqual((len(after), after[0].document), (len(documents) + 1, ready.id))
        self.assertIn(field, after[0].fields)
        learning.refresh_calibration(workspace, pool, at_once=True)
        calibration = workspace.calibration()
        self.assertGreater(calibration.count, 3)
        self.assertEqual(calibration.wrong, (), "what was confirmed came out right")
        learned.export_learned(acting(workspace), self.folder / "learned.json")
        self.assertIn(ready.id, (self.folder / "learned.json").read_text())
        take_back(acting(workspace, who), batch_id, ready.id)
        self.assertEqual(len(learned.list_learned(acting(workspace))[1]), len(documents))
        self.assertGreater(learned.forget_learned(acting(workspace, who), [documents[0].document]), 0)
        self.assertEqual(
            len(workspace.memory().examples), sum(d.pages for d in learned.list_learned(acting(workspace))[1])
        )
