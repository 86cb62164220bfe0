"""The door of the running desktop: another start hands its files in here."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtNetwork import QLocalServer, QLocalSocket

from keybundle.core.base.errors import InputProblem
from keybundle.core.workflows.take_in.opening import LONGEST_LINE, OK, read_handed


class Door(QObject):
    """Listens while it lives; ``files_handed`` carries the files of each call."""

    files_handed = Signal(object)

    def __init__(self, path: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        QLocalServer.removeServer(str(path))
        self.is_open = self._server.listen(str(path))
        self._server.newConnection.connect(self._answer)

    def _answer(self) -> None:
        while (client := self._server.nextPendingConnection()) is not None:
            client.readyRead.connect(lambda c=client: self._read(c))
            client.disconnected.connect(client.deleteLater)

    def _read(self, client: QLocalSocket) -> None:
        if not client.canReadLine():
            if client.bytesAvailable() > LONGEST_LINE:
                client.abort()
            return
        try:
            files = read_handed(bytes(client.readLine().data()))
        except InputProblem:
            client.abort()
            return
        client.write(OK)
        client.flush()
        client.disconnectFromServer()
        self.files_handed.emit(files)

    def close(self) -> None:
        """Listen no more."""
        self._server.close()
