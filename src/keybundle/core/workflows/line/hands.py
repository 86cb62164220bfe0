"""All that the line does with pages and documents; loaded when there is something to do, so that a window starts without it."""

from keybundle.core.intake.halts import find_halt
from keybundle.core.proposing.again import Heard
from keybundle.core.reading.text import PageText
from keybundle.core.workflows.line.placing import decide_by, keep_as_it_is
from keybundle.core.workflows.line.readings import give_up_reading, keep_reading, lay_typed_anew
from keybundle.core.workflows.line.second_look import hear_again, list_unheard, spot_of, upright_boxes
from keybundle.core.workflows.pages.cleaned import drop_cleaned
from keybundle.core.workflows.pages.page_facts import measured
from keybundle.core.workflows.propose.indexing import index_document, index_zones, known_type, take_proposal

__all__ = [
    "Heard", "PageText", "decide_by", "drop_cleaned", "find_halt", "give_up_reading", "hear_again", "index_document",
    "index_zones", "keep_as_it_is", "keep_reading", "known_type", "lay_typed_anew", "list_unheard", "measured", "spot_of",
    "take_proposal", "upright_boxes",
]  # fmt: skip
