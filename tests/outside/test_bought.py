"""Bodies cut from bought hollow sections, against the standards' tables of masses and capacity by hand."""

import json
import math

import pytest

from bathyx.cli.main import main
from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate, results_of
from bathyx.core.job import Job
from bathyx.core.material import materials, section, sections, sheet
from bathyx.core.sheet.cutting.nest import pieces_of
from bathyx.core.tank.rolled import RolledTank
from bathyx.errors import Refusal

STEEL = 7850.0
# kg/m as EN 10219-2 prints them, from memory.
PRINTED = [
    ("box-100x100", 4, 11.7),
    ("box-150x150", 5, 22.3),
    ("box-200x100", 5, 22.3),
    ("box-200x200", 6, 35.8),
    ("tube-114.3", 4, 10.9),
    ("tube-168.3", 4, 16.2),
    ("tube-219.1", 5, 26.4),
    ("tube-323.9", 6, 47.0),
]


def bought(stock: str, metal: str, **more) -> RolledTank:
    shape = {"section": "radiused" if stock.startswith("box") else "round", "length_mm": 800.0}
    return RolledTank(sheet=metal, stock=stock, **(shape | more))


def results(tank, **more):
    return results_of(Job(tank=tank, makeup={"school": "rolled"}, **more))


@pytest.mark.parametrize(("key", "wall", "printed"), PRINTED)
def test_masses_a_metre_are_those_of_the_standard(key, wall, printed):
    assert section(key).kg_per_m(wall, STEEL) == pytest.approx(printed, abs=0.06)


@pytest.mark.parametrize("key", list(sections()))
def test_every_section_makes_a_tank_in_every_wall_with_the_mass_of_the_bar_and_no_long_seam(key):
    made = 0
    for metal, row in materials().items():
        for wall in section(key).walls_in(row.group):
            if wall not in row.thicknesses:
                continue
            r = results(bought(key, f"{metal}/{wall:g}"), inside={"baffles": {"by_rule": False}})
            body = next(b for b in r.blanks if b.role == "bought")
            assert r.sheet.mass_kg(body.area_mm2) == pytest.approx(
                section(key).kg_per_m(wall, row.density) * 0.8, rel=1e-7
            )
            assert {s.joint for s in r.seams if s.joint != "stitch"} == {"lap"}
            assert len([s for s in r.seams if s.joint == "lap"]) == 2
            made += 1
    assert made


def test_the_capacity_is_the_inside_by_hand():
    w, h, r = 192.0, 92.0, 4.0
    box = results(bought("box-200x100", "s235/4", axis="standing"))
    assert box.capacity.gross.value == pytest.approx((w * h - (4 - math.pi) * r**2) * 800e-6, rel=1e-9)
    tube = results(bought("tube-219.1", "s235/5"))
    assert tube.capacity.gross.value == pytest.approx(math.pi / 4 * 209.1**2 * 800e-6, rel=1e-9)


def test_it_is_cut_to_length_not_rolled_and_not_nested():
    e = evaluate(Job(tank=bought("tube-219.1", "304/3", front={"kind": "flat_in"}), makeup={"school": "rolled"}))
    ids = [s.id for s in steps(e)]
    assert "length:body" in ids
    assert not any(i.startswith(("roll:", "long_seam:")) for i in ids)
    body = next(b for b in e.results.blanks if b.role == "bought")
    assert body.name not in {p.name for p in pieces_of(e.results.blanks)}
    assert body.size_mm[1] == pytest.approx(803.0)  # the set-in end lies within it
    assert body.size_mm[0] == pytest.approx(math.pi * 216.1, rel=1e-6)


@pytest.mark.parametrize(("stock", "metal"), [("box-200x100", "s235/4"), ("tube-219.1", "304/3")])
def test_the_dry_weight_has_the_bar_in_it(stock, metal):
    r = results(bought(stock, metal), inside={"baffles": {"by_rule": False}})
    ends = sum(r.sheet.mass_kg(b.area_mm2) for b in r.blanks if b.role != "bought")
    bar = section(stock).kg_per_m(r.sheet.thickness_mm, r.sheet.material.density) * 0.8
    assert 0 < r.weight.dry.value - bar - ends < 0.15  # the weld metal of two seams
    assert r.weight.centre_dry == pytest.approx(sum(r.shell.bounds) / 2, abs=0.01)


def test_a_hole_in_its_wall_stands_on_the_drawing_laid_open():
    hole = {"id": "F1", "kind": "filler", "face": "top", "u_mm": 400, "v_mm": 0, "hole_mm": 40}
    r = results(bought("box-200x100", "s235/4"), inside={"fittings": [hole]})
    body = next(b for b in r.blanks if b.role == "bought")
    assert [h.diameter_mm for h in body.holes] == [40]


@pytest.mark.parametrize(
    ("stock", "metal", "more", "says"),
    [
        ("box-200x100", "s235/3", {}, "comes with walls of 4, 5, 6 mm in steel"),
        ("box-200x100", "5083/4", {}, "comes in steel or stainless, not in aluminium"),
        ("box-200x101", "s235/4", {}, "no section 'box-200x101'"),
        ("tube-219.1", "s235/5", {"section": "obround"}, "is round, not obround"),
        ("box-200x100", "s235/4", {"front": {"kind": "dished"}}, "needs a round section"),
    ],
)
def test_what_is_not_to_be_had_is_refused_with_what_is(stock, metal, more, says):
    with pytest.raises((Refusal, ValueError), match=says):
        bought(stock, metal, **more)


def test_a_weld_along_it_is_refused_and_a_bar_too_short_is_found():
    tank = bought("tube-219.1", "s235/5")
    r = results(tank)
    seamless = next(role.edge.id for role in r.roles if role.kind == "whole")
    with pytest.raises(Refusal, match="bought whole"):
        evaluate(Job(tank=tank, makeup={"school": "rolled", "edges": [{"edge": seamless, "role": "weld"}]}))
    long = evaluate(Job(tank=bought("tube-219.1", "s235/5", length_mm=6100.0), makeup={"school": "rolled"}))
    assert any(f.code == "sheet.bar" for f in long.findings)


def test_picking_a_section_takes_its_shape_and_wall_and_letting_go_keeps_the_size():
    tank = RolledTank(sheet="5083/3", diameter_mm=200, length_mm=800, front={"kind": "dished"}, rear={"kind": "dished"})
    changes = tank.switched("stock", "box-200x100")
    taken = RolledTank(**(tank.model_dump() | changes))
    assert sheet(taken.sheet).thickness_mm in section("box-200x100").walls_in(sheet(taken.sheet).material.group)
    assert (taken.section, taken.front.kind) == ("radiused", "flat_on")
    back = RolledTank(**(taken.model_dump() | taken.switched("stock", "")))
    assert back.volume_mm3() == pytest.approx(taken.volume_mm3(), rel=1e-12)
    assert "stock" not in json.loads(Job(tank=back).to_json())["tank"]


def test_the_largest_section_that_goes_into_a_space():
    tank = bought("tube-88.9", "304/3")
    wide = tank.filled({"length": 700.0, "width": 300.0, "height": 230.0})
    assert wide["stock"] == "tube-219.1"
    with pytest.raises(Refusal, match="roll the body"):
        tank.filled({"length": 700.0, "width": 60.0, "height": 60.0})


def test_the_command_line_makes_one(tmp_path, capsys):
    out = tmp_path / "tube.json"
    arguments = ["--stock", "box-200x100", "--length-mm", "600", "--sheet", "s235/4"]
    assert main(["new", "--family", "rolled", *arguments, str(out)]) == 0
    capsys.readouterr()
    assert main(["figures", str(out)]) == 0
    body = json.loads(capsys.readouterr().out)["blanks"][0]
    assert body["bought"] == "box 200 × 100 × 4"
    assert (
        main(["new", "--family", "rolled", "--stock", "box-9x9", "--length-mm", "600", "--sheet", "s235/4", "x.json"])
        != 0
    )
    assert "box-200x100" in capsys.readouterr().err
