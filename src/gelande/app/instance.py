"""One running Gelande for each person: a second one hands its file over, and a second window opens."""

from __future__ import annotations

import hashlib
import json
import os
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtNetwork import QLocalServer, QLocalSocket
from PyQt6.QtWidgets import QWidget

from gelande.places import state_folder

#: Milliseconds that the running one has to answer; bytes of a message at most.
PATIENCE, LONGEST = 1500, 65_536


def server_name() -> str:
    """The socket of this person's Gelande: one for each state folder."""
    place = hashlib.sha256(f"{os.getuid()} {state_folder()}".encode()).hexdigest()[:16]
    return f"gelande-{place}"


def hand_over(path: Path | None, example: bool = False, regenerate: bool = False) -> bool:
    """Asks a running Gelande to open a file in a window of its own. Returns whether one did."""
    socket = QLocalSocket()
    socket.connectToServer(server_name())
    if not socket.waitForConnected(300):
        return False
    message = {"path": str(path.resolve()) if path else "", "example": example, "regenerate": regenerate}
    socket.write(json.dumps(message).encode() + b"\n")
    socket.flush()
    if not socket.waitForReadyRead(PATIENCE):
        return False
    return bytes(socket.readAll()).startswith(b"ok")


class Instance(QObject):
    """Listens for files that later starts hand over. ``wanted`` carries path or None, example, regenerate."""

    wanted = pyqtSignal(object, bool, bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self._server.newConnection.connect(self._connected)

    def listen(self) -> bool:
        """Begins to listen; a socket that a dead one left behind is taken over."""
        if self._server.listen(server_name()):
            return True
        QLocalServer.removeServer(server_name())
        return self._server.listen(server_name())

    def close(self) -> None:
        self._server.close()

    def _connected(self) -> None:
        while (socket := self._server.nextPendingConnection()) is not None:
            socket.readyRead.connect(lambda s=socket: self._read(s))
            socket.disconnected.connect(socket.deleteLater)
            if socket.bytesAvailable():  # it was faster than we
                self._read(socket)

    def _read(self, socket: QLocalSocket) -> None:
        if not socket.canReadLine():
            if socket.bytesAvailable() > LONGEST:
                socket.abort()
            return
        try:
            message = json.loads(bytes(socket.readLine(LONGEST)))
            path = Path(message["path"]) if message["path"] else None
            example, regenerate = bool(message["example"]), bool(message["regenerate"])
        except (ValueError, KeyError, TypeError):
            socket.abort()
            return
        socket.write(b"ok\n")
        socket.flush()
        self.wanted.emit(path, example, regenerate)
