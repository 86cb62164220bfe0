"""Hand-over packages: checked by tools from outside, brought in elsewhere, and refused when a byte is not what it was."""

from __future__ import annotations

import json
import shutil
import subprocess
from pathlib import Path

from keybundle.core.base.errors import InputProblem
from keybundle.core.repository import audit
from keybundle.core.workflows.find.find import find_filed_ids
from keybundle.core.workflows.line.line import Line
from keybundle.core.workflows.send.packages import import_package, write_package
from keybundle.core.workflows.session.opening import open_workspace
from keybundle.core.workflows.session.workspace import Workspace
from keybundle.core.workflows.take_in.capture import Captured, find_routine
from keybundle.demo.names import PEOPLE
from tests.support import DataTest, acting, shared_pool

WHO = PEOPLE[0][0]


class Packages(DataTest):
    def setUp(self) -> None:
        super().setUp()
        self.ws = self.demo_workspace()
        self.ids = find_filed_ids(acting(self.ws), "type = Bill") + find_filed_ids(acting(self.ws), "type = Mooring")
        self.ids += find_filed_ids(acting(self.ws), "filed > 2000")[:3]
        self.ids = list(dict.fromkeys(self.ids))
        sent = write_package(acting(self.ws, WHO), shared_pool(), self.ids, self.folder / "out")
        self.assertEqual((sent.stopped, sent.refused, len(sent.documents)), ("", [], len(self.ids)))
        (self.bag,) = sent.files

    def documents(self) -> list[Path]:
        return sorted((self.bag / "data" / "documents").iterdir())

    def elsewhere(self) -> Workspace:
        """Another repository with the same set-up and nothing in it."""
        ws = open_workspace(self.folder / "elsewhere")
        self.addCleanup(ws.close)
        if not ws.has_setup:
            ws.put_setup(self.ws.full_setup(), WHO)
        return ws

    def bring_in(self, ws: Workspace, bag: Path) -> Captured:
        line = Line(ws, shared_pool())
        try:
            found = import_package(acting(ws, WHO), line, shared_pool(), find_routine(acting(ws), "Files"), bag)
            self.assertTrue(line.wait(120))
            return found
        finally:
            line.close()

    def test_tools_from_outside_find_it_whole_and_all_in_it(self) -> None:
        # Source: RFC 8493 as the package bagit reads it, in a process of its own; sha256sum of GNU coreutils.
        program = "import bagit, sys; print(bagit.Bag(sys.argv[1]).is_valid())"
        python = Path(__file__).parent.parent.parent / ".venv" / "bin" / "python"
        said = subprocess.run([python, "-c", program, self.bag], capture_output=True, text=True, check=True)
        self.assertEqual(said.stdout.strip(), "True")
        subprocess.run(["sha256sum", "-c", "--quiet", "manifest-sha256.txt"], cwd=self.bag, check=True)
        filed_all = sorted(map(self.ws.repository.load, self.ids), key=lambda d: d.number)
        for folder, document in zip(self.documents(), filed_all, strict=True):
            told = json.loads((folder / "values.json").read_text())
            self.assertEqual((told["caption"], told["number"]), (document.caption, document.number))
            pages = json.loads((folder / "pages.json").read_text())
            self.assertEqual(len(pages), len(document.pages))
            for page, filed in zip(pages, document.pages, strict=True):
                self.assertEqual((folder / page["file"]).read_bytes(), self.ws.place.files.get(filed.file_sha))
            for line in (folder / "trail.tsv").read_text().splitlines():
                before, *row, head = line.split("\t")
                printed = f"{before}\n" + "\t".join(row)
                found = subprocess.run(["sha256sum"], input=printed.encode(), capture_output=True, check=True).stdout
                self.assertEqual(found.decode()[:64], head)

    def test_it_comes_in_elsewhere_as_a_batch_with_its_values_to_be_confirmed(self) -> None:
        ws = self.elsewhere()
        taken = self.bring_in(ws, self.bag)
        self.assertEqual(
            (taken.refused, taken.sides), ([], sum(len(self.ws.repository.load(i).pages) for i in self.ids))
        )
        assert taken.batch is not None
        documents = ws.batches.load(taken.batch).in_order()
        self.assertEqual(len(documents), len(self.ids))
        brought = [v for d in documents for v in d.values.values() if v.text]
        self.assertTrue(brought and not any(v.confirmed_by for v in brought))
        told = [json.loads((p / "values.json").read_text())["values"] for p in self.documents()]
        bills = {values["Bill number"] for values in told if "Bill number" in values}
        found = {d.values["Bill number"].text for d in documents if "Bill number" in d.values}
        self.assertTrue(bills and bills <= found)
        with ws.place.database.read() as c:
            self.assertTrue(any("package taken in" in line for line in audit.export(c)))

    def test_one_byte_one_file_or_a_way_out_and_nothing_is_taken_in(self) -> None:
        def change_byte(bag: Path, document: Path) -> None:
            data = bytearray((document / "document.pdf").read_bytes())
            data[-8] ^= 1
            (document / "document.pdf").write_bytes(data)

        def lose_file(bag: Path, document: Path) -> None:
            (document / "pages.json").unlink()

        def add_file(bag: Path, document: Path) -> None:
            (document / "more.txt").write_text("x")

        def lead_out(bag: Path, document: Path) -> None:
            (bag.parent / "secret.txt").write_text("x")
            manifest = bag / "manifest-sha256.txt"
            manifest.write_text(manifest.read_text() + "0" * 64 + "  data/../../secret.txt\n")

        def forge(bag: Path, document: Path) -> None:
            """Change a row of the trail and make all manifests anew, as somebody would who knows how."""
            trail = document / "trail.tsv"
            trail.write_text(trail.read_text().replace("Elspra", "Corvik"))
            for name in ("manifest-sha256.txt", "tagmanifest-sha256.txt"):
                lines = [x.split(maxsplit=1)[1] for x in (bag / name).read_text().splitlines()]
                made = subprocess.run(["sha256sum", *lines], cwd=bag, capture_output=True, text=True, check=True)
                (bag / name).write_text(made.stdout)

        ws = self.elsewhere()
        for spoil in (change_byte, lose_file, add_file, lead_out, forge):
            bag = self.folder / spoil.__name__ / "bag"
            shutil.copytree(self.bag, bag)
            spoil(bag, sorted((bag / "data" / "documents").iterdir())[0])
            with self.assertRaisesRegex(InputProblem, "Nothing was taken in", msg=spoil.__name__) as caught:
                self.bring_in(ws, bag)
            self.assertIn("bag", str(caught.exception))
        self.assertEqual(ws.batches.ids(), [])
        with self.assertRaisesRegex(InputProblem, "is no folder"):
            self.bring_in(ws, self.folder / "nowhere")

    def test_what_is_damaged_stays_out_and_what_stops_leaves_nothing(self) -> None:
        document = self.ws.repository.load(self.ids[0])
        self.ws.place.files.path(document.pages[0].file_sha).unlink()
        sent = write_package(acting(self.ws, WHO), shared_pool(), self.ids, self.folder / "again")
        self.assertEqual(([c for c, _ in sent.refused], len(sent.documents)), ([document.caption], len(self.ids) - 1))
        (self.folder / "file").write_text("x")
        stopped = write_package(acting(self.ws, WHO), shared_pool(), self.ids, self.folder / "file")
        self.assertTrue(stopped.stopped and not stopped.documents)
        self.assertEqual([p for p in (self.folder / "again").iterdir() if p.name.startswith(".")], [])
