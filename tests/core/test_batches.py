"""Batches: commands with undo that outlives a restart, the page balance, and random sequences of commands."""

from __future__ import annotations

import random
from dataclasses import replace
from pathlib import Path

from keybundle.core.base.errors import InputProblem
from keybundle.core.batches import commands
from keybundle.core.batches.model import Batch, Facts, Page, balance
from keybundle.core.batches.seen import seen
from keybundle.core.fields.values import FieldValue
from keybundle.core.separation.facts import Placing
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.demo import seed
from tests.support import DataTest, add_page, place

FACTS = Facts(100, 140, 100, "grey", 0, 0.0, 50.0, False)


def fill(workspace: Workspace, pages: int = 8, every: int = 2) -> str:
    """A batch of pages, a document for every few of them."""
    batch_id = workspace.batches.create("Post", "test", "Elspra Towpath")
    sha = workspace.place.files.put(b"a page")
    for i in range(pages):
        page = Page(workspace.clock.new_id(), i, "test", i, i + 1, "front", sha)
        add_page(workspace.batches, batch_id, page)
        workspace.batches.set_facts(page.id, FACTS)
        placing = Placing(page.id, i != 5, "" if i != 5 else "blank", i % every == 0, "separator sheet", "Letter")
        place(workspace, batch_id, placing)
    workspace.batches.end_capture(batch_id)
    return batch_id


def shape(batch: Batch) -> object:
    return (
        [(p.id, p.disposition, p.document_id, p.turn, p.reason) for p in batch.pages],
        {k: (d.type, d.parked, dict(d.values)) for k, d in batch.documents.items()},
    )


class Undo(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.root = Path(self.folder) / "data"
        self.workspace = open_workspace(self.root)
        seed.begin(self.workspace)
        self.batch_id = fill(self.workspace)
        self.addCleanup(lambda: self.workspace.close())

    def reopen(self) -> None:
        self.workspace.close()
        self.workspace = open_workspace(self.root)

    def do(self, label: str, command: object) -> Batch:
        return self.workspace.batches.apply(self.batch_id, "me", label, command)  # type: ignore[arg-type]

    def test_what_somebody_did_in_another_window_of_theirs_was_not_seen_in_this_one(self) -> None:
        batches, page = self.workspace.batches, self.workspace.batches.load(self.batch_id).pages[0].id
        base = batches.load(self.batch_id).revision
        with seen(self.batch_id, base, "one window"):
            self.do("turn", lambda b: commands.turn(b, [page], 90))
            self.do("turn", lambda b: commands.turn(b, [page], 90))  # their own window knows of it
        with seen(self.batch_id, base, "another window"), self.assertRaises(InputProblem):
            self.do("turn", lambda b: commands.turn(b, [page], 90))
        self.assertEqual(batches.load(self.batch_id).page(page).turn, 180)

    def test_random_commands_undo_to_the_start_and_redo_to_the_end(self) -> None:
        rng = random.Random(3)
        states = [shape(self.workspace.batches.load(self.batch_id))]
        done = 0
        while done < 40:
            batch = self.workspace.batches.load(self.batch_id)
            page = rng.choice(batch.pages)
            new = self.workspace.clock.new_id()
            document = rng.choice(list(batch.documents))
            command = rng.choice((
                lambda b, p=page, n=new: commands.break_at(b, p.id, n), lambda b, p=page: commands.join_up(b, p.id),
                lambda b, p=page: commands.leave_out(b, [p.id]), lambda b, p=page, n=new: commands.take_back(b, [p.id], n),
                lambda b, p=page: commands.turn(b, [p.id], 90), lambda b, p=page: commands.move(b, p.id, 1),
                lambda b, p=page: commands.move_to_neighbour(b, p.id, -1),
                lambda b, d=document: commands.set_aside(b, d, "torn"), lambda b, d=document: commands.bring_back(b, d),
                lambda b, d=document: commands.set_values(b, d, {"Sender": FieldValue(("X",), 1.0, sure=True)}),
            ))  # fmt: skip
            try:
                after = self.do("step", command)
            except InputProblem:
                continue
            counted = balance(after)
            self.assertTrue(counted.is_even)
            self.assertEqual(counted.captured, 8)
            for doc in after.in_order():
                places = [i for i, p in enumerate(after.pages) if p.document_id == doc.id]
                between = [p for p in after.pages[places[0] : places[-1]] if p.kept]
                self.assertTrue(all(p.document_id == doc.id for p in between), "a document's pages lie together")
            if shape(after) != states[-1]:
                states.append(shape(after))
                done += 1
        self.reopen()
        for expected in reversed(states[:-1]):
            self.workspace.batches.undo(self.batch_id)
            self.assertEqual(shape(self.workspace.batches.load(self.batch_id)), expected)
        with self.assertRaisesRegex(InputProblem, "nothing to undo"):
            self.workspace.batches.undo(self.batch_id)
        self.reopen()
        for expected in states[1:]:
            self.workspace.batches.redo(self.batch_id)
            self.assertEqual(shape(self.workspace.batches.load(self.batch_id)), expected)

    def test_a_new_command_ends_redo(self) -> None:
        page = self.workspace.batches.load(self.batch_id).pages[1]
        self.do("turn", lambda b: commands.turn(b, [page.id], 90))
        self.workspace.batches.undo(self.batch_id)
        self.do("leave out", lambda b: commands.leave_out(b, [page.id]))
        with self.assertRaisesRegex(InputProblem, "nothing to redo"):
            self.workspace.batches.redo(self.batch_id)

    def test_a_filed_document_is_not_touched(self) -> None:
        batch = self.workspace.batches.load(self.batch_id)
        document = batch.in_order()[0]
        filed = replace(batch, documents={**batch.documents, document.id: replace(document, filed_id="x")})
        page = batch.pages_of(document.id)[0]
        for command in (lambda: commands.leave_out(filed, [page.id]), lambda: commands.turn(filed, [page.id], 90),
                        lambda: commands.set_values(filed, document.id, {})):  # fmt: skip
            with self.assertRaisesRegex(InputProblem, "is filed"):
                command()

    def test_closing_names_what_is_open(self) -> None:
        with self.assertRaisesRegex(InputProblem, "still open are: 4 reading"):
            self.workspace.batches.close(self.batch_id)
