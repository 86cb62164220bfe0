"""What comes with pages on their way in: names, folder paths, values of a cabinet's column, options, a preview."""

from __future__ import annotations

import json
import os
import shutil
from datetime import date
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text as sql

from keybundle.core.base.errors import InputProblem
from keybundle.core.batches import commands
from keybundle.core.fields.patterns import pattern_like
from keybundle.core.fields.values import Origin
from keybundle.core.intake.files import expand
from keybundle.core.intake.naming import rename
from keybundle.core.intake.paths import WHOLE, list_levels, map_path
from keybundle.core.intake.scanner import Offers
from keybundle.core.setup.model import Setup
from keybundle.core.setup.routines import Naming, Routine
from keybundle.core.setup.text import load_setup, read_routines, write_routine, write_setup
from keybundle.core.workflows.file.throwing_away import erase_thrown, throw_batch_away
from keybundle.core.workflows.keep.documents import browsing
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.prepare.routines import routines
from keybundle.core.workflows.prepare.types import pointing, types
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.core.workflows.take_in import opening
from keybundle.core.workflows.take_in.capture import import_files, plan_import, scan_stack
from keybundle.core.workflows.take_in.devices import Options, find_scanners
from keybundle.core.workflows.take_in.previewing import accept_preview, let_go, scan_preview
from keybundle.core.workflows.take_in.scan_choices import options_of, say_choices, scan_choices
from tests.standin import ONE_SIDED, Device, StandIn, answer
from tests.support import ROOT, DataTest, acting, keep_in_feeder, shared_pool

DAY = date(2026, 3, 31)
FULL = Offers(("Flatbed", "ADF", "ADF Duplex"), ("Lineart", "Gray", "Color"), (150, 300, 600), 216, 356)


class Names(DataTest):
    def test_prefix_number_and_replaced_parts(self) -> None:
        rule = Naming(prefix="{date}-{number}-", pattern=r"^scan_(\d+)$", into=r"page \1")
        self.assertEqual(rename("scan_0042.tif", rule, 7, DAY), "2026-03-31-007-page 0042.tif")
        self.assertEqual(rename("a.tif", Naming(), 1, DAY), "", "a name that stays is not noted twice")
        self.assertEqual(rename("a.tif", Naming(pattern="a", into="x/../y"), 1, DAY), "x-..-y.tif")

    @given(st.text(min_size=1, max_size=40), st.text(max_size=10))
    def test_a_name_never_leaves_its_folder(self, stem: str, prefix: str) -> None:
        self.assertNotIn("/", rename(stem.replace("/", "_").replace("\0", "_"), Naming(prefix=prefix), 1, DAY))

    def test_no_two_files_go_by_one_name(self) -> None:
        for folder in ("a", "b"):
            (self.folder / folder).mkdir()
            (self.folder / folder / "x.tif").write_bytes(b"1")
        given_files = [self.folder / "a" / "x.tif", self.folder / "b" / "x.tif", self.folder / "b" / "x.tif"]
        self.assertEqual([f.name for f in expand(given_files).files], ["x.tif", "b/x.tif", "b/x.tif (2)"])

    def test_a_name_that_is_no_utf8_comes_in_legible_is_kept_byte_for_byte_and_goes_when_it_is_erased(self) -> None:
        workspace = self.demo_workspace()
        me, word = acting(workspace), "R\u00e4chnung vom Wehr".encode("latin-1")
        shutil.copy(ROOT / "docs" / "screenshots" / "halt.png", os.fsencode(self.folder) + b"/" + word + b".png")
        line = Line(workspace, StandIn(answer))
        self.addCleanup(line.close)
        routine = next(r for r in workspace.setup.routines if r.source == "files")
        files = [p for p in self.folder.iterdir() if p.suffix == ".png"]
        found = import_files(me, line, StandIn(answer), routine, files)
        self.assertTrue(line.wait(20))
        assert found.batch is not None
        with workspace.place.database.read() as c:
            kept = c.execute(sql("SELECT name, name_bytes FROM arrival WHERE name_bytes IS NOT NULL")).all()
        self.assertEqual([tuple(r) for r in kept], [("R\u00e4chnung vom Wehr.png", word + b".png")])
        throw_batch_away(me, found.batch)
        erase_thrown(me, [found.batch])
        workspace.close()
        files_of = [p for p in workspace.place.root.rglob("*") if p.is_file()]
        self.assertEqual([p.name for p in files_of if word in p.read_bytes()], [])


class Paths(DataTest):
    def test_levels_and_what_they_give(self) -> None:
        names = ["Boats/LN1001/a.tif", "Boats/LN1002/b.tif", "c.tif"]
        levels = list_levels(names)
        self.assertEqual([(x.folders, x.examples) for x in levels], [(1, ("Boats",)), (2, ("LN1001", "LN1002"))])
        self.assertEqual(
            map_path(names[0], {1: "Boat number", WHOLE: "Note"}), {"Boat number": "LN1001", "Note": "Boats/LN1001"}
        )
        self.assertEqual(map_path("c.tif", {0: "A", WHOLE: "B"}), {})


class Options_(DataTest):
    def test_changes_count_unless_locked_or_beyond_the_device(self) -> None:
        routine = Routine(name="Post", sign="PO", duplex=True, locked=("mode",))
        changes = {"mode": "colour", "feed": "glass", "resolution_dpi": "600 dpi", "paper": "A0"}
        choices = scan_choices(routine, FULL, changes)
        self.assertEqual(say_choices(choices), "glass, two-sided, 600 dpi, automatic, A4")
        self.assertEqual(options_of(choices).duplex, False, "a glass has one side")
        self.assertFalse(next(c for c in choices if c.name == "mode").can_change)
        simple = scan_choices(routine, Offers(modes=("Gray",), resolutions=(100, 200)), {})
        self.assertEqual(next(c for c in simple if c.name == "mode").choices, ("automatic", "grey"))


class OnTheWay(DataTest):
    def begin(self) -> tuple[Workspace, Line, str]:
        workspace = self.demo_workspace()
        line = Line(workspace, shared_pool())
        self.addCleanup(line.close)
        return workspace, line, workspace.person(None).id

    def tree(self) -> Path:
        """Two files below folders that name boats."""
        feeder = self.folder / "data" / "feeder"
        for boat, number in (("LN1003", 2), ("LN1004", 4)):
            target = self.folder / "Moorings" / boat
            target.mkdir(parents=True)
            source = next(feeder.glob(f"{number:04d}-front.*"))
            shutil.copy(source, target / f"scan{source.suffix}")
        return self.folder / "Moorings"

    def test_a_tree_gives_values_that_wait_to_be_confirmed(self) -> None:
        workspace, line, who = self.begin()
        tree, routine = self.tree(), workspace.setup.routine("Files")
        assert routine is not None
        routine = routine.model_copy(update={"naming": Naming(prefix="in-"), "document_type": "Mooring agreement"})
        changed = tuple(routine if r.name == "Files" else r for r in workspace.setup.routines)
        workspace.put_setup(workspace.setup.model_copy(update={"routines": changed}), who)
        plan = plan_import(acting(workspace), routine, [tree])
        self.assertEqual([x.examples for x in plan.levels], [("Moorings",), ("LN1003", "LN1004")])
        self.assertIn("Boat number", plan.fields)
        found = import_files(
            acting(workspace, who),
            line,
            shared_pool(),
            routine,
            [tree],
            given={"Keeper": "x"},
            levels={1: "Boat number"},
        )
        self.assertTrue(line.wait(120))
        batch = workspace.batches.load(str(found.batch))
        self.assertEqual([p.name for p in batch.pages], [f"in-{Path(p.source).name}" for p in batch.pages])
        for document, boat in zip(batch.in_order(), ("LN1003", "LN1004"), strict=True):
            value = document.values["Boat number"]
            offered = (*value.items, *value.alternatives)
            self.assertIn(boat, offered)
            self.assertTrue(value.origin is not Origin.FOLDER or not value.sure, "unconfirmed until somebody confirms")

    def test_a_column_gives_its_values_to_a_scan(self) -> None:
        workspace, line, who = self.begin()
        chosen = {"Home mooring": "Reedmouth Basin", "Boat number": "LN1001"}
        self.assertEqual(browsing.values_given(acting(workspace), "Boats", chosen), chosen)
        self.assertEqual(
            browsing.values_given(acting(workspace), "Letters", {"Year": "2025"}), {}, "a year is no field of a slip"
        )
        routine = workspace.setup.routine("Post")
        assert routine is not None
        scanner = find_scanners(workspace)[0]
        keep_in_feeder(workspace, 3)
        found = scan_stack(
            acting(workspace, who),
            line,
            routine,
            scanner,
            options=Options(sides_per_minute=0),
            given={"Boat number": "LN1001"},
        )
        self.assertTrue(line.wait(120))
        for document in workspace.batches.load(str(found.batch)).documents.values():
            value = document.values.get("Boat number")
            if value is not None:
                self.assertIn("LN1001", (*value.items, *value.alternatives))
                self.assertNotEqual((value.origin, value.sure), (Origin.FOLDER, True))

    def test_a_preview_counts_only_when_accepted(self) -> None:
        workspace, line, who = self.begin()
        scanner, routine = find_scanners(workspace)[0], workspace.setup.routine("Post")
        assert routine is not None
        sheets = scanner.sheets_in_feeder()
        first = scan_preview(acting(workspace), shared_pool(), scanner, Options())
        self.assertTrue(first.picture.exists() and first.options.source == "glass")
        let_go(scanner)
        self.assertEqual((scanner.sheets_in_feeder(), workspace.batches.ids()), (sheets, []), "nothing was captured")
        scan_preview(acting(workspace), shared_pool(), scanner, Options())
        second = scan_preview(acting(workspace), shared_pool(), scanner, Options())
        found = accept_preview(acting(workspace, who), line, routine, second)
        self.assertTrue(line.wait(90))
        more = accept_preview(acting(workspace, who), line, routine, second, into=found.batch)
        self.assertTrue(line.wait(90))
        self.assertEqual(more.batch, found.batch)
        self.assertEqual(len(workspace.batches.load(str(found.batch)).pages), 2)

    def test_pages_go_to_another_batch_and_back(self) -> None:
        workspace, who = self.demo_workspace(), "Elspra Towpath"
        line = Line(workspace, StandIn())  # type: ignore[arg-type]
        self.addCleanup(line.close)
        routine = workspace.setup.routine("Inspections")
        assert routine is not None
        ids = []
        for tag in ("one", "two"):
            found = scan_stack(acting(workspace, who), line, routine, Device(8, tag=tag), options=ONE_SIDED)
            ids.append(str(found.batch))
            self.assertTrue(line.wait(60))
        shape = lambda: [  # noqa: E731
            [(p.id, p.document_id, p.kept) for p in workspace.batches.load(i).pages] for i in ids
        ]
        before = shape()
        source, target = (workspace.batches.load(i) for i in ids)
        kept = [p.id for p in source.pages if p.kept]
        beside = next(p for p in target.pages if p.kept)
        workspace.batches.transfer(ids[0], kept[:2], ids[1], beside.id, who, after=True)
        after = workspace.batches.load(ids[1])
        place = [p.id for p in after.pages].index(beside.id)
        self.assertEqual([p.id for p in after.pages][place : place + 3], [beside.id, *kept[:2]])
        self.assertEqual({p.document_id for p in after.pages if p.id in kept[:2]}, {beside.document_id})
        self.assertEqual(len({p.captured for p in after.pages}), len(after.pages))
        moved = shape()
        workspace.batches.undo(ids[0])
        self.assertEqual(shape(), before)
        workspace.batches.redo(ids[1])
        self.assertEqual(shape(), moved)
        workspace.batches.apply(
            ids[1], who, "set aside", lambda b: b.__class__(**{**b.__dict__, "pages": b.pages[::-1]})
        )
        workspace.batches.undo(ids[0])
        back = workspace.batches.load(ids[0])
        self.assertEqual([(p.id, p.document_id, p.kept) for p in back.pages], before[0], "the other batch went on")
        workspace.batches.redo(ids[0])
        left_out = workspace.batches.load(ids[1]).pages[-1].id
        workspace.batches.apply(ids[1], who, "leave out", lambda b: commands.leave_out(b, [left_out]))
        with self.assertRaisesRegex(InputProblem, "left-out page"):
            workspace.batches.transfer(ids[0], kept[2:3], ids[1], left_out, who, after=True)


class Routines(DataTest):
    def test_a_routine_goes_out_and_comes_in(self) -> None:
        workspace = self.demo_workspace()
        who, path = workspace.person(None).id, self.folder / "r.toml"
        routines.export_routine(acting(workspace), "Bills", path)
        name, told = routines.import_routines(acting(workspace, who), path)
        self.assertEqual((name, told), ("Bills copy", ()))
        same = workspace.setup.routine("Bills copy")
        assert same is not None
        self.assertEqual(
            same.model_copy(update={"id": "Bills", "name": "Bills", "key": "B"}), workspace.setup.routine("Bills")
        )
        path.write_text(path.read_text().replace('"Bill"', '"Receipt"'))
        name, told = routines.import_routines(acting(workspace, who), path)
        self.assertIn("“Receipt”, which is not there", told[0])
        types.make_type(acting(workspace, who), "Receipt", "Petty cash")
        self.assertIsNotNone(workspace.setup.cabinet("Petty cash"))
        self.assertEqual(load_setup(write_setup(workspace.setup)), workspace.setup)
        for text, said in (
            ("x = [", "not TOML"),
            ("a = 1", "no routine"),
            ('[[routines]]\nname = "x"\nsign = "ABC"', "sign"),
        ):
            path.write_text(text)
            with self.assertRaisesRegex(InputProblem, said):
                routines.import_routines(acting(workspace, who), path)

    def test_the_table_of_patch_codes_is_written_too(self) -> None:
        codes = {"1": "NWNW", "2": "WWNN", "3": "NWWN", "4": "NNWW", "6": "WNNW", "T": "WNWN"}
        setup = Setup(repository="x", patch_codes=codes)
        self.assertEqual(load_setup(write_setup(setup)).patch_codes, codes)

    def test_one_routine_round_trip(self) -> None:
        routine = Routine(name="A", sign="AA", locked=("mode", "paper"), naming=Naming(prefix="x-"), feed="glass")
        self.assertEqual(read_routines(write_routine(routine)), (routine,))


class Pointing(DataTest):
    def test_zone_and_pattern(self) -> None:
        zone = pointing.zone_of((100, 200, 300, 260), 1000, 2000, margin=0.02)
        self.assertEqual((zone.left, zone.top, zone.right, zone.bottom), (0.08, 0.08, 0.32, 0.15))
        self.assertEqual(pattern_like("PO-12345/7"), r"PO\-\d{5}/\d{1}")


class OpenWith(DataTest):
    def test_the_entry_is_one_that_file_managers_read(self) -> None:
        # Source: Desktop Entry Specification 1.5, keys Type, Name, Exec with %F, MimeType ending in a semicolon.
        text = opening.write_entry(self.folder, "/opt/keybundle").read_text()
        self.assertTrue(text.startswith("[Desktop Entry]\nType=Application\n"))
        self.assertIn("Exec=/opt/keybundle open %F\n", text)
        self.assertRegex(text, r"(?m)^MimeType=image/tiff;.*application/pdf;text/plain;.*application/zip;$")

    def test_nobody_at_the_door(self) -> None:
        self.assertFalse(opening.hand_over(self.folder, [self.folder]))
        for line in (b"", b"[]", json.dumps({"open": 3}).encode()):
            with self.assertRaisesRegex(InputProblem, "no list of files"):
                opening.read_handed(line)
