"""The viewer and sending: whole tasks by keys, from a word that is searched to the message that has left."""

from __future__ import annotations

import email
import email.policy
import re
import subprocess
import threading
import unittest
from collections.abc import Callable
from pathlib import Path
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from PySide6.QtGui import QDesktopServices, QDrag
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget
from shiboken6 import Shiboken

from keybundle.core.setup.model import MailServer
from keybundle.core.workflows.find import find
from keybundle.demo.mail_server import StandInMailServer
from keybundle.desktop.app import Desktop
from keybundle.desktop.views.page_geometry import WHOLE, Geometry
from keybundle.desktop.views.send_sheet import SendSheet
from keybundle.desktop.views.viewer_window import ViewerWindow
from tests.desktop.support import DesktopTest
from tests.support import acting, filed_ids, is_copy

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
WHO = "Elspra Towpath"
GEOMETRIES = st.builds(
    Geometry, page=st.tuples(st.integers(50, 20_000), st.integers(50, 20_000)),
    surface=st.tuples(st.floats(100, 3000), st.floats(100, 2000)), zoom=st.sampled_from([WHOLE, 0.5, 1.0, 2.5, 6.0]),
    centre=st.tuples(st.floats(0, 1), st.floats(0, 1)), turn=st.sampled_from([0, 90, 180, 270]),
)  # fmt: skip


class Surface(unittest.TestCase):
    @given(GEOMETRIES, st.floats(0, 1), st.floats(0, 1))
    def test_a_point_of_the_page_is_found_again_under_the_pointer(self, at: Geometry, x: float, y: float) -> None:
        box = (round(x * at.page[0]), round(y * at.page[1])) * 2
        left, top, _, _ = at.rect_of(box)  # type: ignore[arg-type]
        found = at.point_at(left, top)
        self.assertAlmostEqual(found[0], box[0], delta=1e-3 * max(at.page))
        self.assertAlmostEqual(found[1], box[1], delta=1e-3 * max(at.page))

    @given(GEOMETRIES, st.floats(-5000, 5000), st.floats(-5000, 5000))
    def test_no_room_is_left_empty_beside_a_large_page_however_it_is_drawn_along(
        self, at: Geometry, x: float, y: float
    ) -> None:
        moved = at.moved(x, y)
        for start, length, edge, room in zip(
            moved.target[:2], moved.target[2:], moved.area[:2], moved.area[2:], strict=True
        ):
            if length >= room:
                self.assertLessEqual(start, edge + 1e-6)
                self.assertGreaterEqual(start + length, edge + room - 1e-6)

    @given(GEOMETRIES, st.floats(0, 0.9), st.floats(0, 0.9))
    def test_what_is_to_be_seen_is_in_sight(self, at: Geometry, x: float, y: float) -> None:
        wide, high = at.page
        box = (
            round(x * wide),
            round(y * high),
            round(x * wide) + max(1, wide // 50),
            round(y * high) + max(1, high // 50),
        )
        there = at.on(box)
        left, top, width, height = there.rect_of(box)
        if width < there.area[2] and height < there.area[3]:
            self.assertTrue(left + width / 2 >= 0 and left + width / 2 <= there.surface[0])
            self.assertTrue(top + height / 2 >= 0 and top + height / 2 <= there.surface[1])


class Looking(DesktopTest):
    def setUp(self) -> None:
        super().setUp()
        self.desktop: Desktop = self.start()
        self.desktop.begin(WHO)
        assert self.desktop.window is not None
        self.window = self.desktop.window
        self.out = self.folder / "out"

    def press(self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """Press a key where the keyboard is."""
        target = self.app.focusWidget()
        assert isinstance(target, QWidget), "nothing has the keyboard"
        self.key(target, key, modifier)

    def search(self, words: str) -> None:
        self.window.go_find()
        finder = self.window.finder
        for letter in words:  # to the names that are offered, while they are, as a keyboard does
            QTest.keyClicks(self.app.activePopupWidget() or finder.line, letter)
            self.spin(0.05)
        self.press(Qt.Key.Key_Return)
        self.until(lambda: finder.presenter.state.hits and finder.hits.hasFocus(), 10, "hits")
        self.until(lambda: finder.page.shown is not None, 30, "the page of the first hit")

    def viewer(self) -> ViewerWindow:
        self.until(
            lambda: self.window.viewers.windows and self.window.viewers.windows[-1].viewer.presenter.shown,
            30,
            "the viewer",
        )
        found = self.window.viewers.windows[-1]
        self.until(lambda: self.is_in_front(found), 10, "the viewer in front")
        found.viewer.page.setFocus()
        return found

    def story(self, document_id: str) -> list[str]:
        from keybundle.core.workflows.keep.documents.story import load_story

        return [h.what for h in load_story(acting(self.desktop.workspace), document_id)]

    def longest(self) -> str:
        ws = self.desktop.workspace
        ids = [i for c in ws.setup.cabinets for i in filed_ids(ws, c.name)]
        return max(ids, key=lambda i: len(ws.repository.load(i).pages))

    def sheet_to(self, way: str) -> SendSheet:
        sheet = self.sheet(SendSheet)
        self.until(
            lambda: sheet.send.isEnabled() and sheet.what.text().endswith(("page", "pages")), 20, "what goes out"
        )
        sheet.choose_way(way)
        return sheet

    def is_gone(self, sheet: SendSheet) -> bool:
        return not Shiboken.isValid(sheet) or not sheet.isVisible()

    def type_into(self, line: QWidget, text: str) -> None:
        line.setFocus()
        line.selectAll()  # type: ignore[attr-defined]
        QTest.keyClicks(line, text)

    def test_of_two_sheets_each_sends_what_it_names(self) -> None:
        ws = self.desktop.workspace
        one, other = [i for c in ws.setup.cabinets for i in filed_ids(ws, c.name)][:2]
        sheets = []
        for place, document in (("for one", one), ("for other", other)):
            self.window.viewers.open(document)
            viewer = self.viewer()
            viewer.viewer.page.setFocus()
            self.press(Qt.Key.Key_E, CTRL)
            self.until(lambda: viewer.edge.shown is not None, 10)  # noqa: B023
            sheet = viewer.edge.shown
            assert isinstance(sheet, SendSheet)
            self.until(lambda: sheet.send.isEnabled() and sheet.what.text().count("\n") == 1, 20)  # noqa: B023
            self.assertEqual(sheet.what.text().split("\n")[0], ws.repository.load(document).caption)
            sheet.choose_way("folder")
            self.type_into(sheet.folder, str(self.folder / place))
            sheets.append(sheet)
        first, second = sheets
        self.assertEqual(first.folder.text(), str(self.folder / "for one"), "the second one changed nothing of it")
        first.window().activateWindow()
        self.until(first.window().isActiveWindow, 10)
        first.folder.setFocus()
        self.press(Qt.Key.Key_Return, CTRL)
        self.until(lambda: self.is_gone(first), 30, "its own sending to end")
        self.assertEqual(self.story(one), ["filed", "sent"])
        self.assertEqual(self.story(other), ["filed"])
        self.assertFalse(self.is_gone(second), "the other one still waits for its answer")
        (made,) = (self.folder / "for one").iterdir()
        self.assertIn(ws.repository.load(one).caption.split(" ")[-1], made.name)

    def test_find_look_send_and_send_again(self) -> None:
        self.search("the")
        self.press(Qt.Key.Key_N)
        framed = self.window.finder.page.shown
        self.assertIsNotNone(framed.frame if framed else None, "the first place is framed")
        self.press(Qt.Key.Key_Return)
        window = self.viewer()
        viewer, p = window.viewer, window.viewer.presenter
        self.press(Qt.Key.Key_N)
        self.assertIn("1 of", viewer.pane.marks.text())
        shown = p.shown
        assert shown is not None and shown.frame is not None
        self.assertTrue(all(w.text.casefold().startswith("the") for w in shown.words if w.box == shown.frame))
        self.press(Qt.Key.Key_2)
        self.assertIn("the", viewer.text.text.toPlainText().casefold())
        self.press(Qt.Key.Key_L, CTRL)
        first_word = shown.words[0].text
        QTest.keyClicks(self.app.focusWidget(), first_word)
        self.press(Qt.Key.Key_Right)
        self.press(Qt.Key.Key_Return)
        self.assertEqual(self.app.clipboard().text(), f"{first_word} {shown.words[1].text}")
        self.press(Qt.Key.Key_E, CTRL)
        sheet = self.sheet_to("folder")
        self.type_into(sheet.folder, str(self.out))
        self.press(Qt.Key.Key_Return, CTRL)
        self.until(lambda: self.is_gone(sheet), 30, "the sending to end")
        (first,) = list(self.out.iterdir())
        self.assertTrue(first.read_bytes().startswith(b"%PDF-"))
        self.until(lambda: any("Written into" in line.what for line in p.state.story), 10, "the story to tell it")
        viewer.page.setFocus()
        self.press(Qt.Key.Key_E, CTRL | SHIFT)
        again = self.sheet_to("folder")
        self.assertEqual(again.folder.text(), str(self.out))
        self.press(Qt.Key.Key_Return, CTRL)
        self.until(lambda: len(list(self.out.iterdir())) == 2, 30, "the second file beside the first")
        self.until(lambda: self.story(p.state.document) == ["filed", "sent", "sent"], 10)
        viewer.page.setFocus()
        self.press(Qt.Key.Key_Escape)
        self.assertEqual(self.window.viewers.windows, [])

    def test_pages_by_keys_with_the_neighbours_there_before(self) -> None:
        self.window.viewers.open(self.longest())
        viewer, p = self.viewer().viewer, self.window.viewers.windows[0].viewer.presenter
        pages = p.state.pages
        self.assertGreaterEqual(pages, 3)
        cached: Callable[[int], bool] = lambda i: self.desktop.window.seat.pictures.find(p._key(i)) is not None  # type: ignore[union-attr]  # noqa: E731
        self.until(lambda: cached(1) and cached(2), 30, "the next pages")
        self.press(Qt.Key.Key_Right)
        self.assertEqual((p.state.position, viewer.pane.told.text()), (1, f"Page 2 of {pages}"))
        self.press(Qt.Key.Key_End)
        self.until(lambda: p.shown and p.shown.page == p.document.pages[-1].page_id, 30, "the last page")  # type: ignore[union-attr]
        self.press(Qt.Key.Key_Right)
        self.assertEqual(p.state.position, pages - 1)
        self.press(Qt.Key.Key_Home)
        self.assertEqual(p.state.position, 0)
        self.press(Qt.Key.Key_0)
        self.press(Qt.Key.Key_Down)
        self.assertEqual(p.state.position, 1, "with the whole page in sight Down turns to the next one")
        for _ in range(6):
            self.press(Qt.Key.Key_Plus)
        self.until(lambda: p.shown and p.shown.is_full, 30, "the sharp picture")
        upright = viewer.page.geometry_now.turned
        self.press(Qt.Key.Key_R)
        self.assertEqual(viewer.page.geometry_now.turned, upright[::-1])

    def test_several_documents_from_a_cabinet_and_leafing_through_them_large(self) -> None:
        self.window.go_cabinets()
        cabinets = self.window.cabinets
        self.until(lambda: cabinets.model.rowCount() > 2, 10)
        cabinets.table.selectRow(0)
        cabinets.table.setFocus()
        p = cabinets.presenter.pages
        self.until(lambda: p.shown, 30, "the first document's page")
        narrow, first = cabinets.page.width(), p.state.document
        self.press(Qt.Key.Key_Space)
        self.spin(0.2)
        self.assertGreater(cabinets.page.width(), 1.5 * narrow)
        self.press(Qt.Key.Key_Down)
        self.until(lambda: p.state.document not in ("", first), 20, "the next document")
        self.press(Qt.Key.Key_Space)
        self.spin(0.2)
        self.assertLess(cabinets.page.width(), 1.5 * narrow)
        self.press(Qt.Key.Key_Up, SHIFT)
        self.until(lambda: len(cabinets.presenter.state.chosen) == 2, 10)
        self.press(Qt.Key.Key_E, CTRL)
        sheet = self.sheet_to("folder")
        self.assertIn("2 documents", sheet.what.text())
        self.type_into(sheet.names, "{nothing like that}")
        self.until(lambda: "No document has a field" in sheet.problem.text(), 10)
        self.assertFalse(sheet.send.isEnabled())
        self.type_into(sheet.names, "{counter} {type}")
        self.until(lambda: sheet.example.text().endswith(".pdf") and "0001" in sheet.example.text(), 10)
        self.type_into(sheet.folder, str(self.out))
        self.press(Qt.Key.Key_Return, CTRL)
        self.until(lambda: self.is_gone(sheet), 30)
        self.assertEqual([p.name[:4] for p in sorted(self.out.iterdir())], ["0001", "0002"])
        self.press(Qt.Key.Key_Return)
        self.viewer()

    def test_by_mail_and_told_whom_the_server_refused(self) -> None:
        # Source: the message as the package aiosmtpd received it, read by the standard library (RFC 5322, RFC 2045).
        server = StandInMailServer(self.folder / "post")
        server.start()
        self.addCleanup(server.stop)
        ws = self.desktop.workspace
        mail = MailServer(
            host="127.0.0.1", port=server.port, sender="archive@larkmere.example", text="Herewith {caption}."
        )
        ws.change_setup("", lambda setup: setup.model_copy(update={"mail": mail}))
        document = self.longest()
        self.window.viewers.open(document)
        self.viewer()
        self.press(Qt.Key.Key_E, CTRL)
        sheet = self.sheet_to("mail")
        self.type_into(sheet.address, "not an address")
        self.press(Qt.Key.Key_Return, CTRL)
        self.until(lambda: "is no e-mail address" in self.window.message.text(), 20)
        self.assertTrue(sheet.isVisible(), "the sheet stays where something is in the way")
        self.type_into(sheet.address, "Åsa <asa@holme.example>, nobody@holme.example")
        self.press(Qt.Key.Key_Return, CTRL)
        self.until(lambda: "refused nobody@holme.example" in self.window.message.text(), 30)
        (kept,) = (self.folder / "post").glob("*.eml")
        message = email.message_from_bytes(kept.read_bytes(), policy=email.policy.default)
        (file,) = message.iter_attachments()
        stored = ws.place.files.path(ws.repository.load(document).pdf_sha)
        caption = ws.repository.load(document).caption
        self.assertEqual(file.get_content_type(), "application/pdf")
        self.assertTrue(is_copy(file.get_content(), stored.read_bytes()), "but for its title")
        self.assertEqual((message["Subject"], file.get_filename()), (caption, f"{caption}.pdf"))
        self.assertIn(f"Herewith {caption}.", message.get_body(("plain",)).get_content())  # type: ignore[union-attr]
        self.assertEqual(kept.with_suffix(".to").read_text(), "asa@holme.example")
        self.assertEqual(self.story(document), ["filed", "sent", "not sent"])

    def test_a_mail_server_that_hangs_up_or_is_not_there_keeps_everything_here(self) -> None:
        ws = self.desktop.workspace
        mail = MailServer(host="127.0.0.1", port=9, sender="archive@larkmere.example")
        ws.change_setup("", lambda setup: setup.model_copy(update={"mail": mail}))
        self.window.viewers.open(self.longest())
        self.viewer()
        self.press(Qt.Key.Key_E, CTRL)
        sheet = self.sheet_to("mail")
        self.type_into(sheet.address, "asa@holme.example")
        self.press(Qt.Key.Key_Return, CTRL)
        self.until(lambda: "cannot be reached" in self.window.message.text(), 30)
        self.assertTrue(sheet.isVisible())
        self.assertEqual(list(ws.place.cache.glob("sending-*")), [])

    def test_onto_paper_that_has_the_size_of_the_page(self) -> None:
        # Source: page sizes by poppler's pdfinfo; A4 is 210 by 297 mm, 595 by 842 points (ISO 216).
        document = self.longest()
        self.window.viewers.open(document)
        self.viewer()
        self.press(Qt.Key.Key_E, CTRL)
        sheet = self.sheet_to("print")
        sheet.printer.setCurrentIndex(sheet.printer.count() - 1)
        target = self.folder / "printed.pdf"
        self.type_into(sheet.into, str(target))
        self.press(Qt.Key.Key_Return, CTRL)
        self.until(lambda: self.is_gone(sheet) and target.exists(), 60, "the print to end")
        said = subprocess.run(["pdfinfo", "-l", "99", target], capture_output=True, text=True, check=True).stdout
        sizes = [tuple(map(float, m)) for m in re.findall(r"size:\s+([\d.]+) x ([\d.]+)", said)]
        pages = self.desktop.workspace.repository.load(document).pages
        self.assertEqual(len(sizes), len(pages))
        for (width, height), page in zip(sizes, pages, strict=True):
            expected = [v * 72 / page.dpi for v in page.frame.upright_size]
            self.assertLess(abs(width - expected[0]) + abs(height - expected[1]), 12)
        self.assertEqual(self.story(document), ["filed", "sent"])
        self.assertEqual([p for p in Path(self.desktop.workspace.place.cache).glob("printing-*")], [])

    def test_two_windows_each_with_its_own_places_and_keys(self) -> None:
        self.press(Qt.Key.Key_N, CTRL | SHIFT)
        first, second = self.window.shell.windows
        self.until(lambda: self.is_in_front(second), 10, "the window beside")
        self.press(Qt.Key.Key_2, CTRL)
        self.until(lambda: second.stack.currentWidget() is second.cabinets, 10)
        self.assertIs(first.stack.currentWidget(), first.work)
        self.until(lambda: second.cabinets.model.rowCount() > 0, 10)
        document = second.cabinets.model.id_at(0)
        first.viewers.open(str(document))
        self.until(lambda: first.viewers.windows and first.viewers.windows[0].viewer.presenter.shown, 30)
        second.close()
        self.spin(0.1)
        self.assertEqual(
            (self.window.shell.windows, len(first.viewers.windows)), ([first], 1), "the other window's viewer stays"
        )

    def test_dragged_out_as_files_and_told_once_they_were_taken(self) -> None:
        self.window.go_cabinets()
        table = self.window.cabinets.table
        self.until(lambda: self.window.cabinets.model.rowCount() > 2, 10)
        table.selectRow(0)
        table.setFocus()
        self.press(Qt.Key.Key_Down, SHIFT)
        self.until(lambda: len(self.window.cabinets.presenter.state.chosen) == 2, 10)
        taken: list[list[bytes]] = []

        def drop(drag: QDrag) -> Qt.DropAction:
            taken.append([Path(u.toLocalFile()).read_bytes()[:5] for u in drag.mimeData().urls()])
            return Qt.DropAction.IgnoreAction if len(taken) == 1 else Qt.DropAction.CopyAction

        table.out.run = drop
        ids = self.window.cabinets.presenter.state.chosen
        table.startDrag(Qt.DropAction.CopyAction)
        self.assertEqual((taken, self.story(ids[0])), ([[b"%PDF-"] * 2], ["filed"]), "let go over nothing")
        table.startDrag(Qt.DropAction.CopyAction)
        self.until(lambda: [self.story(i) for i in ids] == [["filed", "sent"]] * 2, 10)
        with mock.patch("keybundle.desktop.presenters.sending.MOST_DRAGGED_BYTES", 1000):
            table.startDrag(Qt.DropAction.CopyAction)
        self.assertEqual(len(taken), 2, "too much to be copied within a drag")
        self.assertIn("too much to drag", self.window.message.text())

    def test_without_a_server_a_message_lies_ready_and_is_made_so_again(self) -> None:
        document = self.longest()
        self.window.viewers.open(document)
        viewer = self.viewer().viewer
        self.press(Qt.Key.Key_E, CTRL)
        sheet = self.sheet_to("mail")
        self.assertIn("your own mail program", sheet.by.text())
        self.type_into(sheet.address, "asa@holme.example")
        opened: list[str] = []
        with mock.patch.object(QDesktopServices, "openUrl", lambda url: opened.append(url.toLocalFile()) or True):
            self.press(Qt.Key.Key_Return, CTRL)
            self.until(lambda: opened and self.is_gone(sheet), 30, "the mail program to be asked")
        message = email.message_from_bytes(Path(opened[0]).read_bytes(), policy=email.policy.default)
        self.assertEqual((message["X-Unsent"], str(message["To"])), ("1", "asa@holme.example"))
        self.assertEqual([p.get_content_type() for p in message.iter_attachments()], ["application/pdf"])
        self.until(lambda: any("Put into a message to asa" in x.what for x in viewer.presenter.state.story), 10)
        viewer.page.setFocus()
        self.press(Qt.Key.Key_E, CTRL | SHIFT)
        again = self.sheet(SendSheet)
        self.until(
            lambda: again.way == "mail" and again.address.text() == "asa@holme.example", 10, "as it was sent last"
        )

    def test_a_page_whose_file_is_gone_is_told_in_its_place_and_the_others_show(self) -> None:
        document, ws = self.longest(), self.desktop.workspace
        pages = ws.repository.load(document).pages
        ws.place.files.path(pages[0].picture[0]).unlink()
        self.window.viewers.open(document)
        p = self.viewer().viewer.presenter
        self.until(lambda: p.shown and p.shown.told, 20, "what is wrong with the page")
        assert p.shown is not None
        self.assertEqual((p.shown.page, p.shown.image), (pages[0].page_id, None))
        self.press(Qt.Key.Key_Right)
        self.until(lambda: p.shown and p.shown.page == pages[1].page_id and not p.shown.told, 20, "the next page")
        self.press(Qt.Key.Key_E, CTRL)
        sheet = self.sheet_to("folder")
        sheet.form.setCurrentIndex(sheet.form.findData("png"))
        self.type_into(sheet.folder, str(self.out))
        self.press(Qt.Key.Key_Return, CTRL)
        self.until(lambda: "1 left out" in self.window.message.text(), 30, "that it could not go")
        self.assertTrue(sheet.isVisible())
        self.assertEqual([x for x in self.out.rglob("*") if x.is_file()], [])

    def test_an_answer_that_comes_after_the_line_was_emptied_is_not_shown(self) -> None:
        self.search("the")
        finder, gate = self.window.finder, threading.Event()
        self.addCleanup(gate.set)
        real = find.find
        with mock.patch.object(find, "find", lambda *a, **k: (gate.wait(10), real(*a, **k))[1]):
            finder.presenter.search("towpath")
            self.press(Qt.Key.Key_Escape)
            self.assertEqual((finder.line.text(), finder.presenter.state.hits), ("", ()))
            gate.set()
            self.spin(0.5)
        self.assertEqual(finder.presenter.state.hits, ())
