"""Which way up a page is, where its own lines leave a doubt."""

from __future__ import annotations

from keybundle.core.base.boxes import Frame
from keybundle.core.imaging.judge import Judgement, shrink
from keybundle.core.imaging.picture import Picture, to_grey
from keybundle.core.imaging.render import straighten
from keybundle.core.reading.engine import Engine

DOUBT, LOOK_DPI = 2.0, 150.0


def tell_upright(picture: Picture, found: Judgement, engine: Engine) -> int:
    """Return the clockwise turn in degrees that makes a page upright: as judged, or in doubt as the OCR engine tells."""
    if found.upright_margin >= DOUBT:
        return found.rotation
    grey, dpi = shrink(to_grey(picture), picture.dpi, LOOK_DPI)
    frame = Frame(grey.shape[1], grey.shape[0], found.rotation, found.skew_degrees)
    more = engine.tell_rotation(straighten(Picture(grey, dpi, "grey"), frame), dpi)
    return found.rotation if more is None else (found.rotation + more) % 360
