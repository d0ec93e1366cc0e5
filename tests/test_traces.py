"""A trace of any logger as it comes, and what a person has to say of it."""

import json

import numpy as np
import pytest

from bathyx.cli.main import main
from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate
from bathyx.files.traces import Columns, TraceFileError, read_trace_file, samples_of
from bathyx.register import Register, record_of
from tests.conftest import box, job_with

WANTED = Columns("time", "P", "kPa", "T", time_unit="s")


def table(rows=40, mark=",", decimal=".", factor=1.0, stamp=None, head=("time", "P", "T")):
    lines = [mark.join(head)]
    for k in range(rows):
        when = stamp(k) if stamp else f"{5 * k}"
        cells = (f"{(21.0 + 0.001 * (k % 3)) * factor:.5f}", f"{18 + 0.01 * (k % 2):.2f}")
        lines.append(mark.join((when, *(c.replace(".", decimal) for c in cells))))
    return "\n".join(lines) + "\n"


def samples(tmp_path, data, columns=WANTED):
    path = tmp_path / "trace.csv"
    path.write_bytes(data if isinstance(data, bytes) else data.encode())
    return samples_of(read_trace_file(path), columns)


@pytest.mark.parametrize(
    "data",
    [
        table(), table(mark=";", decimal=","), table(mark="\t"), table().encode("utf-16"), table().encode("utf-8-sig"),
        table().replace("\n", "\r\n"), "Logger 7\nserial 0815\n\n" + table(), table(mark=";", decimal=",").encode("latin-1"),
    ],
)  # fmt: skip
def test_a_table_is_read_however_it_is_written(tmp_path, data):
    read = samples(tmp_path, data)
    assert len(read) == 40
    assert read[3][0] == 15.0
    assert read[1][1] == pytest.approx(21.001)
    assert read[1][2] == pytest.approx(18.01)


@pytest.mark.parametrize(
    ("unit", "factor"),  # NIST SP 811, appendix B.8; conventional values, from memory
    [
        ("psi", 1 / 6.894757),
        ("mbar", 10.0),
        ("bar", 0.01),
        ("inHg", 1 / 3.386389),
        ("inH2O", 1 / 0.2490889),
        ("hPa", 10.0),
    ],
)
def test_units_are_what_a_person_says(tmp_path, unit, factor):
    read = samples(tmp_path, table(factor=factor), Columns("time", "P", unit, "T", time_unit="s"))
    assert read[0][1] == pytest.approx(21.0, rel=1e-4)


@pytest.mark.parametrize(
    "stamp",
    [
        lambda k: f"2026-03-02 23:59:{k:02d}", lambda k: f"02.03.2026 14:00:{k:02d}", lambda k: f"14:00:{k:02d}",
        lambda k: f"3/2/2026 02:00:{k:02d} PM", lambda k: f"2026-03-02T14:00:{k:02d}.000",
    ],
)  # fmt: skip
def test_time_stamps_become_seconds(tmp_path, stamp):
    assert samples(tmp_path, table(stamp=stamp), Columns("time", "P", "kPa", "T"))[7][0] == pytest.approx(7.0)


def test_a_clock_without_a_date_goes_on_after_midnight(tmp_path):
    def stamp(k):
        s = (86390 + k) % 86400
        return f"{s // 3600:02d}:{s // 60 % 60:02d}:{s % 60:02d}"

    assert samples(tmp_path, table(stamp=stamp), Columns("time", "P", "kPa", "T"))[-1][0] == 39.0


def test_fahrenheit_and_a_barometer(tmp_path):
    text = "t;p;F;hPa\n" + "".join(f"{k};3.046;64.4;1013.25\n" for k in range(20))
    read = samples(tmp_path, text, Columns("t", "p", "psi", "F", "F", "hPa", "hPa", "s"))
    assert read[0] == pytest.approx((0.0, 21.0, 18.0, 101.325), abs=0.01)


@pytest.mark.parametrize(
    ("columns", "says"),
    [
        (Columns("time", "P", "", "T", time_unit="s"), "which unit"),
        (Columns("time", "P", "furlong", "T", time_unit="s"), "is none"),
        (Columns("time", "pressure", "kPa", "T", time_unit="s"), "no column 'pressure'; it has time, P, T"),
        (Columns("time", "P", "kPa", "T"), "which unit the times"),
        (Columns("time", "P", "kPa", "T", "X", time_unit="s"), "temperature is in"),
    ],
)
def test_what_is_not_said_is_asked_for(tmp_path, columns, says):
    with pytest.raises(TraceFileError, match=says):
        samples(tmp_path, table(), columns)


@pytest.mark.parametrize("data", [b"", b"\0\1\2", b"a,b\n", table(rows=3), "1,2,3\n2,3,4\n", b"\xff\xfea", "x\n" * 50])
def test_what_is_no_trace_is_refused_in_words(tmp_path, data):
    with pytest.raises(ValueError, match=r"trace\.csv"):
        samples(tmp_path, data)


def test_times_that_run_back_are_refused(tmp_path):
    with pytest.raises(TraceFileError, match="does not follow"):
        samples(tmp_path, table(stamp=lambda k: f"{abs(k - 5)}"))


def test_a_trace_becomes_a_hold_on_record_with_its_file_hash(tmp_path, capsys, monkeypatch):
    monkeypatch.setenv("BATHYX_HOME", str(tmp_path))
    test = {"method": "decay", "test_kpa": 21.0, "hold_min": 45.0}
    job = job_with(box(), makeup__both_sides=True, proving__tests=[test])
    (tmp_path / "job.json").write_text(job.to_json())
    e = evaluate(job)
    register = Register(tmp_path / "register.sqlite")
    for step in steps(e):
        if step.id == "test":
            break
        register.add(job, "tick", step.id, {}, "Marn")
    for seam in e.results.seams:
        register.add(job, "weld", seam.id, {"edge": seam.edge, "visual": "good"}, "Marn")
    rng = np.random.default_rng(1)
    rows = "".join(
        f"{5 * k};{(21.4 + rng.normal(0, 0.003)) / 6.894757:.5f};{18 + rng.normal(0, 0.01):.2f}\n" for k in range(600)
    )
    (tmp_path / "log.csv").write_text("s;psi;C\n" + rows)
    told = ["--who", "Pell", "--time", "s", "--time-unit", "s", "--pressure", "psi", "--temperature", "C"]
    said = [
        "bring-in",
        str(tmp_path / "job.json"),
        str(tmp_path / "log.csv"),
        *told,
        "--gauge",
        "fine digital with barometer",
    ]
    assert main([*said, "--unit", "kPa"]) == 0  # psi taken for kPa: 3.1 kPa is no 21
    assert json.loads(capsys.readouterr().out)["verdict"] == "not_decided"
    assert main([*said, "--unit", "psi"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert answer["verdict"] == "tight"
    record = record_of(register, e)
    kept = record.tests[-1].payload
    assert kept["brought_in"]["sha256"] == answer["sha256"]
    assert kept["brought_in"]["name"] == "log.csv"
    assert len(record.trace(record.tests[-1])) == 600
    assert kept["stood_kpa"] == pytest.approx(21.4, abs=0.01)
    assert register.verify() == ()
    assert main([*said, "--unit", "psi"]) == 1  # the same readings are no second test
    assert "on record already" in capsys.readouterr().err
    assert main(["proof", record_of(register, e).all_entries[0].subject]) in (0, 1)
    assert json.loads(capsys.readouterr().out)["state"] in ("proven", "not tested", "leak known")
    register.close()


def test_a_trace_that_was_logged_before_the_last_weld_proves_nothing(tmp_path):
    from datetime import datetime

    from bathyx.core.build.trial import terms_for
    from bathyx.core.proving.decay import Sample
    from bathyx.core.proving.plan import PlannedTest
    from bathyx.files.traces import ended_at
    from bathyx.instruments.shop_gauges import SHIPPED
    from bathyx.register import bring_in

    path = tmp_path / "t.csv"
    path.write_text(table(stamp=lambda k: f"2026-03-02 10:00:{k:02d}.250"))
    file, columns = read_trace_file(path), Columns("time", "P", "kPa", "T")
    assert ended_at(file, columns) == datetime(2026, 3, 2, 10, 0, 39)
    assert ended_at(file, Columns("P", "P", "kPa", "T")) is None
    test = PlannedTest(method="decay", test_kpa=21.0)
    job = job_with(box(), makeup__both_sides=True, proving__tests=[test])
    e = evaluate(job)
    register = Register(tmp_path / "r.sqlite", now=lambda: "2026-03-02T11:00:00+00:00")
    register.add(job, "weld", "S1", {"edge": "bottom/front", "visual": "good"}, "Marn")
    rows = [Sample(*row) for row in samples_of(file, columns)]
    source = {"name": "t.csv", "sha256": file.sha256, "ended_at": "2026-03-02T10:00:39"}
    judged = bring_in(
        register, job, terms_for(e, test, gauge=SHIPPED[-2]), rows, source, "Pell", lambda: record_of(register, e)
    )
    assert judged.terms.rehearsal
    assert "before the last weld" in judged.terms.missing
    register.close()
