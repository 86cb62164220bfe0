"""A stand-in for worker processes: it answers at once, or holds its answers back until a test lets them go."""

from __future__ import annotations

import threading
from collections.abc import Callable, Collection, Iterator
from concurrent.futures import Future
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from keybundle.core.base.boxes import Frame
from keybundle.core.base.progress import CancelToken
from keybundle.core.batches.model import Facts
from keybundle.core.formats.opened import Opened
from keybundle.core.intake.scanner import Offers, Options, Side
from keybundle.core.reading.text import PageText, Word

FACTS = Facts(800, 1100, 100, "grey", 0, 0.0, 50.0, False)
ONE_SIDED = Options(duplex=False, sides_per_minute=0)
Answer = Callable[[str, tuple[Any, ...]], Any]


def frame_of(args: tuple[Any, ...]) -> Frame:
    """The frame in which a reading was asked for."""
    job = args[0]
    return Frame(*args[4]) if isinstance(job, str) else job.frame


def text_of(said: str, rotation: int = 0) -> PageText:
    """A page's text, a line below another for each line of what is said."""
    words = [
        Word(word, (100 + 90 * i, 100 + 40 * n, 180 + 90 * i, 125 + 40 * n), 0.95, 0, n)
        for n, line in enumerate(said.splitlines())
        for i, word in enumerate(line.split())
    ]
    return PageText(tuple(words), Frame(800, 1100, rotation, 0.0))


def answer(what: str, args: tuple[Any, ...], said: str = "Hello from Holmelock") -> Any:
    """What workers answer for a plain page."""
    if what == "examine":
        return asdict(FACTS), 0.01
    if what in ("read", "read_zones"):
        data = text_of(said, frame_of(args).rotation).to_bytes()
        return (data, 0.01) if what == "read" else data
    if what == "read_lines_again":
        return [("", 0.0) for _ in args[1]]
    if what == "look_at":
        return Opened("image/png", pages=1)
    if what == "make_pdf":
        told = " ".join(f"{job.page_id}/{job.frame.rotation}" for job in args[0])
        Path(args[2]).write_bytes(f"%PDF-1.4 pretended {told}".encode())
        return 0.01
    if what == "name_file":
        return None
    if what == "look_for_marks":
        return {"separator": False, "separator_type": "", "marks": [], "looked_for": []}
    raise RuntimeError(what)


@dataclass
class Held:
    """A call whose answer is held back."""

    what: str
    args: tuple[Any, ...]
    key: str
    future: Future[Any]


class StandIn:
    """Answers by ``answer``; calls whose name is in ``hold`` wait for ``let_go``."""

    def __init__(self, answer: Answer = answer, hold: Collection[str] = ()) -> None:
        self.answer = answer
        self.hold = set(hold)
        self.held: list[Held] = []
        self.asked: list[tuple[str, tuple[Any, ...]]] = []
        self._lock = threading.Lock()

    def submit(self, name: str, *args: Any, key: str = "", **more: Any) -> Future[Any]:
        call = Held(name.split(":")[1], args, key, Future())
        self.asked.append((call.what, args))
        with self._lock:
            is_held = call.what in self.hold
            if is_held:
                self.held.append(call)
        if not is_held:
            self._run(call)
        return call.future

    def _run(self, call: Held) -> None:
        if not call.future.set_running_or_notify_cancel():
            return
        try:
            call.future.set_result(self.answer(call.what, call.args))
        except Exception as error:  # noqa: BLE001  the stand-in hands on whatever its answer raises
            call.future.set_exception(error)

    def let_go(self, *numbers: int) -> None:
        """Answer held calls, in this order; without numbers all of them."""
        with self._lock:
            chosen = [self.held[i] for i in numbers] if numbers else list(self.held)
            self.held = [h for h in self.held if h not in chosen]
        for call in chosen:
            self._run(call)

    def let_all_go(self) -> None:
        """Answer all that is held, and hold nothing back from now on."""
        with self._lock:
            self.hold = set()
        self.let_go()

    def warm_up(self, name: str) -> None:
        """There is no process to load anything in."""

    def reprioritise(self, choose: object) -> None:
        """Nothing waits in an order here."""


class Device:
    """A scanner that delivers these sides at once."""

    name = "a device"

    def __init__(self, sheets: int, *, two_sided: bool = False, tag: str = "") -> None:
        self.sides = [(n, s) for n in range(1, sheets + 1) for s in (("front", "back") if two_sided else ("front",))]
        self.tag = tag

    def sheets_in_feeder(self) -> int | None:
        return len(self.sides)

    def offers(self) -> Offers:
        return Offers()

    def scan(self, options: Options, cancel: CancelToken) -> Iterator[Side]:
        for sheet, side in self.sides:
            yield Side(sheet, side, f"{sheet:04d}-{side}.tif", f"{self.tag} {sheet} {side}".encode())
