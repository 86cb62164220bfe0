"""Cabinets' columns and folders, compared with a plain count over all documents."""

from __future__ import annotations

from collections import Counter
from typing import Any
from unittest.mock import patch

from sqlalchemy import text

from keybundle.core.base.errors import InputProblem
from keybundle.core.fields.values import FieldValue
from keybundle.core.repository.folders import ensure_folder
from keybundle.core.repository.model import NewDocument
from keybundle.core.store.pieces import in_pieces
from keybundle.core.workflows.keep.documents import browsing
from keybundle.core.workflows.session.workspace import Workspace
from tests.support import DataTest, acting, count_filed, filed_ids


class Columns(DataTest):
    def test_counts_agree_with_a_plain_scan_in_any_order(self) -> None:
        # Source: a Python count over every document loaded one by one.
        ws = self.demo_workspace()
        for cabinet in ws.setup.cabinets:
            ids, names = filed_ids(ws, cabinet.id), [f.id for f in cabinet.folder_fields]
            folders = [dict(ws.repository.load(i).folder) for i in ids]
            self.assertEqual(len(ids), count_filed(ws, cabinet.id))
            for order in (names, names[::-1]):
                columns = browsing.load_columns(acting(ws), cabinet.id, order, {}).columns
                for column in columns:
                    self.assertEqual(
                        {e.value: e.count for e in column.entries}, Counter(f[column.field] for f in folders)
                    )
                value = columns[0].entries[0].value
                browsed = browsing.load_columns(acting(ws), cabinet.id, order, {order[0]: value})
                columns, below = browsed.columns, browsed.documents
                inside = [f for f in folders if f[order[0]] == value]
                self.assertEqual({e.value: e.count for e in columns[1].entries}, Counter(f[order[1]] for f in inside))
                self.assertEqual(len(below), len(inside))
            flat = browsing.load_columns(acting(ws), cabinet.id, (), {})
            self.assertEqual((flat.columns, flat.total, list(flat.documents)), ((), len(ids), ids))

    def test_a_folder_value_is_stored_once_and_found_below(self) -> None:
        ws = self.demo_workspace()
        some = ws.repository.load(filed_ids(ws, "Purchasing")[0])
        new = NewDocument("test:1", "Purchasing", (("Year", "1999"), ("Supplier", "Oxlip Dredging")), "Bill", "x",
                          {"Supplier": FieldValue(("Oxlip Dredging",), 1.0)}, some.pages, some.pdf_sha)  # fmt: skip
        first = ws.repository.add(new, "me")
        self.assertEqual(ws.repository.add(new, "me"), first, "the filing key finds what is there")
        other = NewDocument("test:2", *(getattr(new, n) for n in (
            "cabinet", "folder", "type", "caption", "values", "pages", "pdf_sha")))  # fmt: skip
        second = ws.repository.add(other, "me")
        self.assertEqual(set(filed_ids(ws, "Purchasing", {"Year": "1999"})), {first, second})
        with ws.place.database.read() as c:
            folders = c.exec_driver_sql("SELECT count(*) FROM folder WHERE value = '1999'").scalar()
        self.assertEqual(folders, 1)
        ws.repository.take_back(first, "me")
        self.assertEqual(filed_ids(ws, "Purchasing", {"Year": "1999"}), [second])
        for act in (lambda: ws.repository.load(first), lambda: ws.repository.take_back(first, "me")):
            with self.assertRaisesRegex(InputProblem, "no longer in the repository"):
                act()
        self.assertEqual(ws.repository.load(second).folder, (("Year", "1999"), ("Supplier", "Oxlip Dredging")))

    def test_many_documents_are_listed_with_their_values_and_without_their_pages(self) -> None:
        ws = self.demo_workspace()
        ids = [i for c in ws.setup.cabinets for i in filed_ids(ws, c.name)]
        found = browsing.load_rows(acting(ws), ids)
        self.assertEqual(set(found), set(ids))
        self.assertTrue(all(d.values and not d.pages for d in found.values()))
        self.assertEqual(browsing.document_fields(acting(ws), "Letters")[:2], ["Sender", "Subject"])


class Sorting(DataTest):
    def columns(self, ws: Workspace) -> list[str]:
        return [e.value for e in browsing.load_columns(acting(ws), "Purchasing", ("Supplier",), {}).columns[0].entries]

    def test_folders_follow_the_locale_and_a_change_that_was_stopped_goes_on_at_the_next_start(self) -> None:
        # Source: CLDR: Swedish sorts å, ä and ö after z, German ä with a and ö with o.
        ws = self.demo_workspace()
        names = ("Zander", "Ärla", "Odin", "Örn", "Adler")
        with ws.place.database.atomic() as c:
            for name in names:
                ensure_folder(c, "Purchasing", (("Year", "2020"), ("Supplier", name)), ws.setup.locale)
            c.execute(text("UPDATE folder SET documents = 1"))
        own = lambda: [v for v in self.columns(ws) if v in names]  # noqa: E731
        german = ["Adler", "Ärla", "Odin", "Örn", "Zander"]
        self.assertEqual(own(), german)
        swedish = ws.setup.model_copy(update={"locale": "sv_SE"})

        def one_piece(database: Any, items: Any, work: Any) -> None:
            in_pieces(database, items[:1], work)
            raise OSError("the plug was pulled")

        with patch("keybundle.core.repository.folders.in_pieces", one_piece), self.assertRaises(OSError):
            ws.put_setup(swedish, "")
        ws.sort_folders()
        self.assertEqual(own(), ["Adler", "Odin", "Zander", "Ärla", "Örn"])
        ws.put_setup(swedish.model_copy(update={"locale": "de_DE"}), "")
        self.assertEqual(own(), german)
