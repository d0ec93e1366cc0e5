"""Joints: plates as solids never stand in one another, gaps are the joint's own, and panels may be of their own thickness."""

import math
import random
from itertools import combinations

import numpy as np
import pytest
from scipy.optimize import linprog
from shapely import constrained_delaunay_triangles, intersection
from shapely.geometry import Polygon

from bathyx.core.evaluate import cuttable, evaluate
from bathyx.core.geometry.shell import Edge
from bathyx.core.job import Job
from bathyx.core.sheet.bending.fold import folded
from bathyx.core.sheet.flat.laid import laid_pieces
from bathyx.core.sheet.makeup.joints import JointError, Wish, ends_at, tabs_along
from bathyx.core.sheet.makeup.rims import block_at
from bathyx.core.sheet.makeup.roles import MakeUpError
from bathyx.core.tank.hopper import HopperTank
from bathyx.core.tank.outline import OutlineTank
from bathyx.core.tank.profile import Chamfer
from bathyx.core.units import Reading
from bathyx.demo import jobs
from bathyx.errors import Refusal
from tests.conftest import box, codes, job_with

FAR = 200.0


def edge_at(degrees: float) -> Edge:
    return Edge("a/b", "a", "b", np.array([[0.0, 0, 0], [300.0, 0, 0]]), degrees)


def section(degrees, thick, wish, radius=(3.0, 3.0)):
    """Both plates (and a flange's flat) as polygons, looked at along the edge: a to +x, b at the inside angle."""
    ends = ends_at(edge_at(degrees), wish, thick, radius)
    al = math.radians(degrees)
    found = []
    for (ways, out), t, end in zip(
        (((1, 0), (0, -1)), ((math.cos(al), math.sin(al)), (-math.sin(al), math.cos(al)))), thick, ends, strict=True
    ):
        d, n = np.array(ways, float), np.array(out, float)
        inside, outside = -end.inside_mm, -end.outside_mm
        parts = []
        if end.flange is not None:
            turn = math.radians(end.flange.turn_deg) * (1 if end.flange.reflex else -1)
            back = (radius[0] + (t if end.flange.reflex else 0)) * math.tan(abs(turn) / 2)
            inside = outside = -end.flange.sharp_mm + back
            way = math.cos(turn) * -d + math.sin(turn) * n
            normal = math.cos(turn) * n + math.sin(turn) * d
            sharp = -d * end.flange.sharp_mm
            a, b = sharp + way * back, sharp + way * end.flange.length_mm
            parts.append(Polygon([a, b, b + normal * t, a + normal * t]))
        parts.append(Polygon([d * inside, d * FAR, d * FAR + n * t, d * outside + n * t]))
        found.append(parts)
    return found


@pytest.mark.parametrize("joint", ["corner", "lap", "tee", "flanged", "set in", "edge flange"])
@pytest.mark.parametrize("bevel", [False, True])
def test_plates_at_random_angles_touch_and_never_stand_in_one_another(joint, bevel):
    dice = random.Random(joint)
    looked = 0
    for _ in range(120):
        degrees = dice.uniform(25, 335)
        thick = dice.uniform(1, 8), dice.uniform(1, 8)
        wish = Wish(joint, dice.choice(["a", "b"]), dice.uniform(2, 20), 90.0, 0.0, bevel)
        try:
            a, b = section(degrees, thick, wish)
        except JointError:
            assert degrees > 180 or joint != "corner"
            continue
        looked += 1
        for p in a:
            for q in b:
                assert intersection(p, q, grid_size=1e-8).area < 1e-6, (degrees, thick, wish)
        if joint not in ("flanged", "edge flange"):
            assert min(p.distance(q) for p in a for q in b) < 1e-9, (degrees, thick, wish)
    assert looked > 30


def prisms(e):
    """(face, half spaces of a convex part) of every plate, from its blank as laid out: an independent way back into space."""
    r = e.results
    for laid in laid_pieces(r.panelled, r.roles, r.skins, r.rule):
        for name, core in laid.cores.items():
            face, lay = r.panelled.by_id[name], laid.lays[name]
            loop = lay.point(face.loop)
            spots = np.linalg.lstsq(np.column_stack([loop, np.ones(len(loop))]), face.loop, rcond=None)[0]
            for part in constrained_delaunay_triangles(Polygon(core)).geoms:
                flat = np.array(part.exterior.coords)[:3]
                low = np.column_stack([flat, np.ones(3)]) @ spots
                high = low + face.normal * r.skins.of(face)
                middle = (low.mean(axis=0) + high.mean(axis=0)) / 2
                rows = []
                for a, b in zip(low, np.roll(low, -1, axis=0), strict=True):
                    n = np.cross(b - a, face.normal)
                    rows.append((n / np.linalg.norm(n), a))
                rows += [(-face.normal, low[0]), (face.normal, high[0])]
                rows = [(n if n @ (middle - p) < 0 else -n, p) for n, p in rows]
                yield (
                    name,
                    np.array([n for n, _ in rows]),
                    np.array([n @ p for n, p in rows]),
                    np.concatenate([low, high]),
                )


def deepest(a, b) -> float:
    """Radius of the largest ball in both convex parts, mm; 0 where they only touch."""
    if (a[3].min(axis=0) > b[3].max(axis=0) - 1e-9).any() or (b[3].min(axis=0) > a[3].max(axis=0) - 1e-9).any():
        return 0.0
    n, c = np.concatenate([a[1], b[1]]), np.concatenate([a[2], b[2]])
    shift = (a[3].mean(axis=0) + b[3].mean(axis=0)) / 2
    found = linprog(
        [0, 0, 0, -1], np.column_stack([n, np.ones(len(n))]), c - n @ shift, bounds=[(None, None)] * 3 + [(None, None)]
    )
    return max(0.0, float(found.x[3]))


def random_tank(dice):
    if dice.random() < 0.5:
        return HopperTank(
            sheet="5083/3",
            top_length_mm=dice.uniform(300, 500),
            top_width_mm=dice.uniform(300, 500),
            bottom_length_mm=dice.uniform(150, 500),
            bottom_width_mm=dice.uniform(150, 500),
            height_mm=dice.uniform(200, 400),
            offset_x_mm=dice.uniform(-60, 60),
        )
    step = dice.uniform(60, 160)
    corners = [
        (0, 0),
        (250, dice.uniform(-20, 20)),
        (250 + dice.uniform(-40, 60), step),
        (450, step),
        (430, 380),
        (30, 350),
    ]
    return OutlineTank(sheet="5083/3", width_mm=300, corners=[{"x_mm": float(x), "z_mm": float(z)} for x, z in corners])


@pytest.mark.parametrize("seed", range(6))
def test_the_plates_of_a_tank_with_joints_at_random_never_stand_in_one_another(seed):
    dice = random.Random(seed)
    tank = random_tank(dice)
    e = evaluate(job_with(tank, inside__baffles__by_rule=False, inside__fittings=[], space__seat=None))
    edges, panels = [], []
    for role in e.results.roles:
        joint = dice.choice(["corner", "lap", "tee"]) if not role.edge.reflex else "lap"
        over = dice.choice([role.edge.a, role.edge.b])
        edges.append(
            {"edge": role.edge.id, "role": "weld", "joint": joint, "over": over, "past_mm": dice.uniform(1, 9)}
        )
    for face in e.results.shell.faces:
        if dice.random() < 0.5:
            panels.append({"face": face.id, "thickness_mm": dice.choice([2.0, 4.0, 6.0])})
    e = evaluate(e.job.edited_many({"makeup.edges": edges, "makeup.panels": panels}))
    parts = list(prisms(e))
    assert len({name for name, *_ in parts}) == len(e.results.shell.faces)
    worst = max((deepest(a, b), a[0], b[0]) for a, b in combinations(parts, 2) if a[0] != b[0])
    assert worst[0] < 1e-6 or (worst[0] > 0.02 and "sheet.clash" in codes(e)), worst
    assert ("sheet.clash" in codes(e)) == (worst[0] > 0.02)


def test_corner_to_corner_at_an_inward_edge_both_stop_where_their_outsides_meet():
    a, b = ends_at(edge_at(270), Wish("corner"), (3.0, 5.0), (3.0, 3.0))
    assert (a.past_mm, b.past_mm) == (pytest.approx(-5.0), pytest.approx(-3.0))


def test_a_bevelled_lap_says_how_far_its_edge_leans():
    over, under = ends_at(edge_at(120), Wish("lap", "a", bevel=True), (3.0, 3.0), (3.0, 3.0))
    assert under.bevel_deg(3.0) == pytest.approx(30.0)
    assert over.bevel_deg(3.0) == pytest.approx(0.0)


def test_a_plate_that_runs_past_is_larger_is_marked_and_takes_room():
    plain = evaluate(job_with(inside__baffles__by_rule=False))
    choice = {"edge": "bottom/front", "role": "weld", "joint": "tee", "over": "bottom", "past_mm": 20.0}
    past = evaluate(plain.job.edited("makeup.edges", [choice]))
    was, now = ({b.name: b for b in e.results.blanks}["bottom"] for e in (plain, past))
    assert sorted(now.size_mm) == pytest.approx(
        sorted([was.size_mm[0], was.size_mm[1] + 23])
        if was.size_mm[1] < was.size_mm[0]
        else sorted([was.size_mm[0] + 23, was.size_mm[1]])
    )
    assert "inside of front" in {m.text for m in now.marks}
    assert past.results.outside.length_mm == pytest.approx(plain.results.outside.length_mm + 20)
    assert past.results.spare.value <= plain.results.spare.value
    tight = plain.job.edited("space.depth", Reading.of(317).model_dump())
    assert evaluate(tight.edited("makeup.edges", [choice])).results.spare.value < 0


def test_a_flange_is_bent_of_the_plate_and_holds_its_neutral_length():
    choice = {"edge": "bottom/front", "role": "weld", "joint": "flanged", "over": "front", "flange_mm": 25.0}
    r = evaluate(job_with(makeup__edges=[choice], inside__baffles__by_rule=False)).results
    front = next(b for b in r.blanks if b.name == "front")
    (bend,) = front.bends
    assert bend.flange
    assert bend.up
    # 200 high, its sharp corner 3 below the inside of the floor, a flange of 25 from there; r 3, K 0.4.
    assert sorted(front.size_mm)[0] == pytest.approx(200 + 3 - 3 + math.pi / 2 * (3 + 1.2) + 25 - 3)
    bottom = next(b for b in r.blanks if b.name == "bottom")
    assert sorted(bottom.size_mm) == pytest.approx([297, 400])  # clear of the bend
    with pytest.raises(MakeUpError, match="no longer than its own bend"):
        evaluate(job_with(makeup__edges=[choice | {"flange_mm": 5.0}]))


def test_tabs_go_through_slots_of_their_own_size():
    choice = {"edge": "bottom/left end", "role": "weld", "joint": "tabs", "over": "bottom"}
    r = evaluate(job_with(makeup__edges=[choice], inside__baffles__by_rule=False)).results
    end, bottom = (next(b for b in r.blanks if b.name == name) for name in ("left end", "bottom"))
    slots = [h for h in bottom.holes if h.label == "slot"]
    assert len(slots) == len(tabs_along(300.0, 3.0)) == 2
    assert sorted(np.ptp(slots[0].border, axis=0)) == pytest.approx([3.2, 40.2])
    tabbed = Polygon(end.outline.faceted)
    assert tabbed.area == pytest.approx(300 * 200 + 2 * 40 * 3)
    assert tabbed.bounds[3] - tabbed.bounds[1] == pytest.approx(203)


@pytest.mark.parametrize(
    ("degrees", "wish", "words"),
    [
        (180.0, Wish("corner"), "butt or backed would do"),
        (90.0, Wish("butt"), "no joint 'butt' at 90°"),
        (270.0, Wish("tee", "a"), "turns into the tank"),
        (60.0, Wish("tabs", "a"), "tabs stand square"),
        (12.0, Wish("corner"), "too sharp"),
        (90.0, Wish("lap", "lid"), "'lid' does not meet this edge"),
    ],
)
def test_a_joint_that_an_edge_cannot_have_is_refused_with_what_would_do(degrees, wish, words):
    with pytest.raises(JointError, match=words):
        ends_at(edge_at(degrees), wish, (3.0, 3.0), (3.0, 3.0))


def test_a_heavier_floor_is_heavier_bears_more_and_stands_further_out():
    plain = evaluate(job_with(inside__baffles__by_rule=False))
    heavy = evaluate(plain.job.edited("makeup.panels", [{"face": "bottom", "thickness_mm": 5.0}]))
    a, b = plain.results, heavy.results
    more = b.weight.dry.value - a.weight.dry.value
    assert more == pytest.approx(300 * 400 * 2 * 2.66e-6, rel=0.03)
    assert b.outside.height_mm == pytest.approx(a.outside.height_mm + 2)
    floor = {p.face: p.bears_kpa for p in b.strength.panels}["bottom"]
    assert floor > 1.5 * {p.face: p.bears_kpa for p in a.strength.panels}["bottom"]
    assert {x.name: x.thickness_mm for x in b.blanks}["bottom"] == 5.0
    assert b.capacity.gross.value == a.capacity.gross.value


def test_panels_bent_out_of_one_piece_are_alike_and_thickness_is_one_that_is_stocked():
    with pytest.raises(MakeUpError, match="weld that edge, or make both alike"):
        evaluate(job_with(makeup__school="two_l", makeup__panels=[{"face": "bottom", "thickness_mm": 5.0}]))
    with pytest.raises(Refusal, match=r"is not stocked in 3\.7 mm"):
        evaluate(job_with(makeup__panels=[{"face": "bottom", "thickness_mm": 3.7}]))


def test_what_is_said_of_an_edge_or_panel_that_is_gone_is_a_finding_and_stops_no_edit():
    chamfered = box(chamfers=(Chamfer(corner="front_top", along_mm=60, up_mm=60),))
    said = {
        "makeup__panels": [{"face": "front top chamfer", "thickness_mm": 5.0}],
        "makeup__moved": [{"edge": "front/front top chamfer", "onto": "front", "by_mm": 50.0}],
        "makeup__edges": [
            {"edge": "front top chamfer/top", "role": "weld", "joint": "lap"},
            {"edge": "front top chamfer/front:1", "role": "weld"},
        ],
    }
    e = evaluate(job_with(chamfered, **said))
    assert "sheet.lost" not in codes(e)
    plain = evaluate(e.job.edited("tank.chamfers", []))
    lost = [f for f in plain.findings if f.code == "sheet.lost"]
    assert len(lost) == 4
    job = plain.job
    while found := [f for f in evaluate(job).findings if f.code == "sheet.lost"]:
        job = found[0].remedy.apply(job)
    assert (job.makeup.panels, job.makeup.moved, job.makeup.edges) == ((), (), ())


def test_reliefs_are_left_out_where_nothing_is_bent():
    round_tank = Job(
        tank={"family": "rolled", "length_mm": 500, "diameter_mm": 400, "sheet": "5083/3"}, makeup={"school": "rolled"}
    )
    assert evaluate(round_tank.edited("makeup.relief_mm", 5.0)).results.blanks


def test_a_seam_moved_off_its_corner_is_a_butt_on_the_flat_and_the_corner_is_bent():
    plain = evaluate(job_with(makeup__school="wrap", inside__baffles__by_rule=False))
    seam = next(s for s in plain.results.seams if len(s.edges) == 1 and {s.edges[0].a, s.edges[0].b} == {"rear", "top"})
    moved = evaluate(plain.job.edited("makeup.moved", [{"edge": seam.edge, "onto": "top", "by_mm": 60.0}]))
    r = moved.results
    joints = {s.edge: s.joint for s in r.seams}
    assert joints["top:1/top:2"] == "butt"
    assert seam.edge not in joints
    wrap = next(b for b in r.blanks if b.name == "wrap")
    assert len(wrap.bends) == 4
    near = next(f for f in r.panelled.faces if f.id == "top:1")
    assert near.area_mm2 == pytest.approx(60 * 400)
    assert r.capacity.gross.value == pytest.approx(plain.results.capacity.gross.value, abs=1e-9)
    for by in (0.4, 299.5, 400.0):
        with pytest.raises(Refusal, match="does not part top in two"):
            evaluate(plain.job.edited("makeup.moved", [{"edge": seam.edge, "onto": "top", "by_mm": by}]))


@pytest.mark.parametrize(
    ("edge", "onto"), [("front/top", "top"), ("left end/top", "top"), ("bottom/left end", "left end")]
)
@pytest.mark.parametrize("school", ["plates", "two_l", "wrap"])
def test_a_moved_seam_leaves_every_other_edge_as_the_school_has_it(edge, onto, school):
    plain = evaluate(job_with(makeup__school=school, inside__baffles__by_rule=False))
    was = {role.edge.id: role.kind for role in plain.results.roles}
    r = evaluate(plain.job.edited("makeup.moved", [{"edge": edge, "onto": onto, "by_mm": 60.0}])).results
    for role in r.roles:
        faces = sorted(name.split(":")[0] for name in (role.edge.a, role.edge.b))
        if faces[0] == faces[1]:
            assert role.joint == "butt"
        elif f"{onto}:1" in (role.edge.a, role.edge.b) and "/".join(faces) == edge:
            assert role.kind == "bend"
        else:
            assert role.kind == was["/".join(faces)], role.edge.id
    assert r.capacity.gross.value == pytest.approx(plain.results.capacity.gross.value, abs=1e-9)


def test_a_seam_round_a_sumps_hole_stays_there():
    job = jobs.ALL["vineyard"]()
    with pytest.raises(Refusal, match="its seam stays there"):
        evaluate(job.edited("makeup.moved", [{"edge": "left floor/sump rear", "onto": "sump rear", "by_mm": 30.0}]))


def test_parts_of_one_edge_that_end_differently_are_refused_by_name():
    moved = [{"edge": "front/top", "onto": "top", "by_mm": 60.0}]
    lap = [{"edge": "left end/top:1", "role": "weld", "joint": "lap", "over": "left end"}]
    with pytest.raises(Refusal, match="left end: two of its edges lie in one line"):
        cuttable(evaluate(job_with(makeup__moved=moved, makeup__edges=lap)))
    both = [*lap, {**lap[0], "edge": "left end/top:2"}]
    assert evaluate(job_with(makeup__moved=moved, makeup__edges=both)).results.blanks


@pytest.mark.parametrize(("joint", "over"), [("flanged", "front"), ("set in", "bottom"), ("edge flange", "front")])
def test_a_flange_is_folded_to_where_its_joint_has_it(joint, over):
    """The fold goes through bend allowance and arc; the room that joints take (`block_at`) comes from sharp corners alone."""
    choice = {"edge": "bottom/front", "role": "weld", "joint": joint, "over": over, "flange_mm": 30.0, "past_mm": 30.0}
    r = evaluate(job_with(makeup__edges=[choice], inside__baffles__by_rule=False)).results
    role = next(x for x in r.roles if x.edge.id == "bottom/front")
    looked = 0
    for laid in laid_pieces(r.panelled, r.roles, r.skins, r.rule):
        piece = folded(laid, r.panelled, r.rule, {side.name: 1.0 for side in laid.flanges})
        for side in laid.flanges:
            looked += 1
            rim = piece.flanges[side.name][-1][2:]  # its far side
            block = block_at(r.panelled.by_id[side.face], role.edge, role.ends_of(side.face), 3.0)
            ends = block[2:4]
            line = (ends[1] - ends[0]) / np.linalg.norm(ends[1] - ends[0])
            off = rim - ends[0]
            assert np.linalg.norm(off - np.outer(off @ line, line), axis=1).max() < 1e-9
        flat = folded(laid, r.panelled, r.rule, {})
        for side in laid.flanges:
            face = flat.faces[side.face]
            heights = (flat.flanges[side.name].reshape(-1, 3) - face.at) @ face.turn[2]
            assert np.abs(heights).max() < 1e-9
    assert looked == (2 if joint == "edge flange" else 1)


def test_a_heavier_floor_flush_outside_takes_from_the_inside():
    plain = evaluate(job_with(inside__baffles__by_rule=False))
    panel = {"face": "bottom", "thickness_mm": 6.0, "flush": "outside"}
    e = evaluate(plain.job.edited("makeup.panels", [panel]))
    a, b = plain.results, e.results
    assert b.outside.height_mm == pytest.approx(a.outside.height_mm)
    assert b.capacity.gross.value == pytest.approx(300 * 400 * 197 / 1e6)
    front = next(x for x in b.blanks if x.name == "front")
    assert sorted(front.size_mm) == pytest.approx([197, 400])
    assert '"flush": "outside"' in e.job.to_json()
    assert "flush" not in evaluate(plain.job.edited("makeup.panels", [panel | {"flush": "inside"}])).job.to_json()
    sloped = box(chamfers=(Chamfer(corner="front_top", along_mm=60, up_mm=60),))
    panel = {"face": "front top chamfer", "thickness_mm": 5.0, "flush": "outside"}
    r = evaluate(job_with(sloped, makeup__panels=[panel], inside__baffles__by_rule=False)).results
    was = evaluate(job_with(sloped, inside__baffles__by_rule=False)).results
    # Moved in by 2 square to itself: a strip 2 wide, longer by 2 on either side of the 45 degree corners.
    lost = (60 * 2**0.5 + 2.0) * 2 * 400 / 1e6
    assert was.capacity.gross.value - r.capacity.gross.value == pytest.approx(lost, rel=1e-9)
    round_tank = Job(
        tank={"family": "rolled", "length_mm": 500, "diameter_mm": 400, "sheet": "5083/3"}, makeup={"school": "rolled"}
    )
    with pytest.raises(Refusal, match="tanks of flat panels"):
        evaluate(round_tank.edited("makeup.panels", [{"face": "front end", "thickness_mm": 5.0, "flush": "outside"}]))
    with pytest.raises(Refusal):
        evaluate(
            job_with(box(height=24.0), makeup__panels=[{"face": "bottom", "thickness_mm": 25.0, "flush": "outside"}])
        )
