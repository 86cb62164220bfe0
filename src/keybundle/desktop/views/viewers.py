"""The viewers of a person, and what is sent from their places or viewers: one sending at a time, told at the foot."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from keybundle.core.base.ids import FiledId
from keybundle.core.search.query import Query
from keybundle.desktop.views import places
from keybundle.desktop.views.side_sheet import SheetEdge

if TYPE_CHECKING:
    from keybundle.desktop.presenters.sending import SendingPresenter
    from keybundle.desktop.views.drag_out import Out
    from keybundle.desktop.views.shell import Shell
    from keybundle.desktop.views.viewer_window import ViewerWindow


class Viewers(QObject):
    """Opens viewers and sends; what it needs is loaded when it is first asked for. ``left_out`` says what was not sent."""

    said = Signal(str)
    failed = Signal(str)
    left_out = Signal(str, object)

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell)
        self._session, self._own_keys, self._shell = shell.seat, shell.own_keys, shell
        self.said.connect(shell.say)
        self.failed.connect(shell.warn)
        self.windows: list[ViewerWindow] = []

    def open(self, document_id: str, position: int = 0, query: Query | None = None) -> None:
        """Show a filed document in a window of its own; one that shows it already comes to the front."""
        there = next((w for w in self.windows if w.viewer.presenter.state.document == document_id), None)
        if there is None:
            from keybundle.desktop.views.viewer_window import ViewerWindow

            viewer = places.make_viewer(self._session, self)
            there = ViewerWindow(viewer, self._session.remembered, len(self.windows))
            there.closed.connect(self._closed)
            viewer.sending.connect(self.sends_at(there.edge))
            viewer.printing.connect(self.prints_at(there.edge))
            self._own_keys.bind(there, lambda command_id: viewer.handlers.trigger(command_id))
            self._shell.bind(there)
            self.windows.append(there)
            self._shell.show_later(there)
            viewer.page.setFocus()
        there.viewer.presenter.show_document(document_id, query, position)
        there.activateWindow()
        there.raise_()

    def close(self) -> None:
        """Close all viewers."""
        for window in tuple(self.windows):
            window.close()

    def _closed(self, window: ViewerWindow) -> None:
        if window in self.windows:
            self.windows.remove(window)
            window.edge.end()
            window.viewer.presenter.deleteLater()
            window.deleteLater()

    @cached_property
    def sending(self) -> SendingPresenter:
        """What is sent, made when it is first asked for."""
        from keybundle.desktop.presenters.sending import SendingPresenter

        presenter = SendingPresenter(self._session, self)
        presenter.said.connect(self.said)
        presenter.failed.connect(self.failed)
        presenter.left_out.connect(self.left_out)
        for told in (presenter.said, presenter.failed):
            told.connect(self._tell)
        presenter.ended.connect(self._refresh)
        return presenter

    def _tell(self, text: str) -> None:
        for window in self.windows:
            window.message.setText(text)

    def _refresh(self) -> None:
        for window in self.windows:
            window.viewer.presenter.refresh()

    def sends_at(self, edge: SheetEdge) -> Callable[[tuple[str, ...], bool], None]:
        """Return what asks, at the edge of a place or viewer, how documents are to be sent (``again``: as they were last)."""
        return lambda ids, again: self._ask(edge, ids, again=again)

    def prints_at(self, edge: SheetEdge) -> Callable[[tuple[str, ...]], None]:
        """Return what asks there how documents are to be printed."""
        return lambda ids: self._ask(edge, ids, prints=True)

    def _ask(self, edge: SheetEdge, ids: tuple[str, ...], *, again: bool = False, prints: bool = False) -> None:
        from keybundle.desktop.presenters.send_request import PRINTER, SendRequest
        from keybundle.desktop.views.send_sheet import SendSheet

        request = SendRequest(self.sending, self._shell.board.letters, [FiledId(i) for i in ids])
        sheet = SendSheet(request)
        self._shell.board.letters.opened(sheet, ids)
        sheet.ended.connect(lambda: self._shell.board.letters.closed(sheet))
        edge.open(sheet)
        request.begin(again=again, way=PRINTER if prints else "")

    def let_out(self, out: Out) -> None:
        """Let documents be dragged out of a list."""
        out.make = lambda ids: self.sending.make_drag([FiledId(i) for i in ids])
        out.went = lambda: self.sending.note_drag()
