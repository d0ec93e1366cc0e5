"""How bytes travel: a line that sends a request and reads one reply. Meaning lives in gauge.py."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from typing import Any, Literal, Protocol

from pydantic import Field

from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

MOST_BYTES = 200
MOST_LINES = 8


class LineError(Refusal):
    """The line gave no usable reply; the message says what to check. `lost`: the port itself is gone and must be opened again."""

    def __init__(self, text: str, lost: bool = False) -> None:
        super().__init__(text)
        self.lost = lost


class Line(Protocol):
    """Anything that can ask and listen."""

    def ask(self, request: str) -> str:
        """The reply to `request`, without its line end. LineError on silence."""

    def close(self) -> None:
        """Let go of the line."""


class PortSettings(Frozen):
    """How a serial port is set, and what ends a line that is sent."""

    baud: int = Field(9600, ge=50, le=4_000_000)
    bits: Literal[7, 8] = 8
    parity: Literal["N", "E", "O"] = "N"
    stop: Literal[1, 2] = 1
    ends: Literal["\r\n", "\r", "\n", ""] = "\r\n"


def _serial(port: str, timeout_s: float, settings: PortSettings) -> Any:
    import serial

    opened = serial.Serial(
        None, settings.baud, settings.bits, settings.parity, settings.stop, timeout=timeout_s, write_timeout=timeout_s
    )
    opened.exclusive = True  # two readers of one line would each take bytes of the other's replies
    opened.port = port
    opened.open()
    return opened


class SerialLine:
    """A serial port, real or pseudo-terminal; unsaid 9600 baud, 8N1, CR LF.

    The echo that a two-wire adapter gives back, and empty lines, are passed over. Whatever the driver raises becomes a
    LineError: pyserial and the kernel know many ways to say that a plug was pulled.
    """

    def __init__(
        self,
        port: str,
        timeout_s: float = 1.0,
        opener: Callable[[str, float], Any] | None = None,
        settings: PortSettings | None = None,
    ) -> None:
        """Open `port`; LineError when it is not there or busy.

        Args:
            port: to open.
            timeout_s: for which it waits.
            opener: gives the port's object, for tests.
            settings: how it is set.
        """
        self.settings = settings or PortSettings()
        try:
            self._port = _serial(port, timeout_s, self.settings) if opener is None else opener(port, timeout_s)
        except Exception as error:
            raise LineError(
                f"cannot open {port}: {_why(error)}. Is the gauge plugged in and not in use elsewhere?", True
            ) from error
        self.port, self._timeout_s = port, timeout_s

    def ask(self, request: str) -> str:
        """Send and read one line."""
        try:
            self._port.reset_input_buffer()
            self._port.write(f"{request}{self.settings.ends}".encode("ascii"))
            end = time.monotonic() + 2 * self._timeout_s
            for _ in range(MOST_LINES):
                reply = self._port.read_until(b"\n", MOST_BYTES)
                said = bytes(reply).strip(b"\r\n\0 ")
                if reply.endswith(b"\n") and said in (b"", request.encode("ascii")):
                    if time.monotonic() < end:
                        continue
                    raise LineError(f"{self.port} gives back only what was sent; check that the gauge itself is on")
                break
            else:
                raise LineError(f"{self.port} gives back only what was sent; check that the gauge itself is on")
        except LineError:
            raise
        except Exception as error:
            raise LineError(f"{self.port} stopped answering: {_why(error)}. Check the plug", True) from error
        if not reply.endswith(b"\n"):
            if len(reply) >= MOST_BYTES:
                raise LineError(f"{self.port} sends without an end; check baud rate and port")
            raise LineError(f"{self.port} is silent; check power and cable")
        return said.decode("ascii", "backslashreplace")

    def listen(self) -> str:
        """The next whole line of an instrument that sends by itself. LineError on silence."""
        try:
            reply = self._port.read_until(b"\n", MOST_BYTES)
            if reply.endswith(b"\n") and not reply.strip(b"\r\n\0 "):
                reply = self._port.read_until(b"\n", MOST_BYTES)
        except Exception as error:
            raise LineError(f"{self.port} stopped sending: {_why(error)}. Check the plug", True) from error
        if not reply.strip(b"\r\n\0 "):
            raise LineError(f"{self.port} is silent; check power, cable and baud rate")
        return bytes(reply).strip(b"\r\n\0 ").decode("ascii", "backslashreplace")

    def close(self) -> None:
        """Close the port; one that is gone already is let be."""
        try:
            self._port.close()
        except Exception:  # noqa: BLE001 - a driver may raise anything from a port that is gone
            return


def _why(error: BaseException) -> str:
    return f"{str(error).strip() or type(error).__name__}"[:120]


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
