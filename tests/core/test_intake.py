"""The simulated scanner behind its port."""

from __future__ import annotations

import io
import json
import time
from pathlib import Path

from PIL import Image

from keybundle.core.base.progress import CancelToken
from keybundle.core.intake.scanner import Halt, Options, SimulatedScanner, list_scanners
from tests.support import DataTest

FAST = Options(sides_per_minute=0)


class Feeder(DataTest):
    def make(self, sheets: int = 3, jam: int = 0, trouble: str = "jam") -> SimulatedScanner:
        for i in range(1, sheets + 1):
            for side in ("front", "back"):
                Image.new("L", (620, 877), 200 - i).save(self.folder / f"{i}-{side}.png", dpi=(75, 75))
        stack = [{"front": f"{i}-front.png", "back": f"{i}-back.png", "trouble": trouble if i == jam else ""}
                 for i in range(1, sheets + 1)]  # fmt: skip
        (self.folder / "stack.json").write_text(json.dumps(stack))
        return list_scanners(Path(self.folder))[0]

    def test_sides_in_feed_order_then_empty(self) -> None:
        scanner = self.make()
        sides = list(scanner.scan(FAST, CancelToken()))
        self.assertEqual([(s.sheet, s.side) for s in sides],
                         [(n, side) for n in (1, 2, 3) for side in ("front", "back")])  # fmt: skip
        with self.assertRaisesRegex(Halt, "feeder is empty"):
            next(scanner.scan(FAST, CancelToken()))
        scanner.refill()
        self.assertEqual(
            [s.side for s in scanner.scan(Options(duplex=False, sides_per_minute=0), CancelToken())], ["front"] * 3
        )

    def test_a_jam_keeps_what_came_before_and_goes_on(self) -> None:
        came = []
        scanner = self.make(jam=2)
        scanner.refill()
        with self.assertRaises(Halt):
            for side in scanner.scan(FAST, CancelToken()):
                came.append(side)
        self.assertEqual([s.sheet for s in came], [1, 1])
        self.assertEqual([s.sheet for s in scanner.scan(FAST, CancelToken())], [2, 2, 3, 3])

    def test_every_trouble_has_its_words_and_the_stack_goes_on(self) -> None:
        for trouble in ("double feed", "cover open", "gone"):
            scanner, came = self.make(jam=2, trouble=trouble), []
            scanner.refill()
            with self.assertRaises(Halt) as halt:
                for side in scanner.scan(FAST, CancelToken()):
                    came.append(side)
            self.assertEqual(halt.exception.code, trouble)
            self.assertIn("sheet 2. All sheets before it are safe", str(halt.exception))
            self.assertEqual(len(came), 2)
            self.assertEqual(len(list(scanner.scan(FAST, CancelToken()))), 4)

    def test_sheets_that_stick_come_as_one_long_picture(self) -> None:
        scanner = self.make(jam=1, trouble="stuck")
        first = next(scanner.scan(FAST, CancelToken()))
        with Image.open(io.BytesIO(first.data)) as image:
            # Source: ISO 216, A4 is 297 mm long; 25.4 mm to the inch.
            self.assertGreater(image.height / image.info["dpi"][1] * 25.4, 297 + 10)

    def test_cancel_and_glass(self) -> None:
        scanner, cancel = self.make(), CancelToken()
        came = []
        for side in scanner.scan(FAST, cancel):
            came.append(side)
            cancel.cancel()
        self.assertEqual([s.side for s in came], ["front", "back"], "a sheet that is in the feeder comes out whole")
        glass = list(scanner.scan(Options(source="glass", sides_per_minute=0), CancelToken()))
        self.assertEqual([s.side for s in glass], ["front"])
        self.assertEqual(scanner.sheets_in_feeder(), 1)
        scanner.put_back(2)
        self.assertEqual(scanner.sheets_in_feeder(), 3)

    def test_pace(self) -> None:
        # Source: common practice: 60 sheets a minute two-sided are 120 sides, one each half second.
        scanner = self.make(2)
        start = time.monotonic()
        list(scanner.scan(Options(), CancelToken()))
        self.assertAlmostEqual(time.monotonic() - start, 2.0, delta=0.3)

    def test_mode_resolution_and_paper(self) -> None:
        # Source: TIFF 6.0 (Compression 4 is CCITT group 4), 25.4 mm to the inch, ANSI A 8.5 x 11 in.
        scanner = self.make(1)
        options = Options(duplex=False, resolution_dpi=150, mode="1-bit", paper="Letter", sides_per_minute=0)
        (side,) = scanner.scan(options, CancelToken())
        image = Image.open(io.BytesIO(side.data))
        self.assertEqual((image.format, image.mode, image.info["compression"]), ("TIFF", "1", "group4"))
        self.assertEqual(round(float(image.info["dpi"][0])), 150)
        self.assertTrue(abs(image.width - 1275) <= 2 and abs(image.height - 1650) <= 2, image.size)
