"""Outlines: profiles typed or read from DXF, SVG and CSV, and the tanks they make."""

import math

import ezdxf
import numpy as np
import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.job import Job
from bathyx.core.tank.outline import OutlineTank, corners_of
from bathyx.errors import Refusal
from bathyx.files.profiles import read_profile

STEPPED = "0, 0\n600, 0 r40\n600, 150\n500, 150 c20\n500, 300 r30\n0, 300"


def outline(text, **more) -> OutlineTank:
    return OutlineTank(**{"width_mm": 400, "sheet": "5083/3", "corners": corners_of(text), **more})


def test_radii_chamfers_and_steps_hold_what_they_enclose():
    """By hand: the polygon, less (1 − π/4) r² at a rounded square corner, plus a chamfer's triangle at a reflex one."""
    r = evaluate(Job(tank=outline(STEPPED), makeup={"school": "wrap"})).results
    flat = 600 * 150 + 500 * 150
    area = flat - (1 - math.pi / 4) * (40**2 + 30**2) + 20 * 20 / 2
    assert r.shell.volume_mm3 == pytest.approx(area * 400, rel=1e-12)
    wrap = next(b for b in r.blanks if b.name == "wrap")
    assert wrap.size_mm[1] == pytest.approx(400)
    arcs = math.pi / 2 * (40 + 1.5) + math.pi / 2 * (30 + 1.5)  # K is a half where r ≥ 5 t
    assert wrap.size_mm[0] > arcs + 600 + 150 + 100 + 150 + 500 + 300 - 2 * 40 - 2 * 30 - 40 - 40


def test_either_way_round_and_any_start_make_the_same_tank():
    rows = STEPPED.splitlines()
    tanks = [outline("\n".join(r)) for r in (rows, rows[::-1], rows[2:] + rows[:2])]
    assert len({round(t.shell().volume_mm3, 3) for t in tanks}) == 1


def test_leaning_ends_take_half_their_lean():
    tank = outline("0, 0\n300, 0\n300, 200\n0, 200", left_lean_mm=50, right_lean_mm=-30)
    assert tank.shell().volume_mm3 == pytest.approx(300 * 200 * (400 - 25 - 15), rel=1e-12)
    assert np.allclose(tank.shell().bounds, [[0, 0, 0], [300, 400, 200]])


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("0, 0\n100, 100\n100, 0\n0, 100", "crosses or touches itself at 50, 50 mm"),
        ("0, 0\n3, 0\n100, 90\n0, 90", "stand 3.0 mm apart at 0, 0"),
        ("0, 0\n200, 0 r88\n200, 90\n0, 90", "make them smaller by"),
        ("0, 0\n200, 0 c90\n200, 90\n0, 90", "leave 0 mm of the side"),
        ("0, 0\n200, 0\n100, 1", "as good as flat"),
        ("0, 0\nten, 4\n3, 4", "line 2, 'ten, 4': write a corner as x, z"),
        ("0, 0\n5, 5", "three corners or more"),
    ],
)
def test_a_profile_that_cannot_be_says_where(text, why):
    with pytest.raises(ValueError, match=why):
        outline(text).shell()


def written(tmp_path, name, points, units=4, **more):
    document = ezdxf.new("R2010", units=units)
    document.modelspace().add_lwpolyline(points, format="xyb", close=True, **more)
    document.saveas(tmp_path / name)
    return tmp_path / name


def test_a_dxf_of_a_rounded_step_comes_back_with_its_radii(tmp_path):
    """Tangent arcs are read as radii at the corners that they round: a bulge of tan(90°/4)."""
    b = math.tan(math.pi / 8)
    points = [(0, 0, 0), (260, 0, b), (300, 40, 0), (300, 200, 0), (0, 200, 0)]
    corners = read_profile(written(tmp_path, "p.dxf", points))
    assert len(corners) == 4
    assert corners[1] == {
        "x_mm": pytest.approx(300),
        "z_mm": pytest.approx(0),
        "cut": "radius",
        "size_mm": pytest.approx(40),
    }
    whole = 400 * (300 * 200 - (1 - math.pi / 4) * 1600)
    assert OutlineTank(width_mm=400, sheet="5083/3", corners=corners).shell().volume_mm3 == pytest.approx(
        whole, rel=1e-9
    )


def test_inches_and_loose_lines_are_read(tmp_path):
    assert read_profile(written(tmp_path, "i.dxf", [(0, 0, 0), (10, 0, 0), (10, 5, 0)], 1))[1]["x_mm"] == pytest.approx(
        254
    )
    document = ezdxf.new("R2010", units=4)
    for a, c in (((0, 0), (90, 0)), ((90, 60), (90, 0)), ((90, 60), (0, 0))):
        document.modelspace().add_line(a, c)
    document.saveas(tmp_path / "l.dxf")
    assert len(read_profile(tmp_path / "l.dxf")) == 3


def test_a_unit_that_is_not_said_is_asked_for(tmp_path):
    path = written(tmp_path, "u.dxf", [(0, 0, 0), (10, 0, 0), (10, 5, 0)], 0)
    with pytest.raises(Refusal, match=r"does not say its unit: in mm it is 10 × 5 mm; .*Say it: one of mm, cm, m, in"):
        read_profile(path)
    assert read_profile(path, "cm")[1]["x_mm"] == 100
    with pytest.raises(Refusal, match="no unit 'ell'"):
        read_profile(path, "ell")


@pytest.mark.parametrize(
    ("body", "count"),
    [
        ('<polygon points="0,0 300,0 300,200 0,200"/>', 4),
        ('<path d="M0 0h300v200l-100 40L0 200z"/>', 5),
        ('<rect x="5" y="5" width="300" height="200"/>', 4),
    ],
)
def test_svg_shapes_stand_upright(tmp_path, body, count):
    path = tmp_path / "p.svg"
    path.write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" width="600mm" viewBox="0 0 300 300">{body}</svg>', "utf-8"
    )
    corners = read_profile(path)
    tank = OutlineTank(width_mm=100, sheet="304/2", corners=corners)
    assert len(corners) == count
    assert np.ptp(tank.points(), axis=0)[0] == pytest.approx(600)  # 600 mm for 300 units


@pytest.mark.parametrize(
    ("name", "text", "why"),
    [
        ("a.svg", "<svg><path d='M0 0C1 1 2 2 3 3'/></svg>", "no closed loop; there is 1 × PATH"),
        ("a.svg", "<!DOCTYPE svg [<!ENTITY a 'b'>]><svg/>", "entities of its own"),
        ("a.svg", "<svg><polygon", "no whole SVG"),
        ("a.svg", "<svg/>", "no closed loop; there is nothing that is drawn"),
        ("a.dxf", "hello", "no DXF that can be read"),
        ("a.dxf", "", "no DXF that can be read"),
        ("a.pdf", "x", "read from .dxf, .svg and .csv"),
        ("a.csv", "x,z\n1,2\n3,4", "three corners or more"),
    ],
)
def test_files_that_hold_no_profile_say_why(tmp_path, name, text, why):
    path = tmp_path / name
    path.write_text(text, "utf-8")
    with pytest.raises(Refusal, match=why):
        read_profile(path, "mm")


def test_an_arc_that_is_not_tangent_is_read_as_chords(tmp_path):
    path = written(tmp_path, "a.dxf", [(0, 0, 0), (260, 0, 1.0), (300, 40, 0), (300, 200, 0), (0, 200, 0)])
    corners = read_profile(path)
    assert not any("cut" in c for c in corners)
    middle = (280, 20 * math.sqrt(2))  # as drawn 20 up: the lowest of the half circle stands at 0 here
    half = [
        c for c in corners if math.dist((c["x_mm"], c["z_mm"]), middle) == pytest.approx(20 * math.sqrt(2), abs=0.01)
    ]
    assert len(half) == len(corners) - 3  # all but the three square corners lie on the half circle


def test_a_profile_from_the_middle_of_a_page_is_a_tank_at_its_own_corner(tmp_path):
    far = [(x + 12_300.0, y - 4_560.0, b) for x, y, b in ((0, 0, 0), (300, 0, 0), (300, 200, 0.2), (0, 200, 0))]
    corners = read_profile(written(tmp_path, "far.dxf", far))
    assert min(c["x_mm"] for c in corners) == pytest.approx(0, abs=1e-6)
    assert min(c["z_mm"] for c in corners) == pytest.approx(0, abs=1e-6)
    assert max(c["x_mm"] for c in corners) == pytest.approx(300, abs=1e-6)


def test_new_takes_a_profile_file(tmp_path, capsys):
    from bathyx.cli import main

    (tmp_path / "p.csv").write_text("x, z\n0, 0\n300, 0 r30\n300, 200\n0, 200\n", "utf-8")
    job = tmp_path / "j.json"
    assert main(["new", "--profile", str(tmp_path / "p.csv"), "--width-mm", "400", "--sheet", "304/2", str(job)]) == 0
    assert main(["new", "--family", "outline", "--width-mm", "400", "--sheet", "304/2", str(tmp_path / "k.json")]) == 1
    assert "needs --profile FILE" in capsys.readouterr().err
