"""What did not come to its end, in words: what was left as it is, and what stopped a change of many."""

from __future__ import annotations

from keybundle.core.workflows.keep.documents.many import Corrected
from keybundle.desktop.words import tr, worded


def say_rest(changed: Corrected) -> str:
    """Return what a change of many left as it is and why, and what stopped it; empty where all of it was done."""
    told = [worded(changed.stopped)] if changed.stopped else []
    if changed.left:
        names = "; ".join(caption for _, caption in changed.left)
        told.append(
            tr("Left as they are ({why}): {names}", why=worded(changed.why), names=names)
            if changed.why
            else tr("Changed by somebody else meanwhile, so left as they are: {names}", names=names)
        )
    return " ".join(told)
