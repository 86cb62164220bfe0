"""Real scanners through SANE, by its own ``scanimage`` in a process of its own.

A driver that hangs or crashes costs that process, never the application. Guaranteed: every status of the SANE
standard comes out as a ``Halt`` with a sentence; sides that were delivered before stay delivered. Not guaranteed:
that a device knows how many sheets lie in its feeder; most do not, and ``sheets_in_feeder`` is None then.

Devices of this machine only: the drivers that look for scanners on a network are left out, unless ``SANE_CONFIG_DIR``
says what to load.
"""

from __future__ import annotations

import atexit
import contextlib
import functools
import os
import re
import shutil
import signal
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken
from keybundle.core.base.records import dataclass
from keybundle.core.intake.scanner import BACK, FRONT, PAPERS_MM, Halt, Offers, Options, Side

COMMAND = "scanimage"
CONFIG = Path("/etc/sane.d")
NETWORK_DRIVERS = ("net", "escl", "airscan")
ASK_SECONDS = 20.0
POLL_SECONDS = 0.01
SILENT_SECONDS = 120.0
ENDED = b"Batch terminated"
# Source: SANE Standard 1.06, section 4.2.7 (status codes); the words are those of sane_strstatus.
STATUS = {
    "Operation not supported": ("unsupported", message("sane.scanner-cannot-do-what-asked")),
    "Operation was canceled": ("cancelled", message("sane.scan-stopped-at-scanner")),
    "Device busy": ("busy", message("sane.scanner-busy-with-somebody-else")),
    "Invalid argument": ("refused", message("sane.scanner-refuses-these-settings-choose")),
    "Document feeder out of documents": ("empty", message("scanner.feeder-empty")),
    "Document feeder jammed": ("jam", message("sane.sheet-jammed-in-feeder-take")),
    "Scanner cover is open": ("cover open", message("sane.scanner-s-cover-open-close")),
    "Error during device I/O": ("gone", message("sane.scanner-does-answer-any-more")),
    "Out of memory": ("memory", message("sane.scanner-s-driver-run-out")),
    "Access to resource has been denied": ("denied", message("sane.user-may-use-scanner-ask")),
    "End of file reached": ("cut short", message("sane.scanner-ended-picture-too-early")),
}  # fmt: skip
_FAILED = re.compile(r"(?:sane_start|sane_read|sane_open|open of device [^:]+(?::[^ ]+)? failed): (.+)$", re.MULTILINE)
_OPTION = re.compile(r"^\s+--(source|mode|resolution)\s+(\S.*?)\s+\[([^\]]*)\]", re.MULTILINE)


@functools.cache
def local_environment() -> dict[str, str]:
    """Return the environment for ``scanimage``: a copy of SANE's configuration that asks no network."""
    if os.environ.get("SANE_CONFIG_DIR") or not CONFIG.is_dir():
        return dict(os.environ)
    folder = Path(tempfile.mkdtemp(prefix="keybundle-sane-"))
    atexit.register(shutil.rmtree, folder, True)
    for path in CONFIG.glob("*.conf"):
        lines = path.read_text(errors="replace").splitlines()
        kept = [x for x in lines if not x.strip().startswith("net ") and x.strip() not in NETWORK_DRIVERS]
        (folder / path.name).write_text("\n".join(kept) + "\n")
    (folder / "pixma.conf").write_text("networking=no\n")
    return {**os.environ, "SANE_CONFIG_DIR": str(folder)}


@dataclass(frozen=True)
class SaneDevice:
    """A device as SANE names it."""

    device: str
    label: str


def list_devices() -> list[SaneDevice]:
    """Return the devices that SANE sees now; takes seconds, none where SANE is not installed."""
    if shutil.which(COMMAND) is None:
        return []
    try:
        said = _ask("-f", "%d\t%v %m%n")
    except subprocess.TimeoutExpired:
        return []
    rows = (line.split("\t", 1) for line in said.splitlines() if "\t" in line)
    return [SaneDevice(device, " ".join(label.split())) for device, label in rows]


def _ask(*arguments: str) -> str:
    return subprocess.run(
        [COMMAND, *arguments],
        capture_output=True,
        text=True,
        timeout=ASK_SECONDS,
        check=False,
        stdin=subprocess.DEVNULL,
    ).stdout


def explain(stderr: str) -> Halt | None:
    """Return what ``scanimage`` told as a Halt, None when it told of nothing."""
    found = _FAILED.search(stderr)
    if found is None:
        return None
    said = found[1].strip()
    code, sentence = STATUS.get(said, ("trouble", message("sane.scanner-reports-check-and-start", said=said)))
    return Halt(code, sentence)


class SaneScanner:
    """One SANE device behind the scanner port."""

    def __init__(self, device: SaneDevice, *, extra: tuple[str, ...] = ()) -> None:
        self._device = device
        self._extra = extra
        self._offers: Offers | None = None

    @property
    def name(self) -> str:
        """Return the device's name."""
        return self._device.label or self._device.device

    def sheets_in_feeder(self) -> int | None:
        """Return None: SANE does not tell."""
        return None

    def offers(self) -> Offers:
        """Ask the device what it can do; takes a second the first time."""
        if self._offers is None:
            said = _ask("-d", self._device.device, "-A")
            self._offers = parse_offers(said)
        return self._offers

    def scan(self, options: Options, cancel: CancelToken) -> Iterator[Side]:
        """Yield sides as the device delivers them; raises Halt when it stops before the feeder is empty.

        When ``cancel`` is set the sheet that is on its way comes to its end, front and back, and no other begins.
        """
        arguments, two_sided = self._arguments(options)
        sides = 2 if two_sided else 1
        with tempfile.TemporaryDirectory(prefix="keybundle-scan-") as folder:
            log = Path(folder) / "log"
            with log.open("wb") as stderr:
                process = subprocess.Popen(
                    [COMMAND, *arguments, f"--batch={folder}/%06d.tif", "--batch-prompt"], stdin=subprocess.PIPE,
                    stdout=subprocess.DEVNULL, stderr=stderr, env=local_environment(),
                )  # fmt: skip
            try:
                number = 0
                for path in _finished_files(Path(folder), process, log, cancel, sides):
                    sheet, side = number // sides + 1, BACK if number % sides else FRONT
                    number += 1
                    yield Side(sheet, side, f"{sheet:04d}-{side}.tif", path.read_bytes())
                    path.unlink()
            finally:
                _end(process)
            halt = explain(log.read_text(errors="replace"))
            if halt is not None and not (halt.code == "empty" and number) and not cancel.cancelled:
                raise halt

    def _arguments(self, options: Options) -> tuple[list[str], bool]:
        offers = self.offers()
        given = ["-d", self._device.device, "--format=tiff", f"--resolution={options.resolution_dpi}"]
        source = offers.source_for(options)
        if source is None:
            asked = (
                message("sane.two-sided")
                if options.duplex and options.source == "feeder"
                else message("sane.from-its", source=options.source)
            )
            raise Halt("unsupported", message("sane.cannot-scan-choose-another-source", name=self.name, asked=asked))
        if source:
            given.append(f"--source={source}")
        mode = offers.mode_for(options.mode)
        if mode:
            given.append(f"--mode={mode}")
        if options.source == "glass":
            given.append("--batch-count=1")
        if offers.has_area:
            width, height = PAPERS_MM[options.paper]
            given += ["-x", f"{min(width, offers.width_mm):g}", "-y", f"{min(height, offers.height_mm):g}"]
        return [*given, *self._extra], options.duplex and options.source == "feeder"


def _finished_files(
    folder: Path, process: subprocess.Popen[bytes], log: Path, cancel: CancelToken, sides: int
) -> Iterator[Path]:
    """Yield the pictures in order; ``scanimage`` renames each when it is whole.

    It asks before each side, and is let go on sheet by sheet, so that it can be stopped between two. A driver that told
    its end and does not come to it is not waited for, nor one that gives no sign for long; raises Halt for the latter.
    """
    number, allowed, since = 1, 0, time.monotonic()
    while True:
        done = number - 1
        if cancel.cancelled:
            _let_go_on(process, 0)
        elif allowed < (wanted := (done // sides + 1) * sides):
            _let_go_on(process, wanted - allowed)
            allowed = wanted
        path = folder / f"{number:06d}.tif"
        ended = process.poll() is not None or (time.monotonic() - since > 1 and ENDED in log.read_bytes())
        if path.exists():
            yield path
            number, since = number + 1, time.monotonic()
        elif ended:
            return
        elif time.monotonic() - since > SILENT_SECONDS:
            raise Halt("gone", STATUS["Error during device I/O"][1])
        else:
            time.sleep(POLL_SECONDS)


def _let_go_on(process: subprocess.Popen[bytes], sides: int) -> None:
    """Answer for so many sides that they may be scanned; for none, that this was all."""
    if process.stdin is None or process.stdin.closed:
        return
    with contextlib.suppress(BrokenPipeError):
        if sides:
            process.stdin.write(b"\n" * sides)
            process.stdin.flush()
        else:
            process.stdin.close()


def _end(process: subprocess.Popen[bytes]) -> None:
    _let_go_on(process, 0)
    if process.poll() is None:
        process.send_signal(signal.SIGINT)
        try:
            process.wait(timeout=3)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


def parse_offers(said: str) -> Offers:
    """Return what a device offers from the text of ``scanimage -A``."""
    found = {name: values for name, values, _ in _OPTION.findall(said)}
    area = dict(re.findall(r"^\s+-([xy]) [0-9.]+\.\.([0-9.]+)mm", said, re.MULTILINE))
    return Offers(
        sources=tuple(found.get("source", "").split("|")) if "source" in found else (),
        modes=tuple(found.get("mode", "").split("|")) if "mode" in found else (),
        resolutions=_numbers(found.get("resolution", "")),
        width_mm=float(area.get("x", 0)), height_mm=float(area.get("y", 0)),
    )  # fmt: skip


def _numbers(text: str) -> tuple[int, ...]:
    span = re.match(r"(\d+)\.\.(\d+)", text)
    if span:
        usual = (75, 100, 150, 200, 240, 300, 400, 600, 1200)
        return tuple(n for n in usual if int(span[1]) <= n <= int(span[2]))
    return tuple(int(n) for n in re.findall(r"\d+", text))
