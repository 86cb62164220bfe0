"""Parts of the set-up under other names: everything that was made before goes on, and nothing mixes two parts up."""

from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from keybundle.core.base.errors import InputProblem
from keybundle.core.setup.ids import by_ids, by_names
from keybundle.core.setup.model import Setup
from keybundle.core.setup.text import load_setup, read_setup, write_setup
from keybundle.core.workflows.arrange import bench
from keybundle.core.workflows.file.filing import file_documents
from keybundle.core.workflows.find.find import find
from keybundle.core.workflows.index import history, slip, slip_help
from keybundle.core.workflows.keep.documents import browsing
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.oversee.report import make_report
from keybundle.core.workflows.oversee.verify import verify
from keybundle.core.workflows.oversee.worklist import list_work
from keybundle.core.workflows.prepare.parts import parts, setup_admin
from keybundle.core.workflows.prepare.types import types
from keybundle.core.workflows.prepare.types.learned import list_learned
from keybundle.core.workflows.send.sending import send_to_folder, texts_of
from keybundle.core.workflows.send.wishes import Wish
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.core.workflows.take_in.capture import find_routine, import_files
from keybundle.demo.names import make_world
from keybundle.demo.setup import make_setup
from keybundle.demo.stack import DocumentPlan
from tests.support import DataTest, acting, scanned_template, shared_pool

MARK = " of late"


def rename_all(setup: Setup) -> Setup:
    """Return the set-up with another name for every part and every field, as a text file would bring it."""

    def renamed(text: str) -> str:
        return f"{text}{MARK}"

    kinds = tuple(
        types.change_type(k, {"name": renamed(k.name), "words": (*k.words, k.name)}).model_copy(
            update={
                "fields": tuple(
                    f.model_copy(update={"name": renamed(f.name), "labels": (*f.labels, f.name)}) for f in k.fields
                )
            }
        )
        for k in setup.document_types
    )
    rename = lambda parts: tuple(p.model_copy(update={"name": renamed(p.name)}) for p in parts)  # noqa: E731
    homes = tuple(
        c.model_copy(update={"name": renamed(c.name), "folder_fields": rename(c.folder_fields)}) for c in setup.cabinets
    )
    return setup.model_copy(
        update={
            "document_types": kinds, "cabinets": homes, "registers": rename(setup.registers),
            "routines": rename(setup.routines), "roles": rename(setup.roles), "groups": rename(setup.groups),
            "people": rename(setup.people),
        }
    )  # fmt: skip


class OtherNames(DataTest):
    def setUp(self) -> None:
        super().setUp()
        data, self.batch_id = self.demo_data(scanned=True), scanned_template()[1]
        self.ws: Workspace = open_workspace(data)
        self.addCleanup(self.ws.close)
        self.line = Line(self.ws, shared_pool())
        self.addCleanup(self.line.close)
        self.me = acting(self.ws)

    def rename(self) -> None:
        """Rename everything by way of a text file, as somebody would who edits an exported one."""
        path = self.folder / "renamed.toml"
        path.write_text(write_setup(rename_all(self.ws.full_setup())))
        self.told = setup_admin.import_setup(self.me, path).lines()

    def names_and_counts(self, cabinet: str) -> list[list[tuple[str, int]]]:
        levels = next(r for r in browsing.list_cabinets(self.me) if r.id == cabinet).levels
        columns = browsing.load_columns(self.me, cabinet, [f.id for f in levels], {}).columns
        return [[(e.value, e.count) for e in c.entries] for c in columns]

    def test_what_was_made_before_goes_on_under_the_new_names(self) -> None:
        before = {d.id: (d.type, d.state, dict(d.values)) for d in self.ws.batches.load(self.batch_id).in_order()}
        columns = {c.id: self.names_and_counts(c.id) for c in self.ws.setup.cabinets}
        bill = self.ws.batches.load(self.batch_id).in_order()[0]
        slip.choose_type(self.me, self.line, self.batch_id, bill.id, "Bill")
        self.assertTrue(self.line.wait(60))
        slip.enter_value(self.me, self.line, self.batch_id, bill.id, "Bill number", "R-77777")
        now = self.ws.batches.load(self.batch_id).document(bill.id)
        kept = {n: v.text for n, v in now.values.items() if not v.problem}
        slip_help.keep_starter(self.me, str(now.type), "usual", kept)
        taught = {t.name: t.documents for t in list_learned(self.me)[0]}
        found = [h.id for h in find(self.me, "Total > 1").hits]
        self.rename()
        self.assertTrue(any("before: Bill)" in line and "document" in line for line in self.told), self.told)
        self.line.revise(self.batch_id)
        self.assertTrue(self.line.wait(60))
        after = {d.id: (d.type, d.state, dict(d.values)) for d in self.ws.batches.load(self.batch_id).in_order()}
        self.assertEqual(
            {k: v[:2] for k, v in after.items() if k != bill.id}, {k: v[:2] for k, v in before.items() if k != bill.id}
        )
        self.assertEqual({c.id: self.names_and_counts(c.id) for c in self.ws.setup.cabinets}, columns)
        self.assertEqual([h.id for h in find(self.me, f"Total{MARK} > 1").hits], found)
        self.assertTrue(found)
        self.assertEqual({t.name.removesuffix(MARK): t.documents for t in list_learned(self.me)[0]}, taught)
        self.assertEqual([s.name for s in slip_help.list_starters(self.me, "Bill")], ["usual"])
        label = bench.undo(self.me, self.line, self.batch_id).text
        self.assertIn("Bill number", label, "a step keeps the words of its time")
        now = self.ws.batches.load(self.batch_id).document(bill.id).values.get("Bill number")
        self.assertNotEqual(now.text if now else "", "R-77777")
        bench.redo(self.me, self.line, self.batch_id)
        other = next(d for d in self.ws.batches.load(self.batch_id).in_order() if d.id != bill.id)
        slip.choose_type(self.me, self.line, self.batch_id, other.id, f"Bill{MARK}")
        (starter,) = slip_help.list_starters(self.me, "Bill")
        slip_help.empty_slip(self.me, self.line, self.batch_id, bill.id)
        bench.undo(self.me, self.line, self.batch_id)
        slip_help.empty_slip(self.me, self.line, self.batch_id, other.id)
        slip_help.start_from(self.me, self.line, self.batch_id, other.id, starter)
        self.assertEqual(self.ws.batches.load(self.batch_id).document(other.id).values["Bill number"].text, "R-77777")
        changes = history.list_value_changes(self.me, self.batch_id)
        self.assertIn(f"Bill number{MARK}", {c.field for c in changes})
        self.assertTrue(verify(self.me).is_whole)

    def test_new_work_is_done_under_them_from_paper_to_folder(self) -> None:
        self.rename()
        picture = self.folder / "note.png"
        DocumentPlan("Delivery note", 1, 4).draw(dpi=150)[0].sheet.image.save(picture)
        routine = find_routine(self.me, f"Files{MARK}")
        captured = import_files(self.me, self.line, shared_pool(), routine, [picture])
        self.assertTrue(self.line.wait(60))
        batch_id = str(captured.batch)
        self.assertIn(batch_id, [r.id for r in list_work(self.me) if r.routine_name == f"Files{MARK}"])
        (document,) = self.ws.batches.load(batch_id).in_order()
        self.assertEqual(document.type, "Delivery note", "known by the words that were its name, and by its lessons")
        report = make_report(self.me, batch_id, routine.name, [], {})["documents"][0]
        self.assertEqual((report["type"], report["destination"][0]), (f"Delivery note{MARK}", f"Purchasing{MARK}"))
        self.assertTrue(all(name.endswith(MARK) for name in report["values"]), report["values"])
        slip.confirm_type(self.me, self.line, batch_id, document.id)
        for name, value in document.values.items():
            if not value.sure:
                slip.confirm_value(self.me, self.line, batch_id, document.id, name)
        filed = file_documents(self.me, shared_pool(), batch_id)
        self.assertEqual([e.path[0] for e in filed.entries], [f"Purchasing{MARK}"], filed.left)
        number = document.values["Order number"].text
        (hit,) = (h for h in find(self.me, f"Order number{MARK} = {number}").hits if h.is_filed)
        self.assertEqual((hit.type, hit.cabinet), (f"Delivery note{MARK}", f"Purchasing{MARK}"))
        loaded = browsing.load_document(self.me, hit.id)
        self.assertTrue(all(name.endswith(MARK) for name in loaded.values), loaded.values)
        texts = texts_of(self.ws, loaded, 1)
        self.assertEqual(texts["Order number"], texts[f"Order number{MARK}"], "patterns of before still mean it")
        sent = send_to_folder(self.me, shared_pool(), [hit.id], Wish("csv"), self.folder / "out")
        self.assertIn(MARK, sent.files[0].read_text().splitlines()[0])

    def test_a_new_part_with_an_old_name_is_another_part(self) -> None:
        self.rename()
        before = len(find(self.me, f"type = Bill{MARK}").hits)
        fresh = types.make_type(self.me, "Bill", "Odd papers")
        self.assertNotEqual(fresh, "Bill")
        self.assertEqual(len([h for h in find(self.me, "type = Bill").hits]), 0)
        self.assertEqual(len(find(self.me, f"type = Bill{MARK}").hits), before)
        kind = self.ws.setup.document_type(fresh)
        assert kind is not None
        once = types.add_field(kind, "Colour", types.Kind.TEXT)
        parts.save_part(self.me, "document_types", once, kind)
        parts.save_part(self.me, "document_types", types.remove_field(once, "Colour"), once)
        now = self.ws.setup.document_type(fresh)
        assert now is not None
        again = types.add_field(now, "Colour", types.Kind.TEXT, used=self.ws.used_ids()[f"document_types/{fresh}"])
        self.assertEqual(again.fields[-1].id, "Colour 2", "never the same id twice")
        ids = [p for part in ("document_types", "cabinets", "routines") for p in self.ws.used_ids()[part]]
        self.assertEqual(len(ids), len(set(ids)))

    def test_what_holds_documents_is_not_dropped_and_a_strange_file_changes_nothing(self) -> None:
        before = self.ws.full_setup()
        text = write_setup(before)
        strange = self.folder / "strange.toml"
        strange.write_text(
            'schema_version = 1\nrepository = "Fenmoor Bell Foundry"\n[[people]]\nname = "Ilse Clapper"\nrole = "administrator"\n'
        )
        with self.assertRaisesRegex(InputProblem, r"no Boats \(\d+ documents\).*hold documents. Nothing was changed"):
            setup_admin.import_setup(self.me, strange)
        self.assertEqual(self.ws.full_setup(), before)
        same = self.folder / "same.toml"
        same.write_text(text)
        self.assertEqual(setup_admin.import_setup(self.me, same).changes, (), "the same text changes nothing")
        self.assertEqual(
            {x for x in text.splitlines() if x.startswith("id =")}, {f'id = "{p.id}"' for p in before.people}
        )

    def test_an_earlier_state_of_one_part_comes_back_and_the_others_stay(self) -> None:
        post = find_routine(self.me, "Post")
        parts.save_part(self.me, "routines", parts.change_part(post, {"name": "Morning post", "bar": 0.9}), post)
        kind = self.ws.setup.document_types[0]
        parts.save_part(self.me, "document_types", types.change_type(kind, {"caption": "one"}), kind)
        self.assertEqual(setup_admin.go_back(self.me, "routines", "Morning post", 1), "Post")
        back = self.ws.setup.routine("Post")
        self.assertEqual(back, post)
        self.assertEqual(self.ws.setup.document_types[0].caption, "one")
        states = setup_admin.list_setup_history(self.me, "routines", "Post")
        self.assertEqual([(s.revision, s.who) for s in states], [(3, self.me.name), (2, self.me.name), (1, "")])
        with self.assertRaisesRegex(InputProblem, "no revision 9 to go back to; there are 1, 2, 3"):
            setup_admin.go_back(self.me, "routines", "Post", 9)


class Texts(unittest.TestCase):
    @settings(max_examples=25, deadline=None)
    @given(st.permutations(range(8)), st.integers(0, 7))
    def test_any_names_exchanged_among_fields_read_back_the_same(self, order: list[int], shift: int) -> None:
        whole = make_setup(make_world())
        bare = tuple(r.model_copy(update={"rows": ()}) for r in whole.registers)
        setup = whole.model_copy(update={"registers": bare})
        kind = max(setup.document_types, key=lambda k: len(k.fields))
        names = [f.name for f in kind.fields]
        turned = [names[(order[i] + shift) % len(names)] if i < len(order) else names[i] for i in range(len(names))]
        if len(set(turned)) != len(turned):
            return
        fields = tuple(f.model_copy(update={"name": n}) for f, n in zip(kind.fields, turned, strict=True))
        changed = setup.model_copy(
            update={
                "document_types": tuple(
                    k.model_copy(update={"fields": fields}) if k is kind else k for k in setup.document_types
                )
            }
        )
        self.assertEqual(by_ids(by_names(changed)), changed)
        text = write_setup(changed)
        self.assertEqual(load_setup(text), load_setup(text, changed))
        self.assertEqual(load_setup(text), changed)

    def test_an_id_that_is_there_twice_is_told_with_its_line(self) -> None:
        text = 'repository = "x"\n[[cabinets]]\nid = "a"\nname = "One"\n[[cabinets]]\nid = "a"\nname = "Two"\n'
        report = read_setup(text)
        assert not isinstance(report, Setup)
        self.assertIn("line 6: the id “a” is there twice", str(report.findings[0]))
