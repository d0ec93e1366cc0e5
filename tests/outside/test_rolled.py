"""Rolled bodies and their ends against a general library of vessel geometry, slices of a fine mesh, closed forms and textbooks."""

import math

import numpy as np
import pytest
import trimesh
from fluids.geometry import TANK
from scipy.integrate import quad
from shapely.geometry import Point, Polygon, box

from bathyx.core.evaluate import evaluate
from bathyx.core.geometry.dip import dip_curve
from bathyx.core.geometry.outline import Outline, corner_taken, notched, offset_arcs, part_between, split_at
from bathyx.core.geometry.shell import turned
from bathyx.core.job import Job
from bathyx.core.sheet.flat.heads import disc_mm, sector, trim_mm
from bathyx.core.sheet.makeup.roles import MakeUp
from bathyx.core.strength.large import respond
from bathyx.core.strength.membranes import knuckle_factor, knuckle_kpa, pulls_in_kpa, round_panel, stress_factor
from bathyx.core.tank.attitude import attitude
from bathyx.core.tank.rolled import END_WORDS, End, RolledTank
from tests.conftest import box as plain_box
from tests.outside.test_against_trimesh import volume_of_slice

# Name of an end in fluids.geometry.TANK, and its depth over the diameter where it takes one.
ENDS = {
    "flat_on": (None, None),
    "dished": ("torispherical", None),
    "elliptical": ("ellipsoidal", 0.25),
    "hemisphere": ("spherical", 0.5),
    "cone": ("conical", 0.25),
}


def rolled(front="flat_on", rear=None, **more) -> RolledTank:
    ends = {"front": {"kind": front, **more.pop("head", {})}, "rear": {"kind": rear or front}}
    return RolledTank(**{"length_mm": 1200, "diameter_mm": 500, "sheet": "s235/3", **ends, **more})


def job_of(tank, **more) -> Job:
    return Job(tank=tank, makeup=MakeUp(school="rolled"), **more)


def known_tank(front, rear, axis) -> TANK:
    a, b = ENDS[front], ENDS[rear]
    depth = {"sideA_a": a[1] and a[1] * 0.5, "sideB_a": b[1] and b[1] * 0.5}
    radii = {"sideA_f": 1.0, "sideA_k": 0.1, "sideB_f": 1.0, "sideB_k": 0.1}
    return TANK(D=0.5, L=1.2, horizontal=axis == "lying", sideA=a[0], sideB=b[0], **depth, **radii)


@pytest.mark.parametrize("axis", ["lying", "standing"])
@pytest.mark.parametrize(
    ("front", "rear"), [*((kind, kind) for kind in ENDS), ("dished", "flat_on"), ("cone", "elliptical")]
)
def test_fifty_levels_of_every_body_and_end(front, rear, axis):
    """Against fluids.geometry.TANK (the library `fluids`): within 1e-4 of the full volume at each level."""
    known = known_tank(front, rear, axis)
    curve = dip_curve(rolled(front, rear, axis=axis).shell().half_edges)
    assert curve.full_mm3 / 1e9 == pytest.approx(known.V_total, rel=1e-9)
    for level in np.linspace(curve.low_mm, curve.high_mm, 52)[1:-1]:
        assert abs(float(curve.at(level)) / 1e9 - known.V_from_h(level / 1000)) < 1e-4 * known.V_total


@pytest.mark.parametrize("lean", [8, 33, 71])
def test_a_leaning_body_against_slices_of_a_fine_mesh(lean):
    """A cylinder of 1440 facets, cut by trimesh."""
    shell = rolled(axis="leaning", lean_deg=lean).shell()
    mesh = trimesh.creation.cylinder(radius=250, height=1200, sections=1440)
    mesh.apply_transform(trimesh.transformations.rotation_matrix(math.radians(90 - lean), [0, 1, 0]))
    mesh.apply_translation(-mesh.bounds[0])
    curve = dip_curve(shell.half_edges)
    assert curve.high_mm == pytest.approx(mesh.bounds[1][2], abs=0.5)
    for level in np.linspace(40, curve.high_mm - 40, 9):
        assert abs(float(curve.at(level)) - volume_of_slice(mesh, level)) < 1e-4 * mesh.volume


@pytest.mark.parametrize("section", ["obround", "d", "radiused"])
def test_other_sections_at_every_level_against_flat_shapes(section):
    """The area of the section below a level, of shapes that shapely builds from circles of 4096 points, times the length."""
    w, h, r = 600.0, 400.0, 60.0
    tank = rolled(section=section, width_mm=w, height_mm=h, corner_mm=r)
    round_ = lambda x, y, radius: Point(x, y).buffer(radius, quad_segs=1024)  # noqa: E731
    shapes = {
        "obround": box(200, 0, 400, 400).union(round_(200, 200, 200)).union(round_(400, 200, 200)),
        "d": box(0, 0, 600, 100).union(round_(300, 100, 300).intersection(box(0, 100, 600, 400))),
        "radiused": box(r, r, w - r, h - r).buffer(r, quad_segs=1024),
    }
    whole = shapes[section]
    curve = dip_curve(tank.shell().half_edges)
    assert curve.full_mm3 == pytest.approx(whole.area * 1200, rel=2e-6)
    for level in np.linspace(0, h, 52)[1:-1]:
        below = whole.intersection(box(-1, -1, w + 1, level)).area * 1200
        assert abs(float(curve.at(level)) - below) < 1e-4 * curve.full_mm3


@pytest.mark.parametrize("kind", END_WORDS)
def test_every_end_at_an_attitude_holds_what_it_holds_level(kind):
    shell = rolled(kind).shell()
    tilted = dip_curve(turned(shell.half_edges, attitude(11, 7)))
    assert tilted.full_mm3 == pytest.approx(shell.volume_mm3, rel=1e-9)
    assert shell.convex


def test_a_head_of_unlike_radii_by_its_own_integral():
    """A dished end of crown 420, knuckle 35 on 500: the solid of revolution integrated from the two circles."""
    a, crown, knuckle = 250.0, 420.0, 35.0
    head = End(kind="dished", crown_mm=crown, knuckle_mm=knuckle).meridian(500, 3)
    depth = crown - math.sqrt((crown - knuckle) ** 2 - (a - knuckle) ** 2)
    join = knuckle * math.sin(math.acos((a - knuckle) / (crown - knuckle)))

    def radius(h):
        if h <= join:
            return a - knuckle + math.sqrt(knuckle**2 - h**2)
        return math.sqrt(max(crown**2 - (h - depth + crown) ** 2, 0.0))

    volume = sum(quad(lambda h: math.pi * radius(h) ** 2, *ends)[0] for ends in ((0, join), (join, depth)))
    assert head.depth_mm == pytest.approx(depth)
    assert head.volume_mm3() == pytest.approx(volume, rel=1e-7)


def test_blanks_of_a_round_body_and_flat_ends_are_the_closed_forms():
    """Body π (D + t) by L; ends D + 2t where they cover the body, D where they stand in it, and then the body is longer."""
    on, inside = (evaluate(job_of(rolled(kind))).results for kind in ("flat_on", "flat_in"))
    flat = {name: {b.name: b for b in r.blanks} for name, r in (("on", on), ("in", inside))}
    assert flat["on"]["body"].size_mm == pytest.approx((math.pi * 503, 1200), abs=1e-6)
    assert flat["in"]["body"].size_mm == pytest.approx((math.pi * 503, 1206), abs=1e-6)
    for name in ("front end", "rear end"):
        assert flat["on"][name].size_mm == pytest.approx((506, 506), abs=1e-6)
        assert flat["in"][name].size_mm == pytest.approx((500, 500), abs=1e-6)
        assert flat["on"][name].area_mm2 == pytest.approx(math.pi * 253**2, rel=1e-12)
    assert [round(s.length_mm, 6) for s in on.seams if s.joint != "stitch"] == [
        round(x, 6) for x in (500 * math.pi, 500 * math.pi, 1200)
    ]


@pytest.mark.parametrize(
    ("section", "girth"), [("obround", 2 * 200 + math.pi * 403), ("radiused", 2 * (480 + 280) + 2 * math.pi * 61.5)]
)
def test_bodies_with_flats_unroll_to_flats_and_arcs(section, girth):
    tank = rolled(section=section, width_mm=600, height_mm=400, corner_mm=60)
    body = next(b for b in evaluate(job_of(tank)).results.blanks if b.name == "body")
    assert body.size_mm == pytest.approx((girth, 1200), abs=1e-5)
    assert len(body.outline.points) == 4


def test_a_cone_unrolls_to_its_sector():
    """300 radius, 400 deep: slant 500, 0.6 of a turn; at its middle surface the point stands t/2 · d/a further out."""
    assert sector(300, 400, 0) == pytest.approx((500, 0.6 * 2 * math.pi))
    radius, angle = sector(300, 400, 3)
    assert radius * angle / (2 * math.pi) == pytest.approx(300 + 1.5 * 400 / 500)  # its rim on the middle surface
    tank = rolled("cone", "flat_on", diameter_mm=600, head={"depth_mm": 400})
    blank = next(b for b in evaluate(job_of(tank)).results.blanks if b.name == "front end")
    assert blank.area_mm2 == pytest.approx(radius**2 * angle / 2, rel=1e-12)


@pytest.mark.parametrize("kind", ["dished", "elliptical", "hemisphere", "flanged"])
def test_a_heads_blank_has_the_area_of_its_middle_surface(kind):
    """2π ∫ r ds of the meridian moved out by half a thickness, by finite differences on 200 000 points."""
    shell, t = rolled(kind).shell(), 3.0
    head = shell.by_id["front end"].on
    rows = head.meridian.spots(200_000)
    along = np.gradient(rows, axis=0)
    normal = np.column_stack([along[:, 1], -along[:, 0]]) / np.hypot(*along.T)[:, None]
    moved = rows + t / 2 * normal
    step = np.hypot(*np.diff(moved, axis=0).T)
    area = float((math.pi * (moved[1:, 0] + moved[:-1, 0]) * step).sum())
    assert math.pi / 4 * disc_mm(head, t) ** 2 == pytest.approx(area, rel=2e-4)
    blank = next(b for b in evaluate(job_of(rolled(kind))).results.blanks if b.name == "front end")
    assert blank.size_mm[0] == pytest.approx(disc_mm(head, t) + 2 * trim_mm(t))


def test_a_hemisphere_and_its_disc_are_the_schoolbooks():
    head = rolled("hemisphere").shell().by_id["front end"].on
    assert head.meridian.volume_mm3() == pytest.approx(2 / 3 * math.pi * 250**3, rel=1e-12)
    assert head.meridian.area_mm2(1.5) == pytest.approx(2 * math.pi * 251.5**2, rel=1e-9)


def test_a_hole_bored_into_a_rolled_wall_is_round_again_when_rolled():
    """The flat border wrapped onto the middle surface and looked at square on is a circle of the tool."""
    fitting = {"id": "port", "kind": "inspection", "face": "wall", "u_mm": 600.0, "v_mm": 0.0, "hole_mm": 150.0}
    job = job_of(rolled()).edited("inside.fittings", [fitting])
    body = next(b for b in evaluate(job).results.blanks if b.name == "body")
    (hole,) = body.holes
    flat = hole.border - hole.centre
    neutral, inside = 251.5, 250.0
    x, y = inside * np.sin(flat[:, 0] / neutral), flat[:, 1]
    assert np.hypot(x, y) == pytest.approx(75.0, abs=1e-6)
    assert np.ptp(flat[:, 0]) > 150 > np.ptp(flat[:, 1]) - 1e-9
    assert hole.centre[1] == pytest.approx(600)


def test_membrane_stress_is_the_textbooks():
    """Thin shells, e.g. Roark's Formulas, ch. 13, from memory: p r/t, p r/2t; ASME's M for a crown of D and a knuckle of D/10."""
    faces = {kind: rolled(kind).shell().by_id for kind in ENDS}
    assert stress_factor(faces["dished"]["wall"], 3.0)[0] == pytest.approx(251.5 / 3)
    assert stress_factor(faces["hemisphere"]["front end"], 3.0)[0] == pytest.approx(500 / 12)
    assert stress_factor(faces["elliptical"]["front end"], 3.0)[0] == pytest.approx(500 / 6)
    assert stress_factor(faces["dished"]["front end"], 3.0)[0] == pytest.approx(500 * 1.540569 / 6, rel=1e-6)
    assert stress_factor(faces["cone"]["front end"], 3.0)[0] > 500 / 6 / math.cos(math.radians(63.4))


def test_a_round_flat_end_is_a_clamped_disc():
    """Timoshenko & Woinowsky-Krieger, from memory: w = q a⁴/64 D in small deflection; edge stress at least ¾ q a²/t²."""
    a, t, e, nu, kpa = 250.0, 6.0, 200_000.0, 0.3, 1.0
    side = round_panel(a).short_mm
    found = respond(side, side, t, kpa, e, nu, "held")
    stiff = e * t**3 / 12 / (1 - nu**2)
    assert found.bulge_mm == pytest.approx(kpa / 1000 * a**4 / 64 / stiff, rel=0.03)
    assert 1.0 < found.edge_mpa / (0.75 * kpa / 1000 * a**2 / t**2) < 1.5


def test_a_body_pulled_in_by_a_vacuum():
    """Windenburg & Trilling's formula by hand for 500 × 1200 × 3 mm steel: 2.42 · 210 000 · 0.006^2.5 / (0.91^¾ · 2.3651)."""
    by_hand = 2.42 * 210_000 * 0.006**2.5 / (0.91**0.75 * (2.4 - 0.45 * math.sqrt(0.006))) * 1000
    assert pulls_in_kpa(500, 1200, 3, 210_000, 0.3) == pytest.approx(by_hand)
    assert by_hand == pytest.approx(643, rel=0.01)


def test_arcs_moved_notched_and_split_keep_their_measure():
    circle = Outline(np.array([[100.0, 0.0], [-100.0, 0.0]]), np.array([1.0, 1.0]))
    assert offset_arcs(circle, -1).area_mm2 == pytest.approx(math.pi * 99**2)
    half = Outline(np.array([[-100.0, 0.0], [100.0, 0.0]]), np.array([0.0, 1.0]))
    moved = offset_arcs(half, -10)  # a half disc of 90 whose flat side is 10 higher
    assert moved.area_mm2 == pytest.approx(math.pi * 90**2 / 2 - 2 * quad(lambda z: math.sqrt(90**2 - z * z), 0, 10)[0])
    split, k = split_at(circle, 30.0, lower=True)
    assert split.points[k] == pytest.approx([30, -math.sqrt(100**2 - 30**2)])
    assert split.area_mm2 == pytest.approx(circle.area_mm2)
    cut, taken = notched(circle, 0.0, 40.0, 15.0, lower=True)
    low = math.sqrt(100**2 - 20**2)
    under = quad(lambda x: math.sqrt(100**2 - x * x), -20, 20)[0] - 40 * low
    assert circle.area_mm2 - cut.area_mm2 == pytest.approx(under + 40 * 15)
    assert taken == pytest.approx(2 * 100 * math.asin(0.2), rel=1e-4)


def test_a_round_baffle_leaves_its_gap_and_opens_below_and_above():
    r = evaluate(job_of(rolled(length_mm=800, diameter_mm=400))).results
    (plate,) = r.plates
    assert plate.section_mm2 == pytest.approx(math.pi * 200**2, rel=1e-9)
    assert np.hypot(*(plate.outline.points - [200, 200]).T).max() == pytest.approx(199, abs=1e-6)
    assert 0.05 < plate.open_share < 0.3
    assert np.abs(plate.outline.bulges).max() > 0.1  # arcs are arcs


def test_the_old_family_holds_what_it_held():
    tank = plain_box(length=300, width=400, height=200)
    assert dip_curve(tank.shell().half_edges).full_mm3 == pytest.approx(300 * 400 * 200, rel=1e-12)


@pytest.mark.parametrize(("section", "rims"), [("radiused", 2), ("obround", 2), ("d", 4)])
def test_a_bead_round_an_end_is_one_seam_where_the_wall_is_one_sheet(section, rims):
    """Its length is the rim's; a D has its floor as a plate of its own, so two seams an end."""
    r = evaluate(job_of(rolled(section=section, width_mm=600, height_mm=400, corner_mm=60))).results
    seams = [s for s in r.seams if "end" in s.title]
    assert len(seams) == rims
    girths = {
        "radiused": 2 * (480 + 280) + 120 * math.pi,
        "obround": 400 + 400 * math.pi,
        "d": 600 + 200 + 300 * math.pi,
    }
    assert sum(s.length_mm for s in seams) == pytest.approx(2 * girths[section])
    assert len({s.edge for s in r.seams}) == len(r.seams)
    for seam in seams:
        step = np.linalg.norm(np.diff(seam.line, axis=0), axis=1)
        assert step.max() < 601  # it runs on from edge to edge and jumps nowhere
        assert step.sum() == pytest.approx(seam.length_mm, rel=2e-3)


def test_a_bare_hole_weakens_a_rolled_wall_and_a_ring_gives_it_back():
    """Timoshenko & Goodier, from memory: 2.5 times the hoop stress at a hole where the stress round is twice that along."""
    plain = job_of(rolled("hemisphere", diameter_mm=600))
    port = {"id": "port", "kind": "inspection", "face": "wall", "u_mm": 600, "v_mm": 0, "hole_mm": 100}
    kpa = []
    for ring in (None, {"ring_mm": 0.0}, {"ring_mm": 6.0, "ring_od_mm": 160.0}):
        job = plain if ring is None else plain.edited("inside.fittings", [port | ring])
        kpa.append(next(p.bears_kpa for p in evaluate(job).results.strength.panels if p.face == "wall"))
    assert kpa[0] == pytest.approx(2.5 * kpa[1])
    assert kpa[2] == kpa[0]


def test_the_dry_weight_of_a_drum_by_hand():
    """Body π 503 × 1200, two discs of 506, of 3 mm steel of 7850 kg/m³, and t²/2 of weld along three seams."""
    job = job_of(rolled()).edited("inside.baffles.by_rule", False)
    r = evaluate(job).results
    area = math.pi * 503 * 1200 + 2 * math.pi * 253**2
    weld = 9 / 2 * (1200 + 2 * math.pi * 500)
    assert r.weight.dry.value == pytest.approx((area * 3 + weld) * 7850e-9, rel=2e-3)
    assert r.weight.centre_dry == pytest.approx([600, 250, 250], abs=2.5)


@pytest.mark.parametrize("moves", [0.0, 60.0])
def test_a_baffle_across_a_drum_that_another_runs_through_is_two_circular_segments(moves):
    """Each piece is the segment beyond half the plate's thickness, with its arc; closed form of a circular segment."""
    radius, t, gap = 300.0, 3.0, 0.0
    rules = {"by_rule": False, "limber_mm": 0, "air_gap_mm": 0, "flow_hole_mm": 0, "fit_gap_mm": gap}
    hand = [{"axis": "x", "at_mm": 500.0}, {"axis": "y", "at_mm": radius + moves}]
    job = job_of(rolled(length_mm=1000, diameter_mm=2 * radius, sheet="s235/3")).edited(
        "inside.baffles", rules | {"by_hand": hand}
    )
    r = evaluate(job).results
    pieces = [p for p in r.plates if p.axis == "x"]
    assert [p.name for p in pieces] == ["B1a", "B1b"]
    for piece, away in zip(pieces, (t / 2 - moves, t / 2 + moves), strict=True):
        segment = radius**2 * math.acos(away / radius) - away * math.sqrt(radius**2 - away**2)
        assert piece.metal_mm2 == pytest.approx(segment, rel=2e-4)
        assert np.abs(piece.outline.bulges).max() > 0.1
    blank = next(b for b in r.blanks if b.name == "baffle B1a")
    assert np.abs(blank.outline.bulges).max() > 0.1
    notched = evaluate(job.edited("inside.baffles.limber_mm", 25.0).edited("inside.baffles.air_gap_mm", 20.0)).results
    for piece in (p for p in notched.plates if p.axis == "x"):
        # Where its floor is lowest the plate is open: at the middle, or at its corner on the plate that runs through.
        left, right = (float(bound[0]) for bound in piece.outline.bounds)
        lowest = min(max(radius, left), right)
        floor = radius - math.sqrt(radius**2 - (lowest - radius) ** 2)
        plate = Polygon(piece.outline.faceted)
        assert plate.is_valid
        assert not plate.covers(Point(lowest, floor + 12))
        assert not plate.covers(Point(lowest, 2 * radius - floor - 9))
        assert plate.buffer(0.5).covers(Point(lowest, floor + 27))
    assert all(
        0 < p.metal_mm2 < q.metal_mm2 for p, q in zip([p for p in notched.plates if p.axis == "x"], pieces, strict=True)
    )


@pytest.mark.parametrize("at", [(0.0, 500.0), (-500.0, 0.0), (30.0, 500.0), (-500.0, -40.0)])
@pytest.mark.parametrize("lower", [True, False])
def test_a_corner_is_taken_off_a_segment_as_a_geometry_library_would(at, lower):
    whole = part_between(Outline(np.array([[100.0, 0.0], [-100.0, 0.0]]), np.array([1.0, 1.0])), *at)
    x = next(v for v in at if abs(v) < 100)
    made, taken = corner_taken(whole, x, 20.0, 15.0, lower=lower)
    y, away = math.sqrt(100**2 - x**2), -20 if at[0] == -500 else 20
    bottom, top = (-y - 50, -y + 15) if lower else (y - 15, y + 50)
    square = box(min(x, x + away), bottom, max(x, x + away), top)
    flat = Polygon(whole.faceted)
    assert abs(made.area_mm2) == pytest.approx(flat.difference(square).area, rel=5e-4)
    assert taken == pytest.approx(flat.boundary.intersection(square).length, rel=5e-4)
    assert corner_taken(whole, x, 20.0, 400.0, lower=lower) is None


@pytest.mark.parametrize("axis", ["lying", "standing", "leaning"])
@pytest.mark.parametrize(
    ("section", "w", "h", "rim"),
    [("radiused", 420.0, 260.0, 60.0), ("obround", 420.0, 260.0, 130.0), ("obround", 200.0, 330.0, 100.0)],
)
def test_a_flanged_end_on_a_body_that_is_not_round_against_its_slabs(axis, section, w, h, rim):
    """Volume by slabs: rounded rectangles whose corner is r(z) = rim − c + √(c² − z²), geometry; blank by its middle surface."""
    corner, t = 25.0, 3.0
    end = {"kind": "flanged", "knuckle_mm": corner}
    more = {"corner_mm": rim} if section == "radiused" else {}
    tank = RolledTank(
        section=section, axis=axis, length_mm=600, width_mm=w, height_mm=h, sheet="304/3", front=end, rear=end, **more
    )
    a, b = w / 2 - rim, h / 2 - rim

    def area(z):
        r = rim - corner + math.sqrt(corner**2 - z**2)
        return math.pi * r**2 + 4 * (a + b) * r + 4 * a * b

    heads = 2 * quad(area, 0, corner, epsabs=1e-4)[0]
    body = (math.pi * rim**2 + 4 * (a + b) * rim + 4 * a * b) * 600
    shell = tank.shell()
    assert shell.volume_mm3 == pytest.approx(body + heads, rel=2e-6)
    assert tank.volume_mm3() == pytest.approx(body + heads, rel=2e-6)
    r = evaluate(Job(tank=tank, makeup={"school": "rolled"})).results
    rims = [
        s
        for s in r.seams
        if s.joint == "butt" and "long seam" not in s.title and "side:" not in s.title and "top:" not in s.title
    ]
    girth = 2 * math.pi * rim + 4 * (a + b)
    assert sorted(s.length_mm for s in rims)[-2:] == pytest.approx([girth, girth], rel=1e-6)
    blank = next(x for x in r.blanks if x.name.startswith(("front", "bottom", "lower")))
    # Middle surface: quarter torus and straight quarter pipes of radius c + t/2 about rim − c, and the flat.
    inner, c = rim - corner, corner + t / 2
    middle = (
        2 * math.pi * (math.pi / 2 * inner * c + c**2)
        + 4 * (a + b) * (math.pi / 2 * c + inner)
        + math.pi * inner**2
        + 4 * a * b
    )
    trim = 6.0
    big = (-(4 * (a + b)) + math.sqrt((4 * (a + b)) ** 2 + 4 * math.pi * (middle - 4 * a * b))) / (2 * math.pi) + trim
    assert blank.outline.area_mm2 == pytest.approx(math.pi * big**2 + 4 * (a + b) * big + 4 * a * b, rel=1e-9)


@pytest.mark.parametrize(
    ("kind", "crown", "knuckle", "yields", "buckles"),
    # By hand from EN 13445-3, 7.5.3.2, 7.5.3.5 and 7.5.4 (from memory): 1000 mm in 1 mm, 189 MPa.
    [("dished", 1000.0, 100.0, 174.5, 107.2), ("elliptical", None, None, 303.0, 188.0)],
)
def test_thin_heads_give_way_at_their_knuckle(kind, crown, knuckle, yields, buckles):
    head = {"crown_mm": crown, "knuckle_mm": knuckle} if crown else {}
    face = rolled(kind, head=head, diameter_mm=1000, sheet="304/1").shell().by_id["front end"]
    found, words = knuckle_kpa(face.on, 1.0, 189.0)
    assert found == pytest.approx(buckles, rel=0.01)
    assert "buckle" in words
    assert knuckle_kpa(face.on, 6.0, 189.0)[0] > 5 * found
    reach = 0.75 * (crown or 900.0) + 200.0
    slim, share = 1.0 / (crown or 900.0), (knuckle or 170.0) / 1000
    assert 1000 * 189 / (knuckle_factor(slim, share) * reach) == pytest.approx(yields, rel=0.02)
    assert knuckle_kpa(face.on, 0.9, 189.0)[0] == 0.0
