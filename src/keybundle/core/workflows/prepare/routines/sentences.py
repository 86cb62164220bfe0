"""What a routine does, in one sentence, so that it can be read before a stack lies in the feeder."""

from __future__ import annotations

from keybundle.core.base.messages import join_and, message
from keybundle.core.setup.model import Setup, name_of
from keybundle.core.setup.routines import Routine


def say_routine(routine: Routine, setup: Setup) -> str:
    """Return what a routine will do, from the source to the cabinet."""
    brings = "files" if routine.source == "files" else "glass" if routine.feed == "glass" else "feeder"
    sides = "two-sided" if routine.duplex else "one-sided"
    rules = [rule.said for rule in routine.separation.rules]
    breaks = message("sentences.breaks", rules=join_and(rules)) if rules else message("sentences.no-breaks")
    kind = setup.document_type(routine.document_type)
    if kind is None:
        becomes = message("sentences.any-type")
    else:
        becomes = message("sentences.type", type=kind.name, cabinet=name_of(setup.cabinets, kind.cabinet) or "?")
    return message(
        "sentences.routine", brings=message(f"sentences.{brings}-{sides}"), breaks=breaks, becomes=becomes,
    )  # fmt: skip
