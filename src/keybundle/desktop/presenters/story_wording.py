"""A document's story in words."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from keybundle.core.export.forms import AS_PACKAGE, FORMS
from keybundle.core.workflows.keep.story import Happened
from keybundle.desktop.words import mark, tr, worded

HOW = {
    "folder": mark("Written into"), "copy": mark("Copied at filing into"), "mail": mark("Sent by e-mail to"),
    "message": mark("Put into a message to"), "drag": mark("Dragged out to"), "print": mark("Printed on"),
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
        return tr(
            "Filed in {names} as {type}, {n} sides",
            names=" / ".join((d["cabinet"], *d["folder"])),
            type=d["type"],
            n=len(d["pages"]),
        )
    if h.what == "tags changed":
        return tr(
            "Tags changed from “{before}” to “{after}”",
            before=", ".join(d["before"]) or tr("none"),
            after=", ".join(d["after"]) or tr("none"),
        )
    if h.what == "sent":
        form = worded(TITLES.get(d["form"], d["form"]))
        return tr(
            "{how} {to} as {form}: {names}",
            how=tr(HOW.get(d["how"], d["how"])),
            to=d["to"] or tr("nobody yet"),
            form=form,
            names=", ".join(d["files"]),
        )
    if h.what == "not sent":
        refused = "; ".join(f"{address}: {why}" for address, why in d["refused"].items())
        return tr("Not sent to {refused}", refused=refused)
    return h.what[:1].upper() + h.what[1:]
