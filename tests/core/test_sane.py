"""SANE's own test device behind the scanner port, and the words for every status."""

from __future__ import annotations

import functools
import io
import os
import subprocess
from collections.abc import Callable
from pathlib import Path
from unittest import mock

from PIL import Image

from keybundle.core.base.progress import CancelToken
from keybundle.core.intake import sane
from keybundle.core.intake.sane import SaneDevice, SaneScanner, explain, list_devices, parse_offers
from keybundle.core.intake.scanner import Halt, Options, Side
from tests.support import DataTest

# Source: SANE Standard 1.06, 4.2.7: the names of all status codes but SANE_STATUS_GOOD, and what the program is to do.
STATUSES = {
    "UNSUPPORTED": "unsupported", "CANCELLED": "cancelled", "DEVICE_BUSY": "busy", "INVAL": "refused", "JAMMED": "jam",
    "NO_DOCS": "empty", "COVER_OPEN": "cover open", "IO_ERROR": "gone", "NO_MEM": "memory", "ACCESS_DENIED": "denied",
}  # fmt: skip
FEEDER = Options(duplex=False, resolution_dpi=100, mode="grey")


def begun_anew_if_it_hangs(test: Callable[[TestDevice], None]) -> Callable[[TestDevice], None]:
    """Try a test again where the virtual device itself stands still.

    Once in some thousand sides it cancels its reader thread inside ``free``, and joins it for ever.
    """

    @functools.wraps(test)
    def tried(case: TestDevice) -> None:
        for _ in range(2):
            try:
                with mock.patch.object(sane, "SILENT_SECONDS", 8.0):
                    return test(case)
            except Halt as halt:
                if halt.code != "gone":
                    raise
        return test(case)

    return tried


class TestDevice(DataTest):
    """Works with the virtual device of Debian's libsane1, enabled in a configuration folder of its own."""

    def setUp(self) -> None:
        super().setUp()
        (self.folder / "dll.conf").write_text("test\n")
        (self.folder / "test.conf").write_text("number_of_devices 1\n")
        patch = mock.patch.dict(os.environ, {"SANE_CONFIG_DIR": str(self.folder)})
        patch.start()
        self.addCleanup(sane.local_environment.cache_clear)
        self.addCleanup(patch.stop)
        sane.local_environment.cache_clear()

    def scanner(self, *extra: str) -> SaneScanner:
        devices = list_devices()
        self.assertEqual([d.device for d in devices], ["test:0"])
        self.assertIn("frontend-tester", devices[0].label)
        return SaneScanner(devices[0], extra=extra)

    def test_options_come_from_the_device(self) -> None:
        scanner = self.scanner()
        offers = scanner.offers()
        self.assertEqual(offers.sources, ("Flatbed", "Automatic Document Feeder"))
        self.assertEqual(offers.modes, ("Gray", "Color"))
        self.assertTrue({75, 300, 1200} <= set(offers.resolutions))
        self.assertEqual((offers.width_mm, offers.height_mm), (200, 200))
        self.assertIsNone(scanner.sheets_in_feeder())

    @begun_anew_if_it_hangs
    def test_the_feeder_is_empty_after_ten(self) -> None:
        # Source: sane-test(5): the feeder will be 'empty' after 10 scans.
        sides = list(self.scanner().scan(FEEDER, CancelToken()))
        self.assertEqual([(s.sheet, s.side) for s in sides], [(n, "front") for n in range(1, 11)])
        with Image.open(io.BytesIO(sides[0].data)) as image:
            self.assertEqual((image.format, image.mode), ("TIFF", "L"))
            self.assertAlmostEqual(image.width / float(image.info["dpi"][0]) * 25.4, 200, delta=1)

    @begun_anew_if_it_hangs
    def test_glass_gives_one_and_colour_is_colour(self) -> None:
        options = Options(source="glass", duplex=False, resolution_dpi=75, mode="colour")
        (side,) = self.scanner().scan(options, CancelToken())
        with Image.open(io.BytesIO(side.data)) as image:
            self.assertEqual(image.mode, "RGB")

    def test_what_the_device_lacks_is_said(self) -> None:
        with self.assertRaises(Halt) as halt:
            list(self.scanner().scan(Options(duplex=True), CancelToken()))
        self.assertIn("cannot scan two-sided", str(halt.exception))

    def test_every_status_has_its_sentence(self) -> None:
        for status, code in STATUSES.items():
            scanner = self.scanner(f"--read-return-value=SANE_STATUS_{status}")
            with self.assertRaises(Halt, msg=status) as halt:
                list(scanner.scan(FEEDER, CancelToken()))
            self.assertEqual(halt.exception.code, code, status)
            self.assertGreater(len(str(halt.exception).split()), 5)

    @begun_anew_if_it_hangs
    def test_cancel_leaves_no_process_behind(self) -> None:
        cancel, came = CancelToken(), []
        slow = self.scanner("--read-delay=yes", "--read-delay-duration=200000")
        slow.offers()
        started: list[subprocess.Popen[bytes]] = []
        start = subprocess.Popen

        def watch(*arguments: object, **options: object) -> subprocess.Popen[bytes]:
            started.append(start(*arguments, **options))  # type: ignore[call-overload]
            return started[-1]

        with mock.patch.object(sane.subprocess, "Popen", watch):
            for side in slow.scan(FEEDER, cancel):
                came.append(side)
                cancel.cancel()
        self.assertLess(len(came), 10)
        self.assertEqual([p.poll() is not None for p in started], [True])

    def test_a_driver_that_hangs_is_ended(self) -> None:
        hang = self.folder / "hang"
        hang.write_text('#!/bin/sh\ntrap "" INT\necho "scanimage: sane_read: Out of memory" >&2\n'
                        'echo "Batch terminated, 1 page scanned" >&2\nwhile :; do sleep 1; done\n')  # fmt: skip
        hang.chmod(0o755)
        scanner = SaneScanner(SaneDevice("x", "Hanging device"))
        scanner._offers = parse_offers("    --source Document Feeder [Document Feeder]\n")
        with mock.patch.object(sane, "COMMAND", str(hang)), self.assertRaises(Halt) as halt:
            list(scanner.scan(FEEDER, CancelToken()))
        self.assertEqual(halt.exception.code, "memory")
        silent = self.folder / "hang"
        silent.write_text("#!/bin/sh\nexec sleep 60\n")
        with (
            mock.patch.object(sane, "COMMAND", str(silent)), mock.patch.object(sane, "SILENT_SECONDS", 0.3),
            self.assertRaises(Halt) as halt,
        ):  # fmt: skip
            list(scanner.scan(FEEDER, CancelToken()))
        self.assertEqual(halt.exception.code, "gone")

    @begun_anew_if_it_hangs
    def test_a_feeder_that_is_stopped_ends_with_its_sheet_front_and_back(self) -> None:
        # Source: SANE's virtual device "test"; a read delay makes its sides last.
        scanner = self.scanner()
        scanner._extra = (*scanner._extra, "--read-delay=yes", "--read-delay-duration=3000")
        said = {"source_for.return_value": "Automatic Document Feeder", "mode_for.return_value": "Gray",
                "has_area": False}  # fmt: skip
        scanner._offers = mock.Mock(**said)
        for stop_at in (1, 3):
            cancel, sides = CancelToken(), []
            for side in scanner.scan(Options(duplex=True, resolution_dpi=50), cancel):
                sides.append((side.sheet, side.side))
                if len(sides) == stop_at:
                    cancel.cancel()
            whole = [(n, s) for n in range(1, stop_at // 2 + 2) for s in ("front", "back")]
            self.assertEqual(sides, whole)

    def test_a_device_that_is_gone(self) -> None:
        scanner = SaneScanner(SaneDevice("test:7", "gone"))
        scanner._offers = self.scanner().offers()
        with self.assertRaises(Halt) as halt:
            list(scanner.scan(FEEDER, CancelToken()))
        self.assertIn("plugged in", str(halt.exception))

    @begun_anew_if_it_hangs
    def test_fronts_and_backs_of_a_two_sided_device(self) -> None:
        scanner = self.scanner()
        scanner._offers = parse_offers("    --source Flatbed|Automatic Document Feeder [Flatbed]\n")
        said = {"source_for.return_value": "Automatic Document Feeder", "mode_for.return_value": "Gray",
                "has_area": False}  # fmt: skip
        scanner._offers = mock.Mock(**said)
        sides: list[Side] = list(scanner.scan(Options(duplex=True, resolution_dpi=50), CancelToken()))
        self.assertEqual([(s.sheet, s.side) for s in sides[:4]], [(1, "front"), (1, "back"), (2, "front"), (2, "back")])


class Drivers(DataTest):
    def test_no_driver_asks_a_network(self) -> None:
        (self.folder / "dll.conf").write_text("net\nescl\n# net is here\nepson2\nfujitsu\n")
        (self.folder / "epson2.conf").write_text("usb\nnet autodiscovery\nnet 192.0.2.7\n")
        self.addCleanup(sane.local_environment.cache_clear)
        bare = {k: v for k, v in os.environ.items() if k != "SANE_CONFIG_DIR"}
        with mock.patch.object(sane, "CONFIG", self.folder), mock.patch.dict(os.environ, bare, clear=True):
            sane.local_environment.cache_clear()
            made = Path(sane.local_environment()["SANE_CONFIG_DIR"])
        self.assertEqual((made / "dll.conf").read_text().split("\n"), ["# net is here", "epson2", "fujitsu", ""])
        self.assertEqual((made / "epson2.conf").read_text(), "usb\n")
        self.assertIn("networking=no", (made / "pixma.conf").read_text())


class Words(DataTest):
    def test_unknown_trouble_is_passed_on_and_silence_is_none(self) -> None:
        self.assertIsNone(explain("Scanned page 1. (scanner status = 5)\n"))
        halt = explain("scanimage: sane_start: Lamp failure\n")
        assert halt is not None
        self.assertIn("Lamp failure", str(halt))

    def test_options_that_are_lists(self) -> None:
        text = "    --source ADF Front|ADF Duplex [ADF Front]\n    --resolution 100|200|300dpi [200]\n"
        offers = parse_offers(text)
        self.assertEqual((offers.sources, offers.resolutions), (("ADF Front", "ADF Duplex"), (100, 200, 300)))
        self.assertEqual(offers.source_for(Options(duplex=True)), "ADF Duplex")
        self.assertEqual(offers.source_for(Options(duplex=False)), "ADF Front")
        self.assertIsNone(offers.source_for(Options(source="glass", duplex=False)))

    def test_without_sane_there_are_no_devices(self) -> None:
        with mock.patch.object(sane.shutil, "which", return_value=None):
            self.assertEqual(list_devices(), [])
