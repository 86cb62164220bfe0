"""The trees that judge values: as they were fitted, as the rules say more, and never over a person's hand."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np
from bench.world.train import Row as Judged
from bench.world.train import as_arrays, bar_for, fit
from hypothesis import given
from hypothesis import strategies as st

from keybundle.core.fields.kinds import Kind, Rule
from keybundle.core.fields.values import FieldValue, Origin
from keybundle.core.proposing.trust import FEATURES, SURE, Trees, Verdict, describe, get_trees, judge
from keybundle.core.setup.model import DocumentType, FieldSpec

KIND = DocumentType(name="Bill", cabinet="x", fields=(FieldSpec(name="Name"), FieldSpec(name="Sum", kind=Kind.MONEY)))
NAME = FieldValue(
    ("Ingvild Norgaard",), 0.78, page="p", box=(1, 1, 9, 9), as_read="Ingvild Norgaard", legible=0.9, score=0.78
)


def trust(value: FieldValue, rule: Rule, verdict: Verdict) -> float:
    return float(get_trees().confidence(np.array([describe(value, rule, verdict)]))[0])


class Fitting(unittest.TestCase):
    ROWS = np.random.default_rng(7).random((600, len(FEATURES)))

    def test_arrays_say_what_the_fitted_model_says(self) -> None:
        # Source: scikit-learn's own prediction of the model that it fitted.
        from sklearn.ensemble import HistGradientBoostingClassifier

        right = (self.ROWS[:, 0] + self.ROWS[:, 3] * self.ROWS[:, 9] > 0.8).astype(int)
        model = HistGradientBoostingClassifier(max_iter=20, max_leaf_nodes=8, random_state=0).fit(self.ROWS, right)
        other = np.random.default_rng(8).random((500, len(FEATURES)))
        np.testing.assert_allclose(as_arrays(model).apply(other), model.predict_proba(other)[:, 1], rtol=1e-12)

    def test_the_same_rows_give_the_same_trees(self) -> None:
        rows = [Judged(tuple(r), bool(r[0] > 0.5), False, 1, "bill", 0) for r in self.ROWS]
        one, two = fit(rows), fit(rows)
        self.assertTrue(all(np.array_equal(getattr(one, n), getattr(two, n)) for n in ("split", "leaf", "left")))

    def test_the_bar_lets_no_more_wrong_ones_by_than_it_was_asked(self) -> None:
        blank = (0.0,) * len(FEATURES)
        rows = [Judged(blank, i % 10 != 9 or i < 50, False, 1, "bill", 0) for i in range(100)]
        told = np.linspace(1, 0, 100)
        bar = bar_for(told, rows, 0.02)
        sure = [r for t, r in zip(told, rows, strict=True) if t >= bar]
        self.assertEqual((len(sure), sum(not r.right for r in sure)), (68, 1), "1 of 68 is right, 2 of 70 too many")


class Judging(unittest.TestCase):
    def test_two_readings_are_worth_more_than_one_and_a_dispute_less(self) -> None:
        told = {v: trust(NAME, Rule(), v) for v in Verdict}
        self.assertLess(told[Verdict.DISPUTED], SURE)
        self.assertGreaterEqual(told[Verdict.AGREED], max(told.values()))

    @given(
        st.floats(0, 1), st.floats(0, 1), st.sampled_from(list(Verdict)), st.sampled_from([Rule(), Rule(Kind.MONEY)])
    )
    def test_what_the_rules_say_more_of_is_never_trusted_less(
        self, one: float, two: float, verdict: Verdict, rule: Rule
    ) -> None:
        low, high = (trust(replace(NAME, score=s, legible=1.0), rule, verdict) for s in sorted((one, two)))
        self.assertTrue(0 <= low <= high + 0.1 and high <= 1)

    def test_the_bar_of_the_trees_is_the_bar_of_the_product(self) -> None:
        leaf = np.array([[0.0]])
        at = leaf.astype(np.int64)
        for base, bar in ((0.0, 0.5), (4.0, 1 / (1 + np.exp(-4.0)))):
            trees = Trees(at, leaf, at, at, leaf, base, bar, 1)
            self.assertAlmostEqual(float(trees.confidence(np.zeros((1, len(FEATURES))))[0]), SURE)

    def test_what_a_person_gave_or_no_page_says_is_not_judged(self) -> None:
        kept = (
            replace(NAME, confirmed_by="Elspra"), replace(NAME, origin=Origin.TYPED, confidence=1.0),
            replace(NAME, origin=Origin.REGISTER), replace(NAME, page=None), replace(NAME, items=()),
        )  # fmt: skip
        for value in kept:
            self.assertEqual(judge({"Name": value}, KIND, FieldSpec.rule, {"Name": Verdict.AGREED}), {"Name": value})
        other = {"Name": NAME, "Sum": replace(NAME, items=("12.00",))}
        self.assertEqual(judge(other, KIND, FieldSpec.rule, {"Name": Verdict.AGREED})["Sum"], other["Sum"])
