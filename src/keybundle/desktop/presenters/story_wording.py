"""A document's story in words."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from keybundle.core.base.records import dataclass
from keybundle.core.export.forms import AS_PACKAGE, FORMS
from keybundle.core.workflows.keep.documents.story import Happened
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
    if h.what == "revised":
        return tr("Corrected: {changes}", changes="; ".join(_changes(d)) or tr("nothing that is told here"))
    if h.what == "deleted":
        return tr("Deleted: {why}", why=d.get("why", ""))
    known = {"brought back": mark("Brought back from the trash"), "taken back": mark("Taken back into its batch"),
             "kept to": mark("Whom it is kept to was changed"), "let oneself in": mark("Somebody let themselves in")}  # fmt: skip
    return tr(known[h.what]) if h.what in known else h.what[:1].upper() + h.what[1:]


def _changes(d: Mapping[str, Any]) -> list[str]:
    """Return what a revision changed, thing by thing."""
    found = [
        tr("{field} from {before} to {after}", field=d.get("names", {}).get(field, field),
           before=", ".join(before) or tr("empty"),
           after=", ".join(after) or tr("empty"))
        for field, (before, after) in d.get("values", {}).items()
    ]  # fmt: skip
    if "folder" in d:
        before, after = (" / ".join(path) for path in d["folder"])
        found.append(tr("folder from {before} to {after}", before=before, after=after))
    return found
