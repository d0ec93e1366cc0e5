"""A shop's own gauge as data: how its port is set, what it is asked, how its reply reads. Plain ASCII instruments and Modbus RTU.

A profile is a row of `gauge-profiles.json` in the home: nothing of an instrument is code.
"""

from __future__ import annotations

import math
import re
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, Literal

from pydantic import Field, TypeAdapter, field_validator

from bathyx.core.proving.decay import Sample
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal
from bathyx.files.traces import KPA_IN, TEMPERATURES
from bathyx.instruments.gauge import Identity
from bathyx.instruments.kept_lists import read_list, write_list
from bathyx.instruments.line import LineError, PortSettings, SerialLine

FILE = "gauge-profiles.json"
NUMBER = r"[-+]?\d{1,9}(?:[.,]\d{1,9})?"
Word = Literal["int16", "uint16", "int32", "uint32", "float32"]
REGISTERS: dict[str, int] = {"int16": 1, "uint16": 1, "int32": 2, "uint32": 2, "float32": 2}


class Register(Frozen):
    """A value in a Modbus device: its address, how it is coded, low word first or not, and what one step of it is worth."""

    address: int = Field(ge=0, le=65535)
    word: Word = "float32"
    low_first: bool = False
    scale: float = 1.0


class GaugeProfile(Frozen):
    """How a gauge is talked to. `kind`: the shop's gauge of this name says how good it is.

    ASCII: `ask` is sent (empty: it sends by itself), and `pattern` finds `p`, and `t` and `b` where it has them, in a line.
    Modbus: `pressure`, `temperature` and `barometer` are registers of device `device`, read with `function` 3 or 4.
    """

    name: str = Field(min_length=1, max_length=80)
    kind: str = Field("unknown gauge", max_length=80)
    speaks: Literal["ascii", "modbus"] = "ascii"
    port: PortSettings = PortSettings()
    ask: str = Field("", max_length=80)
    pattern: str = Field("", max_length=400)
    unit: str = "kPa"
    temperature_unit: str = "C"
    scale: float = Field(1.0, gt=0)
    offset_kpa: float = 0.0
    still_temp_c: float | None = Field(None, ge=-60, le=120)
    device: int = Field(1, ge=1, le=247)
    function: Literal[3, 4] = 3
    pressure: Register | None = None
    temperature: Register | None = None
    barometer: Register | None = None

    @field_validator("unit")
    @classmethod
    def _known_unit(cls, unit: str) -> str:
        if unit not in KPA_IN:
            raise Refusal(f"a gauge reads in one of {', '.join(KPA_IN)}")
        return unit

    @field_validator("temperature_unit")
    @classmethod
    def _known_temperature(cls, unit: str) -> str:
        if unit not in TEMPERATURES:
            raise Refusal(f"a thermometer reads in {', '.join(TEMPERATURES)}")
        return unit

    @field_validator("pattern")
    @classmethod
    def _finds(cls, pattern: str) -> str:
        if not pattern:
            return pattern
        try:
            names = re.compile(pattern).groupindex
        except re.error as error:
            raise Refusal(f"the pattern cannot be read ({error})") from None
        if "p" not in names:
            raise Refusal("a pattern names the pressure (?P<p>…), and (?P<t>…) and (?P<b>…) where there are some")
        return pattern

    def celsius(self, value: float) -> float:
        """A temperature as the gauge says it, in degC."""
        return {"C": value, "F": (value - 32) / 1.8, "K": value - 273.15}[self.temperature_unit]

    def kpa(self, value: float) -> float:
        """A pressure as the gauge says it, in kPa."""
        return value * self.scale * KPA_IN[self.unit] + self.offset_kpa


def parsed(profile: GaugeProfile, line: str) -> tuple[float, float, float]:
    """(kPa, degC, barometer kPa or NaN) of a line. LineError where the pattern does not find a pressure and a temperature."""
    found = re.search(profile.pattern, line[:512])
    if found is None:
        raise LineError(
            f"{line[:60]!r} is no reading by the pattern of {profile.name}; `bathyx listen` shows what it sends"
        )

    def number(name: str) -> float:
        text = found.groupdict().get(name)
        return math.nan if text is None else float(text.replace(",", "."))

    try:
        p, t, b = number("p"), number("t"), number("b")
    except ValueError:
        raise LineError(f"{line[:60]!r} holds no number where the pattern of {profile.name} finds one") from None
    return _finished(profile, p, t, b)


def _finished(profile: GaugeProfile, p: float, t: float, b: float) -> tuple[float, float, float]:
    celsius = profile.celsius(t) if math.isfinite(t) else profile.still_temp_c
    if celsius is None:
        raise LineError(
            f"{profile.name} sends no temperature: name its place in the pattern, or a thermometer of its own"
        )
    if not math.isfinite(p):
        raise LineError(f"{profile.name} sent no pressure; check its sensor")
    return profile.kpa(p), celsius, b * KPA_IN[profile.unit] if math.isfinite(b) else math.nan


class ProfileGauge:
    """A gauge that speaks as its profile says; stands where `Gauge` stands."""

    def __init__(
        self, profile: GaugeProfile, port: str, clock: Callable[[], float] = time.monotonic, opener: Any = None
    ) -> None:
        """Open the port. LineError when it is not there.

        Args:
            profile: how it is talked to.
            port: of the gauge.
            clock: seconds.
            opener: gives the port's object, or the Modbus client; for tests.
        """
        self.profile, self.port, self.clock = profile, port, clock
        if profile.speaks == "modbus":
            self._modbus = (opener or _client)(profile, port)
        else:
            self._line = SerialLine(port, settings=profile.port, **({"opener": opener} if opener else {}))

    def identify(self) -> Identity:
        """What the profile calls it; the first reading has to make sense."""
        self.read()
        return Identity("profile", self.profile.name, self.port.rpartition("/")[2] or self.port)

    def read(self, since: float = 0.0) -> Sample:
        """One reading, timed `clock` - `since`. LineError for silence, or a reply that is no reading."""
        if self.profile.speaks == "modbus":
            values = self._registers()
        else:
            line = self._line.ask(_sent(self.profile.ask)) if self.profile.ask else self._line.listen()
            values = parsed(self.profile, line)
        return Sample(self.clock() - since, *values)

    def _registers(self) -> tuple[float, float, float]:
        p = self._value(self.profile.pressure)
        t = self._value(self.profile.temperature)
        b = self._value(self.profile.barometer)
        return _finished(self.profile, p, t, b)

    def _value(self, register: Register | None) -> float:
        if register is None:
            return math.nan
        read = self._modbus.read_holding_registers if self.profile.function == 3 else self._modbus.read_input_registers
        try:
            reply = read(register.address, count=REGISTERS[register.word], device_id=self.profile.device)
        except Exception as error:
            raise LineError(f"{self.port} stopped answering: {error}"[:200], True) from error
        if reply.isError():
            raise LineError(f"{self.profile.name} does not give register {register.address}: {reply}"[:200])
        return decoded(list(reply.registers), register) * register.scale

    def close(self) -> None:
        """Let go of the port."""
        if self.profile.speaks == "modbus":
            self._modbus.close()
        else:
            self._line.close()


def decoded(words: Sequence[int], register: Register) -> float:
    """The number in 16-bit registers.

    >>> decoded([0x41A8, 0x0000], Register(address=0))
    21.0
    """
    import struct

    ordered = list(reversed(words)) if register.low_first else list(words)
    raw = b"".join(int(w).to_bytes(2, "big") for w in ordered)
    form = {"int16": ">h", "uint16": ">H", "int32": ">i", "uint32": ">I", "float32": ">f"}[register.word]
    return float(struct.unpack(form, raw)[0])


def _client(profile: GaugeProfile, port: str) -> Any:
    from pymodbus.client import ModbusSerialClient

    s = profile.port
    client = ModbusSerialClient(
        port, baudrate=s.baud, bytesize=s.bits, parity=s.parity, stopbits=s.stop, timeout=1.0, retries=1
    )
    if not client.connect():
        raise LineError(f"cannot open {port}. Is the gauge plugged in and not in use elsewhere?", True)
    return client


def _sent(text: str) -> str:
    """What is sent: `\\r` and the like typed in a profile."""
    return text.encode("ascii", "replace").decode("unicode_escape")


def proposed_pattern(line: str) -> str:
    """A pattern for a line that was heard: its first number is the pressure, its second the temperature, its third the barometer.

    >>> bool(re.search(proposed_pattern("P=+0021.34 kPa T= 18.2 C"), "P=+0021.50 kPa T= 18.3 C"))
    True
    """
    spots = list(re.finditer(NUMBER, line))[:3]
    out, at = "", 0
    for name, spot in zip("ptb", spots, strict=False):
        between = re.sub(r"(\\ )+", r"\\s*", re.escape(line[at : spot.start()]))
        out += f"{between}(?P<{name}>{NUMBER})"
        at = spot.end()
    return out


_LIST = TypeAdapter(list[GaugeProfile])


def gauge_profiles(home: Path) -> dict[str, GaugeProfile]:
    """The shop's profiles by name. Refusal when their file is broken."""
    return {p.name: p for p in read_list(home / FILE, _LIST)}


def keep_profile(home: Path, profile: GaugeProfile) -> None:
    """Add a profile, or replace the one of its name. OSError when it cannot be written."""
    write_list(home / FILE, [*(p for name, p in gauge_profiles(home).items() if name != profile.name), profile])


def ports() -> tuple[tuple[str, str], ...]:
    """(device, what it is called) of every serial port of this machine."""
    from serial.tools import list_ports

    return tuple(
        (p.device, p.description if p.description not in ("n/a", "") else p.device) for p in list_ports.comports()
    )
