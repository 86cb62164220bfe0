"""A line for something new, such as a name: what is typed in it is a draft until it is taken, in all windows of a person."""

from __future__ import annotations

from functools import partial

import shiboken6
from PySide6.QtWidgets import QLineEdit

from keybundle.desktop.presenters.drafts import Drafts


def remember_typed(line: QLineEdit, drafts: Drafts, page: str, name: str = "new") -> None:
    """Let what stands in a line of a page be a draft, and come back with the next window."""

    def note(text: str) -> None:
        draft = drafts.find(page, name)
        if text and (draft is None or draft.text != text):
            drafts.put(page, name, text, seen=0)
            drafts.changed.emit()
        elif not text and draft is not None:
            drafts.drop(page, name)

    def show() -> None:
        draft = drafts.find(page, name)
        wanted = draft.text if draft is not None else ""
        if shiboken6.isValid(line) and line.text() != wanted and not line.hasFocus():
            line.setText(wanted)

    line.textChanged.connect(note)
    drafts.changed.connect(show)
    line.destroyed.connect(partial(_forget, drafts, show))
    show()


def _forget(drafts: Drafts, show: object) -> None:
    if shiboken6.isValid(drafts):
        drafts.changed.disconnect(show)
