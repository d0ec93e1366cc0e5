"""Profiles as drawing programs write them: loose pieces in any order, circles, ellipses, splines, blocks, transforms; and refusals
that say what there is."""

import math

import ezdxf
import numpy as np
import pytest
from shapely.geometry import Polygon

from bathyx.core.evaluate import evaluate
from bathyx.core.tank.outline import OutlineTank
from bathyx.demo import jobs
from bathyx.errors import Refusal
from bathyx.files.profiles import drawn, read_profile, sizes
from bathyx.papers.machine.svg import write_svg


def area_of(corners):
    """What the corners enclose, less what their radii take, in mm2."""
    total = Polygon([(c["x_mm"], c["z_mm"]) for c in corners]).area
    n = len(corners)
    for k, c in enumerate(corners):
        if c.get("cut") == "radius":
            a, b = (np.array([corners[(k + d) % n][v] - c[v] for v in ("x_mm", "z_mm")]) for d in (-1, 1))
            half = math.acos(float(a @ b) / float(np.linalg.norm(a) * np.linalg.norm(b))) / 2
            r = c["size_mm"]
            total -= r**2 / math.tan(half) - r**2 * (math.pi / 2 - half)
    return total


@pytest.fixture(scope="module")
def drawing(tmp_path_factory):
    """A file with nearly everything in it."""
    document = ezdxf.new(units=4)
    space = document.modelspace()
    space.add_line((0, 0), (100, 0))
    space.add_arc((100, 20), 20, 270, 360)
    space.add_line((120.01, 60), (120, 20))  # a gap of a hundredth
    space.add_line((0, 60), (0, 0.01))
    space.add_line((120, 60), (0, 60))
    space.add_circle((300, 0), 50)
    space.add_ellipse((500, 0), major_axis=(60, 0), ratio=0.5)
    block = document.blocks.new("B")
    block.add_lwpolyline([(0, 0), (30, 0), (30, 30), (0, 30)], close=True)
    space.add_blockref("B", (1000, 0), dxfattribs={"xscale": 2, "yscale": 2, "rotation": 30})
    space.add_polyline2d([(0, 200), (50, 200), (50, 260)], close=True)
    space.add_text("a word")
    path = tmp_path_factory.mktemp("loops") / "all.dxf"
    document.saveas(path)
    return path


def test_each_closed_loop_is_found_and_may_be_picked(drawing):
    found = drawn(drawing)
    assert found.unit == "mm"
    wanted = [math.pi * 50**2, 120 * 60 - (1 - math.pi / 4) * 400, math.pi * 60 * 30, 60 * 60, 50 * 60 / 2]
    assert len(found.loops) == len(wanted)
    for k, size in enumerate(wanted):
        corners = read_profile(drawing, pick=k)
        assert area_of(corners) == pytest.approx(size, rel=0.012)
    assert [c.get("size_mm") for c in read_profile(drawing, pick=1) if "cut" in c] == [pytest.approx(20, rel=1e-3)]
    assert sizes(found)[0] == pytest.approx((100, 100), rel=2e-3)
    with pytest.raises(Refusal, match="holds 5 closed loops; take one from 0, the largest, to 4"):
        read_profile(drawing, pick=5)


def test_a_spline_is_followed_to_a_millimetre(tmp_path):
    document = ezdxf.new(units=4)
    control = [(0, 0), (400, -60), (420, 300), (200, 260), (-20, 320)]
    control = [(x, y, 0) for x, y in control]
    spline = document.modelspace().add_open_spline([*control, control[0]])
    document.saveas(tmp_path / "s.dxf")
    from ezdxf.path import make_path

    true = np.array([(v.x, v.y) for v in make_path(spline).flattening(0.005)])
    true = Polygon(true - true.min(axis=0))
    corners = read_profile(tmp_path / "s.dxf")
    told = Polygon([(c["x_mm"], c["z_mm"]) for c in corners if "cut" not in c])
    assert len(corners) <= 60
    if all("cut" not in c for c in corners):
        assert told.exterior.hausdorff_distance(true.exterior) < 1.2
    assert area_of(corners) == pytest.approx(true.area, rel=0.01)


def test_a_refusal_says_what_there_is(tmp_path):
    document = ezdxf.new(units=4)
    for a, b in (((0, 0), (90, 0)), ((90, 0), (90, 60)), ((90, 60), (0, 40))):
        document.modelspace().add_line(a, b)
    document.modelspace().add_text("only a word")
    document.saveas(tmp_path / "open.dxf")
    with pytest.raises(Refusal, match=r"no closed loop; there is 3 × LINE, 1 × TEXT; a line is open by 40 at"):
        read_profile(tmp_path / "open.dxf")
    (tmp_path / "e.svg").write_text('<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0h50"/></svg>')
    with pytest.raises(Refusal, match="no closed loop; there is 1 × PATH"):
        read_profile(tmp_path / "e.svg")


def test_shapes_that_use_shapes_are_refused_and_thousands_are_read(tmp_path):
    rows = ['<g id="g0"><rect width="9" height="5"/></g>']
    rows += [f'<g id="g{k}">' + f'<use href="#g{k - 1}"/>' * 10 + "</g>" for k in range(1, 12)]
    (tmp_path / "bomb.svg").write_text(f'<svg xmlns="http://www.w3.org/2000/svg">{"".join(rows)}</svg>')
    with pytest.raises(Refusal, match="uses shapes that use shapes"):
        read_profile(tmp_path / "bomb.svg", "mm")
    (tmp_path / "once.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="300mm" height="200mm" viewBox="0 0 300 200"><defs>'
        '<path id="p" d="M0 0h200v100h-200z"/></defs><use href="#p" x="5" y="5"/></svg>'
    )
    assert area_of(read_profile(tmp_path / "once.svg")) == pytest.approx(20_000, rel=1e-3)
    document = ezdxf.new(units=4)
    for k in range(4000):
        document.modelspace().add_circle((k % 80 * 30, k // 80 * 30), 10)
    document.saveas(tmp_path / "many.dxf")
    assert len(drawn(tmp_path / "many.dxf").loops) == 4000


def test_a_unit_is_asked_for_with_the_size_that_each_gives(tmp_path):
    document = ezdxf.new(units=0)
    document.modelspace().add_lwpolyline([(0, 0), (16.5, 0), (16.5, 11.5), (0, 11.5)], close=True)
    document.saveas(tmp_path / "u.dxf")
    with pytest.raises(Refusal, match=r"in mm it is 16.5 × 11.5 mm; .*in in it is 419.1 × 292.1 mm"):
        read_profile(tmp_path / "u.dxf")


def test_an_svg_with_transforms_curves_and_a_view_box(tmp_path):
    (tmp_path / "t.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="100mm" viewBox="0 0 200 100">'
        '<g transform="translate(10,5) scale(2)"><path d="M0 0 h40 a5 5 0 0 1 5 5 v20 h-45 z"/></g>'
        '<circle cx="170" cy="50" r="12"/></svg>'
    )
    corners = read_profile(tmp_path / "t.svg")
    assert area_of(corners) == pytest.approx(90 * 50 - (1 - math.pi / 4) * 100, rel=2e-3)
    assert area_of(read_profile(tmp_path / "t.svg", pick=1)) == pytest.approx(math.pi * 144, rel=0.015)


def test_bathyx_reads_its_own_svg(tmp_path):
    blank = next(b for b in evaluate(jobs.ALL["trolley"]()).results.blanks if b.name == "left end")
    corners = read_profile(write_svg(blank, tmp_path / "own.svg", ("left end",)))
    assert area_of(corners) == pytest.approx(blank.outline.area_mm2, rel=2e-3)
    tank = OutlineTank(width_mm=100, sheet="5083/3", corners=corners)
    assert np.ptp(tank.points(), axis=0) == pytest.approx(blank.size_mm, abs=0.3)
