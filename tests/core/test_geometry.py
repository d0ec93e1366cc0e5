"""Geometry's small parts: clipping, chains, sums of curves, prisms."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bathyx.core.geometry.clip import chain, clip_closed, clip_loop
from bathyx.core.geometry.dip import combined, dip_curve, prism, ramps, volume_below
from bathyx.core.geometry.outline import arc_points, polygon_area
from bathyx.core.geometry.shell import Face, close_shell, cross, edge_id, following
from bathyx.core.tank.profile import Chamfer, Jog
from tests.conftest import box

UP = np.array([0.0, 0.0, 1.0])


def loops(tank):
    return [(f.loop, f.normal) for f in tank.shell().faces]


def test_cross_and_following_are_numpys():
    rng = np.random.default_rng(4)
    a, b = rng.normal(size=(7, 3)), rng.normal(size=(7, 3))
    assert cross(a, b) == pytest.approx(np.cross(a, b))
    assert cross(a[0], b) == pytest.approx(np.cross(a[0], b))
    assert following(a) == pytest.approx(np.roll(a, -1, axis=0))


def test_a_loop_on_the_kept_side_stays_and_one_beyond_goes():
    loop = np.array([[0, 0, 0], [1, 0, 0], [1, 0, 1], [0, 0, 1]], float)
    assert clip_loop(loop, UP * 2, UP) is loop
    assert len(clip_loop(loop, UP * -1, UP)) == 0
    half = clip_loop(loop, UP * 0.5, UP)
    assert half[:, 2].max() == 0.5


@pytest.mark.parametrize("level", [10.0, 30.0, 55.0, 140.0])
def test_a_cut_closes_with_an_outline_of_the_sections_area(level):
    tank = box(
        jog=Jog(end="rear", length_mm=100, rise_mm=40), chamfers=(Chamfer(corner="front_top", along_mm=90, up_mm=90),)
    )
    _, cap = clip_closed(loops(tank), UP * level, UP)
    outlines = chain(cap)
    assert len(outlines) == 1
    curve = dip_curve(tank.shell().half_edges)
    assert abs(polygon_area(outlines[0][:, :2])) == pytest.approx(float(curve.area_at(level)))


def test_a_shell_turned_over_holds_the_same():
    shell = box(length=400, jog=Jog(end="rear", length_mm=100, rise_mm=40)).shell()
    turned_over = close_shell([Face(f.id, (f.loop * [1, 1, -1])[::-1], f.parent) for f in shell.faces])
    assert turned_over.volume_mm3 == pytest.approx(shell.volume_mm3)


def test_mirrored_faces_make_a_negative_volume():
    inside_out = close_shell([Face(f.id, f.loop[::-1], f.parent) for f in box().shell().faces])
    assert inside_out.volume_mm3 == pytest.approx(-300 * 400 * 200)


def test_the_edge_between_two_faces_has_one_name():
    assert edge_id("top", "rear") == edge_id("rear", "top") == "rear/top"


@settings(max_examples=30, deadline=None)
@given(
    st.lists(st.tuples(st.floats(-2, 2), st.floats(0, 50), st.floats(1, 60), st.floats(1, 1e6)), min_size=1, max_size=5)
)
def test_a_sum_of_curves_is_the_sum_of_their_values(parts):
    curves = [(share, ramps([(low, low + span, volume)])) for share, low, span, volume in parts]
    curves.append((1.0, dip_curve(box(jog=Jog(end="front", length_mm=90, rise_mm=33)).shell().half_edges)))
    whole = combined(curves)
    for z in np.linspace(-5, 210, 31):
        expected = sum(share * (0.0 if z < c.low_mm else float(c.at(z))) for share, c in curves)
        assert float(whole.at(z)) == pytest.approx(expected, abs=1e-6 * 24e6)


def test_ramps_add_up_where_they_overlap():
    curve = ramps([(0, 10, 100), (5, 15, 50)])
    assert curve.at([0, 5, 10, 15]) == pytest.approx([0, 50, 125, 150])


@pytest.mark.parametrize("axis", [0, 1])
@pytest.mark.parametrize("level", [5.0, 20.0, 39.0])
def test_a_prism_is_its_section_carried_along(axis, level):
    section = np.array([[0, 0], [60, 0], [60, 20], [20, 40], [0, 40]], float)
    solid = prism(section, axis, 10.0, 13.0)
    wet = clip_loop(np.column_stack([section[:, 0], np.zeros(5), section[:, 1]]), UP * level, UP)[:, [0, 2]]
    assert volume_below(solid, level) == pytest.approx(3 * polygon_area(wet))
    assert dip_curve(solid).full_mm3 == pytest.approx(3 * polygon_area(section))


def test_a_flat_or_empty_soup_is_refused():
    empty = np.zeros((0, 3))
    with pytest.raises(ValueError, match="no faces"):
        dip_curve((empty, empty, empty))
    flat = np.zeros((4, 3))
    with pytest.raises(ValueError, match="flat"):
        dip_curve((flat, flat, flat))


@pytest.mark.parametrize("bulge", [1.0, -1.0, 0.4142, 0.05])
def test_arc_points_stay_on_their_circle(bulge):
    points = arc_points(np.array([0.0, 0.0]), np.array([10.0, 0.0]), bulge)
    assert points[0] == pytest.approx([0, 0])
    assert points[-1] == pytest.approx([10, 0])
    # three points give the circle; all others must lie on it
    (ax, ay), (bx, by), (cx, cy) = points[0], points[len(points) // 2], points[-1]
    d = 2 * (ax * (by - cy) + bx * (cy - ay) + cx * (ay - by))
    ux = ((ax**2 + ay**2) * (by - cy) + (bx**2 + by**2) * (cy - ay) + (cx**2 + cy**2) * (ay - by)) / d
    uy = ((ax**2 + ay**2) * (cx - bx) + (bx**2 + by**2) * (ax - cx) + (cx**2 + cy**2) * (bx - ax)) / d
    radii = np.linalg.norm(points - [ux, uy], axis=1)
    assert radii == pytest.approx(np.full(len(points), radii[0]))
    assert np.sign(points[len(points) // 2][1]) == -np.sign(bulge)


def test_face_centroids_of_a_stepped_end_are_those_of_its_parts():
    face = box(jog=Jog(end="rear", length_mm=100, rise_mm=40)).shell().by_id["left end"]
    whole, gone = 300 * 200, 100 * 40
    x = (whole * 150 - gone * 250) / (whole - gone)
    z = (whole * 100 - gone * 20) / (whole - gone)
    assert face.centroid == pytest.approx([x, 0, z])
    assert face.area_mm2 == whole - gone
