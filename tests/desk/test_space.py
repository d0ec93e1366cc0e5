"""The Space stage: readings, stations, things that stand there, proposals."""

import json

import numpy as np
import pytest
from PyQt6.QtWidgets import QComboBox, QLineEdit, QPushButton

from bathyx.cli.main import main
from bathyx.core.space import StationSpace
from bathyx.core.units import Reading
from bathyx.draft.hull_view import VIEWS
from bathyx.draft.picture import Poly
from tests.desk.test_parts import SPACE, fill, find

TABLE = (
    "x_mm\t0\t120\t240\t400\t600\n0\t20\t180\t260\t320\t350\n800\t80\t340\t450\t520\t550\n1600\t70\t320\t430\t505\t540"
)
CSV = TABLE.replace("\t", ",")


def grid_of(window):
    find(window, QPushButton, "open offsets").click()
    grid = window.board.sheet.holds.grid
    find(window, QPushButton, "close table").click()
    return grid


def type_lines(window, name, text):
    """A table pasted into the grid of offsets, or lines into the list of things in place of what is there."""
    if name == "offsets":
        grid_of(window).paste(text)
        return
    for _ in range(len(window.bench.job.space.obstacles)):
        window.bench.light("obstacle:0")
        window.stage.parts.things.drop()
    if text:
        window.stage.parts.things.paste(text)


def test_a_reading_more_is_added_doubted_and_taken_away(window, qtbot):
    window.choose(SPACE)
    width = window.bench.job.space.width.mm
    find(window, QPushButton, "drop diagonals").click()
    for a, b, mm in (
        ("rear left low", "rear right low", width), ("front left high", "front right high", width),
        ("rear left high", "rear right high", width + 37),
    ):  # fmt: skip
        find(window, QComboBox, "reading from").setCurrentText(a)
        find(window, QComboBox, "reading to").setCurrentText(b)
        edit = find(window, QLineEdit, "reading length")
        edit.setText(f"{mm:g}")
        edit.returnPressed.emit()
        qtbot.wait(5)
    assert "space.reading" in {f.code for f in window.bench.evaluation.findings if f.stage == "space"}
    find(window, QPushButton, "drop reading 2").click()
    qtbot.wait(20)
    assert len(window.bench.job.space.readings) == 2
    assert not [f for f in window.bench.evaluation.findings if f.code == "space.reading"]
    fill(window, qtbot, "space.readings.0.length", '34 3/8"')
    assert window.bench.job.space.readings[0].length.typed == '34 3/8"'


def test_a_reading_that_is_none_is_said(window, qtbot):
    window.choose(SPACE)
    before = window.bench.job
    edit = find(window, QLineEdit, "reading length")
    edit.setText("wide")
    find(window, QPushButton, "add reading").click()
    assert window.bench.job == before
    assert "is not a length" in edit.parent().trouble.text()


def test_stations_are_pasted_refused_and_undone(window, qtbot):
    window.choose(SPACE)
    before = window.bench.job.space
    find(window, QComboBox, "space kind").parent().choose("stations")
    assert isinstance(window.bench.job.space, StationSpace)
    qtbot.wait(10)
    type_lines(window, "offsets", TABLE)
    assert [s.x_mm for s in window.bench.job.space.stations] == [0, 800, 1600]
    type_lines(window, "offsets", TABLE.replace("450", "4so"))
    table = window.stage.parts._parts[1].table
    assert "line 3, column 4" in table.trouble.text()
    grid = table.grid
    grid.item(2, 3).setText("4so")
    assert "row 3" in table.trouble.text()
    assert "'4so' is not a length" in table.trouble.text()
    window.bench.light("")
    assert grid.text_at(2, 3) == "4so"  # what was typed is not lost
    grid.revert()
    assert len(window.bench.job.space.stations) == 3
    window.bench.undo()
    window.bench.undo()
    assert window.bench.job.space == before


def test_things_in_the_space_are_typed_one_a_line(window, qtbot):
    window.choose(SPACE)
    type_lines(window, "obstacles", "hose: tube from 100, 0, 50 to 100, 600, 50, dia 40, keep 5")
    assert window.bench.job.space.obstacles[0].name == "hose"
    assert window.bench.evaluation.results.approaches
    assert [f for f in window.bench.evaluation.findings if f.code == "fit.walls"]
    window.grab()
    assert "is not understood" in window.stage.parts.things.paste("hose: string")
    assert "is not understood" in window.message.text()
    type_lines(window, "obstacles", "")
    assert not window.bench.job.space.obstacles


@pytest.mark.parametrize(("view", "axes"), [("side", (0, 2)), ("above", (0, 1)), ("rear", (1, 2))])
def test_the_tank_and_what_stands_there_are_dragged_in_each_view(window, qtbot, view, axes):
    window.choose(SPACE)
    type_lines(window, "obstacles", "hose: box at 100, 50, 20, 40 x 40 x 30, keep 5")
    stage = window.stage
    before = window.bench.job
    stage.dragged(f"obstacle:0:{view}", 10.0, 10.0, False)
    stage.dragged(f"obstacle:0:{view}", 22.4, 3.0, False)
    stage.dragged(f"obstacle:0:{view}", 40.2, 17.0, True)
    thing = window.bench.job.space.obstacles[0]
    expected = [100.0, 50.0, 20.0]
    expected[axes[0]] += 30
    expected[axes[1]] += 7
    assert [thing.x_mm, thing.y_mm, thing.z_mm] == expected
    window.bench.undo()
    assert window.bench.job == before  # a drag is one step
    start = window.bench.job.space.seated()
    stage.dragged(f"seat:{view}", 0.0, 0.0, False)
    stage.dragged(f"seat:{view}", 12.0, 5.0, True)
    moved = window.bench.job.space.seated() - start
    assert moved[list(axes)] == pytest.approx([12.0, 5.0])
    assert window.bench.evaluation.results.approaches


@pytest.mark.parametrize(("name", "toward"), [("side", (0, -1, 0)), ("above", (0, 0, 1)), ("rear", (1, 0, 0))])
def test_no_view_of_a_space_is_a_mirror_image(name, toward):
    """Right across the page times up the page is toward the eye: from the left side, from above, from the rear."""
    view = VIEWS[name]
    across, up = view.shift(1.0, 0.0), view.shift(0.0, 1.0)
    assert np.cross(across, up).tolist() == list(toward)


def test_the_plan_of_a_box_has_left_at_left_as_the_machine_faces(window):
    """Front at the top; a rear that stands further right is drawn further right."""
    window.choose(SPACE)
    window.bench.edit({"space.floor_diagonals": [r.model_dump() for r in (Reading.of(880), Reading.of(851))]}, "skew")
    floor = next(i for i in window.stage.flat().items if isinstance(i, Poly) and i.fill == "space").points
    front, rear = floor[floor[:, 1] > -1], floor[floor[:, 1] <= -1]
    assert len(front) == len(rear) == 2
    corners = np.array(window.bench.job.space.corners_as_measured())
    assert rear[:, 0].mean() - front[:, 0].mean() == pytest.approx(corners[4, 1] - corners[0, 1], abs=0.01)
    assert rear[:, 0].mean() > front[:, 0].mean()


def test_a_real_press_on_the_drawing_moves_a_thing(window, qtbot):
    """Through the canvas: the obstacle is under the pointer, and follows it."""
    from PyQt6.QtCore import QPoint, Qt

    window.resize(1280, 800)
    window.choose(SPACE)
    type_lines(window, "obstacles", "hose: box at 100, 50, 20, 200 x 200 x 120, keep 5")
    qtbot.wait(50)
    canvas = window.flat
    item = next(i for i in window.stage.flat().items if getattr(i, "tag", "").startswith("obstacle:0"))
    start = canvas.to_screen(item.points.mean(axis=0)).toPoint()
    qtbot.mousePress(canvas, Qt.MouseButton.LeftButton, pos=start)
    for step in (5, 10, 15):
        qtbot.mouseMove(canvas, start + QPoint(step, 0))
    qtbot.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=start + QPoint(15, 0))
    assert window.bench.job.space.obstacles[0].x_mm != 100


def test_a_proposal_is_searched_picked_taken_and_undone(window, qtbot, monkeypatch):
    monkeypatch.setattr("bathyx.desk.stages.space.proposals.PANELS", (6,))
    monkeypatch.setattr("bathyx.desk.stages.space.proposals.KINDS", ("panels", "box"))
    window.choose(SPACE)
    find(window, QComboBox, "space kind").parent().choose("stations")
    qtbot.wait(10)
    type_lines(window, "offsets", TABLE)
    before = window.bench.job.tank
    find(window, QPushButton, "propose most").click()
    stage = window.stage
    assert stage.study.running
    qtbot.waitUntil(lambda: not stage.study.running)
    qtbot.wait(20)
    found = stage.study.result.found
    assert found[0].kind == "panels"
    find(window, QPushButton, "proposal 1").click()
    assert stage.offers.picked is found[0]
    window.grab()
    find(window, QPushButton, "take proposal").click()
    assert window.bench.job.tank.family == "lofted"
    assert window.bench.evaluation.results.capacity.gross.value == pytest.approx(found[0].gross_l, rel=1e-6)
    window.bench.undo()
    assert window.bench.job.tank == before


def test_what_was_found_so_far_is_shown_and_kept_when_it_is_stopped(window, qtbot):
    window.choose(SPACE)
    find(window, QComboBox, "space kind").parent().choose("stations")
    qtbot.wait(10)
    type_lines(window, "offsets", TABLE)
    find(window, QPushButton, "propose most").click()
    stage = window.stage
    qtbot.waitUntil(lambda: stage.study.so_far is not None)
    assert stage.study.running
    assert stage.offers.drawn is stage.study.so_far.found[0]  # the largest so far
    window.grab()
    find(window, QPushButton, "stop proposals").click()
    assert not stage.study.running
    assert stage.study.result.found
    assert "Stopped" in stage.offers.said.text()
    find(window, QPushButton, "proposal 1").click()
    find(window, QPushButton, "take proposal").click()
    assert window.bench.job.space.seat is not None


def test_the_command_line_makes_a_job_and_proposes(tmp_path, capsys):
    table, out = tmp_path / "hull.csv", tmp_path / "hull.json"
    table.write_text(CSV, "utf-8")
    assert main(["space", str(table), "--out", str(out), "--name", "Barge"]) == 0
    assert main(["space", str(table), "--out", str(out)]) != 0
    assert "exists" in capsys.readouterr().err
    assert main(["propose", str(out), "--panels", "6", "--write", "1"]) == 0
    (found,) = json.loads(capsys.readouterr().out)
    job = json.loads(out.read_text("utf-8"))
    assert job["tank"]["family"] == "lofted"
    assert job["space"]["seat"] == found["seat"]
    assert main(["figures", str(out)]) == 0
    said = json.loads(capsys.readouterr().out)
    assert said["capacity_l"]["gross"] == pytest.approx(found["gross_l"])
    assert said["nearest"][0]["spare_mm"] >= -0.011


@pytest.mark.parametrize(
    ("arguments", "why"),
    [
        (["--panels", "4"], "5 to 10"),
        (["--family", "ball"], "there are box, panels, rolled, saddle"),
        (["--litres", "nan"], "is no wish"),
        (["--family", "box", "--write", "7"], "proposals 1 to 1"),
    ],
)
def test_propose_says_what_is_wrong(tmp_path, capsys, arguments, why):
    table, out = tmp_path / "hull.csv", tmp_path / "hull.json"
    table.write_text(CSV, "utf-8")
    main(["space", str(table), "--out", str(out)])
    text = out.read_text("utf-8")
    assert main(["propose", str(out), *arguments]) != 0
    assert why in capsys.readouterr().err
    assert out.read_text("utf-8") == text


def test_space_says_what_is_wrong_with_a_table(tmp_path, capsys):
    table = tmp_path / "hull.csv"
    table.write_text(CSV.replace("800", "0"), "utf-8")
    assert main(["space", str(table), "--out", str(tmp_path / "x.json")]) != 0
    assert "stands on line 2 and on line 3" in capsys.readouterr().err
    assert not (tmp_path / "x.json").exists()
