"""A job that is double-clicked is opened in the window that is there, where one stands on the same home."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtNetwork import QLocalServer, QLocalSocket

WAIT_MS, MOST_BYTES = 1500, 8192
TAKEN, BUSY = b"taken\n", b"busy\n"


def name_of(home: Path) -> str:
    """What the windows of a home listen on: of this person and this folder."""
    key = hashlib.sha256(str(home.absolute()).encode()).hexdigest()[:16]
    return f"bathyx-{os.getuid()}-{key}"


def handed_over(home: Path, job: Path) -> bool:
    """Whether a window that is there took the job; False where there is none, or it has its hands full."""
    socket = QLocalSocket()
    socket.connectToServer(name_of(home))
    if not socket.waitForConnected(WAIT_MS):
        return False
    socket.write(json.dumps({"open": str(job.absolute())}).encode() + b"\n")
    socket.flush()
    said = b""
    while not said.endswith(b"\n") and socket.waitForReadyRead(4 * WAIT_MS):
        said += bytes(socket.readAll().data())
    socket.disconnectFromServer()
    return said == TAKEN


class Doorbell(QObject):
    """Listens for jobs that another start was given. Of several windows on a home the first answers, and when it is gone the one
    that is used next."""

    def __init__(self, home: Path, take: Callable[[Path], bool], parent: QObject) -> None:
        """Listen.

        Args:
            home: of the window.
            take: opens a job's file; False where it may not now.
            parent: that it goes with.
        """
        super().__init__(parent)
        self._name, self._take = name_of(home), take
        self.server = QLocalServer(self)
        self.server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self.server.newConnection.connect(self._rung)
        self.listen()

    def listen(self) -> bool:
        """Answer from now on, unless another window does; whether this one answers."""
        if self.server.isListening():
            return True
        other = QLocalSocket()  # listening on a name takes it from whoever listens there: asked first
        other.connectToServer(self._name)
        if other.waitForConnected(WAIT_MS):
            other.abort()
            return False
        QLocalServer.removeServer(self._name)  # of a window that did not end by itself
        return self.server.listen(self._name)

    def _rung(self) -> None:
        while (socket := self.server.nextPendingConnection()) is not None:
            socket.readyRead.connect(lambda s=socket: self._read(s))
            socket.disconnected.connect(socket.deleteLater)
            if socket.bytesAvailable():
                self._read(socket)

    def _read(self, socket: QLocalSocket) -> None:
        if not socket.canReadLine():
            if socket.bytesAvailable() > MOST_BYTES:
                socket.abort()
            return
        line = socket.readLine(MOST_BYTES)
        try:
            wanted = json.loads(line)["open"]
            taken = isinstance(wanted, str) and self._take(Path(wanted))
        except (ValueError, KeyError, TypeError):
            taken = False
        socket.write(TAKEN if taken else BUSY)
        socket.flush()

    def stop(self) -> None:
        """Listen no longer."""
        self.server.close()
