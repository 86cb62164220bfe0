"""Each id that a use case takes, by its type, tried with somebody else's batch, page, waiting and filed document."""

from __future__ import annotations

import inspect
import re
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from unittest.mock import MagicMock

from sqlalchemy import text

from keybundle.core.base.boxes import Frame
from keybundle.core.base.errors import InputProblem
from keybundle.core.base.page_kind import PageKind
from keybundle.core.repository.model import FiledPage
from keybundle.core.rights.model import Grantee, Right
from keybundle.core.workflows.arrange import bench
from keybundle.core.workflows.file import filing
from keybundle.core.workflows.keep.documents.browsing import load_document
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.send.wishes import Wish
from keybundle.core.workflows.session import access
from keybundle.core.workflows.session.access import Spot
from keybundle.core.workflows.session.session import Session
from keybundle.core.workflows.take_in.capture import find_routine, scan_stack
from tests.core.test_rights import use_cases
from tests.standin import ONE_SIDED, Device, StandIn, answer
from tests.support import DataTest, acting, filed_ids

IDS = re.compile(r"\b(BatchId|PageId|DocumentId|FiledId)\b")
SECRET = "Quaggamuffin"
# What a use case takes besides ids, by parameter; all others are stood in for by what their type says.
FILLED: dict[str, Any] = {
    "frame": Frame(800, 1100, 0, 0.0), "grantee": Grantee("person", "person-2"), "wish": Wish("pdfa"), "box": (0, 0, 9, 9),
    "command": lambda batch: batch, "how": "fixed", "degrees": 90, "tags_of": lambda own: ("x",), "inputs": (), "given": None,
    "changes": (), "meant": lambda document: None, "comment": "x", "path": ("2026",),
    "previewed": MagicMock(options=ONE_SIDED, sides=()),
}  # fmt: skip


class Another(DataTest):
    """Two people who may all but oversee and give rights, and what is only the one's."""

    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.boss = acting(self.ws)
        rights = tuple(r for r in Right if r not in (Right.OVERSEE, Right.GIVE_RIGHTS))

        def change(setup: Any) -> Any:
            role = setup.roles[0].model_copy(update={"id": "all", "name": "all", "rights": rights})
            one = setup.people[0].model_copy(update={"roles": ("all",), "login": ""})
            people = [one.model_copy(update={"id": f"p{n}", "name": f"P {n}"}) for n in (1, 2)]
            return setup.model_copy(update={"roles": (*setup.roles, role), "people": (*setup.people, *people)})

        self.ws.change_setup(self.boss.person, change)
        self.owner, self.other = Session(self.ws, "p1"), Session(self.ws, "p2")
        self.pool = StandIn(lambda what, args: answer(what, args, f"{SECRET} settlement"))
        self.line = Line(self.ws, self.pool)  # type: ignore[arg-type]
        self.addCleanup(self.line.close)
        self.batches = {who.person: self.scan(who) for who in (self.owner, self.other)}
        self.filed = dict(zip((self.owner.person, self.other.person), filed_ids(self.ws, "Letters")[:2], strict=True))
        kept = {Grantee("person", self.owner.person): tuple(Right), Grantee("person", self.boss.person): tuple(Right)}
        access.keep_to(self.boss, Spot(document=self.filed[self.owner.person]), kept)

    def scan(self, who: Session) -> str:
        routine = find_routine(self.boss, "Post")
        device = Device(2, tag=who.person)
        batch = scan_stack(who, self.line, routine, device, options=ONE_SIDED).batch  # type: ignore[arg-type]
        self.line.wait(20)
        return str(batch)

    def id_of(self, kind: str, who: Session) -> str:
        """The id of something of that kind which is somebody's alone."""
        batch = self.ws.batches.load(self.batches[who.person])
        own = {"BatchId": batch.id, "PageId": batch.pages[0].id, "DocumentId": batch.in_order()[0].id}
        return own.get(kind) or self.filed[who.person]

    def value(self, parameter: inspect.Parameter, whose: Session) -> Any:
        kind = IDS.search(str(parameter.annotation))
        if kind is not None:
            one = self.id_of(kind[1], whose)
            return [one] if re.search(r"Sequence|Collection|Iterable", str(parameter.annotation)) else one
        said = str(parameter.annotation)
        if parameter.name in FILLED:
            return FILLED[parameter.name]
        if parameter.name == "picture":
            page = self.ws.batches.load(self.batches[whose.person]).pages[0]
            return (page.file_sha, 0, PageKind.PICTURE)
        if parameter.name in ("pool", "line"):
            return self.pool if parameter.name == "pool" else self.line
        if parameter.name == "routine":
            return find_routine(self.boss, "Post")
        if "Path" in said:
            return Path(self.folder / "out")
        plain = {"str": "x", "int": 1, "bool": True, "float": 1.0, "int | None": None, "str | None": None}
        return plain[said] if said in plain else [] if said.startswith(("Sequence", "Collection")) else MagicMock()

    def state(self) -> dict[str, Any]:
        """All rows of what is the owner's."""
        batch, filed = self.batches[self.owner.person], self.filed[self.owner.person]
        asked = {
            "batch": "id = :b", "page": "batch_id = :b", "batch_document": "batch_id = :b", "step": "batch_id = :b",
            "batch_share": "batch_id = :b", "document": "id = :f", "version": "document_id = :f",
            "document_tag": "document_id = :f",
        }  # fmt: skip
        with self.ws.place.database.read() as c:
            return {
                table: c.execute(
                    text(f"SELECT * FROM {table} WHERE {where} ORDER BY 1, 2"), {"b": batch, "f": filed}
                ).all()
                for table, where in asked.items()
            }

    def tries(self) -> Iterator[tuple[str, str, Callable[[], Any]]]:
        """Each use case with somebody else's thing in each of its ids in turn, one's own in all others."""
        for name, function in use_cases().items():
            if not hasattr(function, "__wrapped__"):
                continue
            parameters = list(inspect.signature(function).parameters.values())[1:]
            for tried in (p for p in parameters if IDS.search(str(p.annotation))):
                needed = [p for p in parameters if p.default is p.empty or p is tried]
                values = {
                    p.name: self.value(p, self.owner if p is tried or p.name == "picture" else self.other)
                    for p in needed
                }
                yield name.rpartition("workflows.")[2], tried.name, lambda f=function, v=values: f(self.other, **v)


class Handles(Another):
    def test_nothing_of_somebody_else_is_reached_through_any_id(self) -> None:
        before, tried = self.state(), 0
        caption = load_document(self.owner, self.filed[self.owner.person]).caption
        for name, parameter, call in self.tries():
            with self.subTest(use_case=name, parameter=parameter):
                tried += 1
                try:
                    result = call()
                except InputProblem:
                    result = None
                self.assertNotIn(SECRET, repr(result))
                self.assertNotIn(caption, repr(result))
                self.assertEqual(self.state(), before)
        self.assertGreater(tried, 90)

    def test_what_is_ones_own_is_reached(self) -> None:
        own = self.batches[self.owner.person]
        self.assertIn(SECRET, str(bench.page_text(self.owner, self.id_of("PageId", self.owner))))
        self.assertTrue(bench.load_bench(self.owner, own).batch.pages)
        self.assertEqual(load_document(self.owner, self.filed[self.owner.person]).id, self.filed[self.owner.person])

    def test_a_picture_is_looked_at_in_its_batch_and_in_the_documents_that_it_is_filed_in(self) -> None:
        page = load_document(self.owner, self.filed[self.owner.person]).pages[0]
        own = load_document(self.other, self.filed[self.other.person]).pages[0]
        self.other.require_picture(own.page_id, own.file_sha)
        self.owner.require_picture(page.page_id, page.file_sha)
        swapped = FiledPage(own.page_id, page.file_sha, 0, PageKind.PICTURE, own.frame, 100.0, b"")
        for session, one in ((self.other, page), (self.owner, swapped)):
            with self.assertRaises(InputProblem):
                bench.filed_preview(session, self.pool, one)  # type: ignore[arg-type]

    def test_a_batch_that_is_taken_away_between_claim_and_commit_is_not_filed_by_who_lost_it(self) -> None:
        batch = self.batches[self.owner.person]
        with self.ws.place.database.atomic() as c:
            c.execute(
                text("UPDATE batch_document SET state = 'ready', type = 'Letter' WHERE batch_id = :b"), {"b": batch}
            )
        begun = filing.begin_filing(self.owner, batch)
        self.assertTrue(begun.in_hand)
        self.ws.batches.hand_over(batch, self.other.person)
        result = filing.finish_filing(self.owner, self.pool, begun)  # type: ignore[arg-type]
        self.assertEqual(result.entries, [])
        self.assertIn("somebody else's work", result.left[0][1])
