"""The scanner port, and the simulated device that ships behind it.

A device delivers one side after another: sheet number, front or back, and the bytes of the picture. What can go
wrong at the feeder is told as a ``Halt`` with words; what was delivered before stays delivered.
"""

from __future__ import annotations

import io
import json
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Protocol

from keybundle.core.base.errors import AppError, EnvironmentProblem
from keybundle.core.base.files import write_atomic
from keybundle.core.base.messages import message
from keybundle.core.base.progress import CancelToken
from keybundle.core.base.records import dataclass

FRONT, BACK = "front", "back"
PAPERS_MM = {"A4": (210.0, 297.0), "Letter": (215.9, 279.4)}
MODES = ("automatic", "1-bit", "grey", "colour")


TROUBLES = {
    "jam": "halt.jam", "double feed": "halt.double-feed", "cover open": "halt.cover-open", "gone": "halt.gone",
}  # fmt: skip


class Halt(AppError):
    """The feeder stopped: empty, jammed, cover open. ``code`` is stable, the text is for the operator."""

    def __init__(self, code: str, message: str) -> None:
        super().__init__(message)
        self.code = code


@dataclass(frozen=True)
class Options:
    """How to scan; ``sides_per_minute`` of 0 means as fast as the device can."""

    source: str = "feeder"
    duplex: bool = True
    resolution_dpi: int = 300
    mode: str = "automatic"
    paper: str = "A4"
    sides_per_minute: float = 120.0


@dataclass(frozen=True)
class Offers:
    """What a device can do, in its own words; sizes in mm, 0 where it does not say."""

    sources: tuple[str, ...] = ()
    modes: tuple[str, ...] = ()
    resolutions: tuple[int, ...] = ()
    width_mm: float = 0.0
    height_mm: float = 0.0

    @property
    def has_area(self) -> bool:
        """Whether the device lets the scanned area be chosen."""
        return self.width_mm > 0 and self.height_mm > 0

    def source_for(self, options: Options) -> str | None:
        """Return the device's word for a source, empty when it has only one, None when it lacks it."""
        if not self.sources:
            return "" if not options.duplex else None
        lower = [(s, s.casefold()) for s in self.sources]
        if options.source == "glass":
            return next((s for s, low in lower if "flat" in low or "glass" in low or "platen" in low), None)
        feeders = [(s, low) for s, low in lower if "feed" in low or "adf" in low or "duplex" in low]
        two = next((s for s, low in feeders if "duplex" in low or "both" in low), None)
        one = next((s for s, low in feeders if "duplex" not in low and "both" not in low), None)
        return two if options.duplex else one or two

    def mode_for(self, mode: str) -> str:
        """Return the device's word for a colour mode, empty to leave it to the device."""
        words = {"1-bit": ("lineart", "binary", "black"), "grey": ("gray", "grey"), "colour": ("color", "colour")}
        wanted = words.get(mode, ("color", "colour", "gray"))
        return next((m for w in wanted for m in self.modes if w in m.casefold()), "")


@dataclass(frozen=True)
class Side:
    """A delivered side; ``sheet`` counts from 1."""

    sheet: int
    side: str
    name: str
    data: bytes


class Scanner(Protocol):
    """A device that can be listed, asked and started."""

    @property
    def name(self) -> str:
        """Return the name shown to the operator."""
        ...

    def sheets_in_feeder(self) -> int | None:
        """Return how many sheets lie in the feeder, None when the device cannot tell."""
        ...

    def offers(self) -> Offers:
        """Return what the device can do."""
        ...

    def scan(self, options: Options, cancel: CancelToken) -> Iterator[Side]:
        """Yield sides until the feeder is empty; raises Halt when it stops before."""
        ...


@dataclass(frozen=True)
class Sheet:
    """A sheet prepared for the simulated feeder: files of its front and back.

    ``trouble`` is what happens when it is fed: ``jam``, ``double feed`` (the device tells), ``stuck`` (it does not:
    both come as one long picture), ``cover open``, ``gone``; or empty.
    """

    front: str
    back: str
    trouble: str = ""


class SimulatedScanner:
    """A scanner without a machine: it feeds prepared pictures from a folder at the pace of a real one.

    The folder holds ``stack.json`` (a list of sheets) and the pictures; ``fed.json`` remembers how many sheets are
    through, so that a stack stays half fed over a restart.
    """

    def __init__(self, folder: Path, clock: Callable[[], float] = time.monotonic) -> None:
        self._folder = folder
        self._clock = clock
        self._tail = ""

    @property
    def name(self) -> str:
        """Return the device's name."""
        return "Simulated scanner"

    def _stack(self) -> list[Sheet]:
        try:
            return [Sheet(**s) for s in json.loads((self._folder / "stack.json").read_text())]
        except FileNotFoundError:
            return []

    def _fed(self) -> int:
        try:
            return int(json.loads((self._folder / "fed.json").read_text())["sheets"])
        except (FileNotFoundError, ValueError, KeyError):
            return 0

    def _set_fed(self, sheets: int) -> None:
        write_atomic(self._folder / "fed.json", json.dumps({"sheets": sheets}).encode(), durable=False)

    def sheets_in_feeder(self) -> int:
        """Return how many sheets are still to be fed."""
        return max(0, len(self._stack()) - self._fed())

    def offers(self) -> Offers:
        """Return what the device can do."""
        return Offers(
            ("Feeder", "Feeder Duplex", "Flatbed"), ("1-bit", "Grey", "Colour"), (150, 200, 300, 600), 216, 356
        )

    def put_back(self, sheets: int = 1) -> None:
        """Put the last sheets that went through back on the stack."""
        self._set_fed(max(0, self._fed() - sheets))

    def refill(self) -> None:
        """Put the whole stack into the feeder again."""
        self._set_fed(0)

    def scan(self, options: Options, cancel: CancelToken) -> Iterator[Side]:
        """Yield the sides of the stack at the asked pace; a glass gives the next sheet's front alone."""
        stack, fed = self._stack(), self._fed()
        if fed >= len(stack):
            raise Halt("empty", message("scanner.feeder-empty"))
        due = self._clock()
        for number, sheet in enumerate(stack[fed:], fed + 1):
            if sheet.trouble and sheet.trouble != "stuck":
                self._clear(stack, number)
                raise Halt(sheet.trouble, message(TROUBLES[sheet.trouble], sheet=number))
            self._tail = stack[number].front if sheet.trouble == "stuck" and number < len(stack) else ""
            if sheet.trouble == "stuck":
                self._clear(stack, number)
            sides = [(FRONT, sheet.front), (BACK, sheet.back)] if options.duplex else [(FRONT, sheet.front)]
            for side, name in sides if options.source == "feeder" else sides[:1]:
                if options.sides_per_minute:
                    due += 60 / options.sides_per_minute
                    cancel.wait(max(0.0, due - self._clock()))
                if cancel.cancelled and side == FRONT:
                    return
                yield Side(number, side, name, self._deliver(name, options))
            self._set_fed(number)
            if options.source == "glass":
                return

    def _clear(self, stack: list[Sheet], number: int) -> None:
        cleared = [{**s.__dict__, "trouble": "" if i == number else s.trouble} for i, s in enumerate(stack, 1)]
        write_atomic(self._folder / "stack.json", json.dumps(cleared).encode(), durable=False)

    def _deliver(self, name: str, options: Options) -> bytes:
        path = self._folder / name
        end = time.monotonic() + 60
        while not path.exists():
            if time.monotonic() > end:
                raise EnvironmentProblem(message("scanner.simulated-scanner-no-picture-make", name=name))
            time.sleep(0.05)
        data = path.read_bytes()
        if self._tail:
            data = _append(data, (self._folder / self._tail).read_bytes())
        if options.mode == "automatic" and options.resolution_dpi == 300 and options.paper == "A4":
            return data
        return _convert(data, options)


def _append(data: bytes, more: bytes) -> bytes:
    """Return one long picture of two sheets that stuck together, overlapping by half."""
    from PIL import Image

    with Image.open(io.BytesIO(data)) as first, Image.open(io.BytesIO(more)) as second:
        joined = Image.new("L", (first.width, first.height + second.height // 2), "white")
        joined.paste(second.convert("L"), (0, first.height - second.height // 2))
        joined.paste(first.convert("L"), (0, 0))
        out = io.BytesIO()
        joined.save(out, "PNG", compress_level=1, dpi=first.info.get("dpi", (300, 300)))
    return out.getvalue()


def _convert(data: bytes, options: Options) -> bytes:
    """Deliver a prepared picture in another mode, resolution or paper size."""
    from PIL import Image

    with Image.open(io.BytesIO(data)) as opened:
        image: Image.Image = opened.convert("L") if opened.mode == "1" else opened.copy()
        was_bit = opened.mode == "1"
        dpi = float(opened.info.get("dpi", (300, 300))[0])
    width, height = (round(mm / 25.4 * dpi) for mm in PAPERS_MM[options.paper])
    if options.paper != "A4":
        sheet = Image.new(image.mode, (width, height), "white")
        sheet.paste(image, (0, 0))
        image = sheet
    factor = options.resolution_dpi / dpi
    if factor != 1:
        image = image.resize((round(image.width * factor), round(image.height * factor)), Image.Resampling.BOX)
    mode = options.mode if options.mode != "automatic" else ("1-bit" if was_bit else "")
    out = io.BytesIO()
    said = (options.resolution_dpi, options.resolution_dpi)
    if mode == "1-bit":
        image = image.convert("L").point(lambda v: 255 if v > 160 else 0).convert("1", dither=Image.Dither.NONE)
        image.save(out, "TIFF", compression="group4", dpi=said)
    elif mode == "grey" or image.mode == "L":
        image.convert("L").save(out, "PNG", compress_level=1, dpi=said)
    else:
        image.convert("RGB").save(out, "JPEG", quality=88, dpi=said)
    return out.getvalue()


def list_scanners(feeder: Path) -> list[SimulatedScanner]:
    """Return the devices that can be used now."""
    return [SimulatedScanner(feeder)] if (feeder / "stack.json").exists() else []
