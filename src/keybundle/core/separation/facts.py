"""What separation needs to know of a side, and what it says about one."""

from __future__ import annotations

from keybundle.core.base.boxes import Frame
from keybundle.core.base.records import dataclass
from keybundle.core.marks.model import Mark
from keybundle.core.reading.text import PageText


@dataclass(frozen=True)
class SideFacts:
    """One side; ``text`` is None where it was not read, ``frame`` where it was not measured.

    ``hand_kept`` and ``hand_break`` are what a person decided beforehand about keeping it and about a break at it
    (None: nobody did), ``hand_reason`` is why it was left out.

    ``known_first`` is the type of the known layout whose first page it looks like, empty where it looks like none.
    """

    page: str
    sheet: int
    side: str
    source: str
    is_blank: bool = False
    separator: bool = False
    separator_type: str = ""
    marks: tuple[Mark, ...] = ()
    text: PageText | None = None
    frame: Frame | None = None
    known_first: str = ""
    hand_kept: bool | None = None
    hand_break: bool | None = None
    hand_reason: str = ""


@dataclass(frozen=True)
class Placing:
    """What becomes of a side: kept (perhaps as the first page of a document) or left out, with the reason.

    ``note`` points out something the operator should look at.
    """

    page: str
    kept: bool
    reason: str = ""
    starts: bool = False
    break_reason: str = ""
    type_name: str = ""
    note: str = ""
