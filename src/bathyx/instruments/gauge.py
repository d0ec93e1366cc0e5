"""A pressure and temperature gauge: what its replies mean.

Requests are one letter. `I` names the gauge: `I;maker;model;serial*CC`. `R` reads: `R;+20.134;kPa;+18.42;C*CC`, with the
barometer as a third channel where there is one: `R;+20.134;kPa;+18.42;C;+101.325;kPa*CC`.
CC is the exclusive-or of all bytes before the star, two hex digits.
"""

from __future__ import annotations

import math
import re
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from bathyx.core.proving.decay import Sample
from bathyx.instruments.line import Line, LineError

_NUMBER = re.compile(r"[+-]?\d{1,8}(\.\d{1,10})?")  # what a gauge sends; Python's own would take 2_0 and inf
TO_KPA = {"kPa": 1.0, "psi": 6.894757293168361, "bar": 100.0, "mbar": 0.1}


@dataclass(frozen=True)
class Identity:
    """Who the gauge says it is; `simulated` is true for the stand-in."""

    maker: str
    model: str
    serial: str

    @property
    def simulated(self) -> bool:
        """Whether this is the simulated stand-in."""
        return self.model.startswith("SIM")

    @property
    def words(self) -> str:
        """One line for records."""
        return f"{self.maker} {self.model} no. {self.serial}"


def checksum(body: str) -> str:
    """Exclusive-or of the bytes of `body`, two hex digits."""
    value = 0
    for byte in body.encode("ascii", "replace"):
        value ^= byte
    return f"{value:02X}"


def framed(body: str) -> str:
    """`body` with its checksum."""
    return f"{body}*{checksum(body)}"


class Readable(Protocol):
    """Anything that says who it is and reads: `Gauge`, or a shop's own by its profile."""

    clock: Callable[[], float]

    def identify(self) -> Identity:
        """Who it is. LineError when it does not say."""

    def read(self, since: float = 0.0) -> Sample:
        """One reading."""

    def close(self) -> None:
        """Let go of the line."""


class Gauge:
    """A gauge on any Line. `clock` gives seconds; the simulated rig may run it faster than the wall."""

    def __init__(self, line: Line, clock: Callable[[], float] = time.monotonic) -> None:
        self.line, self.clock = line, clock

    def identify(self) -> Identity:
        """Maker, model and serial number. LineError when the reply is not a gauge's."""
        parts = self._ask("I", 4)
        if not all(0 < len(part) <= 40 and part.isprintable() for part in parts[1:]):
            raise LineError("the gauge does not give its maker, model and number; is this the gauge's port?")
        return Identity(parts[1], parts[2], parts[3])

    def read(self, since: float = 0.0) -> Sample:
        """One reading, timed `clock` - `since`. LineError for a damaged reply or an unknown unit."""
        parts = self._ask("R", 5, 7)
        units = [parts[2], *parts[6:7]]
        if any(unit not in TO_KPA for unit in units) or parts[4] != "C":
            raise LineError(f"the gauge reads in {parts[2]} and {parts[4]}; set it to one of {', '.join(TO_KPA)} and C")
        if not all(_NUMBER.fullmatch(parts[i]) for i in (1, 3, 5) if i < len(parts) and i != 4):
            raise LineError(f"the gauge sent {parts[1]!r} and {parts[3]!r}, which are no numbers")
        baro = float(parts[5]) * TO_KPA[parts[6]] if len(parts) == 7 else math.nan
        sample = Sample(self.clock() - since, float(parts[1]) * TO_KPA[parts[2]], float(parts[3]), baro)
        if not (math.isfinite(sample.gauge_kpa) and math.isfinite(sample.temp_c)):
            raise LineError(f"the gauge sent {parts[1]!r} and {parts[3]!r}, which are no readings; check its sensors")
        return sample

    def close(self) -> None:
        """Let go of the line."""
        self.line.close()

    def _ask(self, request: str, *counts: int) -> list[str]:
        reply = self.line.ask(request)
        body, star, check = reply.rpartition("*")
        if not star or checksum(body) != check.upper():
            raise LineError(f"damaged reply {reply[:60]!r} from the gauge; check the cable")
        parts = body.split(";")
        if parts[0] != request or len(parts) not in counts:
            raise LineError(f"reply {reply[:60]!r} does not answer {request!r}; is this the gauge's port?")
        return parts
