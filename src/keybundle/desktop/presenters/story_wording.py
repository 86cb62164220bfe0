"""A document's story in words."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from keybundle.core.export.forms import AS_PACKAGE, FORMS
from keybundle.core.workflows.keep.story import Happened

HOW = {
    "folder": "Written into", "copy": "Copied at filing into", "mail": "Sent by e-mail to",
    "message": "Put into a message to", "drag": "Dragged out to", "print": "Printed on",
}  # fmt: skip
TITLES = {f.key: f.title for f in (*FORMS, AS_PACKAGE)}


@dataclass(frozen=True)
class StoryLine:
    """When, who, and what happened in a sentence."""

    when: str
    who: str
    what: str


def word_story(story: Sequence[Happened], say_time: Callable[[str], str]) -> tuple[StoryLine, ...]:
    """Return a story, the newest first."""
    return tuple(StoryLine(say_time(h.at), h.who, _say(h)) for h in reversed(story))


def _say(h: Happened) -> str:
    d = h.detail
    if h.what == "filed":
        return f"Filed in {' / '.join((d['cabinet'], *d['folder']))} as {d['type']}, {len(d['pages'])} sides"
    if h.what == "tags changed":
        return f"Tags changed from “{', '.join(d['before']) or 'none'}” to “{', '.join(d['after']) or 'none'}”"
    if h.what == "sent":
        form = TITLES.get(d["form"], d["form"])
        return f"{HOW.get(d['how'], d['how'])} {d['to'] or 'nobody yet'} as {form}: {', '.join(d['files'])}"
    if h.what == "not sent":
        refused = "; ".join(f"{address}: {why}" for address, why in d["refused"].items())
        return f"Not sent to {refused}"
    return h.what[:1].upper() + h.what[1:]
