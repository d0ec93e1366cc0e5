"""A logger's trace, whoever wrote it: time stamps or seconds, psi or mbar, its own headers, UTF-16, semicolons, decimal commas.

Nothing is guessed that would change the verdict: which column is the pressure, and in which unit, is named by a person.
"""

from __future__ import annotations

import codecs
import csv
import hashlib
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import numpy as np

from bathyx.core.geometry.shell import Array
from bathyx.errors import Refusal
from bathyx.files.read import read_bytes

MOST_BYTES, MOST_ROWS, MOST_COLUMNS = 64 * 1024 * 1024, 2_000_000, 200
KPA_IN: dict[str, float] = {
    "kPa": 1.0, "Pa": 1e-3, "hPa": 0.1, "mbar": 0.1, "bar": 100.0, "MPa": 1000.0, "psi": 6.894757293168361,
    "inHg": 3.386389, "mmHg": 0.1333224, "inH2O": 0.2490889, "mmH2O": 0.00980665,
}  # fmt: skip
TEMPERATURES = ("C", "F", "K")
STAMPS = (
    "%Y-%m-%d %H:%M:%S", "%Y-%m-%dT%H:%M:%S", "%Y/%m/%d %H:%M:%S", "%d.%m.%Y %H:%M:%S", "%d/%m/%Y %H:%M:%S", "%m/%d/%Y %H:%M:%S",
    "%m/%d/%Y %I:%M:%S %p", "%Y-%m-%d %H:%M", "%d.%m.%Y %H:%M", "%H:%M:%S", "%M:%S",
)  # fmt: skip


class TraceFileError(Refusal):
    """A file that is no trace, or whose columns or units are not named; the message says what would be right."""


@dataclass(frozen=True, eq=False)
class TraceFile:
    """A table as read: headers, cells as text, the file's SHA-256, and its name."""

    name: str
    sha256: str
    headers: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    comma: bool

    def column(self, name: str) -> tuple[str, ...]:
        """The cells of a column, by its header or its number from 1. TraceFileError names what there is."""
        wanted = name.strip().casefold()
        for k, header in enumerate(self.headers):
            if header.casefold() == wanted or wanted == str(k + 1):
                return tuple(row[k] if k < len(row) else "" for row in self.rows)
        raise TraceFileError(f"{self.name} has no column {name!r}; it has {', '.join(self.headers)[:200]}")

    def numbers(self, name: str) -> Array:
        """A column as numbers, (n,); what is none is NaN."""
        return np.array([self._number(cell) for cell in self.column(name)])

    def _number(self, cell: str) -> float:
        cell = cell.strip().replace("\u00a0", "").replace("\u2212", "-")
        if self.comma:
            cell = cell.replace(".", "").replace(",", ".") if "," in cell else cell
        try:
            return float(cell)
        except ValueError:
            return math.nan


@dataclass(frozen=True)
class Columns:
    """What a person says of a trace: which column is what, and its unit. Empty: there is none."""

    time: str
    pressure: str
    unit: str
    temperature: str
    temperature_unit: str = "C"
    barometer: str = ""
    barometer_unit: str = "kPa"
    time_unit: str = ""
    absolute: bool = False


def columns_said(text: str, absolute: bool = False) -> Columns:
    """What is typed of the columns: `time=Date; pressure=CH1 psi; temperature=CH2 F; barometer=3 hPa`.

    A last word that is a unit is the unit; headers may have blanks. TraceFileError says what is missing.

    >>> columns_said("time=Elapsed min; pressure=Tank P psi; temperature=T C").pressure
    'Tank P'
    """
    told: dict[str, tuple[str, str]] = {}
    units = {"time": ("s", "ms", "min", "h", "d"), "temperature": TEMPERATURES}
    for part in text.split(";"):
        name, mark, said = part.partition("=")
        name = name.strip().casefold()
        if not part.strip():
            continue
        if not mark or name not in ("time", "pressure", "temperature", "barometer"):
            raise TraceFileError(
                f"{part.strip()[:40]!r} names no column; write time=…; pressure=… psi; temperature=… C; barometer=… hPa"
            )
        header, _, unit = said.strip().rpartition(" ")
        known = unit in units.get(name, tuple(KPA_IN))
        told[name] = (header.strip(), unit) if header and known else (said.strip(), "")
    for name in ("time", "pressure", "temperature"):
        if not told.get(name, ("", ""))[0]:
            raise TraceFileError(f"say which column is the {name}, like {name}=CH1")
    barometer, baro_unit = told.get("barometer", ("", "kPa"))
    return Columns(
        told["time"][0], told["pressure"][0], told["pressure"][1], told["temperature"][0], told["temperature"][1] or "C",
        barometer, baro_unit or "kPa", told["time"][1], absolute,
    )  # fmt: skip


def read_trace_file(path: Path) -> TraceFile:
    """The table in a logger's file. TraceFileError where there is none."""
    data = read_bytes(path, MOST_BYTES)
    text = _decoded(data, path.name)
    lines = [line for line in re.split(r"\r\n|\n|\r", text) if line.strip()]
    if len(lines) < 2:
        raise TraceFileError(f"{path.name} holds no table of readings: a header and a reading a line")
    if len(lines) > MOST_ROWS:
        raise TraceFileError(f"{path.name} has more than {MOST_ROWS} lines; thin it to a reading a second or so")
    mark = _mark(lines)
    try:
        rows = [tuple(cell.strip() for cell in row) for row in csv.reader(lines, delimiter=mark)]
    except csv.Error as error:
        raise TraceFileError(f"{path.name} is no table of readings ({error})") from None
    width = max((len(row) for row in rows[-50:]), default=0)
    if not 2 <= width <= MOST_COLUMNS:
        raise TraceFileError(f"{path.name} has {width} columns; a trace has time, pressure and temperature")
    # Loggers write a few lines of their own before the header: it is the last line without a number before the readings.
    first = next((k for k, row in enumerate(rows) if len(row) >= width - 1 and _reads(row)), None)
    if first is None or first == 0:
        raise TraceFileError(f"{path.name}: no line names the columns; put a header above the readings")
    headers = tuple(cell or f"column {k + 1}" for k, cell in enumerate(rows[first - 1]))
    body = tuple(row for row in rows[first:] if len(row) >= 2)
    comma = mark != "," and any("," in cell for row in body[:50] for cell in row)
    return TraceFile(path.name, hashlib.sha256(data).hexdigest(), headers, body, comma)


def _decoded(data: bytes, name: str) -> str:
    for mark, kind in (
        (codecs.BOM_UTF8, "utf-8-sig"),
        (codecs.BOM_UTF16_LE, "utf-16"),
        (codecs.BOM_UTF16_BE, "utf-16"),
    ):
        if data.startswith(mark):
            try:
                return data.decode(kind)
            except UnicodeDecodeError as error:
                raise TraceFileError(f"{name} breaks off in the middle of a letter (byte {error.start})") from None
    if data[1:200:2].count(0) > len(data[1:200:2]) * 0.8:
        return data.decode("utf-16-le", "replace")
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return data.decode("latin-1")


def _mark(lines: Sequence[str]) -> str:
    """What parts the cells: what stands equally often on the last lines, the rarer in numbers first."""
    tail = lines[-min(20, len(lines) - 1) :]
    for mark in ("\t", ";", ","):
        counts = {line.count(mark) for line in tail}
        if len(counts) == 1 and counts != {0}:
            return mark
    return ","


_PART = re.compile(r"(?<=:\d\d)[.,]\d+(?=\s*([AaPp][Mm])?$)")
_FIGURE = re.compile(r"\s*[-+\u2212]?[\d.,:/\-T ]+\s*([AaPp][Mm])?\s*")


def _reads(row: Sequence[str]) -> bool:
    """Whether most cells of a row are figures or stamps."""
    figures = sum(bool(_FIGURE.fullmatch(cell)) and any(c.isdigit() for c in cell) for cell in row)
    return figures >= max(2, sum(bool(cell) for cell in row) - 1)


def samples_of(file: TraceFile, columns: Columns) -> list[tuple[float, float, float, float]]:
    """(seconds, kPa, degC, barometer kPa or NaN) of each reading, by what a person said of its columns.

    Raises:
        TraceFileError: a unit that is not said or not known, a column that is not there, times that do not follow one another.
    """
    for unit, what in (
        (columns.unit, "pressure"),
        (columns.barometer_unit if columns.barometer else "kPa", "barometer"),
    ):
        if unit not in KPA_IN:
            raise TraceFileError(
                f"say in which unit the {what} is: {', '.join(KPA_IN)}" + (f"; {unit!r} is none" if unit else "")
            )
    if columns.temperature_unit not in TEMPERATURES:
        raise TraceFileError(f"a temperature is in {', '.join(TEMPERATURES)}, not {columns.temperature_unit!r}")
    t = _seconds(file, columns)
    p = file.numbers(columns.pressure) * KPA_IN[columns.unit]
    temp = file.numbers(columns.temperature)
    if columns.temperature_unit == "F":
        temp = (temp - 32) / 1.8
    elif columns.temperature_unit == "K":
        temp = temp - 273.15
    baro = (
        file.numbers(columns.barometer) * KPA_IN[columns.barometer_unit]
        if columns.barometer
        else np.full(len(t), np.nan)
    )
    keep = np.isfinite(t) & (np.isfinite(p) | np.isfinite(temp))
    t, p, temp, baro = (x[keep] for x in (t, p, temp, baro))
    if len(t) < 8:
        raise TraceFileError(f"{file.name}: {len(t)} readings in {columns.pressure!r}; a hold has eight and more")
    if np.any(np.diff(t) <= 0):
        k = int(np.flatnonzero(np.diff(t) <= 0)[0])
        raise TraceFileError(f"{file.name}: the time of reading {k + 2} does not follow the one before it")
    rows = zip((t - t[0]).tolist(), p.tolist(), temp.tolist(), baro.tolist(), strict=True)
    return [(float(a), float(b), float(c), float(d)) for a, b, c, d in rows]


def _seconds(file: TraceFile, columns: Columns) -> Array:
    """Times in seconds: numbers in `time_unit` (s, min, h), or stamps."""
    per = {"": 1.0, "s": 1.0, "ms": 1e-3, "min": 60.0, "h": 3600.0, "d": 86400.0}.get(columns.time_unit)
    if per is None:
        raise TraceFileError(f"times are in s, ms, min, h or d, or stamps; not in {columns.time_unit!r}")
    cells = [cell.strip() for cell in file.column(columns.time)]
    numbers = file.numbers(columns.time)
    if np.isfinite(numbers).mean() > 0.9:
        if not columns.time_unit:
            raise TraceFileError(f"say in which unit the times of {columns.time!r} are: s, ms, min, h or d")
        return np.asarray(numbers * per)
    for form in STAMPS:
        try:
            stamps = [datetime.strptime(_PART.sub("", c) if "S" in form else c, form) for c in cells]
        except ValueError:
            continue
        shares = [_share(cell) for cell in cells]
        seconds = np.array([(s - stamps[0]).total_seconds() for s in stamps]) + np.array(shares)
        # A clock without a date begins again at midnight.
        return np.asarray(seconds + 86400.0 * np.concatenate([[0], np.cumsum(np.diff(seconds) < -43200)]))
    raise TraceFileError(
        f"{file.name}: {cells[0][:30]!r} is no time; write seconds, or stamps like 2026-03-02 14:05:10 or 14:05:10"
    )


def ended_at(file: TraceFile, columns: Columns) -> datetime | None:
    """When the last reading was taken, by a stamp with a date; None where the file does not say."""
    cells = [cell.strip() for cell in file.column(columns.time) if cell.strip()]
    for form in STAMPS:
        if "%Y" not in form or not cells:
            continue
        try:
            return datetime.strptime(_PART.sub("", cells[-1]), form)
        except ValueError:
            continue
    return None


def _share(cell: str) -> float:
    """The part of a second that a stamp carries."""
    found = re.search(r":\d\d[.,](\d+)", cell)
    return float(f"0.{found[1]}") if found else 0.0
