"""Documents that leave: each form against readers from outside, names that land anywhere, and what goes wrong on the way."""

from __future__ import annotations

import csv
import errno
import io
import json
import os
import subprocess
import sys
import unicodedata
import unittest
from pathlib import Path
from unittest import mock
from xml.etree import ElementTree

import pikepdf
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from keybundle.core.base.errors import InputProblem
from keybundle.core.base.progress import CancelToken, Step
from keybundle.core.export import landing
from keybundle.core.export.forms import FORMS
from keybundle.core.export.message import Letter, read_addresses
from keybundle.core.export.naming import MOST_BYTES, safe_name, suffix_of, unlike
from keybundle.core.export.tables import as_csv
from keybundle.core.fields.values import FieldValue
from keybundle.core.reading.text import PageText
from keybundle.core.repository import audit
from keybundle.core.repository.model import FiledDocument, NewDocument
from keybundle.core.workflows.find.find import find_filed_ids
from keybundle.core.workflows.keep.documents.story import load_story
from keybundle.core.workflows.send.mailing import mail_documents
from keybundle.core.workflows.send.sending import STOPPED, send_to_folder
from keybundle.core.workflows.send.wishes import Sent, Wish, last_wish, say_shared
from keybundle.demo.names import PEOPLE
from tests.support import DataTest, acting, run_cli, sampled, shared_pool

WHO = PEOPLE[0][0]
READER = next(p[0] for p in PEOPLE if p[1] == "reader")


class Names(unittest.TestCase):
    @given(st.text(max_size=400), st.sampled_from(["", ".pdf", ".hocr"]))
    def test_every_name_is_one_that_a_file_system_takes(self, text: str, suffix: str) -> None:
        # Source: POSIX NAME_MAX on Linux; the characters and names that Windows reserves, from memory.
        name = safe_name(text, suffix)
        self.assertTrue(name.endswith(suffix) and len(name) > len(suffix))
        self.assertLessEqual(len(name.encode()), MOST_BYTES)
        self.assertFalse(set(name) & set('<>:"/\\|?*\0\n'))
        self.assertFalse(name.startswith((" ", ".")) or name.endswith((" ", ".")))
        self.assertNotIn(name.partition(".")[0].upper(), {"CON", "NUL", "COM1", "LPT9"})

    def test_two_alike_are_told_apart_in_whatever_case(self) -> None:
        taken: set[str] = set()
        made = [unlike(n, taken) for n in ("Bill.pdf", "bill.pdf", "Bill.pdf", "Bill (2).pdf", "Bill")]
        self.assertEqual(made, ["Bill.pdf", "bill (2).pdf", "Bill (3).pdf", "Bill (2) (2).pdf", "Bill"])

    def test_a_file_without_a_suffix_gets_the_one_it_begins_with(self) -> None:
        out = io.BytesIO()
        for form, suffix in (("PNG", ".png"), ("JPEG", ".jpg"), ("TIFF", ".tif"), ("WEBP", ".webp"), ("PDF", ".pdf")):
            out = io.BytesIO()
            Image.new("L", (8, 8)).save(out, form)
            self.assertEqual(suffix_of("scan 2026-03-01", out.getvalue()[:16]), suffix)
        self.assertEqual(suffix_of("letter.TIF", b"%PDF-1.4"), ".TIF")


class Leaving(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.out = self.folder / "out"
        self.ids = find_filed_ids(acting(self.ws), "filed > 2000")

    def send(self, *ids: str, cancel: CancelToken | None = None, **wish: object) -> Sent:
        return send_to_folder(
            acting(self.ws, WHO), shared_pool(), ids or self.ids, Wish(**wish), self.out, cancel=cancel
        )

    def documents(self) -> list[FiledDocument]:
        return [self.ws.repository.load(i) for i in self.ids]

    def longest(self) -> FiledDocument:
        return max(self.documents(), key=lambda d: len(d.pages))

    def leftovers(self) -> list[Path]:
        return [p for p in self.out.rglob("*") if p.name.startswith(".part")]

    def test_each_form_leaves_whole_and_is_told_in_the_story(self) -> None:
        ids = self.ids[: sampled(14, 4)]
        pages = sum(len(d.pages) for d in self.documents() if d.id in ids)
        for form in FORMS:
            sent = self.send(*ids, form=form.key, folders=True)
            self.assertEqual((len(sent.documents), sent.refused, sent.stopped), (len(ids), [], ""), form.key)
            expected = pages if form.by_page else len(ids)
            self.assertGreaterEqual(len(sent.files), expected, form.key)
            self.assertEqual(sent.size, sum(p.stat().st_size for p in sent.files))
        self.assertEqual(self.leftovers(), [])
        story = load_story(acting(self.ws), self.ids[0])
        self.assertEqual([h.what for h in story], ["filed", *["sent"] * len(FORMS)])
        self.assertEqual(last_wish(acting(self.ws), self.ids[0])[0], Wish("json", folders=True))  # type: ignore[index]
        with self.ws.place.database.read() as c:
            self.assertEqual(audit.verify(c), "whole")

    def test_a_draft_replaces_no_other_and_no_header_is_made_of_an_address(self) -> None:
        me, letter = acting(self.ws), Letter(("a@b.example",), "Your documents", "Herewith.")
        drafts = [
            mail_documents(me, shared_pool(), self.ids[:1], Wish("csv"), letter).draft for _ in range(2)
        ]  # fmt: skip
        self.assertEqual([d.name for d in drafts if d], ["Your documents.eml", "Your documents (2).eml"])
        self.assertTrue(all(d and d.exists() for d in drafts))
        for wrong in ("a@b.example\rBcc: e@x.example", "a@b.example\x0bBcc: e@x.example", "a@b.example\x00"):
            with self.assertRaises(InputProblem):
                read_addresses(wrong)

    def test_pdf_of_many_is_pdfa_with_their_pages_in_order(self) -> None:
        # Source: ISO 19005-1 level b by Apache PDFBox Preflight; page texts by poppler's pdftotext.
        (path,) = self.send(form="pdfa", together=True).files
        said = subprocess.run(
            ["java", "-cp", "/usr/share/java/*", "org.apache.pdfbox.preflight.Validator_A1b", str(path)],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        self.assertIn("is a valid PDF/A-1b file", said.stdout + said.stderr)
        text = subprocess.run(["pdftotext", path, "-"], capture_output=True, text=True, check=True).stdout
        told = text.split("\f")[:-1]
        words = [PageText.from_bytes(p.text).words for d in self.documents() for p in d.pages]
        self.assertEqual(len(told), len(words))
        for page, own in zip(told, words, strict=True):
            self.assertGreater(sum(w.text in page for w in own), 0.9 * len(own))
        with pikepdf.open(path) as pdf, pdf.open_outline() as outline:
            self.assertEqual([x.title for x in outline.root], [d.caption for d in self.documents()])

    def test_text_with_places_is_what_its_standards_ask(self) -> None:
        # Source: hOCR 1.2 by the package hocr-spec; ALTO 4 by clauses of its schema from memory.
        document = self.longest()
        (hocr,) = self.send(document.id, form="hocr").files
        check = [Path(sys.executable).with_name("hocr-spec"), hocr]
        checked = subprocess.run(check, capture_output=True, text=True, check=False)
        self.assertEqual((checked.returncode, "[ERROR]" in checked.stdout), (0, False), checked.stdout)
        (alto,) = self.send(document.id, form="alto").files
        root, ns = ElementTree.parse(alto).getroot(), {"a": "http://www.loc.gov/standards/alto/ns-v4#"}
        words = [w for p in document.pages for w in PageText.from_bytes(p.text).words]
        strings = root.findall(".//a:Page/a:PrintSpace/a:TextBlock/a:TextLine/a:String", ns)
        self.assertEqual([s.get("CONTENT") for s in strings], [w.text for w in words])
        ids = [e.get("ID") for e in root.iter() if e.get("ID")]
        self.assertEqual(len(ids), len(set(ids)))
        self.assertTrue(all(0 <= float(s.get("WC") or -1) <= 1 for s in strings))

    def test_pictures_stand_upright_at_their_resolution(self) -> None:
        document = self.longest()
        (tiff,) = self.send(document.id, form="tiff").files
        with Image.open(tiff) as image:
            self.assertEqual(image.n_frames, len(document.pages))
            for i, page in enumerate(document.pages):
                image.seek(i)
                self.assertEqual((image.size, round(image.info["dpi"][0])), (page.frame.upright_size, round(page.dpi)))
        pngs = self.send(document.id, form="png").files
        self.assertEqual(len(pngs), len(document.pages))
        with Image.open(pngs[0]) as image:
            self.assertEqual(image.size, document.pages[0].frame.upright_size)

    def test_values_are_read_back_by_others(self) -> None:
        (path,) = self.send(form="csv", together=True).files
        with path.open(encoding="utf-8", newline="") as file:
            rows = {r["number"]: r for r in csv.DictReader(file)}
        (path,) = self.send(form="json", together=True).files
        told = json.loads(path.read_text())
        for document in self.documents():
            row = rows[str(document.number)]
            self.assertEqual({n: row[n] for n in document.values}, {n: v.text for n, v in document.values.items()})
        self.assertEqual({t["id"] for t in told}, set(self.ids))

    def test_a_file_that_holds_pages_of_another_document_too_is_told(self) -> None:
        one, two = self.documents()[:2]
        new = NewDocument(
            "shared",
            two.cabinet,
            two.folder,
            two.type,
            "Two in one",
            two.values,
            (one.pages[0], *two.pages[1:]),
            two.pdf_sha,
        )
        both = [self.ws.repository.add(new, WHO), one.id]
        sent = self.send(*both, form="received")
        self.assertEqual(sorted(sent.shared), sorted(["Two in one", one.caption]))
        self.assertIn("hold pages of other documents too", say_shared(sent))
        self.ws.repository.take_back(both[0], WHO)
        self.assertEqual(say_shared(self.send(one.id, form="received")), "")
        self.assertEqual(say_shared(self.send(one.id)), "", "a PDF/A holds its own pages alone")

    def test_nothing_is_written_over_and_names_come_from_values(self) -> None:
        first, again = self.send(names="{type} {counter}").files, self.send(names="{type} {counter}").files
        self.assertEqual(len({*first, *again}), 28)
        self.assertTrue(all(" (2)" in p.name for p in again))
        with self.assertRaisesRegex(InputProblem, "has a field “Suplier”"):
            self.send(names="{Suplier}")
        with self.assertRaisesRegex(InputProblem, "may only look"):
            send_to_folder(acting(self.ws, READER), shared_pool(), self.ids, Wish(), self.out)

    def test_a_stored_file_that_is_gone_or_changed_costs_its_document_alone(self) -> None:
        one, two = self.documents()[:2]
        self.ws.place.files.path(one.pdf_sha).unlink()
        path = self.ws.place.files.path(two.pdf_sha)
        path.chmod(0o644)
        path.write_bytes(path.read_bytes()[:-1] + b"?")
        for together in (False, True):
            sent = self.send(together=together)
            self.assertEqual((len(sent.documents), sent.stopped), (12, ""))
            self.assertEqual([c for c, _ in sent.refused], [one.caption, two.caption])
        picture = self.longest()
        self.ws.place.files.path(picture.pages[-1].picture[0]).write_bytes(b"II*\0 cut")
        sent = self.send(form="png")
        self.assertEqual([c for c, _ in sent.refused], [picture.caption])
        self.assertEqual(self.leftovers(), [])

    def test_a_full_disk_ends_it_and_what_is_there_is_whole(self) -> None:
        # The disk is said to be full by the copy of the sixth document.
        real, count = landing._stored_blocks, iter(range(100))

        def blocks(source: Path) -> object:
            if next(count) == 5:
                raise OSError(errno.ENOSPC, "No space left on device")
            return real(source)

        with mock.patch.object(landing, "_stored_blocks", blocks):
            sent = self.send()
        self.assertIn("no space left", sent.stopped)
        self.assertIn(len(sent.documents), (5, 6), "two are copied at a time")
        self.assertEqual(sorted(self.out.iterdir()), sorted(sent.files))
        self.assertTrue(all(p.read_bytes().startswith(b"%PDF-") for p in sent.files))
        told = [i for i in self.ids if any(h.what == "sent" for h in load_story(acting(self.ws), i))]
        self.assertEqual(told, [d.id for d in sent.documents], "what is not there is not told as sent")

    def test_stopped_it_says_so_and_leaves_nothing_half(self) -> None:
        token = CancelToken()

        def stop(step: Step) -> None:
            if step.done == 3:
                token.cancel()

        with mock.patch("keybundle.core.workflows.send.sending.CHUNK", 4):
            sent = send_to_folder(
                acting(self.ws, WHO), shared_pool(), self.ids, Wish(), self.out, progress=stop, cancel=token
            )
        self.assertTrue(sent.stopped)
        self.assertEqual((len(sent.documents), self.leftovers()), (3, []))

    def test_stopped_among_pictures_it_ends_with_the_one_that_is_being_drawn(self) -> None:
        token = CancelToken()

        def stop(step: Step) -> None:
            if step.done == 2:
                token.cancel()

        wish = Wish("tiff")
        sent = send_to_folder(
            acting(self.ws, WHO), shared_pool(), self.ids, wish, self.out, progress=stop, cancel=token
        )
        self.assertEqual((sent.stopped, len(sent.documents), sent.refused), (STOPPED, 2, []))
        self.assertEqual(sorted(self.out.iterdir()), sorted(sent.files), "nothing half, nothing of the others")

    def test_from_the_command_line(self) -> None:
        data = self.ws.place.root
        self.ws.close()
        done = run_cli(
            "--data", data, "export", "type = Letter", "--to", self.out, "--as", "text", "--names", "{filed} {number}"
        )
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertEqual(len(list(self.out.iterdir())), int(done.stdout.split()[0]))
        ids = run_cli("--data", data, "export", *self.ids[:2], "--to", self.out / "two")
        self.assertEqual((ids.returncode, len(list((self.out / "two").iterdir()))), (0, 2))
        self.assertEqual(run_cli("--data", data, "export", "no such word zzq", "--to", self.out).returncode, 1)
        self.assertEqual(
            run_cli("--data", data, "export", "type = Letter", "--to", self.out, "--as", "doc").returncode, 2
        )
        (self.folder / "file").write_text("x")
        self.assertEqual(run_cli("--data", data, "export", self.ids[0], "--to", self.folder / "file").returncode, 3)

    def test_a_folder_that_one_may_not_write_into_is_told_as_that(self) -> None:
        closed = self.folder / "closed"
        closed.mkdir(mode=0o755)
        os.chmod(self.folder, 0o755)
        code = (
            "import os, sys; from pathlib import Path; from keybundle.core.export.landing import Landing\n"
            "from keybundle.core.base.errors import EnvironmentProblem\n"
            "if os.getuid() == 0: os.setgroups([]); os.setgid(65534); os.setuid(65534)\n"
            "try: Landing(Path(sys.argv[1])).write(b'x', Path(sys.argv[1]))\n"
            "except EnvironmentProblem as told: print(told)"
        )
        if os.getuid() != 0:
            closed.chmod(0o555)
        said = subprocess.run([sys.executable, "-c", code, closed], capture_output=True, text=True, check=True).stdout
        self.assertIn("permission is missing", said)
        self.assertIn("choose another place", said)
        self.assertEqual(list(closed.iterdir()), [])


class Tables(DataTest):
    def test_no_cell_and_no_head_is_computed(self) -> None:
        # Source: OWASP, CSV Injection: what begins with = + - @, a tab or a line end, also behind blanks and as wide signs.
        cells = (
            "=1+1",
            " =1",
            "\u00a0=1",
            "\ufeff=1",
            "\u200b=1",
            "\uff1d1",
            "@SUM(A1)",
            "\t=1",
            "\n-1+1",
            "+\u0661",
            "--1",
        )
        values = {"=cmd|x": FieldValue(("x",)), **{f"f{i}": FieldValue((c,)) for i, c in enumerate(cells)}}
        plain = {"a": FieldValue(("-5",)), "b": FieldValue(("+5.50",)), "c": FieldValue(("A-1 = B",))}
        document = FiledDocument(
            "i", 1, "Cab", (("Year", "=9"),), "T", "=cap", "2026", "=who", 1, "", {**values, **plain}, (), ("=tag",), None, 0
        )  # fmt: skip
        head, row = csv.reader(io.StringIO(as_csv([document], [1]), newline=""))
        seen = [unicodedata.normalize("NFKC", cell).strip("\u200b\ufeff \t\r\n") for cell in (*head, *row)]
        self.assertEqual([c for c in seen if c[:1] in tuple("=+-@")], ["-5", "+5.50"], "numbers stay numbers")
        self.assertIn("A-1 = B", row)
