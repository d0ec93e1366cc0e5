"""The command line, run as a person runs it."""

import json
import subprocess
import sys

import pytest

from bathyx.cli import main
from bathyx.core.tank.families import FAMILIES
from bathyx.demo import jobs
from bathyx.demo.seed import lay_out
from bathyx.instruments.shop_gauges import shop_gauges


@pytest.fixture
def trolley_file(tmp_path):
    path = tmp_path / "trolley.json"
    path.write_text(jobs.trolley().to_json(), "utf-8")
    return path


def run(capsys, *arguments):
    code = main([str(a) for a in arguments])
    out, err = capsys.readouterr()
    return code, out, err


def test_figures_are_json_with_everything_named(capsys, trolley_file):
    code, out, err = run(capsys, "figures", trolley_file)
    data = json.loads(out)
    assert (code, err) == (0, "")
    assert data["capacity_l"]["gross"] > data["capacity_l"]["net"] > data["capacity_l"]["usable"]
    assert data["mass_kg"]["full"] > data["mass_kg"]["dry"]
    assert len(data["centre_of_gravity_mm"]) == 3
    assert data["weld_length_mm"] == pytest.approx(sum(s["length_mm"] for s in data["seams"]))
    assert {"id", "length_mm", "joint"} <= set(data["seams"][0])
    assert {"name", "thickness_mm", "flat_width_mm", "flat_height_mm", "area_mm2", "bends"} <= set(data["blanks"][0])
    assert len(data["dip"]["level_mm"]) == len(data["dip"]["volume_l"])
    assert data["dip"]["volume_l"] == sorted(data["dip"]["volume_l"])
    assert all({"code", "severity", "message"} <= set(f) for f in data["findings"])


def test_a_new_job_is_written_evaluated_and_not_overwritten(capsys, tmp_path):
    path = tmp_path / "cube.json"
    sizes = ["--length-mm", 762, "--width-mm", 762, "--height-mm", 762, "--sheet", "5083/3"]
    assert run(capsys, "new", "--family", "profile", *sizes, path)[0] == 0
    assert json.loads(run(capsys, "figures", path)[1])["capacity_l"]["gross"] == pytest.approx(442.450728)
    code, _, err = run(capsys, "new", *sizes, path)
    assert code == 1
    assert "--force" in err
    assert run(capsys, "new", *sizes, path, "--force")[0] == 0


@pytest.mark.parametrize(
    ("sizes", "says"),
    [((-5, 100, 100, "5083/3"), "length_mm"), ((100, 100, 100, "5083/7"), "stocked"), ((100, 100, 100, "tin"), "5052")],
)
def test_a_new_job_that_is_no_tank_is_refused_and_not_written(capsys, tmp_path, sizes, says):
    path = tmp_path / "x.json"
    code, _, err = run(
        capsys,
        "new",
        "--length-mm",
        sizes[0],
        "--width-mm",
        sizes[1],
        "--height-mm",
        sizes[2],
        "--sheet",
        sizes[3],
        path,
    )
    assert code == 1
    assert says in err
    assert not path.exists()


def test_export_writes_every_paper_and_says_where(capsys, tmp_path, trolley_file):
    code, out, _ = run(capsys, "export", trolley_file, tmp_path / "papers", "--units", "us")
    assert code == 0
    assert {"cut-list.pdf", "traveller.pdf", "dip-table.csv", "test-record.pdf", "figures.json"} <= {
        line.rsplit("/", 1)[-1] for line in out.splitlines()
    }


@pytest.mark.parametrize(
    ("text", "says"), [("{", "cut off"), ('{"schema_version": 99}', "newer Bathyx"), ('{"schema_version": 1}', "tank")]
)
def test_a_broken_job_is_refused_on_standard_error_with_code_1(capsys, tmp_path, text, says):
    path = tmp_path / "bad.json"
    path.write_text(text)
    code, out, err = run(capsys, "figures", path)
    assert (code, out) == (1, "")
    assert err.startswith("bathyx: ")
    assert says in err


def test_a_missing_file_and_a_wrong_word_have_their_codes(capsys, tmp_path):
    assert run(capsys, "figures", tmp_path / "none.json")[0] == 1
    assert run(capsys, "desk", tmp_path / "none.json")[0] == 1
    with pytest.raises(SystemExit) as stop:
        main(["fly"])
    assert stop.value.code == 2


def test_the_schema_is_json(capsys):
    code, out, _ = run(capsys, "schema")
    assert code == 0
    assert "tank" in json.loads(out)["properties"]


def test_verify_tells_a_whole_register_from_a_changed_one(capsys, tmp_path):
    import sqlite3

    lay_out(tmp_path)
    path = tmp_path / "register.sqlite"
    assert run(capsys, "verify", path)[0] == 0
    with sqlite3.connect(path) as connection:
        connection.execute("DROP TRIGGER keep_entry_update")
        connection.execute("UPDATE entry SET who = 'nobody' WHERE id = 9")
    code, out, _ = run(capsys, "verify", path)
    assert code == 1
    assert "entry 9" in out
    assert run(capsys, "verify", tmp_path / "none")[0] == 1


def test_it_runs_as_a_module_and_a_closed_pipe_is_no_traceback(trolley_file):
    command = f"{sys.executable} -m bathyx.cli figures {trolley_file} | head -1"
    done = subprocess.run(["bash", "-c", command], capture_output=True, text=True, timeout=60, check=False)
    assert done.stdout.strip() == "{"
    assert "Traceback" not in done.stderr


def test_a_job_is_read_from_standard_input(capsys, monkeypatch, trolley_file):
    import io

    monkeypatch.setattr("sys.stdin", io.StringIO(trolley_file.read_text("utf-8")))
    assert json.loads(run(capsys, "figures", "-")[1])["name"] == "Peat-railway trolley"


def test_without_a_display_it_says_so_instead_of_aborting(capsys, monkeypatch):
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    code, _, err = run(capsys, "demo")
    assert code == 1
    assert "no display" in err


def trace_file(
    tmp_path, name="trace.csv", head="t_s,gauge_kpa,temp_c,baro_kpa", mark=",", n=361, kpa=20.0, slope=0.0, comma="."
):
    rows = [head.replace(",", mark)]
    for k in range(n):
        values = (k * 5.0, kpa + slope * k * 5 + 0.002 * (-1) ** k, 18.0 + 0.01 * (k % 3), 101.3 + 0.01 * (k % 2))
        rows.append(mark.join(f"{v:.4f}".replace(".", comma) for v in values[: head.count(",") + 1]))
    path = tmp_path / name
    path.write_text("\n".join(rows) + "\n")
    return path


def held(capsys, path, *more):
    code = main(["hold", str(path), "--volume-l", "20", "--limit-ml-min", "2", *map(str, more)])
    return code, json.loads(capsys.readouterr().out)


def test_hold_prints_what_a_trace_proves(tmp_path, capsys):
    code, answer = held(capsys, trace_file(tmp_path), "--hold-min", 30, "--test-kpa", 20)
    assert (code, answer["verdict"]) == (0, "tight")
    assert answer["low"] <= answer["leak_ml_min"] <= answer["high"] <= 2
    assert answer["more_min"] is None
    _, early = held(capsys, trace_file(tmp_path), "--hold-min", 60)
    assert (early["verdict"], early["more_min"]) == ("not_decided", 30)
    _, leaky = held(capsys, trace_file(tmp_path, slope=-0.002))
    assert leaky["verdict"] == "leaks"


def test_hold_reads_other_loggers_and_absolute_gauges(tmp_path, capsys):
    semi = trace_file(tmp_path, "semi.csv", mark=";", comma=",")
    assert held(capsys, semi)[1]["verdict"] == "tight"
    absolute = trace_file(tmp_path, "abs.csv", head="t_s,abs_kpa,temp_c", kpa=121.3)
    assert "barometer or the altitude" in held(capsys, absolute, "--test-kpa", 20)[1]["reason"]
    assert held(capsys, absolute, "--test-kpa", 20, "--barometer", "101.3,101.3")[1]["verdict"] == "tight"
    bare = trace_file(tmp_path, "bare.csv", head="t_s,gauge_kpa,temp_c")
    baro = trace_file(tmp_path, "baro.csv", head="t_s,gauge_kpa,temp_c,baro_kpa")
    assert held(capsys, bare, "--barometer", baro)[1]["half_width_by_cause"]["barometer"] == 0
    assert held(capsys, bare)[1]["half_width_by_cause"]["barometer"] > 0.5


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "is empty"),
        ("1,2,3\n4,5,6\n", "name the columns"),
        ("t_s,gauge_kpa\n0,20\n", "temp_c"),
        ("t_s,temp_c\n0,20\n", "one of gauge_kpa and abs_kpa"),
        ("t_s,gauge_kpa,abs_kpa,temp_c\n0,1,2,3\n", "one of gauge_kpa and abs_kpa"),
        ("t_s,t_s,gauge_kpa,temp_c\n", "named twice"),
    ],
)
def test_hold_says_what_is_wrong_with_a_file(tmp_path, capsys, text, says):
    path = tmp_path / "bad.csv"
    path.write_text(text)
    assert main(["hold", str(path), "--volume-l", "20", "--limit-ml-min", "2"]) == 1
    assert says in capsys.readouterr().err


@pytest.mark.parametrize(
    "more", [["--volume-l", "nan"], ["--volume-l", "-3"], ["--limit-ml-min", "0"], ["--altitude-m", "9e9"]]
)
def test_hold_refuses_impossible_options(tmp_path, capsys, more):
    options = {"--volume-l": "20", "--limit-ml-min": "2"} | {more[0]: more[1]}
    with pytest.raises(SystemExit) as stopped:
        main(["hold", str(trace_file(tmp_path)), *(x for pair in options.items() for x in pair)])
    assert stopped.value.code == 2


def test_gauges_are_listed_kept_and_used(tmp_path, capsys, monkeypatch):
    monkeypatch.setenv("BATHYX_HOME", str(tmp_path / "home"))
    assert main(["gauges", "--add", "bench 3", "--resolution-kpa", "0.01", "--temp-lag-s", "45"]) == 0
    assert "bench 3: gauge" in capsys.readouterr().out
    _, answer = held(capsys, trace_file(tmp_path), "--gauge", "bench 3")
    assert "bench 3" in answer["gauge"]
    assert (
        main(["hold", str(trace_file(tmp_path)), "--volume-l", "20", "--limit-ml-min", "2", "--gauge", "none such"])
        == 1
    )
    assert "bench 3" in capsys.readouterr().err


def test_hold_prints_plain_json_whatever_the_file_holds(tmp_path, capsys):
    path = tmp_path / "odd.csv"
    path.write_text("t_s,gauge_kpa,temp_c\n" + "\n".join(f"{t},inf,nan" for t in ("nan", 1, 2, 3, 4, 5, 6, 7, 1e300)))
    assert main(["hold", str(path), "--volume-l", "20", "--limit-ml-min", "2"]) == 0
    printed = capsys.readouterr().out
    assert "NaN" not in printed
    assert json.loads(printed)["verdict"] == "not_decided"


@pytest.mark.parametrize(
    ("options", "litres"),
    [
        (["rolled", "--diameter-mm", "500", "--length-mm", "1200", "--ends", "hemisphere"], 301.07),
        (["rolled", "--section", "obround", "--width-mm", "600", "--height-mm", "400", "--length-mm", "1000"], 205.66),
        (["saddle", "--length-mm", "800", "--width-mm", "600", "--height-mm", "400", "--tunnel-width-mm", "200",
          "--tunnel-height-mm", "150"], 168.0),
        (["hopper", "--top-length-mm", "600", "--top-width-mm", "400", "--bottom-length-mm", "300", "--bottom-width-mm", "200",
          "--height-mm", "300"], 42.0),
        (["profile", "--length-mm", "400", "--width-mm", "300", "--height-mm", "200", "--sump", "100x80x50@200,150"], 24.4),
        (["profile", "--length-mm", "400", "--width-mm", "300", "--height-mm", "200", "--sump", "100x50@200,150"], 24.393),
    ],
    ids=["rolled", "obround", "saddle", "hopper", "sump", "round sump"],
)  # fmt: skip
def test_new_of_every_family_holds_what_its_sizes_say(capsys, tmp_path, options, litres):
    path = str(tmp_path / "new.json")
    assert run(capsys, "new", "--family", *options, "--sheet", "304/2", path)[0] == 0
    code, out, _ = run(capsys, "figures", path, "--pitch", "5", "--roll", "-3")
    found = json.loads(out)
    assert code == 0
    assert found["capacity_l"]["gross"] == pytest.approx(litres, rel=1e-4)
    assert found["dip_at"]["pitch_deg"] == 5
    assert found["dip_at"]["volume_l"] == sorted(found["dip_at"]["volume_l"])
    assert ("pools_l" in found["dip"]) == (options[0] == "saddle")


@pytest.mark.parametrize(
    ("options", "why"),
    [
        (["--family", "egg"], "there are profile, outline, rolled, saddle, hopper, halves"),
        (["--family", "rolled"], "needs --length-mm"),
        (
            ["--family", "rolled", "--length-mm", "500", "--tunnel-width-mm", "9"],
            "--tunnel-width-mm: no size of the rolled family",
        ),
        (
            ["--family", "rolled", "--length-mm", "500", "--diameter-mm", "300", "--ends", "square"],
            "should be one of flat_on",
        ),
        (
            ["--length-mm", "400", "--width-mm", "300", "--height-mm", "200", "--sump", "a hole"],
            "write length x width x depth",
        ),
        (
            ["--length-mm", "400", "--width-mm", "300", "--height-mm", "200", "--sump", "99x99x99@5,5"],
            "stands off the floor",
        ),
        (
            ["--length-mm", "400", "--width-mm", "300", "--height-mm", "200", "--school", "rolled"],
            "not made as Rolled or bought body",
        ),
    ],
)
def test_new_says_what_is_missing_or_foreign(capsys, tmp_path, options, why):
    path = tmp_path / "new.json"
    code, _, err = run(capsys, "new", *options, "--sheet", "304/2", str(path))
    assert code == 1
    assert why in err
    assert not path.exists()


def test_families_are_listed_with_their_sizes(capsys):
    code, out, _ = run(capsys, "families")
    assert code == 0
    assert [line.split(":")[0] for line in out.splitlines() if not line.startswith(" ")] == list(FAMILIES)
    assert "--tunnel-width-mm" in out
    assert "dished" in out


def test_a_tilt_past_what_a_tank_stands_at_is_refused(capsys, tmp_path):
    path = str(tmp_path / "new.json")
    sizes = ("--length-mm", "400", "--width-mm", "300", "--height-mm", "200", "--sheet", "304/2")
    assert run(capsys, "new", *sizes, path)[0] == 0
    assert "at most 60 degrees" in run(capsys, "figures", path, "--pitch", "91")[2]


def test_values_that_begin_with_a_minus_are_values():
    """A key is any text, a place may lie below zero: neither is an option."""
    from bathyx.cli.main import _values, parser_of

    argv = _values(["space", "a.stl", "--points", "0,0,0", "-12.5,3,0", "0,-4,0", "--out", "x.json"])
    assert [p.strip() for p in parser_of(argv).parse_args(argv).points] == ["0,0,0", "-12.5,3,0", "0,-4,0"]
    argv = _values(["check-paper", "text", "--public", "-Abc_def"])
    assert parser_of(argv).parse_args(argv).public == "-Abc_def"
    argv = _values(["figures", "a.json", "--pitch", "-4"])
    assert parser_of(argv).parse_args(argv).pitch == -4


def test_a_gauge_is_told_with_its_accuracy_and_its_checks_and_one_past_its_day_is_said(tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("BATHYX_HOME", str(tmp_path))
    told = ["gauges", "--add", "bench 3", "--range-kpa", "60", "--accuracy-kpa", "0.15", "--last-check", "2024-03-01"]
    assert main([*told, "--check-due", "2025-03-01"]) == 0
    line = next(x for x in capsys.readouterr().out.splitlines() if x.startswith("bench 3"))
    assert "off by 0.15 kPa at most" in line
    assert line.endswith("last checked 2024-03-01, due 2025-03-01: OVERDUE")
    kind = shop_gauges(tmp_path)["bench 3"]
    assert (kind.overdue("2025-03-01"), kind.overdue("2025-03-02"), kind.overdue("some day")) == (False, True, False)
    assert main([*told, "--check-due", "2999-01-01"]) == 0
    assert "OVERDUE" not in capsys.readouterr().out
    with pytest.raises(SystemExit):
        main([*told, "--check-due", "next spring"])
    assert "is no date; write it like 2026-05-31" in capsys.readouterr().err
