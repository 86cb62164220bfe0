"""The second reader: the path through its classes, what it makes of drawn values, and who loads it."""

from __future__ import annotations

import itertools
import subprocess
import sys
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from keybundle.core.base.boxes import Frame
from keybundle.core.imaging.picture import from_pil
from keybundle.core.jobs.pool import Pool
from keybundle.core.reading.second import decode_path, get_line_reader, read_lines
from keybundle.core.workflows.pages.page_jobs import WORK, PageJob
from keybundle.demo.paper import Sheet
from tests.support import DataTest

LOADED = "import sys, {module}; print('onnxruntime' in sys.modules)"


class Paths(unittest.TestCase):
    @given(st.lists(st.integers(0, 3), min_size=1, max_size=30))
    def test_repeated_classes_are_one_and_pauses_part_them(self, path: list[int]) -> None:
        # Source: the mapping B of Graves et al. 2006: remove the repetitions, then the pauses.
        wanted = "".join(" abc"[k] for k, _ in itertools.groupby(path) if k)
        said = np.full((len(path), 4), 0.1, dtype=np.float32)
        said[np.arange(len(path)), path] = 0.7
        read = decode_path(said, ["", "a", "b", "c"])
        self.assertEqual(read.text, wanted)
        self.assertAlmostEqual(read.confidence, 0.7 if wanted else 0.0, places=5)


class Values(DataTest):
    def test_numbers_codes_and_dates_are_read_and_an_empty_box_is_nothing(self) -> None:
        sheet = Sheet(300)
        values = ("GB29 4417 0162 0093", "1,284.50", "PO-53309", "05.08.2025")
        for i, text in enumerate(values):
            sheet.put(text, 30, 40 + 12 * i, ("plain", "serif", "typewriter", "book")[i], 9)
        boxes, at = [], 0
        for text in values:
            run = sheet.words[at : at + len(text.split())]
            boxes.append((run[0].box[0], min(w.box[1] for w in run), run[-1].box[2], max(w.box[3] for w in run)))
            at += len(run)
        picture = from_pil(sheet.image, 300)
        frame = Frame(picture.width, picture.height)
        read = read_lines(picture, frame, [*boxes, (500, 2000, 900, 2060), (5000, 10, 5100, 40)], get_line_reader())
        self.assertEqual([r.text.replace(" ", "") for r in read[:4]], [v.replace(" ", "") for v in values])
        self.assertTrue(all(r.confidence > 0.9 for r in read[:4]), read)
        self.assertEqual([r.text for r in read[4:]], ["", ""])

        path = self.folder / "page.png"
        sheet.image.save(path, dpi=(300, 300))
        pool = Pool(1)
        self.addCleanup(pool.close)
        job = PageJob(path=str(path), name="page.png", frame=frame)
        ((text, confidence),) = pool.submit(f"{WORK}:read_lines_again", job, [boxes[1]], ["figures"]).result(120)
        self.assertEqual((text, confidence > 0.9), (values[1], True))

    def test_only_a_reading_worker_loads_it(self) -> None:
        for module in ("keybundle.core.workflows.line.page_work", "keybundle.cli.main", "keybundle.desktop.app"):
            said = subprocess.run(
                [sys.executable, "-c", LOADED.format(module=module)], capture_output=True, text=True, check=True
            )
            self.assertEqual(said.stdout.strip(), "False", module)


if __name__ == "__main__":
    unittest.main()
