"""Lifting: words that are pointed at on the page become the value of the field that has the focus."""

from __future__ import annotations

from keybundle.core.base.boxes import Box
from keybundle.desktop.presenters.bench import BenchPresenter
from keybundle.desktop.views.page_view import PageView, words_inside
from keybundle.desktop.views.slip_view import SlipView
from keybundle.desktop.words import tr


class Lifting:
    """Which document and field a lift is for, from its beginning to its end."""

    def __init__(self, presenter: BenchPresenter, slip: SlipView, page: PageView) -> None:
        self._presenter, self._slip, self._page = presenter, slip, page
        self._at: tuple[str, str] | None = None

    def begin(self) -> None:
        """Lift by keys, for the field that has the focus; it ends when the focus comes back to the slip."""
        field = self._slip.focused_field()
        if field is not None:
            self._at = (self._slip.document, field)
            self._page.begin_lift()

    def end(self) -> None:
        """Go back to the field that words were lifted for."""
        at, self._at = self._at, None
        if at is not None and at[0] == self._slip.document:
            self._slip.focus(at[1])

    def forget(self) -> None:
        """Hear that the keyboard is on the slip again."""
        self._at = None

    def _target(self) -> tuple[str, str] | None:
        """Return the document and field that what is pointed at on the page goes to."""
        field = self._slip.focused_field()
        if self._at is not None:
            return self._at
        return (self._slip.document, field) if field is not None else None

    def take(self, words: list[object]) -> None:
        """Take words that were pointed at."""
        target, shown = self._target(), self._presenter.pictures.shown
        if target is None:
            self._presenter.said.emit(tr("Go to a field first; then a word that is pressed goes into it."))
        elif shown is not None:
            self._at = None
            self._presenter.lift(*target, shown.page, words)  # type: ignore[arg-type]

    def take_area(self, box: Box) -> None:
        """Lift the words of a framed area."""
        shown, target = self._presenter.pictures.shown, self._target()
        words = words_inside(shown.words, box) if shown is not None else []
        if words or target is None:
            self.take(list(words))
        elif shown is not None:
            self._at = None
            self._presenter.slips.read_area(*target, shown.page, box)
