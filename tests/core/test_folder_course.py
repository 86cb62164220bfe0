"""Folders in any order: filed into, renamed, merged, kept, given other levels; documents corrected; all of it taken back."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule, run_state_machine_as_test
from sqlalchemy import Connection, text

from keybundle.core.base.clock import make_id
from keybundle.core.fields.values import FieldValue
from keybundle.core.filing.commit import commit_document
from keybundle.core.filing.destination import compute_destination, make_caption
from keybundle.core.finding.columns import count_in
from keybundle.core.repository.folders import ensure_folder, load_folders
from keybundle.core.repository.model import NewDocument
from keybundle.core.rights.model import Grantee, Right
from keybundle.core.setup.model import Setup
from keybundle.core.workflows.find.find import find
from keybundle.core.workflows.keep.documents import correcting
from keybundle.core.workflows.keep.folders import giving_values, making, moving
from keybundle.core.workflows.keep.trash import deleting
from keybundle.core.workflows.oversee.verify import verify
from keybundle.core.workflows.prepare.cabinets import areas, refiling
from keybundle.core.workflows.prepare.parts import tags
from keybundle.core.workflows.session import access
from keybundle.core.workflows.session.access import Spot
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from tests.support import DataTest, acting, sampled

YARD, LEVELS, NAMES = "Yard", ("Reach", "Keeper"), ("Alder", "Birch", "Cress")
EXAMPLES = int(os.environ.get("KEYBUNDLE_COURSES", sampled(12, 4)))
BOSS, JUNIOR = "Ottoline Reedmace", "Tarn Sallow"
SETUP = {
    "repository": "A yard", "storage_areas": [{"name": "main", "path": "files"}, {"name": "loft", "path": "loft"}],
    "cabinets": [{"name": YARD, "folder_fields": list(LEVELS), "storage_area": "main"}],
    "document_types": [{
        "name": "Note", "cabinet": YARD, "caption": "{Title} {Reach} {Keeper}", "folder": {x: x for x in LEVELS},
        "fields": [{"name": "Title", "required": True}, *({"name": x, "required": True} for x in LEVELS)],
    }],
    "roles": [{"name": "administrator", "rights": [r.value for r in Right]}, {"name": "reader", "rights": ["look"]}],
    "people": [{"name": BOSS, "roles": ["administrator"]}, {"name": JUNIOR, "roles": ["reader"]}],
    "sign_in": ["choose"],
}  # fmt: skip
name = st.sampled_from(NAMES)
place = st.integers(0, 8)


class Undone(Exception):
    """Ends a transaction that was only to see what would be."""


class FolderCourse(RuleBasedStateMachine):
    """After each step the rows agree with each other, and nobody sees what was kept from them and was not told of before."""

    template: Path

    def __init__(self) -> None:
        super().__init__()
        self.data = FolderCourse.template.with_name(make_id())
        shutil.copytree(FolderCourse.template, self.data)
        self.ws: Workspace = open_workspace(self.data)
        self.boss, self.junior = acting(self.ws, BOSS), acting(self.ws, JUNIOR)
        self.strayed: set[str] = set()  # corrected without following: they lie elsewhere than their values say
        self.made: list[str] = []

    # -- what there is --------------------------------------------------------------------------------------------------

    def rows(self, said: str, **bound: Any) -> list[Any]:
        with self.ws.place.database.read() as c:
            return list(c.execute(text(said), bound).all())

    def paths(self) -> list[tuple[str, ...]]:
        rows = self.rows("SELECT path FROM folder WHERE became IS NULL AND level >= 0 ORDER BY path")
        return [tuple(r.path.split("\x1f")) for r in rows]

    def chosen(self, n: int) -> tuple[str, ...] | None:
        known = self.paths()
        return known[n % len(known)] if known else None

    def there(self) -> list[str]:
        return [r.id for r in self.rows("SELECT id FROM document WHERE removed_at IS NULL ORDER BY number")]

    def seen(self) -> frozenset[str]:
        return frozenset(h.id for h in find(self.junior, "").hits)

    def lying(self) -> dict[str, tuple[str, ...]]:
        return {i: tuple(v for _, v in self.ws.repository.load(i).folder) for i in self.there()}

    def of_folders(self) -> dict[str, Any]:
        """Return what hangs on the folders, by the id of the row."""
        own = "SELECT id, own_access_id, storage_area FROM folder WHERE became IS NULL AND level >= 0"
        hung = {r.id: (r.own_access_id, r.storage_area) for r in self.rows(own)}
        tagged = self.rows("SELECT folder_id, tag FROM folder_tag ORDER BY 1, 2")
        given = self.rows("SELECT folder_id, field, value FROM folder_value ORDER BY 1, 2")
        return {"own": hung, "tags": [tuple(r) for r in tagged], "given": [tuple(r) for r in given]}

    def picture(self) -> tuple[Any, ...]:
        values = {i: {k: v.text for k, v in self.ws.repository.load(i).values.items()} for i in self.there()}
        hung = self.of_folders()
        kept = {i: x for i, x in hung["own"].items() if x != (None, None)}
        return self.lying(), values, self.seen(), kept, hung["tags"], hung["given"]

    def back(self, before: tuple[Any, ...], take_back: Callable[[], object]) -> None:
        take_back()
        assert self.picture() == before, (self.picture(), before)

    # -- what is done ---------------------------------------------------------------------------------------------------

    @rule(reach=name, keeper=name)
    def file(self, reach: str, keeper: str) -> None:
        kind = self.ws.setup.document_types[0]
        key = make_id()
        texts = {"Title": f"N{len(self.made)}", "Reach": reach, "Keeper": keeper}
        values = {n: FieldValue((v,), 1.0, sure=True) for n, v in texts.items()}
        goes = compute_destination(kind, self.ws.setup, values)
        new = NewDocument(
            key, kind.cabinet, tuple((n, v or "") for n, v in goes.folder), kind.id, make_caption(kind, values), values,
            (), "", named=(kind.name, goes.titles[0]),
        )  # fmt: skip
        commit_document(self.ws.place.database, self.ws.batches, self.ws.repository, new, self.boss.person)
        self.made.append(key)

    @rule(n=place, value=name, take_back=st.booleans())
    def rename(self, n: int, value: str, take_back: bool) -> None:
        path = self.chosen(n)
        if path is None:
            return
        before, saw, hung = self.picture(), self.seen(), self.of_folders()
        told = moving.preview_renaming(self.boss, YARD, path, value)
        done = moving.rename_folder(self.boss, YARD, path, value)
        assert done.is_whole
        more, fewer = len(self.seen() - saw), len(saw - self.seen())
        of_junior = [(s.more, s.fewer) for s in told.seen if s.name == JUNIOR]
        assert (of_junior or [(0, 0)]) == [(more, fewer)], (told, more, fewer)
        if not told.joins:
            assert self.of_folders() == hung, "what hangs on a folder is its own, whatever its name"
        if take_back:
            self.back(before, lambda: moving.take_back_renaming(self.boss, done))

    @rule(n=place, level=st.sampled_from(LEVELS), value=name, follow=st.booleans(), take_back=st.booleans())
    def correct(self, n: int, level: str, value: str, follow: bool, take_back: bool) -> None:
        known = self.there()
        if not known:
            return
        chosen, before, strayed = known[n % len(known)], self.picture(), set(self.strayed)
        done = correcting.correct(self.boss, {chosen: {level: value}}, follow=follow)
        self.strayed = self.strayed - {chosen} if follow else self.strayed | {chosen}
        if take_back and not done.left:
            self.back(before, lambda: correcting.take_back_correction(self.boss, done))
            self.strayed = strayed

    @rule(n=place)
    def throw_away_or_bring_back(self, n: int) -> None:
        if n % 2 and (gone := deleting.list_trash(self.boss)):
            deleting.restore_documents(self.boss, [gone[n % len(gone)].id])
        elif known := self.there():
            deleting.delete_documents(self.boss, [known[n % len(known)]], "a course of things")

    @precondition(lambda self: deleting.list_trash(self.boss))
    @rule()
    def erase(self) -> None:
        gone = [d.id for d in deleting.list_trash(self.boss)]
        assert deleting.empty_trash(self.boss, gone).left == ()
        hung = (
            "SELECT f.path FROM folder f WHERE f.level >= 0 AND f.became IS NULL AND NOT f.is_kept AND f.own_access_id IS NULL "
            "AND f.storage_area IS NULL AND f.path IN (SELECT path FROM folder WHERE id NOT IN (SELECT folder_id FROM document "
            "WHERE folder_id IS NOT NULL)) AND f.id NOT IN (SELECT parent_id FROM folder WHERE parent_id IS NOT NULL) "
            "AND f.id NOT IN (SELECT folder_id FROM folder_tag UNION SELECT folder_id FROM folder_value "
            "UNION SELECT folder_id FROM version WHERE folder_id IS NOT NULL)"
        )
        erased_from = {r.path for r in self.rows(hung)} - self.emptied
        assert not erased_from, ("a folder that filing alone made goes with its last document", erased_from)

    @property
    def emptied(self) -> set[str]:
        """Folders that others left before: they go when something of theirs is erased, not when it moves."""
        return {"\x1f".join(p) for p in self.paths()} - {"\x1f".join(p) for p in self.lying().values()}

    @rule(n=place, kept=st.booleans())
    def keep(self, n: int, kept: bool) -> None:
        if path := self.chosen(n):
            to = {Grantee("person", self.boss.person): tuple(Right)} if kept else None
            access.keep_to(self.boss, Spot(cabinet=YARD, path=path), to)

    @rule(n=place, what=st.sampled_from(("tag", "area", "value", "by hand")), on=st.booleans())
    def hang(self, n: int, what: str, on: bool) -> None:
        path = self.chosen(n)
        if path is None:
            return
        if what == "tag":
            tags.tag_folder(self.boss, YARD, path, ("dry",) if on else ())
        elif what == "area":
            areas.set_area(self.boss, YARD, path, "loft" if on else "")
        elif what == "value":
            giving_values.give_value(self.boss, YARD, path, "Title", "" if not on else "given")
        else:
            making.make_folders(self.boss, YARD, ((*path[:1], NAMES[n % 3]),))

    @precondition(lambda self: not self.strayed)
    @rule()
    def turn_the_levels_round(self) -> None:
        cabinet, before, saw = self.ws.setup.cabinets[0], self.lying(), self.seen()
        other = cabinet.model_copy(update={"folder_fields": tuple(reversed(cabinet.folder_fields))})
        told = refiling.rehearse_levels(self.boss, other)
        done = refiling.change_levels(self.boss, other, cabinet)
        of_junior = [(s.more, s.fewer) for s in told.seen if s.name == JUNIOR]
        assert (of_junior or [(0, 0)]) == [(len(self.seen() - saw), len(saw - self.seen()))], told
        self.agree()
        refiling.take_back_levels(self.boss, done)
        assert (self.lying(), self.seen()) == (before, saw)

    # -- what holds ever ------------------------------------------------------------------------------------------------

    @contextmanager
    def only_to_see(self) -> Iterator[Connection]:
        try:
            with self.ws.place.database.atomic() as c:
                yield c
                raise Undone
        except Undone:
            pass

    @invariant()
    def agree(self) -> None:
        rows = {r.id: r for r in self.rows("SELECT * FROM folder")}
        for row in rows.values():
            steps, at = 0, row
            while at.became is not None:
                at, steps = rows[at.became], steps + 1
                assert steps <= len(rows), "folders that become each other in a circle"
            if row.became is None and row.parent_id is not None:
                above = rows[row.parent_id]
                assert above.became is None, "a folder below one that is no more"
                assert row.path == "\x1f".join(filter(None, (above.path, row.value)))
                assert row.access_id == (row.own_access_id or above.access_id), "the nearest list counts"
        for d in self.rows("SELECT * FROM document WHERE removed_at IS NULL"):
            assert rows[d.folder_id].became is None, "a document in a folder that is no more"
        wrong = self.rows(
            "SELECT f.path FROM folder f WHERE documents != (SELECT COUNT(*) FROM document d WHERE d.folder_id = f.id "
            "AND d.removed_at IS NULL AND d.access_id IS NULL)"
        )
        assert not wrong, wrong
        there = self.there()
        with self.ws.place.database.read() as c:
            assert count_in(c, YARD) == len(there)

    @invariant()
    def those_see_it_who_may(self) -> None:
        open_to_all = self.rows(
            "SELECT d.id FROM document d JOIN folder f ON f.id = d.folder_id WHERE d.removed_at IS NULL "
            "AND coalesce(d.access_id, f.access_id) IS NULL"
        )
        assert self.seen() == {r.id for r in open_to_all}

    @invariant()
    def each_lies_where_its_values_lead(self) -> None:
        kind, cabinet = self.ws.setup.document_types[0], self.ws.setup.cabinets[0]
        levels = [f.id for f in cabinet.folder_fields]
        with self.only_to_see() as c:
            for i in (x for x in self.there() if x not in self.strayed):
                document = self.ws.repository.load(i)
                goes = compute_destination(kind, self.ws.setup, document.values)
                there = ensure_folder(c, YARD, [(n, v or "") for n, v in goes.folder], "en_GB")
                found = tuple(v for _, v in load_folders(c, [there])[there])
                assert found == tuple(v for _, v in document.folder), (i, goes.folder, document.folder)
            for reach in NAMES:
                for keeper in NAMES:
                    into = ensure_folder(c, YARD, list(zip(levels, (reach, keeper), strict=True)), "en_GB")
                    at = c.execute(text("SELECT became, level FROM folder WHERE id = :i"), {"i": into}).one()
                    assert tuple(at) == (None, 1), "no folder is shut"

    def teardown(self) -> None:
        found = verify(self.boss)
        assert found.is_whole, found
        self.ws.close()
        shutil.rmtree(self.data)


class Courses(DataTest):
    def test_any_course_of_folders(self) -> None:
        FolderCourse.template = self.folder / "template"
        made = open_workspace(FolderCourse.template)
        made.put_setup(Setup.model_validate(SETUP), "")
        made.close()
        run_state_machine_as_test(
            FolderCourse, settings=settings(max_examples=EXAMPLES, stateful_step_count=16, deadline=None)
        )
