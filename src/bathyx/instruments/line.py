"""How bytes travel: a line that sends a request and reads one reply. Meaning lives in gauge.py."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol


class LineError(Exception):
    """The line gave no usable reply; the message says what to check."""


class Line(Protocol):
    """Anything that can ask and listen."""

    def ask(self, request: str) -> str:
        """The reply to `request`, without its line end. LineError on silence."""

    def close(self) -> None:
        """Let go of the line."""


class SerialLine:
    """A serial port, real or pseudo-terminal: 9600 baud, 8N1, CR LF."""

    def __init__(self, port: str, timeout_s: float = 1.0) -> None:
        """Open `port`; LineError when it is not there or busy."""
        import serial

        try:
            self._port = serial.Serial(port, 9600, timeout=timeout_s, write_timeout=timeout_s)
        except (serial.SerialException, OSError) as error:
            raise LineError(
                f"cannot open {port}: {error}. Is the gauge plugged in and not in use elsewhere?"
            ) from error
        self.port = port

    def ask(self, request: str) -> str:
        """Send and read one line."""
        import serial

        try:
            self._port.reset_input_buffer()
            self._port.write(f"{request}\r\n".encode("ascii"))
            reply = self._port.read_until(b"\n")
        except (serial.SerialException, OSError) as error:
            raise LineError(f"{self.port} stopped answering: {error}. Check the plug") from error
        if not reply.endswith(b"\n"):
            raise LineError(f"{self.port} is silent; check power and cable")
        return reply.decode("ascii", "replace").strip()

    def close(self) -> None:
        """Close the port."""
        self._port.close()


class ScriptedLine:
    """A line whose whole dialogue is written down beforehand: (request, reply) pairs in order."""

    def __init__(self, dialogue: Sequence[tuple[str, str]]) -> None:
        self._left = list(dialogue)

    def ask(self, request: str) -> str:
        """The scripted reply; LineError when the request is not the one expected."""
        if not self._left:
            raise LineError(f"nothing was expected after the script's end, got {request!r}")
        expected, reply = self._left.pop(0)
        if request != expected:
            raise LineError(f"expected {expected!r}, got {request!r}")
        return reply

    def close(self) -> None:
        """Nothing to close."""
