"""Rights: every use case declares what it takes, and what somebody may not look at appears nowhere."""

from __future__ import annotations

import ast
import importlib
import inspect
import pkgutil
import re
import unittest
from collections.abc import Callable, Iterator, Mapping
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select, text

import keybundle.core.workflows
from keybundle.core.base.errors import InputProblem
from keybundle.core.batches.model import State
from keybundle.core.repository import audit
from keybundle.core.repository.paths import join_path, split_path
from keybundle.core.rights.model import AccessList, Grantee, Holder, Right, effective_rights
from keybundle.core.search import index
from keybundle.core.store import schema as t
from keybundle.core.workflows.arrange import bench, giving
from keybundle.core.workflows.file import filing
from keybundle.core.workflows.find.find import find, find_filed_ids
from keybundle.core.workflows.index import slip, tags
from keybundle.core.workflows.keep.documents import browsing
from keybundle.core.workflows.keep.documents.story import load_story
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.oversee import forgetting, worklist
from keybundle.core.workflows.oversee.verify import list_trail
from keybundle.core.workflows.prepare.parts import parts, setup_admin
from keybundle.core.workflows.prepare.types.learned import list_learned
from keybundle.core.workflows.send.sending import send_to_folder
from keybundle.core.workflows.send.wishes import Wish
from keybundle.core.workflows.session import access
from keybundle.core.workflows.session.access import Spot
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.session import NEEDS, NotAllowed, Session
from keybundle.core.workflows.session.workspace import Workspace
from tests.support import ROOT, DataTest, acting, sampled, scanned_template, shared_pool

JUNIOR, OPERATOR, SUPERVISOR = "Hollin Waterhen", "Elspra Towpath", "Tarvin Windlass"
# What takes a workspace and no session, and why it may be called from outside: nobody works there yet, or it looks at no
# document and no work.
OPEN_TO_ALL = {
    "open_workspace", "begin_with_setup", "check_setup_file", "sign_in", "sign_in_by_account", "sign_in_unattended",
    "choose_person", "begin_with", "follow_sources", "reset_administrator", "needs_password", "person_of_account", "has_password",
    "find_scanners", "Devices", "Line", "work_behind", "write_due", "tell_trouble", "local_day", "door_path",
}  # fmt: skip


def modules() -> Iterator[Any]:
    path = keybundle.core.workflows.__path__
    for found in pkgutil.walk_packages(path, "keybundle.core.workflows."):
        if not found.ispkg:
            yield importlib.import_module(found.name)


def use_cases() -> dict[str, Callable[..., Any]]:
    """Every public function of the rooms that takes a session."""
    found = {}
    for module in modules():
        for name, function in inspect.getmembers(module, inspect.isfunction):
            first = next(iter(inspect.signature(function).parameters.values()), None)
            is_own = function.__module__ == module.__name__ and not name.startswith("_")
            if is_own and first is not None and first.annotation == "Session":
                found[f"{module.__name__}.{name}"] = function
    return found


class Declared(DataTest):
    def test_every_use_case_declares_what_it_takes(self) -> None:
        found = use_cases()
        self.assertGreater(len(found), 90)
        self.assertEqual([name for name, function in found.items() if not hasattr(function, NEEDS)], [])

    def test_each_is_refused_to_who_lacks_its_rights_before_it_does_anything(self) -> None:
        ws = self.demo_workspace()
        nobody = self.person_with(ws, ())
        for name, function in use_cases().items():
            needed = getattr(function, NEEDS)
            if not needed or not hasattr(function, "__wrapped__"):
                self.assertIn(
                    name.rpartition(".")[2],
                    (
                        "set_password",
                        "finish_filing",
                        "change_oneself",
                        "own_values",
                        "known_languages",
                        "revise_many",
                        "revise_each",
                        "retag_each",
                        "put_back",
                        "list_noted",
                        "note_typed",
                    ),
                    "asks inside, or takes nothing",
                )
                continue
            required = [p for p in list(inspect.signature(function).parameters.values())[1:] if p.default is p.empty]
            positional = [None for p in required if p.kind is not p.KEYWORD_ONLY]
            named = {p.name: None for p in required if p.kind is p.KEYWORD_ONLY}
            with self.assertRaises(NotAllowed, msg=name):
                function(nobody, *positional, **named)
            for missing in needed:
                with self.assertRaises(NotAllowed, msg=f"{name} without {missing}"):
                    function(self.person_with(ws, set(Right) - {missing}), *positional, **named)

    def test_a_batch_of_somebody_else_is_refused_in_words_that_say_nothing_of_it(self) -> None:
        ws = self.demo_workspace()
        batch = ws.batches.create("Post", "a secret stack", "person-4")
        other = self.person_with(ws, set(Right) - {Right.OVERSEE})
        with self.assertRaisesRegex(NotAllowed, "somebody else's work, or it is no longer there"):
            bench.load_bench(other, batch)
        self.assertNotIn(batch, [r.id for r in worklist.list_work(other)])
        ws.batches.share(batch, "person", other.person)
        self.assertIn(batch, [r.id for r in worklist.list_work(other)])
        self.assertIsNotNone(bench.load_bench(other, batch))

    def test_a_batch_is_given_to_others_and_taken_from_them_by_its_owner(self) -> None:
        ws = self.demo_workspace()
        owner, other = self.person_with(ws, (Right.LOOK, Right.INDEX)), acting(ws, "Corvick Sluicegate")
        batch = ws.batches.create("Post", "a stack", owner.person)
        holder = next(p for p in ws.setup.people if p.id == other.person)
        parts.save_part(acting(ws), "people", parts.change_part(holder, {"roles": ("operator",), "groups": ()}))
        group = parts.add_part(acting(ws), "groups", "Night desk")
        self.assertFalse(other.sees_batch(batch))
        with self.assertRaisesRegex(NotAllowed, "somebody else's work"):
            giving.give_batch(other, batch, Grantee("person", other.person), given=True)
        giving.give_batch(owner, batch, Grantee("group", group), given=True)
        self.assertFalse(other.sees_batch(batch), "not in the group yet")
        holder = next(p for p in ws.setup.people if p.id == other.person)
        parts.save_part(acting(ws), "people", parts.change_part(holder, {"groups": (group,)}))
        self.assertEqual([r.id for r in worklist.list_work(other)], [batch])
        with self.assertRaisesRegex(NotAllowed, "batch is all but"):
            giving.give_batch(other, batch, Grantee("person", other.person), given=True)
        told = {name: has for _, name, has in giving.load_given(owner, batch).others}
        self.assertEqual((told["Night desk"], told["Corvick Sluicegate"]), (True, False))
        giving.give_batch(owner, batch, Grantee("group", group), given=False)
        self.assertFalse(other.sees_batch(batch))
        self.assertIn("batch taken from", "".join(list_trail(acting(ws))[-1:]))

    def test_details_of_the_trail_are_forgotten_and_the_chain_holds(self) -> None:
        ws = self.demo_workspace()
        admin = acting(ws)
        document = find_filed_ids(admin, "type = Bill")[0]
        with ws.place.database.read() as c:
            before = [line for line in audit.export(c) if document in line]
        with self.assertRaisesRegex(InputProblem, "Say why"):
            forgetting.purge_details(admin, document, " ")
        count = forgetting.purge_details(admin, document, "asked for by whom it concerns")
        self.assertEqual(count, len(before))
        with ws.place.database.read() as c:
            self.assertEqual(audit.verify(c), "whole")
            after = [line for line in audit.export(c) if document in line]
        self.assertEqual((after[:-1], "details purged" in after[-1]), (before, True))
        self.assertIsNotNone(load_story(admin, document), "its story is told without them")
        with self.assertRaisesRegex(InputProblem, "no details about nowhere"):
            forgetting.purge_details(admin, "nowhere", "asked for")

    def person_with(self, ws: Workspace, rights: Any) -> Session:
        """Somebody with just these rights."""
        admin, name = (
            acting(ws),
            f"all but {len(set(Right) - set(rights))}: {', '.join(sorted(set(Right) - set(rights)))}"[:60].strip(),
        )
        if not any(p.name == name for p in ws.setup.people):
            role = parts.add_part(admin, "roles", name)
            who = parts.add_part(admin, "people", name)
            part = next(r for r in ws.setup.roles if r.id == role)
            parts.save_part(admin, "roles", parts.change_part(part, {"rights": tuple(rights)}))
            person = ws.setup.person(who)
            assert person is not None
            parts.save_part(admin, "people", parts.change_part(person, {"roles": (role,)}))
        return acting(ws, name)

    def test_desktop_and_command_line_go_through_use_cases_alone(self) -> None:
        taking_workspaces: set[str] = set()
        for module in modules():
            for name, thing in inspect.getmembers(module):
                is_own = getattr(thing, "__module__", "") == module.__name__ and not name.startswith("_")
                if is_own and inspect.isfunction(thing) and "workspace" in inspect.signature(thing).parameters:
                    taking_workspaces.add(name)
        rooms = re.compile(r"\b(?:workspace|ws)\.(batches|repository|place\.(?!root\b|cache\b))")
        for folder in ("desktop", "cli"):
            for path in sorted((ROOT / "src" / "keybundle" / folder).rglob("*.py")):
                tree = ast.parse(path.read_text())
                self.assertIsNone(rooms.search(path.read_text()), f"{path.name} enters an inner room of the workspace")
                for node in ast.walk(tree):
                    name = (
                        node.func.id
                        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name)
                        else (
                            node.func.attr
                            if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute)
                            else ""
                        )
                    )
                    if name in taking_workspaces and name not in OPEN_TO_ALL:
                        self.fail(f"{path.name}:{node.lineno} calls {name}, which takes a workspace and no session")  # type: ignore[attr-defined]
                    if name == "Session":
                        self.fail(f"{path.name}:{node.lineno} makes a session without signing in")  # type: ignore[attr-defined]


class Rules(unittest.TestCase):
    rights = st.frozensets(st.sampled_from(list(Right)))

    @given(rights, st.dictionaries(st.sampled_from([Grantee("person", "p"), Grantee("group", "g"), Grantee("role", "r"),
                                                    Grantee("person", "q")]), rights))  # fmt: skip
    def test_a_list_never_widens_and_nobody_can_be_locked_out_of_giving_rights(
        self, own: frozenset[Right], entries: Mapping[Grantee, frozenset[Right]]
    ) -> None:
        holder, kept = Holder("p", frozenset({"g"}), frozenset({"r"}), own), AccessList.of(entries)
        found = effective_rights(holder, kept)
        self.assertLessEqual(found, own)
        self.assertEqual(Right.GIVE_RIGHTS in found, Right.GIVE_RIGHTS in own)
        for right in found - {Right.GIVE_RIGHTS}:
            self.assertTrue(any(right in r for g, r in entries.items() if g != Grantee("person", "q")))
        self.assertEqual(AccessList.from_json(kept.to_json()), kept)
        again = AccessList.of(dict(reversed(list(entries.items()))))
        self.assertEqual((again, again.id), (kept, kept.id), "equal lists are one")


def walk_hidden(ws: Workspace, holder: Holder, own: Mapping[str, AccessList]) -> set[str]:
    """Return what somebody may not look at, by walking up from each document: written apart from the product's SQL.

    ``own`` are lists by place: ``cabinet``, ``cabinet<sep>path``, or a document's id.
    """
    hidden = set()
    with ws.place.database.read() as c:
        rows = c.execute(
            select(t.document.c.id, t.document.c.cabinet, t.folder.c.path).join(
                t.folder, t.folder.c.id == t.document.c.folder_id
            )
        ).all()
    for row in rows:
        parts = split_path(row.path)
        ways = [row.id, *(join_path([row.cabinet, *parts[:i]]) for i in range(len(parts), 0, -1)), row.cabinet]
        nearest = next((own[w] for w in ways if w in own), None)
        if nearest is not None and Right.LOOK not in effective_rights(holder, nearest):
            hidden.add(row.id)
    return hidden


class Undone(Exception):
    """Ends a transaction that must leave nothing behind."""


class Hidden(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.admin, self.junior = acting(self.ws), acting(self.ws, JUNIOR)
        with self.ws.place.database.read() as c:
            self.ids = list(c.execute(select(t.document.c.id).order_by(t.document.c.number)).scalars())
            self.paths = [
                (r.cabinet, split_path(r.path))
                for r in c.execute(select(t.folder.c.cabinet, t.folder.c.path).where(t.folder.c.path != ""))
            ]
        self.words = [d.caption.split()[0] for d in self.ws.repository.load_many(self.ids).values()]

    def answers(self, who: Session) -> dict[str, Any]:
        """Everything that the reading use cases tell somebody."""
        found: dict[str, Any] = {"cabinets": [(c.id, c.documents) for c in browsing.list_cabinets(who) if c.documents]}
        for cabinet in self.ws.setup.cabinets:
            levels = [f.id for f in cabinet.folder_fields]
            browsed = browsing.load_columns(who, cabinet.id, levels, {})
            columns, ids = browsed.columns, browsed.documents
            found[f"columns {cabinet.id}"] = [[(e.value, e.count) for e in c.entries] for c in columns], sorted(ids)
        for line in (*dict.fromkeys(self.words), "Total > 1", "type = Bill", "filed > 2000", ""):
            hits = find(who, line)
            found[f"find {line}"] = (
                sorted((h.id, h.caption) for h in hits.hits), sorted(hits.types), sorted(hits.cabinets), hits.months,
                sorted(find_filed_ids(who, line)),
            )  # fmt: skip
        found["today"] = worklist.count_today(who)
        found["rows"] = sorted(browsing.load_rows(who, self.ids))
        found["one"] = [self.told(lambda i=i: browsing.load_document(who, i).caption) for i in self.ids]
        found["story"] = [self.told(lambda i=i: sum(h.what == "filed" for h in load_story(who, i))) for i in self.ids]
        found["tags"] = tags.common_tags(who, self.ids)
        found["type-ahead"] = [
            slip.complete(who, kind.id, f.id, letter)
            for kind in self.ws.setup.document_types for f in kind.fields if f.kind.value == "text" for letter in ("", "a", "m")
        ]  # fmt: skip
        found["learned"] = sorted((d.type, d.document) for d in list_learned(who)[1])
        return found

    def told(self, ask: Callable[[], Any]) -> Any:
        try:
            return ask()
        except InputProblem:
            return "not there"

    @settings(max_examples=sampled(12, 5), deadline=None, suppress_health_check=list(HealthCheck))
    @given(st.data())
    def test_what_a_junior_is_told_is_what_a_store_without_the_kept_things_tells(self, data: st.DataObject) -> None:
        grantees = [
            Grantee("person", self.junior.person), Grantee("person", "person-4"), Grantee("role", "reader"),
            Grantee("role", "operator"), Grantee("group", "Purchasing"),
        ]  # fmt: skip
        one = st.dictionaries(
            st.sampled_from(grantees), st.sampled_from([(Right.LOOK,), (Right.SEND,), (Right.LOOK, Right.SEND)])
        )
        spots: list[Spot] = [
            *(Spot(c.id) for c in self.ws.setup.cabinets), *(Spot(c, p) for c, p in self.paths),
            *(Spot(document=i) for i in self.ids),
        ]  # fmt: skip
        chosen = data.draw(st.lists(st.tuples(st.sampled_from(spots), one), max_size=6), label="lists")
        own: dict[str, AccessList] = {}
        try:
            with self.ws.place.database.atomic() as c:
                for spot, entries in chosen:
                    kept = {Grantee("person", "person-1"): [Right.LOOK], **entries}
                    access.keep_to(self.admin, spot, kept)
                    own[spot.document or join_path([spot.cabinet, *spot.path])] = AccessList.of(kept)
                hidden = walk_hidden(self.ws, self.junior.holder, own)
                with_lists = self.answers(self.junior)
                for spot, _ in chosen:
                    access.keep_to(self.admin, spot, None)
                keys = {r.id: r.filing_key for r in c.execute(select(t.document.c.id, t.document.c.filing_key))}
                for document_id in hidden:
                    self.ws.repository.take_back(document_id, "somebody")
                    index.remove(c, [document_id])
                    c.execute(t.example.delete().where(t.example.c.document == keys[document_id]))
                self.assertEqual(self.answers(self.junior), with_lists)
                raise Undone
        except Undone:
            pass

    def test_a_change_at_a_cabinet_writes_no_document_and_goes_down_to_what_has_its_own(self) -> None:
        cabinet, path = next((c, p) for c, p in self.paths if len(p) == 2)
        access.keep_to(self.admin, Spot(cabinet, path[:1]), {Grantee("role", "reader"): [Right.LOOK]})
        with self.ws.place.database.atomic() as c:
            c.execute(
                text(
                    "CREATE TEMP TRIGGER none_is_written BEFORE UPDATE ON document BEGIN SELECT RAISE(ABORT, 'written'); END"
                )
            )
            access.keep_to(self.admin, Spot(cabinet), {Grantee("group", "Purchasing"): list(Right)})
            c.execute(text("DROP TRIGGER none_is_written"))
        self.assertEqual(
            access.load_kept(self.admin, Spot(cabinet, path)).told,
            f"Kept to the role reader, as {self.title(cabinet, path[:1])} is.",
        )
        other = next(p for c, p in self.paths if c == cabinet and p[0] != path[0])
        self.assertEqual(
            access.load_kept(self.admin, Spot(cabinet, other)).told,
            f"Kept to the group Purchasing, as {self.title(cabinet, ())} is.",
        )
        same = access.keep_to(self.admin, Spot(cabinet, other), {Grantee("role", "reader"): [Right.LOOK]})
        self.assertTrue(same.repository)
        with self.ws.place.database.read() as c:
            self.assertEqual(len(c.execute(select(t.access_list)).all()), 2, "equal lists are one row")

    def title(self, cabinet: str, path: tuple[str, ...]) -> str:
        found = self.ws.setup.cabinet(cabinet)
        return " / ".join((found.name if found else cabinet, *path))

    def test_each_right_is_explained_with_where_it_comes_from(self) -> None:
        access.keep_to(
            self.admin,
            Spot("Purchasing"),
            {
                Grantee("group", "Purchasing"): [Right.LOOK, Right.FILE],
                Grantee("person", self.junior.person): [Right.LOOK],
            },
        )
        said = {
            s.right: (s.has, s.why)
            for s in access.explain(self.admin, acting(self.ws, SUPERVISOR).person, Spot("Purchasing"))
        }
        self.assertEqual(
            said[Right.FILE],
            (
                True,
                f"{SUPERVISOR} may file at Purchasing: by the role supervisor, "
                "and Purchasing is kept to the group Purchasing with it.",
            ),
        )
        self.assertEqual(
            said[Right.SEND],
            (
                False,
                f"{SUPERVISOR} may not send at Purchasing: Purchasing is kept to others in this; "
                "by the role supervisor it would be theirs.",
            ),
        )
        self.assertEqual(
            said[Right.GIVE_RIGHTS],
            (False, f"{SUPERVISOR} may not give rights at Purchasing: none of their roles has it."),
        )
        own = {s.right: s for s in access.explain(self.admin, self.admin.person, Spot("Purchasing"))}
        self.assertTrue(own[Right.GIVE_RIGHTS].has and not own[Right.LOOK].has)
        self.assertIn("whatever the list of Purchasing says", own[Right.GIVE_RIGHTS].why)
        with self.assertRaises(NotAllowed):
            access.explain(self.junior, self.admin.person, Spot("Purchasing"))
        reached = {r.title: r.rights for r in access.reach_of(self.junior, self.junior.person)}
        self.assertEqual(reached["Purchasing"], {Right.LOOK})
        self.assertEqual({r for title, r in reached.items() if title != "Purchasing"}, {frozenset({Right.LOOK})})

    def test_letting_oneself_in_and_locking_others_out_are_told(self) -> None:
        access.keep_to(self.admin, Spot("Letters"), {Grantee("person", self.junior.person): [Right.LOOK]})
        self.assertEqual([c.id for c in browsing.list_cabinets(self.admin) if c.id == "Letters"], [])
        with self.assertRaisesRegex(InputProblem, "nobody could look at Letters any more. Nothing was changed"):
            access.keep_to(self.admin, Spot("Letters"), {Grantee("group", "Boats office"): [Right.SEND]})
        with self.assertRaises(NotAllowed):
            access.keep_to(acting(self.ws, SUPERVISOR), Spot("Letters"), None)
        access.keep_to(self.admin, Spot("Letters"), {Grantee("person", self.admin.person): list(Right)})
        with self.ws.place.database.read() as c:
            rows = c.execute(select(t.audit.c.what, t.audit.c.who).order_by(t.audit.c.seq.desc()).limit(2)).all()
        self.assertEqual(
            [tuple(r) for r in rows], [("let oneself in", self.admin.person), ("kept to", self.admin.person)]
        )

    def test_what_may_not_be_sent_or_corrected_stays(self) -> None:
        access.keep_to(
            self.admin,
            Spot(document=self.ids[0]),
            {Grantee("role", "operator"): [Right.LOOK], Grantee("person", self.admin.person): list(Right)},
        )
        operator = acting(self.ws, OPERATOR)
        sent = send_to_folder(operator, shared_pool(), self.ids[:2], Wish(), self.folder / "out")
        self.assertEqual([d.id for d in sent.documents], [self.ids[1]])
        self.assertEqual(
            sent.refused, [(self.ids[0], "That document is no longer in the repository, or may not be sent.")]
        )
        with self.assertRaisesRegex(NotAllowed, "Nothing was changed"):
            tags.retag(operator, self.ids[:2], (), "urgent")
        self.assertEqual([self.ws.repository.load(i).tags for i in self.ids[:2]], [(), ()])
        self.assertEqual(
            len(send_to_folder(self.admin, shared_pool(), self.ids[:1], Wish(), self.folder / "out").documents), 1
        )

    def test_details_are_purged_and_the_trail_still_holds(self) -> None:
        tags.retag(self.admin, self.ids[:1], (), "private")
        with self.ws.place.database.atomic() as c:
            before = audit.head(c)
            self.assertEqual(audit.purge(c, self.ids[0]), 2)
            self.assertEqual((audit.verify(c), audit.head(c)), ("whole", before))
            self.assertEqual(
                c.execute(text("SELECT count(*) FROM audit_detail WHERE data LIKE '%private%'")).scalar(), 0
            )
        self.assertEqual([h.detail for h in load_story(self.admin, self.ids[0])], [{}, {}])
        with self.assertRaises(Undone), self.ws.place.database.atomic() as c:
            c.execute(text("UPDATE audit_detail SET data = '{}' WHERE seq = 3"))
            self.assertEqual(audit.verify(c), "broken at row 3")
            raise Undone


class Filing(DataTest):
    def setUp(self) -> None:
        super().setUp()
        data, self.batch_id = self.demo_data(scanned=True), scanned_template()[1]
        self.ws = open_workspace(data)
        self.addCleanup(self.ws.close)
        self.line = Line(self.ws, shared_pool())
        self.addCleanup(self.line.close)
        self.admin, self.operator = acting(self.ws), acting(self.ws, OPERATOR)
        self.ws.batches.share(self.batch_id, "person", self.operator.person)

    def ready(self) -> str:
        """Make the first document with a type ready, and return it."""
        document = next(d for d in self.ws.batches.load(self.batch_id).in_order() if d.type)
        slip.confirm_type(self.operator, self.line, self.batch_id, document.id)
        kind = self.ws.setup.document_type(document.type)
        assert kind is not None
        for f in kind.fields:
            value = self.ws.batches.load(self.batch_id).document(document.id).values.get(f.id)
            if value is not None and value.items and not value.sure:
                slip.confirm_value(self.operator, self.line, self.batch_id, document.id, f.id)
        self.assertIs(self.ws.batches.load(self.batch_id).document(document.id).state, State.READY)
        return document.id

    def test_a_folder_that_one_may_not_see_is_filed_into_and_not_made_twice(self) -> None:
        document = self.ready()
        kind = self.ws.setup.document_type(self.ws.batches.load(self.batch_id).document(document).type)
        assert kind is not None
        with self.ws.place.database.read() as c:
            before = c.execute(select(t.folder.c.id)).all()
        access.keep_to(
            self.admin,
            Spot(kind.cabinet),
            {Grantee("person", self.operator.person): [Right.FILE], Grantee("role", "administrator"): list(Right)},
        )
        first = filing.file_documents(self.operator, shared_pool(), self.batch_id, [document])
        self.assertEqual((len(first.entries), first.left), (1, []))
        with self.assertRaises(InputProblem):
            browsing.load_document(self.operator, first.entries[0].id)
        self.assertEqual(find(self.operator, first.entries[0].caption.split()[-1]).hits, ())
        filing.take_back(self.admin, self.batch_id, document)
        with self.ws.place.database.read() as c:
            made = c.execute(select(t.folder.c.id)).all()
        again = filing.file_documents(self.operator, shared_pool(), self.batch_id, [document])
        self.assertEqual(len(again.entries), 1)
        with self.ws.place.database.read() as c:
            self.assertEqual(c.execute(select(t.folder.c.id)).all(), made)
        self.assertGreaterEqual(len(made), len(before))

    def test_a_right_that_is_taken_away_while_its_holder_files_leaves_the_documents_with_the_reason(self) -> None:
        document = self.ready()
        begun = filing.begin_filing(self.operator, self.batch_id, [document])
        person = self.ws.setup.person(self.operator.person)
        assert person is not None
        parts.save_part(self.admin, "people", parts.change_part(person, {"roles": ("reader",)}))
        filed = filing.finish_filing(self.operator, shared_pool(), begun)
        self.assertEqual(filed.entries, [])
        self.assertIn("may only look", filed.left[0][1])
        now = self.ws.batches.load(self.batch_id).document(document)
        self.assertEqual((now.state, now.claim), (State.READY, None), "it can be filed by somebody who may")
        with self.assertRaises(NotAllowed):
            slip.confirm_type(self.operator, self.line, self.batch_id, document)

    def test_a_destination_kept_to_others_is_told_and_the_document_stays(self) -> None:
        document = self.ready()
        kind = self.ws.setup.document_type(self.ws.batches.load(self.batch_id).document(document).type)
        assert kind is not None
        access.keep_to(
            self.admin,
            Spot(kind.cabinet),
            {Grantee("role", "reader"): [Right.LOOK], Grantee("role", "administrator"): list(Right)},
        )
        filed = filing.file_documents(self.operator, shared_pool(), self.batch_id, [document])
        self.assertEqual(filed.entries, [])
        self.assertIn("is kept to others; Elspra Towpath may not file there", filed.left[0][1])
        self.assertEqual(self.ws.repository.find_key(document), None)

    def test_a_hidden_duplicate_is_told_to_those_alone_who_oversee(self) -> None:
        document = self.ready()
        batch = self.ws.batches.load(self.batch_id)
        kind = self.ws.setup.document_type(batch.document(document).type)
        assert kind is not None
        filing.file_documents(self.admin, shared_pool(), self.batch_id, [document])
        twin = next(d.id for d in batch.in_order() if d.id != document)
        slip.choose_type(self.admin, self.line, self.batch_id, twin, kind.name)
        for name in kind.key:
            slip.enter_value(
                self.admin, self.line, self.batch_id, twin, name, batch.document(document).values[name].text
            )
        self.assertTrue(kind.key and bench.load_bench(self.operator, self.batch_id).facts[twin].same)
        access.keep_to(
            self.admin,
            Spot(kind.cabinet),
            {Grantee("role", "reader"): [Right.LOOK], Grantee("role", "administrator"): list(Right)},
        )
        self.assertEqual(bench.load_bench(self.operator, self.batch_id).facts[twin].same, ())
        self.assertTrue(bench.load_bench(acting(self.ws, SUPERVISOR), self.batch_id).facts[twin].same)

    def test_work_that_would_go_where_one_may_not_look_is_not_found(self) -> None:
        document = self.ready()
        batch = self.ws.batches.load(self.batch_id).document(document)
        kind = self.ws.setup.document_type(batch.type)
        assert kind is not None
        line = f"type = {kind.name}".replace("type = Mooring agreement", 'type = "Mooring agreement"')
        self.assertIn(document, [h.id for h in find(self.operator, line).hits])
        access.keep_to(
            self.admin,
            Spot(kind.cabinet),
            {Grantee("person", self.operator.person): [Right.FILE], Grantee("role", "administrator"): list(Right)},
        )
        self.assertNotIn(document, [h.id for h in find(self.operator, line).hits])
        self.assertIn(document, [h.id for h in find(self.admin, line).hits])

    def test_routines_and_types_that_are_kept_to_others_are_not_offered(self) -> None:
        setup = self.ws.setup
        kept = {"groups": ("Purchasing",)}
        kinds = tuple(
            k.model_copy(update={"kept_to": type(k.kept_to)(**kept)}) if k.name == "Bill" else k
            for k in setup.document_types
        )
        ways = tuple(
            r.model_copy(update={"kept_to": type(r.kept_to)(**kept)}) if r.name == "Bills" else r
            for r in setup.routines
        )
        self.ws.put_setup(setup.model_copy(update={"document_types": kinds, "routines": ways}), self.admin.person)
        self.assertNotIn("Bill", [k.name for k in self.operator.types()])
        self.assertIn("Bill", [k.name for k in acting(self.ws, SUPERVISOR).types()])
        with self.assertRaisesRegex(InputProblem, "no document type “Bill”"):
            slip.choose_type(self.operator, self.line, self.batch_id, self.ready(), "Bill")
        out = self.folder / "kept.toml"
        setup_admin.export_setup(self.admin, out)
        self.assertIn('groups = ["Purchasing"]', out.read_text())
        setup_admin.import_setup(self.admin, out)
        self.assertNotIn("Bills", [r.name for r in self.operator.routines()])
