"""Does it go in: proofs against closed forms, puzzles with known limits, and every path looked over again without the library that
found it."""

import json
import math
from dataclasses import replace
from functools import partial
from itertools import pairwise

import numpy as np
import pytest
import trimesh
from pypdf import PdfReader
from PyQt6.QtWidgets import QPushButton, QSlider

from bathyx.cli.main import main
from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate
from bathyx.core.inside.fittings import usual
from bathyx.core.job import read_job
from bathyx.core.space import MeasuredBox, Seat
from bathyx.core.space.said import parts_of, text_of
from bathyx.core.tank.profile import Jog
from bathyx.core.units import Reading
from bathyx.core.wayin.built import body_of, scene_of
from bathyx.core.wayin.plan import way_in
from bathyx.core.wayin.pose import Pose, away, between, random_turn, turn_between, turn_of, turned_by
from bathyx.core.wayin.proof import convex_part, no_way
from bathyx.core.wayin.told import moves
from bathyx.core.wayin.ways import _followed, _least, _shorter, _wider
from bathyx.errors import Refusal
from tests.conftest import box, job_with
from tests.desk.test_parts import SPACE, find
from tools.way_puzzles import bay as floor_bay
from tools.way_puzzles import hatch, looked_for, on_end, plate, plates, rod


@pytest.mark.parametrize(("puzzle", "seed"), [(rod, 2), (plate, 3), (floor_bay, 1)])
def test_what_passes_with_three_millimetres_to_spare_is_found_and_clear(puzzle, seed):
    """Looked over without the library: no place of the tank's surface lies in a part, none of a part's corners in the tank."""
    scene, path = looked_for(*puzzle(3.0), seed, 240)
    assert path is not None
    assert np.allclose(path[-1].at, scene.middle)
    assert np.allclose(path[-1].turn, np.eye(3))
    clear(scene, path)


def test_what_stands_between_two_plates_is_not_outside():
    """Both holes are passed, the outer one last; what is found ends beyond the outer plate."""
    body, doors, parts, size = plates(20.0)
    scene, path = looked_for(body, doors, parts, size, 1, 240)
    assert path is not None
    assert path[0].points(scene.corners)[:, 2].min() > 980 + 4
    clear(scene, path)
    middle = [pose.at[2] for pose in path]
    assert max(middle) > 984 > 524 > min(middle)


def test_a_hole_on_the_way_is_passed_as_well(tmp_path):
    """A wide hatch, and before it a door: through a wide door the tank goes in, through a narrow one it cannot."""

    def job(wide):
        text = (
            "hatch: opening z 300, 10 10, 490 10, 490 450, 10 450\n"
            f"companionway: opening z 900, 400 100, {400 + wide} 100, {400 + wide} 500, 400 500, thick 20, on the way"
        )
        return bay(text, box(300, 300, 150))

    made = job(400)
    assert made.space.way_in.words == "hatch, and through companionway"
    assert "on the way" in text_of(made.space)
    assert parts_of(text_of(made.space), box=True)["way_in"]["openings"][1]["on_the_way"]
    found = way_in(evaluate(made), 120)
    assert found.verdict == "goes_in", found.reason
    assert "goes in by hatch and companionway in" in str(found.reason)
    assert found.opening == "hatch"
    assert found.path[0].at[2] > 920
    assert way_in(evaluate(job(120)), 30).verdict == "cannot"
    hatch_ = "hatch: opening z 300, 10 10, 490 10, 490 450, 10 450"
    frame = f"{hatch_}\nframe: opening x 400, 10 10, 60 10, 60 60, 10 60, thick 5, on the way"
    before = way_in(evaluate(bay(frame, box(300, 300, 150))), 60)  # it sits before the frame and need not pass it
    assert before.verdict == "goes_in"
    with pytest.raises(Refusal, match="leads into it"):
        made.edited("space.way_in.openings.0.on_the_way", True)
    plain = json.loads(job(400).to_json())["space"]["way_in"]["openings"]
    assert [("on_the_way" in row) for row in plain] == [False, True]


@pytest.mark.parametrize("puzzle", [on_end, rod, plates])
def test_what_is_three_millimetres_too_tight_is_never_found(puzzle):
    assert looked_for(*puzzle(-3.0), 1, 1.2)[1] is None


def clear(scene, path, every=6.0, deep=0.02):
    """Every `every` mm: convex parts against places all over the tank's surface, and the tank (convex) against theirs."""
    planes = [halves(part.triangles) for part in scene.parts]
    own = halves(scene.body)
    surface, _ = trimesh.sample.sample_surface(trimesh.Trimesh(**mesh(scene.body)), 500, seed=1)
    surface = np.concatenate([surface, scene.corners])
    corners = [np.unique(part.triangles.reshape(-1, 3), axis=0) for part in scene.parts]
    for a, b in pairwise(path):
        for share in np.arange(0, 1, every / max(away(a, b, scene.reach), every)):
            pose = between(a, b, float(share))
            spots = pose.points(surface)
            for (normals, offsets), theirs in zip(planes, corners, strict=True):
                assert ((spots @ normals.T - offsets).max(axis=1) > -deep).all()
                back = (theirs - pose.at) @ pose.turn
                assert ((back @ own[0].T - own[1]).max(axis=1) > -deep).all()


def mesh(triangles):
    return {"vertices": triangles.reshape(-1, 3), "faces": np.arange(len(triangles) * 3).reshape(-1, 3)}


def halves(triangles):
    from scipy.spatial import ConvexHull

    hull = ConvexHull(np.unique(np.round(triangles.reshape(-1, 3), 6), axis=0))
    return hull.equations[:, :3], -hull.equations[:, 3]


def bare_door(p, q):
    return hatch(0, p, 0, q, 0)[0]


def corners(*size):
    return np.array([[i, j, k] for i in (0, size[0]) for j in (0, size[1]) for k in (0, size[2])], float)


@pytest.mark.parametrize(
    ("size", "hole", "proven"),
    # A box passes a hole flat where its two smaller sides do: a section through its middle is never smaller than that each way.
    [
        ((400, 300, 200), (250, 250), True), ((800, 100, 100), (97, 97), True), ((400, 300, 200), (303, 194), True),
        ((800, 100, 100), (103, 103), False), ((400, 300, 200), (303, 203), False), ((500, 400, 6), (300, 300), False),
    ],
)  # fmt: skip
def test_a_proof_is_given_where_the_closed_form_says_so(size, hole, proven):
    found = no_way(corners(*size), bare_door(*hole))
    assert (found is not None) is proven
    if found is not None:
        assert found.size == hole
        assert found.over_mm > 0
        assert max(found.section) <= max(size) * 2


def test_nothing_that_passes_is_ever_proven_impossible():
    """Random boxes and tetrahedra, turned at random, through holes a millimetre larger than a section of theirs that passes."""
    rng = np.random.default_rng(7)
    for _ in range(2):
        a, b, c = sorted(rng.uniform(60, 600, 3))
        spots = corners(a, b, c) @ random_turn(rng).T
        assert no_way(spots, bare_door(b + 1, a + 1)) is None
        assert no_way(spots, bare_door(a + 1, b + 1)) is None
    tip = np.array([[1, 1, 1], [1, -1, -1], [-1, 1, -1], [-1, -1, 1]], float) * 150
    # The section half way between two opposite edges is a square of 300 / √2; a hole that size is passed by no shadow of less.
    assert no_way(tip, bare_door(213.5, 213.5)) is None


def bay(text, tank=None, **more):
    space = MeasuredBox(
        width=Reading.of(500), depth=Reading.of(460), height=Reading.of(300), seat=Seat(x_mm=20, y_mm=30, z_mm=8)
    )
    space = MeasuredBox.model_validate(space.model_dump(mode="json") | parts_of(text, box=True))
    return job_with(tank or box(300, 400, 200), space=space, inside__baffles__by_rule=False, **more)


STRAIGHT = "hatch: opening z 300, 10 20, 380 20, 380 470, 10 470, thick 5, lip 12"


def test_a_tank_that_goes_straight_down_is_told_so_and_its_tightest_moment():
    """Outside 306 × 406 in a hatch of 370 × 450: straight down in a few moves, no nearer than what its seat and the hatch leave."""
    found = way_in(evaluate(bay(STRAIGHT)), 6)
    assert (found.verdict, found.opening) == ("goes_in", "hatch")
    assert str(found.moves[0].words) == "hold it level, as it sits"
    assert len(found.moves) <= 4
    down = sum(found.path[k].at[2] - found.path[k + 1].at[2] for k in range(len(found.path) - 1))
    assert down > 300
    assert any("down" in str(m.words) for m in found.moves)
    assert 4 < found.tightest.mm <= 10
    assert found.tightest.what
    scene, _ = scene_of(evaluate(bay(STRAIGHT)))
    along = (scene.gap(between(a, b, s)) for a, b in pairwise(found.path) for s in np.linspace(0, 1, 300))
    assert min(along) == pytest.approx(found.tightest.mm, abs=0.5)


def test_a_tank_with_a_step_is_proven_by_a_convex_part_of_it():
    jogged = box(300, 400, 200, jog=Jog(end="rear", length_mm=80, rise_mm=60))
    job = bay("hatch: opening z 300, 20 20, 200 20, 200 200, 20 200", jogged)
    e = evaluate(job)
    body = body_of(e)
    shift = body.reshape(-1, 3).min(axis=0) - (e.results.shell.bounds[0] - 3)
    part = convex_part(body, e.results.shell, shift)
    held = trimesh.convex.convex_hull(part)
    assert held.volume == pytest.approx(
        max(306 * 406 * 146, 223 * 406 * 206), rel=1e-6
    )  # by its inside faces: 3 mm less
    mix = np.random.default_rng(1).dirichlet(np.full(len(part), 0.3), 2000) @ part
    under_the_step = (mix[:, 0] > 20 + 3 + 220 + 1e-6) & (mix[:, 2] < 8 + 60 - 1e-6)
    assert not under_the_step.any()
    assert (mix > [20 - 1e-6, 30 - 1e-6, 8 - 1e-6]).all()
    found = way_in(e, 8)
    assert found.verdict == "cannot"
    assert "hatch is" in str(found.reason)
    assert found.proofs[0].over_mm > 0


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "no opening is said"), ("hatch: opening z 500, 10 20, 380 20, 380 470, 10 470", "off the nearest wall"),
        ("hatch: opening z 300, 910 20, 1380 20, 1380 470, 910 470", "outside the space"),
        (STRAIGHT + "\npump: box at 100, 100, 50, 90 x 90 x 90", "stands in pump"),
        (
            "a: opening z 300, 10 20, 190 20, 190 470, 10 470\nb: opening z 300, 190 20, 380 20, 380 470, 190 470",
            "a and b touch one another",
        ),
    ],
)  # fmt: skip
def test_what_cannot_be_asked_is_said(text, said):
    with pytest.raises(Refusal, match=said):
        way_in(evaluate(bay(text)), 1)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("h: opening z 300, 10 20, 15 20, 15 25", "leave less than"), ("h: opening z 300, 10, 20, 30", "are no corners"),
        ("h: opening z 300, 0 0, 90 90, 90 0, 0 90", "cross one another"),
        ("e: outside box at 0, 0, 0, 9 x 9 x 9", "no opening is said"),
        (STRAIGHT + "\nf: outside layer below 4", "does not stand outside"),
    ],
)  # fmt: skip
def test_openings_that_are_none_are_said(text, said):
    with pytest.raises((Refusal, ValueError), match=said):
        bay(text)


def test_openings_come_back_as_they_were_taken():
    text = STRAIGHT + "\nengine: outside box at 0, 0, 320, 100 x 100 x 400, keep 10"
    space = bay(text).space
    assert text_of(space) == text
    assert read_job(bay(text).to_json()) == bay(text)
    assert "way_in" not in json.loads(bay("").to_json())["space"]


def test_the_fit_check_names_the_openings():
    step = next(s for s in steps(evaluate(bay(STRAIGHT))) if s.id == "fit")
    assert step.hold
    assert str(step.detail).startswith("by hatch, as the sheet")


def test_fittings_that_are_put_on_after_are_left_off():
    drain = usual("drain", "drain", "bottom", 150, 200)
    on = body_of(evaluate(bay(STRAIGHT, inside__fittings=[drain])))
    job = bay(STRAIGHT, inside__fittings=[drain]).edited("space.way_in.after", ["drain"])
    assert len(body_of(evaluate(job))) < len(on)


def test_moves_are_told_as_a_person_sees_them():
    """x runs to the rear, y to the right: front up, right side up and nose to the left, each about its axis by the right hand."""
    start = Pose(np.zeros(3), np.eye(3))
    for vector, said in (
        ((0, 0.3, 0), "nose up 17°"),
        ((0.3, 0, 0), "right side up 17°"),
        ((0, 0, 0.3), "nose to the left 17°"),
    ):
        turn = turned_by(np.array(vector, float))
        (move,) = moves([start, Pose(np.array([-50.0, 0, -20]), turn)])
        assert str(move.words) == f"{said}, 50 mm forward, 20 mm down"
    assert (turned_by(np.array([0, 0.3, 0])) @ [-1.0, 0, 0])[2] > 0
    assert (turned_by(np.array([0.3, 0, 0])) @ [0, 1.0, 0])[2] > 0
    assert (turned_by(np.array([0, 0, 0.3])) @ [-1.0, 0, 0])[1] < 0


def test_turns_there_and_back():
    rng = np.random.default_rng(3)
    for _ in range(50):
        a, b = random_turn(rng), random_turn(rng)
        assert turned_by(turn_between(a, b)) @ a == pytest.approx(b, abs=1e-9)
        q = Pose(np.zeros(3), a).quaternion
        assert turn_of(*q) == pytest.approx(a, abs=1e-9)
        assert (turn_between(a, a) == 0).all() or np.linalg.norm(turn_between(a, a)) < 1e-7
    half = turned_by(np.array([0, math.pi, 0]))
    assert turned_by(turn_between(np.eye(3), half)) == pytest.approx(half, abs=1e-9)


def test_the_least_that_has_to_come_off_is_found_within_two_millimetres(monkeypatch):
    """No room to tilt: the tank is 406 wide, the hatch 380; 28 mm come off, a millimetre kept on either side."""
    job = bay("hatch: opening z 216, 10 30, 380 30, 380 410, 10 410").edited_many(
        {"space.height": "216 mm", "space.clearance.above_mm": 0.0}
    )
    assert way_in(evaluate(job), 1.5).verdict != "goes_in"
    monkeypatch.setattr("bathyx.core.wayin.ways.AGAIN", 0)  # it ends when it is done, not by the clock
    monkeypatch.setattr("bathyx.core.wayin.ways.EACH_S", 1.0)
    off = _least(job, partial(_shorter, job, ("width",)), 60.0, 600.0, 1, lambda share: True)
    taken = 400 - job.edited_many(off.changes).tank.width_mm
    assert 27 <= taken <= 30  # 406 − (380 − 2 × 1 that are kept) = 28, and 2
    assert off.litres == pytest.approx(taken * 300 * 200 / 1e6, rel=1e-6)
    assert off.way.verdict == "goes_in"
    words, changes = _wider(job, 0, 15.0)
    assert "wider all round" in words
    assert way_in(evaluate(job.edited_many(changes)), 4).verdict == "goes_in"


def test_the_command_prints_an_answer_of_any_kind(tmp_path, capsys):
    path = tmp_path / "bay.json"
    path.write_text(bay(STRAIGHT).to_json(), "utf-8")
    sheet = tmp_path / "way.pdf"
    assert main(["way-in", str(path), "--seconds", "5", "--sheet", str(sheet)]) == 0
    text = "".join(page.extract_text() for page in PdfReader(sheet).pages)
    assert "hold it level, as it sits" in text
    assert "nobody under it" in text
    assert "Where it is tightest" in text
    told = json.loads(capsys.readouterr().out)
    assert told["verdict"] == "goes_in"
    assert told["steps"][-1]["translation_mm"] == pytest.approx([0, 0, 0])
    assert told["steps"][-1]["quaternion"] == pytest.approx([1, 0, 0, 0])
    path.write_text(bay("hatch: opening z 300, 20 20, 200 20, 200 200, 20 200").to_json(), "utf-8")
    assert main(["way-in", str(path), "--seconds", "6"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["verdict"] == "cannot"
    assert told["proofs"][0]["size_mm"] == [180, 180]
    path.write_text(bay("").to_json(), "utf-8")
    assert main(["way-in", str(path)]) == 1
    assert "no opening is said" in capsys.readouterr().err


def test_the_desk_finds_plays_and_tells_the_way(window, qtbot, monkeypatch):
    monkeypatch.setattr("bathyx.desk.stages.space.way.SECONDS", 4.0)
    window.choose(SPACE)
    assert window.stage.parts.things.paste("hatch: opening z 335, 2 2, 436 2, 436 744, 2 744, thick 3") == ""
    window.bench.edit({"space.seat": {"x_mm": 6.0, "y_mm": 12.0, "z_mm": 14.0}, "tank.height_mm": 280.0}, "seat")
    find(window, QPushButton, "find way").click()
    way = window.stage.way
    qtbot.waitUntil(lambda: not way.study.running)
    qtbot.wait(20)
    assert "goes in by hatch" in way.said.text()
    slider = find(window, QSlider, "way slider")
    slider.setValue(1000)
    seated = way.drawn
    slider.setValue(0)
    assert way.drawn.reshape(-1, 3)[:, 2].min() > 335
    assert seated.reshape(-1, 3).min(axis=0) == pytest.approx([6, 12, 14], abs=0.01)
    find(window, QPushButton, "way sheet").click()
    written = window.bench.file.path.parent / f"{window.bench.job.uid} way in.pdf"
    assert written.stat().st_size > 3000
    written.unlink()
    find(window, QPushButton, "tightest moment").click()
    assert way.share is not None
    window.grab()
    window.bench.edit({"tank.height_mm": 270.0}, "lower")
    assert way.way is None
    assert "has changed since" in way.said.text()
    assert way.drawn is None


def test_a_hull_that_is_more_than_the_tank_proves_nothing():
    """Two pressings with a flange: their hull holds the flange's rim, the tank does not."""
    from bathyx.core.tank.halves import HalvesTank

    made = HalvesTank.started({"length": 300, "width": 300, "height": 200}, "5083/3")
    e = evaluate(bay(STRAIGHT, made, makeup__school="pressed"))
    body = body_of(e, bare=True)
    assert len(convex_part(body, e.results.shell, body.reshape(-1, 3).min(axis=0) * 0)) == 0


def test_a_path_that_touches_when_it_is_looked_at_closely_is_no_path(monkeypatch):
    """Were the search to hand over a path through a wall, it is not told as a way."""
    e = evaluate(bay(STRAIGHT))

    def through_the_wall(self, *_):
        scene = self.scene
        away_from = Pose(scene.seat.at + np.array([0, 0, 900.0]) + np.array([260.0, 0, 0]), scene.seat.turn)
        return [away_from, scene.seat]

    monkeypatch.setattr("bathyx.core.wayin.through.Through.path", through_the_wall)
    assert way_in(e, 1.5).verdict == "not_found"


def test_the_way_of_a_larger_change_is_looked_over_for_a_smaller_one():
    """On end the tank is 306 × 206, the hatch 303 × 203 and 20 mm wider all round: what a path has to spare may come off again."""
    space = MeasuredBox(
        width=Reading.of(600), depth=Reading.of(500), height=Reading.of(520), seat=Seat(x_mm=20, y_mm=20, z_mm=8)
    )
    text = "hatch: opening z 520, 100 100, 403 100, 403 303, 100 303, thick 4"
    space = MeasuredBox.model_validate(space.model_dump(mode="json") | parts_of(text, box=True))
    job = job_with(box(400, 300, 200), space=space, inside__baffles__by_rule=False)
    way = way_in(evaluate(job.edited_many(_wider(job, 0, 20.0)[1])), 120)
    assert way.verdict == "goes_in"
    same = _followed(job, _wider(job, 0, 20.0)[1], way)
    spare = way.tightest.mm - 1.0
    assert (same is not None) == (spare >= -0.05)
    if spare > 0.5:
        less = _followed(job, _wider(job, 0, 20.0 - 0.9 * spare)[1], way)
        assert less.tightest.mm == pytest.approx(way.tightest.mm, abs=0.9 * spare + 0.2)
        assert less.tightest.mm >= 0.95
    assert _followed(job, _wider(job, 0, 2.0)[1], way) is None  # 1.5 is the least there is to pass at all
    assert _followed(job, _wider(job, 0, 1.0)[1], way) is None
    begun_inside = replace(way, path=way.path[-1:])
    assert _followed(job, _wider(job, 0, 20.0)[1], begun_inside) is None  # it sits there already: nothing went in
