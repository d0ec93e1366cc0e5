"""Saddles, sumps and hoppers against slices of meshes, figures by hand and the textbook's arch."""

import math
from itertools import pairwise

import numpy as np
import pytest
import trimesh
from pypdf import PdfReader

from bathyx.core.capacity.by_pool import pool_table
from bathyx.core.capacity.capacity import drained_at
from bathyx.core.evaluate import evaluate
from bathyx.core.geometry.dip import dip_curve
from bathyx.core.geometry.shell import turned
from bathyx.core.inside.fittings import floor_below
from bathyx.core.job import Job
from bathyx.core.sheet.makeup.roles import MakeUp
from bathyx.core.strength.membranes import arch_kpa
from bathyx.core.tank.attitude import attitude
from bathyx.core.tank.hopper import HopperTank
from bathyx.core.tank.profile import ProfileTank
from bathyx.core.tank.rolled import RolledTank
from bathyx.core.tank.saddle import SaddleTank
from bathyx.core.tank.sump import Sump
from bathyx.core.units import Family
from bathyx.errors import Refusal
from bathyx.papers.dip_table import write_dip_pdf
from tests.conftest import job_with
from tests.outside.test_against_trimesh import volume_of_slice

SIZES = {"length_mm": 800, "width_mm": 600, "height_mm": 400, "tunnel_width_mm": 200, "tunnel_height_mm": 150}
LEFT_PICKUP = {
    "id": "feed",
    "kind": "pickup",
    "face": "top",
    "u_mm": 400,
    "v_mm": 100,
    "hole_mm": 14,
    "floor_clear_mm": 12,
}


def saddle(**more) -> SaddleTank:
    return SaddleTank(**{**SIZES, "sheet": "5083/3", **more})


def fine_mesh(shell):
    """A mesh of the shell's own facets; what it is held against is trimesh's slicing."""
    tri = shell.triangles
    mesh = trimesh.Trimesh(tri.reshape(-1, 3), np.arange(len(tri) * 3).reshape(-1, 3), process=False)
    mesh.merge_vertices(digits_vertex=6)
    return mesh


@pytest.mark.parametrize(
    "more",
    [
        {},
        {"left_lobe_mm": 130, "right_rise_mm": 40},
        {"tunnel": "half_round", "nose_mm": 90, "tail_mm": -40},
        {"sump": Sump(kind="round", x_mm=300, y_mm=100, length_mm=120, width_mm=120, depth_mm=60)},
    ],
    ids=["box", "unequal lobes", "round and sloped", "sump"],
)
@pytest.mark.parametrize("tilt", [(0, 0), (12, 0), (-7, 9)])
def test_a_saddle_at_every_attitude_against_slices(more, tilt):
    shell = saddle(**more).shell()
    rotation = attitude(*tilt)
    curve = dip_curve(turned(shell.half_edges, rotation))
    mesh = fine_mesh(shell)
    mesh.vertices = mesh.vertices @ rotation.T
    assert mesh.is_watertight
    for level in np.linspace(curve.low_mm, curve.high_mm, 12)[1:-1]:
        assert float(curve.at(level)) == pytest.approx(volume_of_slice(mesh, level), abs=1e-7 * curve.full_mm3)


def test_a_half_round_tunnel_at_levels_by_the_circular_segment():
    """Level through a half round of 100 standing on the floor: what the tunnel takes below z is r² asin(z/r) + z √(r² − z²)."""
    tank = saddle(tunnel="half_round", tunnel_height_mm=100)
    curve = dip_curve(tank.shell().half_edges)
    for z in (10.0, 37.0, 64.0, 99.0):
        taken = 100**2 * math.asin(z / 100) + z * math.sqrt(100**2 - z**2)
        assert float(curve.at(z)) == pytest.approx(800 * (600 * z - taken), abs=1e-4 * curve.full_mm3)


def test_two_pools_below_the_crown_and_what_the_pickup_and_the_pipe_leave():
    """By hand: the right lobe keeps 200 × 800 × 150, the left one 200 × 800 × 12 below the inlet; a pipe in the floors takes the
    right one's away."""
    shell = saddle().shell()
    below, above = (drained_at(shell, np.eye(3)).pools(z) for z in (149.0, 151.0))
    assert [v / 1e6 for v, _ in below] == pytest.approx([200 * 800 * 149 / 1e6] * 2)
    assert len(above) == 1
    assert sorted(round(float(p[1])) for _, p in below) == [100, 500]
    job = Job(tank=saddle(), inside={"baffles": {"by_rule": False}, "fittings": [LEFT_PICKUP]})
    held = evaluate(job).results.capacity
    assert held.unusable_l == pytest.approx(200 * 800 * (150 + 12) / 1e6, rel=2e-3)
    assert [round(level) for _, level, _ in sorted(held.left, key=lambda x: x[1])] == [12, 150]
    ends = enumerate(("left floor", "right floor"))
    pipe = [{"id": f"b{k}", "kind": "balance", "face": f, "u_mm": 400, "v_mm": 100, "hole_mm": 22} for k, f in ends]
    joined = evaluate(job.edited("inside.fittings", [LEFT_PICKUP, *pipe])).results.capacity
    assert joined.unusable_l == pytest.approx(200 * 800 * 12 / 1e6, rel=2e-3)
    high = [{**p, "face": f"{'left' if k == 0 else 'right'} side", "v_mm": 60} for k, p in enumerate(pipe)]
    halfway = evaluate(job.edited("inside.fittings", [LEFT_PICKUP, *high])).results.capacity
    assert halfway.unusable_l == pytest.approx(200 * 800 * (60 + 12) / 1e6, rel=2e-3)
    one = evaluate(job.edited("inside.fittings", [LEFT_PICKUP, pipe[1]])).results.capacity
    assert one.unusable_l == pytest.approx(held.unusable_l)  # one end joins nothing


def test_blanks_of_a_saddle_are_flats_and_half_a_circle():
    r = evaluate(Job(tank=saddle(tunnel="half_round", tunnel_height_mm=100), makeup=MakeUp(school="plates"))).results
    crown = next(b for b in r.blanks if "tunnel crown" in b.faces)
    assert sorted(crown.size_mm) == pytest.approx([math.pi * (100 - 1.5), 800], abs=1e-6)
    nose = next(b for b in r.blanks if b.name == "nose")
    assert nose.area_mm2 == pytest.approx(600 * 400 - math.pi * 100**2 / 2, rel=1e-9)


@pytest.mark.parametrize("kind", ["box", "round"])
def test_a_sump_hangs_under_its_hole(kind):
    sump = Sump(kind=kind, x_mm=200, y_mm=150, length_mm=100, width_mm=80, depth_mm=50)
    tank = ProfileTank(length_mm=400, width_mm=300, height_mm=200, sheet="5083/3", sump=sump)
    shell = tank.shell()
    well = (100 * 80 if kind == "box" else math.pi * 50**2) * 50
    assert shell.volume_mm3 == pytest.approx(400 * 300 * 200 + well, rel=1e-12)
    assert floor_below(shell, 200, 150) == pytest.approx(-50)
    assert floor_below(shell, 20, 20) == pytest.approx(0)
    r = evaluate(Job(tank=tank)).results
    bottom = next(b for b in r.blanks if b.name == "bottom")
    assert bottom.area_mm2 == pytest.approx(400 * 300 - well / 50, rel=1e-9)
    assert r.outside.height_mm == pytest.approx(200 + 50 + 6)
    assert [h.size for h in bottom.holes] == ["100 mm × 80 mm" if kind == "box" else "ø100 mm"]


def test_a_sump_lets_the_pickup_draw_more_on_the_slope():
    fitting = {**LEFT_PICKUP, "u_mm": 200, "v_mm": 150}
    plain = ProfileTank(length_mm=400, width_mm=300, height_mm=200, sheet="5083/3")
    deep = plain.model_copy(update={"sump": Sump(x_mm=200, y_mm=150, length_mm=120, width_mm=120, depth_mm=60)})
    left = [evaluate(Job(tank=t, inside={"fittings": [fitting]})).results.capacity for t in (plain, deep)]
    assert left[1].unusable_l < 0.25 < 1.3 < left[0].unusable_l
    assert left[1].unusable_tilted_l < left[0].unusable_tilted_l


@pytest.mark.parametrize(("floor", "fall"), [("level", 0), ("front", 60), ("rear", 60), ("v", 60)])
def test_a_hopper_is_its_prismoid_less_what_the_floor_takes(floor, fall):
    """h/6 (A + 4 M + B) of the whole; the floor's wedge by trimesh's convex hull of its corners."""
    tank = HopperTank(
        top_length_mm=600, top_width_mm=400, bottom_length_mm=300, bottom_width_mm=260, height_mm=300,
        offset_x_mm=50, offset_y_mm=-20, floor=floor, fall_mm=fall, sheet="5083/3",
    )  # fmt: skip
    shell = tank.shell()
    if floor == "level":
        assert shell.volume_mm3 == pytest.approx(300 / 6 * (600 * 400 + 4 * 450 * 330 + 300 * 260), rel=1e-12)
    hull = trimesh.convex.convex_hull(shell.vertices)
    assert shell.volume_mm3 == pytest.approx(hull.volume, rel=1e-9)
    assert shell.convex


@pytest.mark.parametrize(
    ("make", "why"),
    [
        (lambda: saddle(tunnel_width_mm=590), "leaves lobes of 5 and 5 mm"),
        (lambda: saddle(tunnel_width_mm=700), "make the tunnel narrower"),
        (lambda: saddle(tunnel_height_mm=399), "leaves no tank over it"),
        (lambda: saddle(tunnel="half_round", tunnel_width_mm=320), "is at least 160 mm high"),
        (lambda: saddle(right_rise_mm=149), "0 to 145 mm higher"),
        (lambda: saddle(nose_mm=500, tail_mm=400), "top is left"),
        (lambda: saddle(sump=Sump(x_mm=790, y_mm=100, length_mm=100, width_mm=80, depth_mm=50)).shell(), "stands off the floor"),
        (lambda: saddle(sump=Sump(x_mm=300, y_mm=300, length_mm=100, width_mm=80, depth_mm=50)).shell(), "stands off the floor"),
        (
            lambda: RolledTank(
                length_mm=600, diameter_mm=300, sheet="304/2",
                sump=Sump(x_mm=300, y_mm=150, length_mm=60, width_mm=60, depth_mm=30),
            ).shell(),
            "no level floor",
        ),
        (
            lambda: HopperTank(
                top_length_mm=600, top_width_mm=400, bottom_length_mm=300, bottom_width_mm=260, height_mm=300,
                floor="v", sheet="5083/3",
            ),
            "needs a fall between",
        ),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_with_the_figure_that_would_do(make, why):
    with pytest.raises((Refusal, ValueError), match=why):
        make()


def test_a_tunnels_arch_is_the_textbooks():
    """Timoshenko & Gere, from memory: a hinged half round buckles at 3 E I / R³ of a strip with 1/(1 − ν²)."""
    stiff = 70_000 * 2.0**3 / 12 / (1 - 0.33**2)
    assert arch_kpa(100, math.pi, 2.0, 70_000, 0.33) == pytest.approx(3 * stiff / 100**3 * 1000)


def test_a_baffle_across_a_saddle_drains_both_lobes_and_breathes():
    tank = saddle(tunnel="half_round", tunnel_height_mm=100)
    r = evaluate(
        Job(tank=tank, inside={"baffles": {"by_rule": False, "by_hand": [{"axis": "x", "at_mm": 400}]}})
    ).results
    (plate,) = r.plates
    low = plate.outline.faceted[plate.outline.faceted[:, 1] < 2]
    notches = [(a + b) / 2 for (a, _), (b, _) in pairwise(sorted(low.tolist())) if 20 < b - a <= 50]
    assert notches == pytest.approx([100, 500], abs=2)
    assert plate.outline.area_mm2 < plate.section_mm2 - 3 * 20 * 40  # two limber holes and an air gap


def test_the_dip_table_by_pool_is_each_lobe_by_hand_and_stands_on_paper(tmp_path):
    """Lobes of 150 and 250 mm over a box tunnel 120 mm high, the right one's floor 30 mm up; all 600 mm long."""
    tank = {
        "family": "saddle", "length_mm": 600.0, "width_mm": 520.0, "height_mm": 300.0, "tunnel": "box", "sheet": "304/2",
        "tunnel_width_mm": 120.0, "tunnel_height_mm": 120.0, "left_lobe_mm": 150.0, "right_rise_mm": 30.0,
    }  # fmt: skip
    e = evaluate(Job(tank=tank, makeup={"school": "plates"}, inside={"baffles": {"by_rule": False}}))
    table = pool_table(e.results.shell, 20.0)
    assert table.names == ("left", "right")
    assert table.meet_mm == pytest.approx(120.0)
    for level, (left, right) in table.rows:
        assert left == pytest.approx(0.150 * 0.600 * level, rel=1e-6)
        assert right == pytest.approx(0.250 * 0.600 * max(level - 30, 0.0), rel=1e-6, abs=1e-9)
    assert len(table.rows) == 6
    said = "".join(
        page.extract_text() for page in PdfReader(write_dip_pdf(e, tmp_path / "dip.pdf", Family.METRIC)).pages
    )
    assert "Below 120 mm the fluid stands in 2 pools" in said
    assert "left pool, litres" in said
    assert pool_table(job_with().tank.shell(), 20.0) is None
