"""What was learned, in Prepare: by type and by document, forgotten, exported; and what confidences mean."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.records import dataclass
from keybundle.core.proposing.calibration import ENOUGH, Bin
from keybundle.core.workflows.prepare.types import learned
from keybundle.core.workflows.prepare.types.learned import LearnedDocument, LearnedType
from keybundle.desktop.presenters.seat import Seat
from keybundle.desktop.words import tr, trn


@dataclass(frozen=True)
class LearnedState:
    """All that Prepare shows of it: types with the labels they taught, documents (id, told), the reliability plot's bins."""

    types: tuple[tuple[str, tuple[str, ...]], ...] = ()
    documents: tuple[tuple[str, str], ...] = ()
    bins: tuple[Bin, ...] = ()
    curve: tuple[tuple[float, float], ...] = ()
    told: str = ""
    claims: tuple[tuple[str, str], ...] = ()


class LearnedPresenter(QObject):
    """State and verbs of what was learned."""

    changed = Signal(object)
    said = Signal(str)
    failed = Signal(str)

    def __init__(self, seat: Seat, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._s = seat
        self.state = LearnedState()

    def refresh(self) -> None:
        """Ask for everything again."""
        s, ws = self._s, self._s.workspace

        def load() -> LearnedState:
            types, documents = learned.list_learned(self._s.session)
            calibration = ws.calibration()
            claims = tuple(
                (r.name, learned.say_bar(calibration, r.bar, r.wrong_one_in)) for r in ws.setup.routines
            )  # fmt: skip
            said = tr(
                "{values} so far.", values=trn("{n:,} confirmed value", "{n:,} confirmed values", calibration.count)
            ) + (
                "" if calibration.is_enough else tr(" Confidences become trustworthy from {ENOUGH} on.", ENOUGH=ENOUGH)
            )
            told = tuple((d.document, f"{s.say_time(d.at)}   {_say_fields(d)}") for d in documents)
            curve = tuple(zip(calibration.xs, calibration.ys, strict=True))
            return LearnedState(tuple(map(_say_type, types)), told, calibration.bins, curve, said, claims)

        def done(state: LearnedState) -> None:
            self.state = state
            self.changed.emit(state)

        self._s.runner.query(load, done, key="learned", owner=self)

    def forget(self, documents: list[str]) -> None:
        """Forget what documents taught; they stay filed."""
        s = self._s

        def done(pages: int) -> None:
            self.said.emit(
                tr(
                    "Forgotten: {pages} of {documents}",
                    pages=trn("{n:,} page", "{n:,} pages", pages),
                    documents=trn("{n:,} document", "{n:,} documents", len(documents)),
                )
            )
            self.refresh()

        s.runner.change(lambda: learned.forget_learned(s.session, documents), done, on_error=self.failed.emit)

    def export(self, path: Path) -> None:
        """Write what was learned as JSON."""
        s = self._s
        s.runner.change(
            lambda: learned.export_learned(s.session, path), lambda _: self.said.emit(tr("Written: {name}", name=path.name)),
            on_error=self.failed.emit,
        )  # fmt: skip


def _say_fields(known: LearnedDocument) -> str:
    return f"{known.type}: {', '.join(known.fields) or tr('its look')}"


def _say_type(known: LearnedType) -> tuple[str, tuple[str, ...]]:
    documents = trn("{n:,} document", "{n:,} documents", known.documents)
    told = f"{known.name}: {documents}, {trn('{n:,} page', '{n:,} pages', known.pages)}"
    return told, tuple(
        tr("{field} stands beside “{label}” ({n} times)", field=field, label=label, n=n)
        for field, label, n in known.fields
    )
