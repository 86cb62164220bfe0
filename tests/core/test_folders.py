"""Folders by hand: in advance, renamed, merged; values that they give; other levels for a cabinet that holds documents."""

from __future__ import annotations

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.progress import CancelToken, Step
from keybundle.core.fields.kinds import Kind
from keybundle.core.fields.values import Origin
from keybundle.core.filing.destination import compute_destination
from keybundle.core.repository.folder_values import ids_below
from keybundle.core.repository.folders import ensure_folder, load_folders
from keybundle.core.setup.model import Cabinet
from keybundle.core.workflows.arrange import bench
from keybundle.core.workflows.index import slip, slip_help
from keybundle.core.workflows.keep.documents import browsing, filling
from keybundle.core.workflows.keep.documents.correcting import take_back_correction
from keybundle.core.workflows.keep.folders import giving_values, making, moving
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.oversee.verify import verify
from keybundle.core.workflows.prepare.cabinets import refiling
from keybundle.core.workflows.prepare.parts import parts
from keybundle.core.workflows.prepare.types import types
from keybundle.core.workflows.propose.indexing import index_document
from keybundle.core.workflows.session.opening import open_workspace
from tests.support import DataTest, acting, count_filed, filed_ids, scanned_template, shared_pool

BOATS, MOORING, NUMBER = "Boats", "Home mooring", "Boat number"


class FolderTest(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.me = acting(self.ws)

    def column(self, cabinet: str, field: str, chosen: dict[str, str] | None = None) -> dict[str, int]:
        order = [level.id for level in self.cabinet(cabinet).folder_fields]
        found = browsing.load_columns(self.me, cabinet, order, chosen or {})
        return {e.value: e.count for col in found.columns if col.field == field for e in col.entries}

    def cabinet(self, cabinet_id: str) -> Cabinet:
        found = self.ws.setup.cabinet(cabinet_id)
        assert found is not None
        return found

    def moorings(self) -> list[str]:
        return sorted(self.column(BOATS, MOORING))

    def folder_of(self, document_id: str) -> tuple[str, ...]:
        return tuple(v for _, v in self.ws.repository.load(document_id, with_pages=False).folder)


class Advance(FolderTest):
    def test_empty_folders_stay_are_shown_and_go_when_let_go(self) -> None:
        text = "Sedge Basin\nSedge Basin / KX-9001\nSedge Basin\tKX-9002\ntoo / deep / by one\n\n"
        made, told = making.make_folders(self.me, BOATS, making.paths_of_list(text))
        self.assertEqual((made, len(told)), (3, 1))
        self.assertIn("deeper than Boats, which has 2 levels", told[0])
        self.assertEqual(self.column(BOATS, MOORING)["Sedge Basin"], 0)
        self.assertEqual(self.column(BOATS, NUMBER, {MOORING: "Sedge Basin"}), {"KX-9001": 0, "KX-9002": 0})
        making.let_go_of_folder(self.me, BOATS, ("Sedge Basin", "KX-9001"))
        self.assertEqual(self.column(BOATS, NUMBER, {MOORING: "Sedge Basin"}), {"KX-9002": 0})
        full = self.moorings()[0]
        with self.assertRaisesRegex(InputProblem, "below"):
            making.let_go_of_folder(self.me, BOATS, (full,))
        self.assertEqual(making.make_folders(self.me, BOATS, (("Sedge Basin",),))[0], 0, "made once")

    def test_one_for_each_entry_of_a_register_and_from_a_directory(self) -> None:
        paths = making.paths_of_register(self.me, "boats", (MOORING, NUMBER))
        self.assertEqual(len(paths), 120)
        making.make_folders(self.me, BOATS, paths)
        self.assertEqual(set(self.moorings()), {e[MOORING] for e in self.ws.entries("boats")})
        for name in ("a/b", "c", ".hidden/x"):
            (self.folder / "tree" / name).mkdir(parents=True)
        self.assertEqual(making.paths_of_directory(self.folder / "tree"), (("a",), ("a", "b"), ("c",)))

    def test_a_stop_keeps_what_was_made(self) -> None:
        token = CancelToken()
        token.cancel()
        self.assertEqual(making.make_folders(self.me, BOATS, (("Sedge Basin",),), cancel=token)[0], 0)


class Renaming(FolderTest):
    def test_documents_go_along_the_old_name_points_on_and_it_is_taken_back(self) -> None:
        old = next(m for m in self.moorings() if self.column(BOATS, MOORING)[m] > 1)
        with self.ws.place.database.read() as c:
            ids = ids_below(c, BOATS, (old,))
        versions = {i: self.ws.repository.load(i).version for i in ids}
        steps: list[Step] = []
        renamed = moving.rename_folder(self.me, BOATS, (old,), "Sedge Basin", progress=steps.append)
        self.assertTrue(renamed.is_whole and steps[-1].done == len(ids))
        self.assertEqual({self.folder_of(i)[0] for i in ids}, {"Sedge Basin"})
        for i in ids:
            document = self.ws.repository.load(i)
            self.assertEqual((document.version, document.values[MOORING].text), (versions[i] + 1, "Sedge Basin"))
        self.assertNotIn(old, self.moorings())
        boat = self.folder_of(ids[0])[1]
        with self.ws.place.database.atomic() as c:
            late = ensure_folder(c, BOATS, [(MOORING, old), (NUMBER, boat)], "en_GB")
            self.assertEqual(
                [v for _, v in load_folders(c, [late])[late]], ["Sedge Basin", boat], "the old name points on"
            )
        self.assertEqual(moving.take_back_renaming(self.me, renamed), len(ids))
        self.assertEqual({self.folder_of(i)[0] for i in ids}, {old})
        self.assertTrue(verify(self.me).is_whole)

    def test_two_become_one(self) -> None:
        first, second = self.moorings()[:2]
        before = self.column(BOATS, MOORING)
        giving_values.give_value(self.me, BOATS, (first,), "Examiner", "Linnet Wherry")
        moving.rename_folder(self.me, BOATS, (first,), second)
        after = self.column(BOATS, MOORING)
        self.assertEqual(after[second], before[first] + before[second])
        self.assertEqual(
            [g.path for g in giving_values.list_given_values(self.me, BOATS)], [(second,)], "what it gave too"
        )
        self.assertEqual(sum(after.values()), count_filed(self.ws, BOATS))

    def test_a_level_from_a_date_follows_dates_alone(self) -> None:
        year = next(iter(self.column("Purchasing", "Year")))
        with self.assertRaisesRegex(InputProblem, "correct that date"):
            moving.rename_folder(self.me, "Purchasing", (year,), "1999")


class Giving(FolderTest):
    def with_depot(self) -> None:
        kind = self.ws.setup.document_type("Bill")
        assert kind is not None
        asked = types.add_field(kind, "Depot", Kind.CHOICE)
        asked = types.change_field(asked, "Depot", {"choices": ("Weir", "Lock", "Basin")})
        parts.save_part(self.me, "document_types", asked, kind)

    def test_a_folder_gives_what_is_missing_and_disagreeing_ones_are_listed_applied_and_put_back(self) -> None:
        self.with_depot()
        bills = [i for i in filed_ids(self.ws, "Purchasing") if self.ws.repository.load(i).type == "Bill"]
        year = self.folder_of(bills[0])[0]
        with self.assertRaisesRegex(InputProblem, "not among the choices"):
            giving_values.give_value(self.me, "Purchasing", (year,), "Depot", "Quay")
        self.assertEqual(giving_values.allowed_values(self.me, "Purchasing", "Depot"), ("Weir", "Lock", "Basin"))
        giving_values.give_value(self.me, "Purchasing", (), "Depot", "lock")
        giving_values.give_value(self.me, "Purchasing", (year,), "Depot", "Weir")
        told = [(g.path, g.value) for g in giving_values.list_given_values(self.me, "Purchasing")]
        self.assertEqual(told, [((), "Lock"), ((year,), "Weir")])
        rows, _ = giving_values.list_disagreeing(self.me, "Purchasing")
        self.assertEqual({r.id for r in rows}, set(bills))
        self.assertEqual(
            {r.given for r in rows if self.folder_of(r.id)[0] == year}, {"Weir"}, "the nearest folder counts"
        )
        done = giving_values.apply_given(self.me, "Purchasing", (), over=False)
        self.assertEqual(len(done.versions), len(bills))
        self.assertEqual(giving_values.list_disagreeing(self.me, "Purchasing")[0], [])
        giving_values.give_value(self.me, "Purchasing", (year,), "Depot", "Basin")
        in_year = {i for i in bills if self.folder_of(i)[0] == year}
        self.assertEqual(len(giving_values.apply_given(self.me, "Purchasing", (year,), over=False).versions), 0)
        over = giving_values.apply_given(self.me, "Purchasing", (year,), over=True)
        self.assertEqual({i for i, *_ in over.versions}, in_year)
        self.assertEqual(take_back_correction(self.me, over), len(in_year))
        self.assertEqual({self.ws.repository.load(i).values["Depot"].text for i in in_year}, {"Weir"})

    def test_a_new_document_is_offered_what_its_folder_gives_unsure(self) -> None:
        self.folder /= "scanned"
        self.ws = open_workspace(self.demo_data(scanned=True))
        self.addCleanup(self.ws.close)
        self.me = acting(self.ws)
        batch = self.ws.batches.load(scanned_template()[1])
        document = next(d for d in batch.in_order() if d.type)
        kind = self.ws.setup.document_type(document.type)
        assert kind is not None
        parts.save_part(self.me, "document_types", types.add_field(kind, "Depot", Kind.TEXT), kind)
        giving_values.give_value(self.me, kind.cabinet, (), "Depot", "Basin")
        value = index_document(self.ws, batch, document).values["Depot"]
        self.assertEqual((value.text, value.origin, value.sure), ("Basin", Origin.FOLDER, False))

    def test_what_a_folder_gives_follows_the_folder_that_is_chosen_until_somebody_confirms_it(self) -> None:
        self.folder /= "scanned"
        self.ws = open_workspace(self.demo_data(scanned=True))
        self.addCleanup(self.ws.close)
        me = self.me = acting(self.ws)
        line = Line(self.ws, shared_pool())
        self.addCleanup(line.close)
        batch_id = scanned_template()[1]
        document = next(d for d in self.ws.batches.load(batch_id).in_order() if d.type == "Mooring agreement")
        own, here = document.id, document.values["Home mooring"].text
        kind = self.ws.setup.document_type("Mooring agreement")
        assert kind is not None
        parts.save_part(me, "document_types", types.add_field(kind, "Depot", Kind.TEXT), kind)
        (first, second), bare = [m for m in self.moorings() if m != here][:2], here
        for mooring, depot in ((first, "Basin"), (second, "Lock")):
            giving_values.give_value(me, BOATS, (mooring,), "Depot", depot)

        def depot() -> tuple[str, str] | None:
            value = self.ws.batches.load(batch_id).document(own).values.get("Depot")
            return (value.text, value.origin.value) if value is not None else None

        for mooring, wanted in ((first, "Basin"), (second, "Lock")):
            slip.enter_value(me, line, batch_id, own, "Home mooring", mooring)
            self.assertEqual(depot(), (wanted, "folder"))
        slip_help.choose_folder(me, line, batch_id, own, (first,))
        self.assertEqual(depot(), ("Basin", "folder"))
        bench.undo(me, line, batch_id)
        self.assertEqual(depot(), ("Lock", "folder"), "one step back for both")
        slip.enter_value(me, line, batch_id, own, "Home mooring", bare)
        self.assertIsNone(depot(), "a folder that gives nothing takes away what another one gave")
        slip.enter_value(me, line, batch_id, own, "Home mooring", first)
        slip.confirm_value(me, line, batch_id, own, "Depot")
        slip_help.set_for_many(me, line, batch_id, [(own, "Home mooring", second)])
        self.assertEqual(depot(), ("Basin", "folder"), "what somebody confirmed stays")


class Levels(FolderTest):
    def changed(self, *names: str) -> tuple[Cabinet, Cabinet]:
        base = self.cabinet(BOATS)
        ids = {level.name: level.id for level in base.folder_fields}
        return base, parts.change_part(base, {"folder_fields": [{"id": ids.get(n, n), "name": n} for n in names]})

    def test_rehearsed_done_verified_and_taken_back(self) -> None:
        before = {i: self.folder_of(i) for i in filed_ids(self.ws, BOATS)}
        base, turned = self.changed(NUMBER, MOORING)
        told = refiling.rehearse_levels(self.me, turned)
        self.assertEqual((told.documents, told.moves, told.stay), (len(before), len(before), 0))
        self.assertEqual(told.examples[0][1].split(" / ")[::-1], told.examples[0][2].split(" / "))
        self.assertEqual(self.cabinet(BOATS), base, "a rehearsal changes nothing")
        done = refiling.change_levels(self.me, turned, base)
        self.assertEqual({i: self.folder_of(i) for i in before}, {i: f[::-1] for i, f in before.items()})
        self.assertEqual(sum(self.column(BOATS, NUMBER).values()), len(before))
        self.assertTrue(verify(self.me).is_whole)
        self.assertEqual(refiling.take_back_levels(self.me, done), len(before))
        self.assertEqual({i: self.folder_of(i) for i in before}, before)
        self.assertEqual(self.cabinet(BOATS), base)

    def test_what_lacks_a_value_stays_and_is_told(self) -> None:
        base, deeper = self.changed(MOORING, NUMBER, "Depot")
        told = refiling.rehearse_levels(self.me, deeper)
        self.assertEqual((told.moves, told.stay), (0, told.documents))
        self.assertEqual({name for _, name in told.lacking}, {"Depot"})
        with self.assertRaisesRegex(InputProblem, "changed by somebody else"):
            refiling.change_levels(self.me, deeper, parts.change_part(base, {"description": "older"}))

    def test_stopped_in_the_midst_it_goes_on_from_there(self) -> None:
        before = {i: self.folder_of(i) for i in filed_ids(self.ws, BOATS)}
        base, fewer = self.changed(NUMBER)
        token = CancelToken()
        token.cancel()
        done = refiling.change_levels(self.me, fewer, base, cancel=token)
        self.assertEqual(done.corrected.versions, ())
        again = refiling.refile(self.me, BOATS)
        self.assertEqual(len(again.versions), len(before))
        for i in before:
            document = self.ws.repository.load(i)
            kind = self.ws.setup.document_type(document.type)
            assert kind is not None
            goes = compute_destination(kind, self.ws.setup, document.values).folder
            self.assertEqual(document.folder, goes)
        self.assertEqual(refiling.refile(self.me, BOATS).versions, (), "nothing is left to do")


class Filling(FolderTest):
    def with_field(self, name: str, **changes: object) -> None:
        kind = self.ws.setup.document_type("Bill")
        assert kind is not None
        asked = types.add_field(kind, name, Kind.TEXT)
        parts.save_part(self.me, "document_types", types.change_field(asked, name, changes), kind)

    def bills(self) -> list[str]:
        return [i for i in filed_ids(self.ws, "Purchasing") if self.ws.repository.load(i).type == "Bill"]

    def test_a_new_field_is_filled_with_a_value_from_the_text_or_from_a_register_and_put_back(self) -> None:
        self.with_field("Depot")
        shown = filling.show_fill(self.me, "Bill", "Depot", "fixed", "Weir")
        self.assertEqual((shown.empty, {v for _, v in shown.examples}), (len(self.bills()), {"Weir"}))
        done = filling.fill_field(self.me, "Bill", "Depot", "fixed", "Weir")
        self.assertEqual(len(done.versions), len(self.bills()))
        self.assertEqual(
            filling.show_fill(self.me, "Bill", "Depot", "fixed", "Lock").empty, 0, "what has a value keeps it"
        )
        self.assertEqual(take_back_correction(self.me, done), len(self.bills()))
        self.assertEqual(filling.show_fill(self.me, "Bill", "Depot", "fixed", "Lock").empty, len(self.bills()))
        with self.assertRaisesRegex(InputProblem, "no value to fill in"):
            filling.show_fill(self.me, "Bill", "Depot", "fixed", "  ")
        with self.assertRaisesRegex(InputProblem, "looks into no register"):
            filling.show_fill(self.me, "Bill", "Depot", "register")
        self.with_field("Supplier town", register_name="suppliers", column="Town")
        filling.fill_field(self.me, "Bill", "Supplier town", "register")
        towns = {e["Name"]: e["Town"] for e in self.ws.entries("suppliers")}
        for i in self.bills():
            values = self.ws.repository.load(i).values
            self.assertEqual(values["Supplier town"].text, towns[values["Supplier"].text])
        self.with_field("Number again", labels=("Bill number", "Bill no", "Invoice number", "Invoice no", "Number"))
        filling.fill_field(self.me, "Bill", "Number again", "text")
        read = [self.ws.repository.load(i).values for i in self.bills()]
        same = sum("Number again" in v and v["Number again"].text == v["Bill number"].text for v in read)
        self.assertGreaterEqual(same, len(read) // 2, "read off pages that were filed long ago")
        self.assertTrue(verify(self.me).is_whole)
