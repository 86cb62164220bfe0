"""An organisation of the broad world from its set-up to filed documents: read, proposed, confirmed, filed, and known again."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

from bench.world.organisation import Organisation
from bench.world.papers import Job, organisation, paper, scans
from bench.world.setup import REGISTER, is_right, make_book, make_types

from keybundle.core.batches.model import SURE_TYPE, Document
from keybundle.core.setup.model import Cabinet, Person, Register, Setup
from keybundle.core.setup.routines import Routine, Separation, SeparationRule
from keybundle.core.workflows.file.filing import file_documents
from keybundle.core.workflows.find.find import find_filed_ids
from keybundle.core.workflows.index import slip
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.core.workflows.take_in.capture import import_files
from tests.support import DataTest, acting, shared_pool, whole_only

SEED, WHO = 207, "Marwenna Tollgate"
FORMS = (("label left", 2), ("grid", 5), ("label above", 9), ("ruled table", 7), ("memo", 3))


def make_setup(of: Organisation) -> Setup:
    book = make_book(of)
    rows = tuple((e["Number"], e["Name"]) for e in book.entries)
    by_file = Separation(rules=(SeparationRule(rule="each source file"),))
    return Setup(
        repository=of.name, cabinets=(Cabinet(name="Papers"),), document_types=make_types(of),
        registers=(Register(name=REGISTER, key="Number", columns=("Number", "Name"), rows=rows),),
        routines=(Routine(name="Papers", sign="PA", source="files", separation=by_file, leave_out_blank=False),),
        people=(Person(name=WHO, role="administrator"),),
    )  # fmt: skip


class Organisations(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.of = organisation(SEED)
        self.ws: Workspace = open_workspace(self.folder / "data")
        self.addCleanup(self.ws.close)
        self.ws.put_setup(make_setup(self.of), WHO)
        self.line = Line(self.ws, shared_pool())
        self.addCleanup(self.line.close)

    def bring_in(self, number: int) -> tuple[str, list[tuple[Job, Document]]]:
        """Bring in one paper on each form and return the batch and each paper with what became of it."""
        jobs = [Job(SEED, family, number, "grey", sender) for family, sender in FORMS]
        files = []
        for i, job in enumerate(jobs):
            (page,) = scans(job)
            files.append(self.folder / f"{number:02d}-{i}.img")
            files[-1].write_bytes(page.encode())
        routine = self.ws.setup.routine("Papers")
        assert routine is not None
        taken = import_files(acting(self.ws, WHO), self.line, shared_pool(), routine, files)
        self.assertEqual((taken.refused, taken.sides), ([], len(jobs)))
        self.assertTrue(self.line.wait(180) and taken.batch)
        assert taken.batch is not None
        documents = self.ws.batches.load(taken.batch).in_order()
        return taken.batch, list(zip(jobs, documents, strict=True))

    def judge(self, found: list[tuple[Job, Document]]) -> Counter[str]:
        """Count types and values that are right, sure, and wrong though sure."""
        told: Counter[str] = Counter()
        for job, document in found:
            type_name, names = self.of.types[paper(job).kind]
            sure_type = (document.type_confidence or 0.0) >= SURE_TYPE
            told["types right"] += document.type == type_name
            told["types wrong though sure"] += document.type != type_name and sure_type
            for value in paper(job).values if document.type == type_name else ():
                have = document.values.get(names[value.part])
                right = have is not None and is_right(value, have.items)
                told["values"] += 1
                told["right"] += right
                told["sure"] += have is not None and have.sure
                told["wrong though sure"] += have is not None and have.sure and not right
        return told

    def confirm(self, batch: str, found: list[tuple[Job, Document]]) -> None:
        """Type what is not right or not sure, as a person does, and file."""
        for job, document in found:
            type_name, names = self.of.types[paper(job).kind]
            if document.type != type_name:
                slip.choose_type(acting(self.ws, WHO), self.line, batch, document.id, type_name)
            else:
                slip.confirm_type(acting(self.ws, WHO), self.line, batch, document.id)
            for value in paper(job).values:
                slip.enter_value(acting(self.ws, WHO), self.line, batch, document.id, names[value.part], value.stored)
        self.assertTrue(self.line.wait(60))
        filed = file_documents(acting(self.ws, WHO), shared_pool(), batch)
        self.assertEqual((len(filed.entries), filed.left), (len(found), []))

    @whole_only
    def test_from_the_first_paper_to_a_form_that_is_known(self) -> None:
        batch, found = self.bring_in(50)
        first = self.judge(found)
        self.assertEqual(first["types right"], len(FORMS), first)
        self.assertEqual(first["types wrong though sure"] + first["wrong though sure"], 0, first)
        self.assertGreater(first["right"], 0.8 * first["values"], first)
        self.confirm(batch, found)
        for job, _ in found:
            names = self.of.types[paper(job).kind][1]
            number = next((v for v in paper(job).values if v.part == "number"), None)
            if number is not None:
                line = f'"{names["number"]}" = "{number.stored}"'
                self.assertTrue(find_filed_ids(acting(self.ws), line.replace('"', "", 2)), line)
        _, again = self.bring_in(51)
        second = self.judge(again)
        self.assertEqual((second["types right"], second["wrong though sure"]), (len(FORMS), 0), second)
        self.assertGreaterEqual(second["sure"] / second["values"], first["sure"] / first["values"])
        self.assertGreater(second["right"], 0.9 * second["values"], second)
        self.assertFalse(list(Path(self.folder).glob("data/files/.part*")))
