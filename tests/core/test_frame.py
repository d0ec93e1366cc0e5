"""A section that is rolled into its flats: no wall is told to be as strong as a clamped panel when its arcs give."""

import math
from dataclasses import replace

import numpy as np
import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.inside.baffles import Baffle, section
from bathyx.core.job import Job
from bathyx.core.strength.frame import chains, frame_mm2
from bathyx.core.strength.panels import FRAME_LINK
from bathyx.core.tank.rolled import RolledTank
from tests.conftest import box, job_with


def around(points):
    return frame_mm2(points, np.roll(points, -1, axis=0))


def ring(w, h, r, chords=25):
    """A rounded rectangle, counter-clockwise."""
    spots = []
    for k, (x, y) in enumerate(
        ((w / 2 - r, -h / 2 + r), (w / 2 - r, h / 2 - r), (-w / 2 + r, h / 2 - r), (-w / 2 + r, -h / 2 + r))
    ):
        turn = np.linspace((k - 1) * math.pi / 2, k * math.pi / 2, chords)
        spots.append(np.column_stack([x + r * np.cos(turn), y + r * np.sin(turn)]))
    return np.concatenate(spots)


def by_beams(points, pressure=1.0, ei=1e9, ea=1e12):
    """Largest moment of a closed ring of beam elements under inside pressure, by the direct stiffness method."""
    n = len(points)
    stiff, force = np.zeros((3 * n, 3 * n)), np.zeros(3 * n)
    parts = []
    for i in range(n):
        j = (i + 1) % n
        d = points[j] - points[i]
        length = math.hypot(*d)
        c, s = d / length
        turn = np.kron(np.eye(2), np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]]))
        a, b, m = ea / length, ei / length**3, length
        bend = b * np.array([[12, 6 * m, -12, 6 * m], [6 * m, 4 * m**2, -6 * m, 2 * m**2]])
        own = np.zeros((6, 6))
        own[np.ix_([0, 3], [0, 3])] = a * np.array([[1, -1], [-1, 1]])
        own[np.ix_([1, 2, 4, 5], [1, 2, 4, 5])] = np.vstack([bend, -bend[0], bend[1][[0, 3, 2, 1]] * [1, 1, 1, 1]])
        q = -pressure  # outward, to the right of the way round
        load = q * m * np.array([0, 1 / 2, m / 12, 0, 1 / 2, -m / 12])
        place = [3 * i, 3 * i + 1, 3 * i + 2, 3 * j, 3 * j + 1, 3 * j + 2]
        stiff[np.ix_(place, place)] += turn.T @ own @ turn
        force[place] += turn.T @ load
        parts.append((place, own, turn, load))
    moved = np.zeros(3 * n)  # one node held: the load is in balance, so it holds nothing back
    moved[3:] = np.linalg.solve(stiff[3:, 3:], force[3:])
    return max(abs((own @ turn @ moved[place] - load)[[2, 5]]).max() for place, own, turn, load in parts)


def refined(points, parts):
    """Each side of a ring cut into parts; sides of no length left out."""
    after = np.roll(points, -1, axis=0)
    sides = [(p, q) for p, q in zip(points, after, strict=True) if math.dist(p, q) > 1e-9]
    return np.concatenate([np.linspace(p, q, parts + 1)[:-1] for p, q in sides])


def test_a_square_is_the_clamped_strip_and_a_circle_bends_nowhere():
    """q s²/12 at the corners of a frame of even sides, q s²/24 between: any handbook of frames."""
    side = np.linspace(-100, 100, 41)[:-1]
    square = np.concatenate([
        np.column_stack([side, np.full(40, -100.0)]), np.column_stack([np.full(40, 100.0), side]),
        np.column_stack([-side, np.full(40, 100.0)]), np.column_stack([np.full(40, -100.0), -side]),
    ])  # fmt: skip
    assert around(square) == pytest.approx(200**2 / 12, rel=1e-9)
    turn = np.linspace(0, 2 * math.pi, 200, endpoint=False)
    assert around(150 * np.column_stack([np.cos(turn), np.sin(turn)])) < 1e-2 * 150**2 / 12


@pytest.mark.parametrize(("w", "h", "r"), [(600, 400, 199.9), (600, 400, 60), (500, 480, 120), (900, 200, 99)])
def test_rounded_sections_bend_as_beam_elements_say(w, h, r):
    assert around(ring(w, h, r)) == pytest.approx(by_beams(refined(ring(w, h, r), 2)), rel=1e-3)


def test_an_obround_bears_what_its_section_does_and_no_clamped_panel():
    """600 × 400 in 3 mm, one bay of 1200: arcs of 200 give, so the flats of 200 × 1200 are far from clamped."""
    tank = RolledTank(section="obround", length_mm=1200, width_mm=600, height_mm=400, sheet="s235/3")
    job = Job(tank=tank, makeup={"school": "rolled"}, inside={"baffles": {"by_rule": False}})
    r = evaluate(job).results
    flat = next(p for p in r.strength.panels if p.face == "top")
    assert flat.link == FRAME_LINK
    stress = 6 * by_beams(refined(ring(600, 400, 199.9), 6)) / 3**2
    sheet = r.sheet
    assert flat.bears_kpa <= 1000 * 0.9 * sheet.material.yield_at(3, weld=True) / stress
    closer = evaluate(
        job.edited(
            "inside.baffles", {"by_rule": False, "by_hand": [{"axis": "x", "at_mm": 150.0 * k} for k in range(1, 8)]}
        )
    )
    assert next(p for p in closer.results.strength.panels if p.face == "top").bears_kpa > 2 * flat.bears_kpa
    round_ = RolledTank(length_mm=1200, diameter_mm=400, sheet="s235/3")
    wall = evaluate(Job(tank=round_, makeup={"school": "rolled"})).results.strength.panels[-1]
    assert wall.face == "wall"
    assert wall.bears_kpa > 50 * flat.bears_kpa


def test_pressed_halves_bend_as_their_section_does():
    tank = {"family": "halves", "length_mm": 500, "width_mm": 380, "lower_mm": 150, "upper_mm": 150, "corner_mm": 90}
    r = evaluate(Job(tank=tank | {"sheet": "304/2"}, makeup={"school": "pressed"})).results
    cut = section(r.shell, "x", 250.01)
    cross = section(r.shell, "y", 190.01)
    least = min(by_beams(refined(cut, 2)), by_beams(refined(cross, 2)))
    (chain,) = chains(r.shell, ())
    assert chain.moment_mm2 == pytest.approx(least, rel=0.01)
    bent = 1000 * 0.9 * r.sheet.material.yield_at(2, weld=True) / (6 * least / 2**2)
    assert all(p.bears_kpa <= bent for p in r.strength.panels)


def outline(radius):
    corners = [
        {"x_mm": x, "z_mm": z, "cut": "radius", "size_mm": radius} for x, z in ((0, 0), (400, 0), (400, 300), (0, 300))
    ]
    tank = {"family": "outline", "width_mm": 500, "corners": corners, "sheet": "304/2"}
    return evaluate(Job(tank=tank, makeup={"school": "wrap"}, inside={"baffles": {"by_rule": False}})).results.strength


def test_an_outline_is_a_frame_and_with_small_corners_the_box():
    """The smaller the radius the nearer to what the panels of a sharp box bear."""
    assert next(p for p in outline(60).panels if p.face == "rear").link == FRAME_LINK
    plain = evaluate(job_with(box(400, 500, 300, sheet="304/2"), inside__baffles__by_rule=False)).results.strength
    walls = ("top", "bottom", "front", "rear")
    sharp = min(p.bears_kpa for p in plain.panels if p.face in walls)
    found = [min(p.bears_kpa for p in outline(r).panels if p.face in walls) for r in (40, 20, 6)]
    assert found == sorted(found, reverse=True)
    assert found[-1] == pytest.approx(sharp, rel=0.05)


def test_a_bay_that_is_short_is_carried_along_and_an_arch_stands_between_corners():
    """A half-round tunnel with legs: legs and crown are one arch clamped at the floor; the floors beside it stay panels."""
    tank = {"family": "saddle", "length_mm": 700, "width_mm": 500, "height_mm": 300, "tunnel": "half_round"}
    tank |= {"tunnel_height_mm": 160, "tunnel_width_mm": 160}
    job = Job(tank=tank | {"sheet": "304/2"}, inside={"baffles": {"by_rule": False}})
    shell = evaluate(job).results.shell
    (chain,) = chains(shell, ())
    assert {shell.by_id[name].role for name in chain.faces} == {"tunnel"}
    turn = np.linspace(0, math.pi, 101)
    arch = np.concatenate([[[80.0, -80.0]], 80 * np.column_stack([np.cos(turn), np.sin(turn)]), [[-80.0, -80.0]]])
    assert chain.moment_mm2 == pytest.approx(frame_mm2(arch[:-1], arch[1:]), rel=0.01)
    near = tuple(Baffle(axis="x", at_mm=25.0 * k) for k in range(1, 28))
    assert chains(shell, near)[0].moment_mm2 == pytest.approx(25.0**2 / 8)


def test_a_bare_hole_in_a_framed_wall_halves_what_it_bears_and_its_stress_is_the_frames():
    """Twice the bending stress beside a bare hole; at the pressure that it bears, 0.9 of yield."""
    tank = RolledTank(section="obround", length_mm=1200, width_mm=600, height_mm=400, sheet="s235/3")
    plain = Job(tank=tank, makeup={"school": "rolled"}, inside={"baffles": {"by_rule": False}})
    drain = {
        "id": "drain",
        "kind": "drain",
        "face": "bottom",
        "u_mm": 600,
        "v_mm": 100,
        "hole_mm": 60,
        "ring_mm": 0,
        "ring_od_mm": 0,
    }
    whole, holed = (
        next(p for p in evaluate(job).results.strength.panels if p.face == "bottom")
        for job in (plain, plain.edited("inside.fittings", [drain]))
    )
    assert holed.bears_kpa == pytest.approx(whole.bears_kpa / 2)
    assert holed.service_bears_kpa == pytest.approx(whole.service_bears_kpa / 2)
    r = evaluate(plain).results
    strength = r.strength
    limit = 0.9 * r.sheet.material.yield_at(3, weld=True)
    assert whole.stress_mpa == pytest.approx(limit * strength.pressure_kpa / whole.bears_kpa)
    said = replace(strength, panels=(whole,)).bears.working
    assert "bends to" in said
    assert "bulges" not in said
