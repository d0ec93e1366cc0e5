"""The way out, handling, things that come in later, panels of built-in tanks, ways at less cost, and what is kept with the job."""

import json
import math
from functools import partial

import numpy as np
import pytest

from bathyx.cli.main import main
from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate
from bathyx.core.inside.fittings import usual
from bathyx.core.job import read_job, way_in_of
from bathyx.core.space.said import parts_of, text_of
from bathyx.core.tank.integral import IntegralTank
from bathyx.core.units import Family, worded
from bathyx.core.wayin.built import body_of, scene_of
from bathyx.core.wayin.handling import handling
from bathyx.core.wayin.panels import panels_of
from bathyx.core.wayin.plan import way_in, way_out
from bathyx.core.wayin.pose import between
from bathyx.core.wayin.roadmap import Finder
from bathyx.core.wayin.scene import Scene
from bathyx.core.wayin.ways import _chamfered, _litres, _shorter, _two_tanks, _worth
from bathyx.demo import jobs
from bathyx.draft.proof_view import proof_view
from bathyx.draft.solid_view import Eye, Show, solid_view
from bathyx.errors import Refusal
from tests.conftest import box
from tests.core.test_way_in import STRAIGHT, bay
from tools.way_puzzles import looked_for, on_end, plate

SNUG = "hatch: opening z 300, 10 20, 345 20, 345 450, 10 450, thick 5"


def leans(path):
    return [math.degrees(math.acos(min(1.0, float(pose.turn[2, 2])))) for pose in path]


def test_no_pose_of_a_path_leans_further_than_is_allowed():
    """The box that has to stand on end does not go in leaning 60° at most; it does at 95°, and never leans further."""
    body, door, parts, size = on_end(40.0)

    def found(tilt):
        scene = Scene(body, tuple(parts), tilt)
        finder = Finder(scene, (door,), np.zeros(3), np.array(size, float), np.random.default_rng(1))
        looks = iter(range(1500))
        for turn in range(1 if tilt < 90 else 3):
            for _, path in finder.paths(turn, lambda: next(looks, None) is not None):
                return path
        return None

    assert found(60.0) is None
    path = found(95.0)
    assert path is not None
    assert max(leans(path)) <= 95.0 + 1e-6
    assert max(leans(path)) > 80


def test_equal_seeds_give_equal_paths():
    one, two = (looked_for(*plate(40.0), 5, 60)[1] for _ in range(2))
    assert len(one) == len(two)
    assert all(np.array_equal(a.at, b.at) and np.array_equal(a.turn, b.turn) for a, b in zip(one, two, strict=True))


def test_it_comes_out_as_it_went_in_unless_something_was_put_on_after():
    """One that stands out 25 mm and is put on after is there on the way out, where the hatch is too snug for it."""
    e = evaluate(bay(STRAIGHT))
    found = way_in(e, 6)
    out = way_out(e, found)
    assert out.verdict == "goes_in"
    assert "as it went in" in str(out.reason)
    assert np.array_equal(out.path[0].at, found.path[-1].at)
    pose = between(out.path[out.tightest.leg], out.path[out.tightest.leg + 1], out.tightest.share)
    assert scene_of(e)[0].gap(pose) == pytest.approx(found.tightest.mm, abs=0.05)

    drain = usual("drain", "drain", "rear", 200, 100).model_copy(update={"ring_mm": 25.0})
    job = bay(SNUG, inside__fittings=[drain]).edited("space.way_in.after", ["drain"])
    e = evaluate(job)
    found = way_in(e, 6)
    assert found.verdict == "goes_in"
    assert len(body_of(e, out=True)) > len(body_of(e))
    out = way_out(e, found, 2.0)
    assert out.verdict != "goes_in" or out.tightest.mm < found.tightest.mm - 5
    assert way_out(evaluate(job.edited("space.way_in.after", [])), found).searched_s == 0.0


def test_what_comes_in_later_is_in_the_way_only_on_the_way_out():
    text = STRAIGHT + "\nbeam: later box at 5, 30, 240, 450 x 420 x 20, keep 0"
    job = bay(text)
    assert text_of(job.space) == "beam: later box at 5, 30, 240, 450 x 420 x 20, keep 0\n" + STRAIGHT
    assert job.space.way_in.later == ("beam",)
    assert read_job(job.to_json()) == job
    e = evaluate(job)
    found = way_in(e, 6)
    assert found.verdict == "goes_in"
    assert way_out(e, found, 1.5).verdict != "goes_in"
    with pytest.raises(Refusal, match="comes in after the tank, but no opening"):
        parts_of("beam: later box at 5, 30, 240, 450 x 420 x 20", box=True)
    with pytest.raises(Refusal, match="does not come in later"):
        parts_of("foam: later layer below 4", box=True)


def test_a_job_that_says_nothing_new_is_written_as_before():
    document = json.loads(bay(STRAIGHT).to_json())["space"]["way_in"]
    assert set(document) == {"openings", "outside", "after", "keep_mm"}
    held = json.loads(bay(STRAIGHT).edited("space.way_in.carried", "hoist").to_json())["space"]["way_in"]
    assert held["carried"] == "hoist"


@pytest.mark.parametrize(
    ("kg", "carried", "said"),
    [
        (20, "hands", "one lifts it"), (60, "hands", "3 lift it"), (120, "hands", "5 people would have to"),
        (60, "hoist", "a hoist holds it"),
    ],
)  # fmt: skip
def test_who_lifts_it_is_said(kg, carried, said):
    """25 kg a person, from memory of usual guidance for lifting."""
    way = bay(STRAIGHT).edited("space.way_in.carried", carried).space.way_in
    text = worded(handling(way, kg), Family.METRIC)
    assert said in text
    assert "cannot drop through" in text
    assert "local rules" in text
    aside = bay("door: opening x 460, 20 10, 480 10, 480 290, 20 290").space.way_in
    assert "drop through" not in handling(aside, kg)


def kept(job, **more):
    promise = {"verdict": "goes_in", "reason": "goes in by hatch", "of": way_in_of(job), "tightest_mm": 4.0} | more
    return job.edited("space.way_in.promise", promise)


def codes(job):
    return {f.code: f.severity for f in evaluate(job).findings if f.code.startswith("way_in")}


def test_what_was_found_is_a_finding_while_it_belongs_to_the_tank():
    job = bay(STRAIGHT)
    assert codes(job) == {"way_in.open": "note"}
    assert codes(bay("")) == {}
    assert codes(kept(job)) == {}
    assert codes(kept(job, tightest_mm=0.5)) == {"way_in.tight": "warn"}
    assert codes(kept(job, verdict="cannot")) == {"way_in.cannot": "stop"}
    assert codes(kept(job, verdict="not_found")) == {"way_in.not_found": "warn"}
    assert codes(kept(job, out="cannot", out_reason="hatch")) == {"way_in.out": "warn"}
    assert codes(kept(job).edited("tank.width_mm", 390.0)) == {"way_in.open": "warn"}
    assert codes(kept(job).edited("brief.name", "other words")) == {}
    step = next(s for s in steps(evaluate(kept(job))) if s.id == "fit")
    assert "promised: goes in by hatch" in str(step.detail)
    step = next(s for s in steps(evaluate(kept(job).edited("tank.width_mm", 390.0))) if s.id == "fit")
    assert "promised" not in str(step.detail)


def test_two_dimensions_and_a_chamfer_are_what_they_say():
    job = bay(STRAIGHT)
    words, changes = _shorter(job, ("length", "width"), 20.0)
    assert words.endswith("off its length and its width")
    tank = job.edited_many(changes).tank
    assert (tank.length_mm, tank.width_mm) == (280, 380)
    _, changes = _chamfered(job, "rear top", 50.0)
    assert _litres(job, changes) == pytest.approx(50 * 50 / 2 * 400 / 1e6, rel=1e-9)
    most = _worth(job, partial(_chamfered, job, "rear top"), 150.0, 0.5)
    assert most == pytest.approx(50.0, abs=1.5)
    assert _litres(job, {"tank.width_mm": -5.0}) == math.inf


def test_two_tanks_go_in_one_after_the_other():
    """A body 606 long and a hatch of 330: its halves go in, the far one first."""
    job = bay("hatch: opening z 300, 10 20, 340 20, 340 470, 10 470", box(600, 400, 200)).edited_many(
        {"space.depth": "700 mm", "space.seat": {"x_mm": 8.0, "y_mm": 30.0, "z_mm": 8.0}}
    )
    change = _two_tanks(job, 24.0, 1, lambda share: True)
    assert change is not None
    made = job.edited_many(change.changes)
    assert made.second is not None
    assert made.second.seat.x_mm == pytest.approx(8 + 297 + 12)
    assert 2 * made.tank.length_mm + 4 * 3 + 12 == pytest.approx(606, abs=2)
    assert change.litres == pytest.approx((600 - 2 * made.tank.length_mm) * 400 * 200 / 1e6)
    parts = {part.name for part in scene_of(evaluate(made))[0].parts}
    assert made.second.name in parts


def newell(loop):
    return float(np.linalg.norm(np.cross(loop, np.roll(loop, -1, axis=0)).sum(axis=0))) / 2


def built_in(text):
    tank = IntegralTank.started({"length": 1200, "width": 800, "height": 400}, "5083/4")
    tank = tank.model_copy(update={"from_mm": 300.0, "to_mm": 800.0, "top_mm": 330.0})
    seat = dict(zip(("x_mm", "y_mm", "z_mm"), (float(v) - 4 for v in tank.seat_mm()), strict=True))
    space = {"kind": "stations", "runs": tank.runs, "stations": [s.model_dump() for s in tank.stations], "seat": seat}
    return jobs.dairy().edited_many(
        {
            "tank": tank.model_dump(mode="json"),
            "space": space | parts_of(text, box=False),
            "inside.fittings": [],
            "makeup.school": "plates",
            "inside.baffles.by_rule": False,
        }
    )


def test_panels_of_a_built_in_tank_go_in_one_by_one(tmp_path, capsys):
    """Bulkheads before the lid; none of them through a port of 100 × 120."""
    e = evaluate(built_in("hatch: opening z 400, 20 -390, 1180 -390, 1180 390, 20 390"))
    panels = panels_of(e)
    assert [p.name for p in panels][-1] == "lid"
    area = sum(p.outline.area for p in panels)
    assert area == pytest.approx(sum(newell(f.loop) for f in e.results.shell.faces if f.kind == "plane"), rel=1e-9)
    plate = panels[-1].plate(panels[-1].outline)
    signed = np.einsum("ij,ij->i", plate[:, 0], np.cross(plate[:, 1], plate[:, 2]))
    assert len(signed) > 10
    found = way_in(e, 5)
    assert found.verdict == "goes_in"
    assert [str(m.words).split(" by ")[0].removesuffix(" in two halves") for m in found.moves] == [
        p.name for p in panels
    ]
    path = tmp_path / "built.json"
    path.write_text(built_in("port: opening z 400, 400 -60, 500 -60, 500 60, 400 60").to_json(), "utf-8")
    assert main(["way-in", str(path), "--seconds", "1.5", "--out"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["verdict"] != "goes_in"
    assert "lid" in told["reason"]


def test_a_proof_is_drawn_to_scale_and_the_way_in_the_round():
    e = evaluate(bay("hatch: opening z 300, 20 20, 200 20, 200 200, 20 200"))
    found = way_in(e, 8)
    (proof,) = found.proofs
    size = np.ptp(np.array(proof.outline), axis=0)
    assert size == pytest.approx(proof.section, abs=1e-6)
    assert np.ptp(np.array(proof.hole), axis=0) == pytest.approx(proof.size)
    picture = proof_view([(proof.opening, proof.hole, proof.outline)], Family.METRIC)
    said = [getattr(item, "text", "") for item in picture.items]
    assert any("too large a" in text for text in said)
    bare = solid_view(e, Family.METRIC, Eye(), Show(room=True))
    moving = solid_view(e, Family.METRIC, Eye(), Show(room=True, moving=body_of(e)))
    assert len(moving.items) == len(bare.items) + 1
