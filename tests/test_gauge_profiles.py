"""Gauges as data: plain ASCII instruments and Modbus RTU, on a real pseudo-terminal."""

import json
import os
import struct
import threading
import tty

import pytest

from bathyx.instruments.line import LineError, PortSettings
from bathyx.instruments.profiles import (
    FILE,
    GaugeProfile,
    ProfileGauge,
    Register,
    decoded,
    gauge_profiles,
    keep_profile,
    parsed,
    proposed_pattern,
)

PLAIN = GaugeProfile(
    name="plain",
    ask="R?",
    pattern=r"P=\s*(?P<p>[-+]?[\d.]+) psi T=\s*(?P<t>[-+]?[\d.]+)",
    unit="psi",
    temperature_unit="F",
)


class Instrument:
    """Something at the other end of a pseudo-terminal that answers what it hears."""

    def __init__(self, answer):
        self.master, self.slave = os.openpty()
        tty.setraw(self.slave)
        self.port, self.answer, self.on = os.ttyname(self.slave), answer, True
        self.thread = threading.Thread(target=self._serve, daemon=True)
        self.thread.start()

    def _serve(self):
        heard = b""
        while self.on:
            try:
                heard += os.read(self.master, 256)
            except OSError:
                return
            reply, heard = self.answer(heard)
            if reply:
                os.write(self.master, reply)

    def close(self):
        self.on = False
        for end in (self.slave, self.master):
            os.close(end)


def crc(data):
    """CRC-16 of Modbus over serial line, V1.02, 6.2.2 (from memory)."""
    value = 0xFFFF
    for byte in data:
        value ^= byte
        for _ in range(8):
            value = value >> 1 ^ 0xA001 if value & 1 else value >> 1
    return struct.pack("<H", value)


def rtu(heard):
    """A device 7 with floats at 10 (21.5 kPa) and 12 (18.25 degC), function 3."""
    if len(heard) < 8:
        return b"", heard
    device, function, at, count = struct.unpack(">BBHH", heard[:6])
    assert heard[6:8] == crc(heard[:6])
    values = struct.pack(">ff", 21.5, 18.25)
    part = values[2 * (at - 10) : 2 * (at - 10 + count)]
    body = bytes([device, function, len(part)]) + part
    return body + crc(body), heard[8:]


def test_a_plain_instrument_is_asked_and_read():
    there = Instrument(lambda heard: (b"P= +3.046 psi T= 64.4\r\n", b"") if b"R?\r\n" in heard else (b"", heard))
    gauge = ProfileGauge(PLAIN, there.port)
    sample = gauge.read()
    assert (sample.gauge_kpa, sample.temp_c) == pytest.approx((21.0, 18.0), abs=0.01)
    assert gauge.identify().model == "plain"
    assert not gauge.identify().simulated
    gauge.close()
    there.close()


def test_one_that_sends_by_itself_is_listened_to():
    there = Instrument(lambda heard: (b"", b""))
    profile = GaugeProfile(name="talks", pattern=r"(?P<p>[\d.]+)", unit="mbar", still_temp_c=20.0)
    gauge = ProfileGauge(profile, there.port)
    os.write(there.master, b"\r\n0210.5 mbar\r\n")
    assert gauge.read().gauge_kpa == pytest.approx(21.05)
    gauge.close()
    there.close()


def test_a_modbus_gauge_is_read_by_its_registers():
    there = Instrument(rtu)
    profile = GaugeProfile(
        name="bus", speaks="modbus", device=7, port=PortSettings(baud=19200),
        pressure=Register(address=10), temperature=Register(address=12),
    )  # fmt: skip
    gauge = ProfileGauge(profile, there.port)
    sample = gauge.read()
    assert (sample.gauge_kpa, sample.temp_c) == (21.5, 18.25)
    gauge.close()
    there.close()


@pytest.mark.parametrize(
    ("words", "register", "value"),
    [
        ([0x41AC, 0], Register(address=0), 21.5), ([0, 0x41AC], Register(address=0, low_first=True), 21.5),
        ([0xFFFE], Register(address=0, word="int16"), -2.0), ([0xFFFE], Register(address=0, word="uint16"), 65534.0),
        ([1, 2], Register(address=0, word="uint32"), 65538.0), ([0xFFFF, 0xFFFE], Register(address=0, word="int32"), -2.0),
    ],
)  # fmt: skip
def test_registers_are_decoded(words, register, value):
    assert decoded(words, register) == value


@pytest.mark.parametrize("line", ["", "ERR 5", "P= psi T= 64", "P=+nan psi T= 64", "\x00\xff"])
def test_a_line_that_is_no_reading_is_a_line_error(line):
    with pytest.raises(LineError, match="plain"):
        parsed(PLAIN, line)


@pytest.mark.parametrize("line", ["+0021.34 kPa  18.2 C", "P:21.3;T:18,2;B:101.3", "$1,21.34,18.2*5A", "  21.3\t18.2"])
def test_a_pattern_is_proposed_from_a_line_that_was_heard(line):
    profile = GaugeProfile(name="heard", pattern=proposed_pattern(line), still_temp_c=20.0)
    assert all(abs(x) < 200 or x != x for x in parsed(profile, line))


@pytest.mark.parametrize(
    "wrong", [{"pattern": "(?P<q>.)"}, {"pattern": "("}, {"unit": "stone"}, {"temperature_unit": "R"}, {"device": 0}]
)
def test_a_profile_that_cannot_work_is_refused(wrong):
    with pytest.raises(ValueError, match=r"\S"):
        GaugeProfile(**{"name": "x", **wrong})


def test_profiles_are_kept_and_a_broken_list_is_said(tmp_path):
    keep_profile(tmp_path, PLAIN)
    keep_profile(tmp_path, PLAIN.model_copy(update={"scale": 2.0}))
    assert gauge_profiles(tmp_path)["plain"].scale == 2.0
    assert len(json.loads((tmp_path / FILE).read_text())) == 1
    (tmp_path / FILE).write_text('[{"name": 3}]')
    with pytest.raises(ValueError, match=FILE):
        gauge_profiles(tmp_path)


def test_a_port_that_is_not_there_is_said():
    with pytest.raises(LineError, match="plugged in"):
        ProfileGauge(PLAIN, "/dev/ttyNOWHERE")
    with pytest.raises(LineError, match="plugged in"):
        ProfileGauge(GaugeProfile(name="b", speaks="modbus", pressure=Register(address=1)), "/dev/ttyNOWHERE")
