"""Mild steel and tanks of it that are built into a hull: white joints, frames, a person inside, pipes by themselves."""

import json

import pytest

from bathyx.cli.main import main
from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate
from bathyx.core.job import read_job
from bathyx.core.making import making_of
from bathyx.core.material import sheet
from bathyx.core.tank.families import FAMILIES
from bathyx.core.units import Family, worded
from tests.conftest import box, job_with


def built_in(stuff="s235/5"):
    tank = FAMILIES["integral"].started({"length": 900, "width": 800, "height": 600}, stuff)
    return evaluate(job_with(tank, **{"makeup.school": tank.schools()[0]}))


def test_joints_are_blasted_to_white_and_pockets_closed():
    by = {s.id: s for s in steps(evaluate(job_with(box(sheet="s235/3"))))}
    assert "white" in by["clean"].title
    assert "25 mm" in worded(by["clean"].detail, Family.METRIC)
    assert "welded shut or drained" in by["finish"].detail
    assert "frames" not in by
    assert "white" not in {s.id: s for s in steps(evaluate(job_with(box())))}["clean"].title


def test_of_a_built_in_tank_frames_access_and_pipes_stand_where_they_block():
    order = [s.id for s in steps(built_in())]
    by = {s.id: s for s in steps(built_in())}
    assert order.index("tack") < order.index("frames") < order.index("access") < order.index("weld")
    assert order.index("dress") < order.index("pipes") < order.index("test")
    assert by["access"].hold
    assert by["pipes"].hold
    assert "closed space kills" in by["weld"].caution
    aluminium = [s.id for s in steps(built_in("5083/5"))]
    assert "frames" not in aluminium


def test_closing_plates_are_listed_where_they_are_ticked():
    e = built_in()
    part = {"kind": "plate", "place": "frame 7, port", "count": 2, "length_mm": 90, "width_mm": 60, "thickness_mm": 5}
    more = evaluate(e.job.edited("own_parts", [part]))
    frames = {s.id: s for s in steps(more)}["frames"]
    assert "frame 7, port" in frames.detail


@pytest.mark.parametrize(
    ("making", "key", "stuff"),
    [("steel", "steel", "s235"), ("cored", "laminate", "laminate"), ("metal", "metal", "5083")],
)
def test_new_takes_each_way_of_making(tmp_path, capsys, making, key, stuff):
    path = tmp_path / f"{making}.json"
    sizes = ["--length-mm", "400", "--width-mm", "300", "--height-mm", "250", "--fluid", "grey_water"]
    assert main(["new", "--making", making, *sizes, str(path)]) == 0
    job = read_job(path.read_text())
    assert job.tank.sheet.startswith(stuff)
    assert making_of(sheet(job.tank.sheet)).key == key
    assert (job.layup is not None and bool(job.layup.core)) is (making == "cored")
    capsys.readouterr()
    assert main(["figures", str(path)]) == 0
    assert json.loads(capsys.readouterr().out)["making"] == key
