"""All colours, each by its role; nothing else in the desktop names a colour."""

from __future__ import annotations

PAPER = "#F6F3EC"
CARD = "#FFFFFF"
HAIRLINE = "#D9D2C3"  # between things; what is pressed or typed into has EDGE
EDGE = "#8A8270"
INK = "#1C2730"
QUIET = "#56626C"
TEAL = "#0F6A6A"
BRASS = "#8A580C"
MADDER = "#A2303C"
MOSS = "#42702F"
SLATE = "#33567B"
TEAL_WASH = "#E3EFEE"
BRASS_WASH = "#FCF5E8"
MADDER_WASH = "#F6E3E4"
MOSS_WASH = "#E6EEDF"
SLATE_WASH = "#E2E9F1"
SHADE = "#EBE6DA"

# Colours of tags, each with a sign besides.
TAG = {
    "teal": (TEAL, "•"), "slate": (SLATE, "§"), "moss": (MOSS, "¶"), "brass": (BRASS, "†"), "madder": (MADDER, "‡"),
    "ink": (INK, "*"),
}  # fmt: skip

STATE = {"reading": SLATE, "to check": BRASS, "ready": MOSS, "being filed": SLATE, "filed": MOSS, "set aside": QUIET}
STATE_WASH = {
    "reading": SLATE_WASH,
    "to check": BRASS_WASH,
    "ready": MOSS_WASH,
    "being filed": SLATE_WASH,
    "filed": MOSS_WASH,
    "set aside": SHADE,
}
TEXT_PAIRS = (
    (INK, PAPER), (INK, CARD), (QUIET, PAPER), (QUIET, CARD), (TEAL, PAPER), (TEAL, CARD), (BRASS, CARD),
    (BRASS, PAPER), (MADDER, CARD), (MADDER, PAPER), (MOSS, CARD), (MOSS, PAPER), (SLATE, CARD), (SLATE, PAPER),
    (CARD, TEAL), (CARD, SLATE), (INK, TEAL_WASH), (INK, BRASS_WASH), (INK, SHADE), (MOSS, MOSS_WASH),
    (BRASS, BRASS_WASH), (SLATE, SLATE_WASH), (TEAL, TEAL_WASH), (QUIET, SHADE),
    # in chosen rows
    (INK, SLATE_WASH), (QUIET, SLATE_WASH), (TEAL, SLATE_WASH), (BRASS, SLATE_WASH), (MADDER, SLATE_WASH),
    (MOSS, SLATE_WASH), (QUIET, TEAL_WASH), (MADDER, MADDER_WASH), (INK, MADDER_WASH), (INK, MOSS_WASH),
)  # fmt: skip
# Borders of what is pressed or typed into, against what they stand on.
EDGE_PAIRS = (
    (EDGE, CARD),
    (EDGE, PAPER),
    (EDGE, SHADE),
    (EDGE, SLATE_WASH),
    (TEAL, CARD),
    (TEAL, PAPER),
    (BRASS, CARD),
)
