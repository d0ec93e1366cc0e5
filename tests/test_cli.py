"""The command line, run as a person runs it."""

import json
import subprocess
import sys

import pytest

from bathyx.cli import main
from bathyx.demo import jobs
from bathyx.demo.seed import lay_out


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
