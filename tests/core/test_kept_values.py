"""What was typed once is kept, and reads the same wherever it is read again, in each locale."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from keybundle.core.base.clock import make_id
from keybundle.core.batches.arrivals import _from_json, _to_json
from keybundle.core.fields.kinds import Kept, Kind, Rule, normalise, revive
from keybundle.core.fields.values import FieldValue
from keybundle.core.filing.commit import commit_document
from keybundle.core.filing.destination import compute_destination, make_caption
from keybundle.core.repository.model import NewDocument
from keybundle.core.setup.model import called
from keybundle.core.workflows.index import slip, slip_help
from keybundle.core.workflows.keep.documents import correcting
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.take_in.capture import find_routine, scan_stack
from keybundle.demo import seed
from tests.standin import ONE_SIDED, Device, StandIn, answer
from tests.support import DataTest, acting

# Source: Unicode CLDR 44, decimal and grouping signs and short dates of en_GB, de_DE and fr_FR.
TYPED = {
    "en_GB": {"VAT": "1,234.125", "Net": "1,250.00", "Bill date": "03/04/2026"},
    "de_DE": {"VAT": "1.234,125", "Net": "1.250,00", "Bill date": "03.04.2026"},
    "fr_FR": {"VAT": "1\u202f234,125", "Net": "1\u202f250,00", "Bill date": "03/04/2026"},
}
KEPT = {"VAT": "1234.125", "Net": "1250.00", "Bill date": "2026-04-03"}
SHORT = {
    "en_GB": "1.125",
    "de_DE": "1,125",
    "fr_FR": "1,125",
}  # kept as 1.125, which reads as 1125 where a point groups


class Reading(DataTest):
    @given(st.decimals(min_value=-(10**9), max_value=10**9, places=3), st.sampled_from(".,"), st.sampled_from(".,"))
    def test_a_kept_number_is_revived_as_it_is(self, number: object, typed_by: str, read_by: str) -> None:
        text = str(number).replace(".", typed_by)
        kept = normalise(text, Rule(Kind.DECIMAL, decimal_mark=typed_by))
        assert isinstance(kept, Kept), (text, kept)
        self.assertEqual(revive(kept, Rule(Kind.DECIMAL, decimal_mark=read_by)), kept)

    def test_what_came_along_is_told_from_what_was_kept_after_a_restart(self) -> None:
        values = {"VAT": Kept("1.125"), "Net": "1,125"}
        again = _from_json(_to_json(values))
        self.assertEqual(again, values)
        self.assertEqual({n: type(v) for n, v in again.items()}, {"VAT": Kept, "Net": str})


class EachWay(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = open_workspace(self.folder / "data")
        self.addCleanup(self.ws.close)
        seed.begin(self.ws)
        self.boss = acting(self.ws)
        kind = called(self.ws.setup.document_types, "Bill")
        assert kind is not None
        self.kind = kind
        plain = {"kind": Kind.DECIMAL, "pattern": "", "check": ""}
        fields = tuple(f.model_copy(update=plain) if f.name == "VAT" else f for f in kind.fields)
        changed = kind.model_copy(update={"sums": (), "fields": fields})
        self.change(document_types=tuple(changed if k.id == kind.id else k for k in self.ws.setup.document_types))
        self.line = Line(self.ws, StandIn(answer))
        self.addCleanup(self.line.close)

    def change(self, **parts: object) -> None:
        self.ws.change_setup("", lambda s: s.model_copy(update=parts))

    def document(self) -> tuple[str, str]:
        got = scan_stack(
            self.boss, self.line, find_routine(self.boss, "Post"), Device(1, tag=make_id()), options=ONE_SIDED
        )
        self.assertTrue(self.line.wait(20))
        document = self.ws.batches.load(got.batch).in_order()[0].id
        slip.choose_type(self.boss, self.line, got.batch, document, self.kind.id)
        self.assertTrue(self.line.wait(20))
        return got.batch, document

    def values(self, at: tuple[str, str], *names: str) -> dict[str, str]:
        values = self.ws.batches.load(at[0]).documents[at[1]].values
        return {n: values[n].text for n in names}

    def file(self, values: dict[str, str]) -> str:
        kind = self.ws.setup.document_type(self.kind.id)
        assert kind is not None
        told = {"Supplier": "Weirside Ropes", "Bill number": make_id(), "Total": "1.00", **values}
        kept = {f.id: FieldValue((told[f.name],), 1.0, sure=True) for f in kind.fields if f.name in told}
        goes, key = compute_destination(kind, self.ws.setup, kept), make_id()
        new = NewDocument(
            key, kind.cabinet, tuple((n, v or "") for n, v in goes.folder), kind.id, make_caption(kind, kept), kept, (), "",
            named=(kind.name, goes.titles[0]),
        )  # fmt: skip
        return commit_document(self.ws.place.database, self.ws.batches, self.ws.repository, new, self.boss.person)

    def test_typed_confirmed_weighed_anew_and_typed_again(self) -> None:
        for locale, typed in TYPED.items():
            self.change(locale=locale)
            at = self.document()
            for name, text in typed.items():
                slip.enter_value(self.boss, self.line, *at, name, text)
            self.assertEqual(self.values(at, *KEPT), KEPT, locale)
            for other in TYPED:
                self.change(locale=other)
                self.ws.batches.settle(at[0])
                for name in KEPT:
                    slip.confirm_value(self.boss, self.line, *at, name)
                    slip.enter_value(self.boss, self.line, *at, name, self.values(at, name)[name])
                self.assertEqual(self.values(at, *KEPT), KEPT, (locale, other))

    def test_by_a_starter(self) -> None:
        for locale, typed in SHORT.items():
            self.change(locale=locale)
            slip_help.keep_starter(
                self.boss, self.kind.id, f"of {locale}", {"VAT": typed, **{"Net": TYPED[locale]["Net"]}}
            )
            for other in TYPED:
                self.change(locale=other)
                at = self.document()
                found = next(s for s in slip_help.list_starters(self.boss, self.kind.id) if s.name == f"of {locale}")
                slip_help.start_from(self.boss, self.line, *at, found)
                self.assertEqual(self.values(at, "VAT", "Net"), {"VAT": "1.125", "Net": "1250.00"}, (locale, other))

    def test_filed_and_corrected_with_its_own_text(self) -> None:
        for locale in TYPED:
            self.change(locale=locale)
            key = self.file({"VAT": "1.125", "Net": "1250.00", "Bill date": "2026-04-03"})
            done = correcting.correct(self.boss, {key: {"VAT": "1.125", "Bill date": "2026-04-03"}}, follow=False)
            self.assertEqual((done.values, self.ws.repository.load(key).values["VAT"].text), (0, "1.125"), locale)
            correcting.correct(self.boss, {key: {"VAT": SHORT[locale].replace("125", "375")}}, follow=False)
            self.assertEqual(self.ws.repository.load(key).values["VAT"].text, "1.375", locale)
