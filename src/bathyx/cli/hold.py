"""`bathyx hold`: what a pressure trace of any logger proves, as JSON; `bathyx gauges`: the shop's list."""

from __future__ import annotations

import argparse
import csv
import json
import math
import sys
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from bathyx.cli.errors import CommandError, data_home
from bathyx.errors import Refusal
from bathyx.files import read_text

if TYPE_CHECKING:
    from bathyx.core.geometry.shell import Array
    from bathyx.core.proving.gauges import GaugeKind

COLUMNS = "t_s, gauge_kpa or abs_kpa, temp_c[, baro_kpa]"
MOST_BYTES = 64 * 1024 * 1024


def add_commands(command: Callable[..., argparse.ArgumentParser]) -> None:
    """Enter `hold` and `gauges`; `command(name, run, words)` makes a parser."""
    hold = command("hold", run_hold, "what a pressure trace proves, as JSON: verdict, leak with its interval, reason")
    hold.add_argument("trace", type=Path, metavar="TRACE.csv", help=f"columns {COLUMNS}; - for standard input")
    hold.add_argument("--volume-l", type=_positive, required=True, metavar="L", help="air volume of the tank")
    hold.add_argument("--limit-ml-min", type=_positive, required=True, metavar="Q",
                      help="leak that still counts as tight, mL/min of air at 20 °C and 101.325 kPa")  # fmt: skip
    hold.add_argument("--hold-min", type=_not_negative, default=0.0, metavar="MIN",
                      help="planned hold: never tight before it is over")  # fmt: skip
    hold.add_argument("--test-kpa", type=_positive, metavar="KPA",
                      help="gauge pressure the tank was to stand at; else what the trace begins at")  # fmt: skip
    hold.add_argument("--gauge", metavar="NAME", help="a gauge of the shop's list (`bathyx gauges`)")
    _describe(hold)
    hold.add_argument("--barometer", metavar="FILE|KPA,KPA",
                      help="air pressure: a CSV of t_s, baro_kpa, or its value at start and end")  # fmt: skip
    hold.add_argument(
        "--altitude-m", type=_altitude, metavar="M", help="height of the shop; else 0 to 2,500 m is reckoned with"
    )
    hold.add_argument("--weather", choices=("settled", "changing", "unsettled", "storm"), default="unsettled",
                      help="how the unread barometer may move: 0.05, 0.12, 0.2 or 0.4 kPa/h")  # fmt: skip
    hold.add_argument("--asked", metavar="S:WHAT:AMOUNT", action="append", default=[], type=_mark,
                      help="a question put to the tank, at a second of the trace: draw or return of mL, open or shut of mL/min, "
                      "vent, rest, end; may be given many times")  # fmt: skip
    gauges = command("gauges", run_gauges, "list the shop's gauges, or add one with --add")
    gauges.add_argument("--add", metavar="NAME", help="add or replace the gauge of this name")
    gauges.add_argument("--range-kpa", type=_positive, default=100.0)
    gauges.add_argument("--absolute", action="store_true", help="it reads absolute pressure")
    gauges.add_argument("--with-barometer", action="store_true", help="a barometer is read beside it")
    gauges.add_argument(
        "--accuracy-kpa", type=_not_negative, metavar="A", help="how far off a reading may be; else 1 %% of range"
    )
    gauges.add_argument("--last-check", type=_day, metavar="DATE", help="when it was last held against a better one")
    gauges.add_argument("--check-due", type=_day, metavar="DATE", help="when it is to be checked again")
    _describe(gauges)

    bring = command(
        "bring-in", run_bring_in, "put a logger's trace on record as a hold of a job's test; its columns are named"
    )
    bring.add_argument("job", type=Path, metavar="JOB.json")
    bring.add_argument("trace", type=Path, metavar="TRACE", help="a table of any logger: , ; or tab, UTF-8 or UTF-16")
    bring.add_argument("--who", required=True, help="your name: it goes on the record")
    bring.add_argument("--test", type=int, default=1, metavar="N", help="which test of the plan, from 1")
    bring.add_argument("--time", required=True, metavar="COLUMN", help="header or number of the column")
    bring.add_argument("--time-unit", default="", metavar="UNIT", help="s, ms, min, h or d; none for time stamps")
    bring.add_argument("--pressure", required=True, metavar="COLUMN")
    bring.add_argument("--unit", required=True, metavar="UNIT", help="kPa, mbar, bar, psi, inHg, inH2O, …")
    bring.add_argument("--temperature", required=True, metavar="COLUMN")
    bring.add_argument("--temperature-unit", default="C", metavar="UNIT", help="C, F or K")
    bring.add_argument("--barometer", default="", metavar="COLUMN")
    bring.add_argument("--barometer-unit", default="kPa", metavar="UNIT")
    bring.add_argument("--gauge", required=True, metavar="NAME", help="a gauge of the shop's list (`bathyx gauges`)")
    bring.add_argument("--blanked", default="", metavar="WORDS", help="what closed the openings")
    bring.add_argument("--register", metavar="FILE")
    listen = command("listen", run_listen, "show what an instrument sends on a port, and a profile to begin with")
    listen.add_argument("port", nargs="?", metavar="PORT", help="else the ports of this machine are listed")
    listen.add_argument("--baud", type=int, default=9600)
    listen.add_argument(
        "--ask", default="", metavar="TEXT", help="what is sent first; an instrument that sends by itself needs none"
    )
    listen.add_argument("--lines", type=int, default=5)
    listen.add_argument("--keep", metavar="NAME", help="keep the profile under this name")
    listen.add_argument("--unit", default="kPa", metavar="UNIT", help="of the pressure")


def _describe(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--resolution-kpa", type=_positive, metavar="R", help="steps of the gauge; else seen in the trace"
    )
    parser.add_argument("--drift-kpa-h", type=_not_negative, metavar="D", help="its slow drift, standard uncertainty")
    parser.add_argument("--temp-resolution-c", type=_positive, metavar="R", help="steps of the thermometer")
    parser.add_argument(
        "--temp-lag-s", type=_not_negative, metavar="S", help="its lag behind the air, at most; else 300"
    )
    parser.add_argument(
        "--temp-drift-k-h", type=_not_negative, metavar="D", help="its slow drift, standard uncertainty"
    )


def _number(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text!r} is not a number") from None
    if not math.isfinite(value):
        raise argparse.ArgumentTypeError(f"{text!r} is not a finite number")
    return value


def _positive(text: str) -> float:
    value = _number(text)
    if not value > 0:
        raise argparse.ArgumentTypeError(f"{text} must be above zero")
    return value


def _not_negative(text: str) -> float:
    value = _number(text)
    if value < 0:
        raise argparse.ArgumentTypeError(f"{text} must be zero or more")
    return value


def _day(text: str) -> str:
    try:
        return date.fromisoformat(text).isoformat()
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text!r} is no date; write it like 2026-05-31") from None


def _mark(text: str) -> Any:
    from bathyx.core.proving.questions import Mark
    from bathyx.core.units.frozen import checked

    parts = text.split(":")
    if len(parts) not in (2, 3):
        raise argparse.ArgumentTypeError(f"{text!r} is no question; write it like 240:draw:60 or 5400:rest")
    told = {
        "t_s": _not_negative(parts[0]),
        "what": parts[1].strip(),
        "value": _not_negative(parts[2]) if parts[2:] else 0.0,
    }
    try:
        return checked(Mark, told)
    except Refusal as error:
        raise argparse.ArgumentTypeError(str(error)) from None


def _altitude(text: str) -> float:
    value = _number(text)
    if not -500 <= value <= 5000:
        raise argparse.ArgumentTypeError(f"{text} m is outside -500 to 5000")
    return value


def _sensors(options: argparse.Namespace, absolute: bool) -> GaugeKind:
    from bathyx.core.proving.gauges import UNKNOWN
    from bathyx.instruments.shop_gauges import shop_gauges

    sensors = UNKNOWN
    if options.gauge:
        known = shop_gauges(data_home())
        if options.gauge not in known:
            raise CommandError(f"no gauge {options.gauge!r} in the shop's list; there are {', '.join(known)}")
        sensors = known[options.gauge]
        if sensors.absolute != absolute:
            raise CommandError(
                f"{options.gauge} reads {'absolute' if sensors.absolute else 'gauge'} pressure and the trace has "
                f"{'abs_kpa' if absolute else 'gauge_kpa'}"
            )
    return sensors.model_copy(update=_given(options) | {"absolute": absolute})


def _given(options: argparse.Namespace) -> dict[str, float]:
    names = {
        "resolution_kpa": options.resolution_kpa,
        "drift_kpa_per_h": options.drift_kpa_h,
        "temp_resolution_c": options.temp_resolution_c,
        "temp_lag_s": options.temp_lag_s,
        "temp_drift_k_per_h": options.temp_drift_k_h,
    }
    return {name: value for name, value in names.items() if value is not None}


def read_columns(path: Path, wanted: tuple[str, ...]) -> dict[str, np.ndarray]:
    """Columns of a CSV with a header by name, each (n,); cells that are no numbers are NaN. CommandError says what is wrong.

    Commas, semicolons or tabs part the cells; with semicolons or tabs a comma is a decimal point. Lines that begin
    with # are left out.
    """
    try:
        if str(path) == "-":
            text = sys.stdin.read(MOST_BYTES)
        else:
            if path.is_file() and path.stat().st_size > MOST_BYTES:
                raise CommandError(f"{path} is larger than 64 MB; thin the trace to a reading a second or so")
            text = read_text(path, MOST_BYTES)
    except UnicodeDecodeError as error:
        raise CommandError(f"cannot read {path}: no UTF-8 text (byte {error.start})") from None
    lines = [line for line in text.lstrip("\ufeff").splitlines() if line.strip() and not line.lstrip().startswith("#")]
    if not lines:
        raise CommandError(f"{path} is empty; it should have a header with {', '.join(wanted)} and a reading a line")
    mark = max(",;\t", key=lines[0].count)
    try:
        rows = list(csv.reader(lines, delimiter=mark))
    except csv.Error as error:
        raise CommandError(f"{path} is no table of readings ({error})") from None
    names = [name.strip().lower() for name in rows[0]]
    if "t_s" not in names:
        raise CommandError(
            f"{path}: the first line should name the columns ({', '.join(wanted)}); it reads {lines[0]:.60}"
        )
    if len(set(names)) < len(names):
        raise CommandError(f"{path}: a column is named twice in {lines[0]:.60}")

    def cell(text: str) -> float:
        try:
            return float(text.replace(",", ".") if mark != "," else text)
        except ValueError:
            return math.nan

    table = np.array(
        [[cell(row[i]) if i < len(row) else math.nan for i in range(len(names))] for row in rows[1:]], float
    )
    table = table.reshape(-1, len(names))
    return {name: table[:, i] for i, name in enumerate(names)}


def _barometer(text: str | None, t: Array) -> tuple[tuple[float, float] | None, float, Array | None]:
    """(typed ends or None, their step, channel (n,) or None)."""
    if text is None:
        return None, 0.1, None
    parts = text.split(",")
    if len(parts) == 2:
        try:
            first, last = (float(p) for p in parts)
        except ValueError:
            first = last = math.nan
        if math.isfinite(first) and math.isfinite(last):
            if not (50 <= first <= 110 and 50 <= last <= 110):
                raise CommandError(f"--barometer {text}: air pressure is 50 to 110 kPa (1013 hPa is 101.3)")
            places = min(len(p.partition(".")[2]) for p in parts)
            return (first, last), 10.0**-places, None
    columns = read_columns(Path(text), ("t_s", "baro_kpa"))
    if "baro_kpa" not in columns:
        raise CommandError(f"{text}: no column baro_kpa")
    good = np.isfinite(columns["t_s"]) & np.isfinite(columns["baro_kpa"])
    at, kpa = columns["t_s"][good], columns["baro_kpa"][good]
    if len(at) < 2 or np.any(np.diff(at) <= 0) or at[0] > t[0] + 60 or at[-1] < t[-1] - 60:
        raise CommandError(f"{text}: the barometer should be read from the start of the trace to its end, in order")
    return None, 0.1, np.interp(t, at, kpa)


def run_hold(options: argparse.Namespace) -> int:
    """Print the JSON of a trace."""
    from bathyx.core.proving.decay import Trace
    from bathyx.core.proving.gauges import Surroundings
    from bathyx.core.proving.sees import leak_words
    from bathyx.core.proving.verdict import Asked, read_trace

    columns = read_columns(options.trace, ("t_s", "gauge_kpa or abs_kpa", "temp_c"))
    absolute = "abs_kpa" in columns
    if absolute == ("gauge_kpa" in columns):
        raise CommandError(f"{options.trace}: give one of gauge_kpa and abs_kpa; columns are {COLUMNS}")
    if "temp_c" not in columns:
        raise CommandError(
            f"{options.trace}: no column temp_c; without the air's temperature a falling gauge may be the weather"
        )
    t = columns["t_s"]
    ends, step, channel = _barometer(options.barometer, t)
    if channel is None:
        channel = columns.get("baro_kpa", np.full(len(t), np.nan))
    trace = Trace(t, columns["abs_kpa" if absolute else "gauge_kpa"], columns["temp_c"], channel, absolute)
    sensors = _sensors(options, absolute)
    around = Surroundings(options.weather, options.altitude_m, ends, step)
    asked = Asked(tuple(sorted(options.asked, key=lambda m: m.t_s))) if options.asked else None
    decision, found = read_trace(
        trace, options.volume_l, options.limit_ml_min, options.hold_min * 60, sensors, around, options.test_kpa, asked
    )
    low, high = found.interval if found else (None, None)
    unsaid = ""
    if options.test_kpa is None and not absolute and np.isfinite(trace.p).any():
        began = float(np.median(trace.p[np.isfinite(trace.p)][:5]))
        unsaid = f"; --test-kpa was not said: taken as {began:.2f} kPa, where the trace begins"
    answer = {
        "verdict": decision.verdict.replace(" ", "_"),
        "leak_ml_min": found.ml_min if found else None,
        "low": low,
        "high": high,
        "reason": decision.reason + unsaid,
        "more_min": decision.more_min,
        "hold_min": trace.hold_s / 60 if math.isfinite(trace.hold_s) else None,
        "readings": len(t),
        "limit_in_words": leak_words(options.limit_ml_min, test_kpa=options.test_kpa or 20.0),
        "half_width_by_cause": None
        if found is None
        else {
            "readings": found.statistical,
            "settling": found.settling,
            "resolution": found.resolution,
            "drift": found.drift,
            "barometer": found.barometer,
        },
        "gauge": sensors.words,
    }
    json.dump(answer, sys.stdout, indent=2, ensure_ascii=False, allow_nan=False)
    print()
    return 0


def run_bring_in(options: argparse.Namespace) -> int:
    """Bring a trace in, and print the verdict."""
    from bathyx.cli.records import where_register
    from bathyx.core.build.trial import missing_for_proof, terms_for
    from bathyx.core.evaluate import evaluate
    from bathyx.core.job import read_job
    from bathyx.core.proving.decay import Sample
    from bathyx.files.traces import Columns, read_trace_file, samples_of
    from bathyx.instruments.shop_gauges import shop_gauges
    from bathyx.register import Register, bring_in, record_of

    known = shop_gauges(data_home())
    if options.gauge not in known:
        raise CommandError(f"no gauge {options.gauge!r} in the shop's list; there are {', '.join(known)}")
    kind = known[options.gauge]
    e = evaluate(read_job(read_text(options.job), options.job.name))
    tests = e.job.proving.tests
    if not 1 <= options.test <= len(tests):
        raise CommandError(f"the plan has {len(tests)} tests; --test {options.test} is none of them")
    test = tests[options.test - 1]
    if not test.pressed:
        raise CommandError(f"{test.words} has no pressure to read")
    columns = Columns(
        options.time, options.pressure, options.unit, options.temperature, options.temperature_unit,
        options.barometer, options.barometer_unit, options.time_unit, kind.absolute,
    )  # fmt: skip
    file = read_trace_file(options.trace)
    samples = [Sample(*row) for row in samples_of(file, columns)]
    register = Register(where_register(options.register))
    try:
        record = record_of(register, e)
        states = {s.id: record.seam_state(s.edge) for s in e.results.seams}
        terms = terms_for(
            e, test, gauge=kind.model_copy(update={"barometer": bool(options.barometer)}), identity="brought in from a file",
            missing=missing_for_proof(e, record.standing_ticks, states, test.what), blanked=options.blanked,
        )  # fmt: skip
        source = {
            "name": file.name,
            "sha256": file.sha256,
            "columns": {k: str(v) for k, v in vars(columns).items() if v},
        }
        judged = bring_in(register, e.job, terms, samples, source, options.who, lambda: record_of(register, e))
    finally:
        register.close()
    said = {
        "verdict": judged.verdict.replace(" ", "_"),
        "reason": judged.reason,
        "readings": len(samples),
        "sha256": file.sha256,
    }
    json.dump(said | {"rehearsal": terms.missing}, sys.stdout, indent=2, ensure_ascii=False)
    print()
    return 0


def run_listen(options: argparse.Namespace) -> int:
    """Show raw lines, and propose a pattern."""
    from bathyx.instruments.line import LineError, PortSettings, SerialLine
    from bathyx.instruments.profiles import GaugeProfile, keep_profile, parsed, ports, proposed_pattern

    if options.port is None:
        found = ports()
        print(
            "\n".join(f"{device}  {called}" for device, called in found) if found else "no serial port on this machine"
        )
        return 0
    line = None
    heard = ""
    try:
        line = SerialLine(options.port, settings=PortSettings(baud=options.baud))
        for _ in range(max(1, min(options.lines, 1000))):
            heard = line.ask(options.ask) if options.ask else line.listen()
            print(repr(heard))
    except LineError as error:
        raise CommandError(str(error)) from None
    finally:
        if line is not None:
            line.close()
    pattern = proposed_pattern(heard)
    print(f"pattern to begin with: {pattern or 'none: there is no number in it'}")
    if options.keep and pattern:
        profile = GaugeProfile(
            name=options.keep, port=PortSettings(baud=options.baud), ask=options.ask, pattern=pattern, unit=options.unit
        )
        try:
            print("reads as {:.3f} kPa, {:.2f} °C".format(*parsed(profile, heard)[:2]))
        except LineError as error:
            print(error)
        keep_profile(data_home(), profile)
        print(f"kept as {options.keep!r}; its file says what else can be set")
    return 0


def run_gauges(options: argparse.Namespace) -> int:
    """List or extend the shop's gauges."""
    from bathyx.core.proving.gauges import GaugeKind
    from bathyx.core.units.frozen import checked
    from bathyx.instruments.shop_gauges import keep_gauge, shop_gauges

    if options.add:
        try:
            told = {"name": options.add, "range_kpa": options.range_kpa, "absolute": options.absolute}
            told |= {"barometer": options.with_barometer, "accuracy_kpa": options.accuracy_kpa}
            told |= {"last_check": options.last_check or "", "check_due": options.check_due or ""}
            kind = checked(GaugeKind, told | _given(options))
            keep_gauge(data_home(), kind)
        except (Refusal, OSError) as error:
            raise CommandError(f"gauge not kept: {error}") from None
    for kind in shop_gauges(data_home()).values():
        print(f"{kind.words}, off by {kind.off_kpa:g} kPa at most, {kind.check_words(date.today().isoformat())}")
    return 0
