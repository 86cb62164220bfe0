"""How the next scan will be done: the routine's options, what somebody changed for it, and what the device can do."""

from __future__ import annotations

from collections.abc import Mapping

from keybundle.core.base.records import dataclass
from keybundle.core.intake.scanner import MODES, PAPERS_MM, Offers, Options
from keybundle.core.setup.routines import Routine

RESOLUTIONS = (150, 200, 240, 300, 400, 600)
LABELS = {"feed": "From", "duplex": "Sheets", "resolution_dpi": "Resolution", "mode": "Colour", "paper": "Paper"}
TWO_SIDED, ONE_SIDED = "two-sided", "one-sided"


@dataclass(frozen=True)
class ScanChoice:
    """One option of a scan: what is in force, in words, what may be chosen, and whether the routine locks it."""

    name: str
    label: str
    value: str
    choices: tuple[str, ...]
    is_locked: bool

    @property
    def can_change(self) -> bool:
        """Whether there is something else to choose."""
        return not self.is_locked and len(self.choices) > 1


def scan_choices(routine: Routine, offers: Offers, changes: Mapping[str, str]) -> tuple[ScanChoice, ...]:
    """Return all options of the next scan; ``changes`` hold words for the options that somebody changed.

    A change that the routine locks, or that the device cannot do, is not in force.
    """
    offered = {
        "feed": tuple(s for s in ("feeder", "glass") if _has_source(offers, s)) or (routine.feed,),
        "duplex": (ONE_SIDED, TWO_SIDED) if _has_duplex(offers) else (ONE_SIDED,),
        "resolution_dpi": tuple(f"{n} dpi" for n in offers.resolutions or RESOLUTIONS if n <= 1200),
        "mode": tuple(m for m in MODES if m == "automatic" or not offers.modes or offers.mode_for(m)),
        "paper": tuple(p for p, (w, _) in PAPERS_MM.items() if not offers.width_mm or w <= offers.width_mm + 1),
    }
    own = {
        "feed": routine.feed, "duplex": TWO_SIDED if routine.duplex else ONE_SIDED,
        "resolution_dpi": f"{routine.resolution_dpi} dpi", "mode": routine.mode, "paper": routine.paper,
    }  # fmt: skip
    found = []
    for name, label in LABELS.items():
        locked = name in routine.locked
        changed = changes.get(name, "")
        value = changed if changed in offered[name] and not locked else own[name]
        found.append(ScanChoice(name, label, value, tuple(dict.fromkeys((*offered[name], value))), locked))
    return tuple(found)


def options_of(choices: tuple[ScanChoice, ...]) -> Options:
    """Return the scanner's options that these choices stand for; the glass has one side."""
    said = {c.name: c.value for c in choices}
    on_glass = said["feed"] == "glass"
    return Options(
        source=said["feed"], duplex=said["duplex"] == TWO_SIDED and not on_glass,
        resolution_dpi=int(said["resolution_dpi"].split()[0]), mode=said["mode"], paper=said["paper"],
    )  # fmt: skip


def say_choices(choices: tuple[ScanChoice, ...]) -> str:
    """Return the options on one line, as in “feeder, two-sided, 300 dpi, automatic, A4”."""
    return ", ".join(c.value for c in choices)


def _has_source(offers: Offers, source: str) -> bool:
    return offers.source_for(Options(source=source, duplex=False)) is not None


def _has_duplex(offers: Offers) -> bool:
    return offers.source_for(Options(duplex=True)) is not None
