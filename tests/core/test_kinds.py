"""Kinds of fittings from their table: each a hole, a part, a mass, a weld with a name, a thing in the way, a place for a leak."""

import json
import math
import random

import numpy as np
import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.findings.placing import put, settled
from bathyx.core.inside.fittings import Fitting, usual
from bathyx.core.inside.kinds import kinds
from bathyx.core.job import read_job
from bathyx.demo import jobs
from bathyx.errors import Refusal
from tests.conftest import box, job_with

TANK = box(600, 500, 400)


def with_one(key, face="top", size=""):
    job = job_with(TANK, inside__fittings=[])
    made = put(job, evaluate(job).results, usual(key, "x", face, 250, 250, size))
    assert made is not None
    return job.edited("inside.fittings", [made])


@pytest.mark.parametrize("key", list(kinds()))
def test_each_kind_is_cut_weighed_welded_and_in_the_way(key):
    bare, job = evaluate(job_with(TANK, inside__fittings=[])), with_one(key, "rear")
    e, fitting = evaluate(job), job.inside.fittings[0]
    holes = sum(len(b.holes) for b in e.results.blanks) - sum(len(b.holes) for b in bare.results.blanks)
    assert holes == (1 if fitting.hole_mm else 0)
    weights = e.results.weight.dry.value - bare.results.weight.dry.value
    metal = math.pi / 4 * (fitting.ring_od_mm**2 - fitting.hole_mm**2) * fitting.ring_mm
    gone = math.pi / 4 * fitting.hole_mm**2 * 3.0
    density = e.results.sheet.material.density * 1e-9
    assert weights == pytest.approx((max(metal, 0) - gone) * density + kinds()[key].bought_kg, rel=2e-3, abs=2e-4)
    if fitting.ring_mm:
        (ring,) = e.results.rings
        assert (ring.id, ring.edge) == ("R1", "fitting:x")
        assert ring.length_mm == pytest.approx(
            kinds()[key].weld_mm or math.pi * max(fitting.ring_od_mm, fitting.hole_mm)
        )
        assert ring.at(0.3) == pytest.approx(
            e.results.shell.by_id["rear"].place(fitting.u_mm, fitting.v_mm), abs=fitting.rim_mm + 1
        )
    else:
        assert e.results.rings == ()
    assert fitting.out_mm >= fitting.ring_mm


def test_what_stands_out_is_in_the_way_of_a_wall():
    """A barb of 32 mm in the rear wall of a tank with 20 mm to a box behind it."""
    hole = {
        "kind": "box",
        "name": "engine",
        "x_mm": 640.0,
        "y_mm": 0.0,
        "z_mm": 0.0,
        "length_mm": 100.0,
        "width_mm": 600.0,
        "height_mm": 500.0,
    }
    space = {
        "width": "700",
        "depth": "900",
        "height": "520",
        "obstacles": [hole],
        "seat": {"x_mm": 14, "y_mm": 60, "z_mm": 20},
    }
    job = with_one("barb", "rear").edited("space", space)
    near = min(evaluate(job).results.approaches, key=lambda a: a.mm)
    plain = min(evaluate(job.edited("inside.fittings", [])).results.approaches, key=lambda a: a.mm)
    assert near.mm == pytest.approx(plain.mm - 32, abs=0.1) or near.mm <= 0


@pytest.mark.parametrize(("size", "hole", "outside"), [("G 1/2", 19, 27), ("G 1", 30, 40)])
def test_a_coupler_has_the_sizes_of_its_thread(size, hole, outside):
    """Outside of pipe sockets to EN 10241: 26.4 mm for G 1/2, 39.5 mm for G 1, from memory, to the next millimetre."""
    made = usual("coupler", "c", "rear", 10, 10, size)
    assert (made.hole_mm, made.ring_od_mm, made.thread) == (hole, outside, size)
    assert outside == math.ceil({"G 1/2": 26.4, "G 1": 39.5}[size])


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"kind": "spigot"}, "no kind of fitting 'spigot'; there are filler"),
        ({"hole_mm": 0}, "a filler needs a hole"),
        ({"duty": "cork"}, "no use 'cork' of a fitting"),
        ({"kind": "nut", "hole_mm": 0, "duty": "vent"}, "has no hole, so it is no vent"),
    ],
)
def test_bad_fittings_say_what_would_be_right(change, says):
    with pytest.raises(Refusal, match=says.replace("(", r"\(")):
        job_with(TANK).edited("inside.fittings", [usual("filler", "f", "top", 100, 100).model_dump() | change])
    with pytest.raises(Refusal, match="has no size 'G 9'; there are G 1/4"):
        usual("coupler", "c", "top", 0, 0, "G 9")


def test_what_came_later_is_not_written_where_it_is_not_used():
    old = json.loads(job_with(TANK, inside__fittings=[usual("vent", "v", "top", 100, 100)]).to_json())
    assert not {"thread", "duty", "stands_mm"} & set(old["inside"]["fittings"][0])
    job = job_with(TANK, inside__fittings=[usual("coupler", "c", "top", 100, 100, "G 3/4")])
    again = read_job(job.to_json())
    assert again == job
    assert again.inside.fittings[0].thread == "G 3/4"


def test_rules_go_by_what_a_fitting_does():
    job = job_with(TANK, inside__fittings=[])
    assert "filler.missing" in {f.code for f in evaluate(job).findings} or any(
        "filler" in f.code for f in evaluate(job).findings
    )
    codes = {f.code for f in evaluate(job).findings if "No filler" in str(f.message)}
    assert codes
    as_filler = usual("coupler", "c", "top", 100, 250, "G 2").model_copy(update={"duty": "filler"})
    assert not any("No filler" in str(f.message) for f in evaluate(job.edited("inside.fittings", [as_filler])).findings)
    assert any(
        "No filler" in str(f.message)
        for f in evaluate(job.edited("inside.fittings", [as_filler.model_copy(update={"duty": ""})])).findings
    )


def test_a_closed_nut_is_no_opening_below_the_fuel():
    petrol = {"brief__fluid": "petrol", "brief__afloat": True}
    job = job_with(TANK, inside__fittings=[usual("nut", "n", "rear", 250, 60)], **petrol)
    assert "opening.afloat" not in {f.code for f in evaluate(job).findings}
    job = job.edited("inside.fittings", [usual("coupler", "c", "rear", 250, 60)])
    assert "opening.afloat" in {f.code for f in evaluate(job).findings}


def test_a_fitting_in_the_hand_is_drawn_to_lines_and_away_from_edges():
    job = job_with(TANK, inside__fittings=[usual("vent", "v", "rear", 100, 300)])
    r = evaluate(job).results
    near = settled(job, r, usual("nut", "n", "rear", 398, 302), 4.0)
    assert (near.fitting.u_mm, near.fitting.v_mm, near.clear) == (
        400.0,
        300.0,
        True,
    )  # opposite the vent, in line with it
    assert near.on == ("opposite v", "in line with v")
    off = settled(job, r, usual("nut", "n", "rear", 398, 302), 0.0)
    assert (off.fitting.u_mm, off.fitting.v_mm) == (398.0, 302.0)
    edge = settled(job, r, usual("nut", "n", "rear", 14, 200), 4.0)
    assert edge.clear
    assert edge.fitting.u_mm >= 11 + 12  # rim and the torch's room
    there = evaluate(job.edited("inside.fittings", [*job.inside.fittings, edge.fitting]))
    assert [f for f in there.findings if f.where == "fitting:n" and not f.code.startswith("fit.")] == []
    crowded = settled(job, r, usual("inspection", "p", "rear", 5, 5), 1.0)
    assert not crowded.clear


def test_fittings_of_the_first_release_read_as_they_were():
    text = {"id": "drain", "kind": "drain", "face": "bottom", "u_mm": 10.0, "v_mm": 10.0, "hole_mm": 20.0, "ring_mm": 6.0,
            "ring_od_mm": 42.0, "floor_clear_mm": 12.0, "swing_mm": 0.0, "metal": "as_sheet"}  # fmt: skip
    job = job_with(TANK, inside__fittings=[Fitting.model_validate(text)])
    assert json.loads(job.to_json())["inside"]["fittings"] == [text]


@pytest.mark.parametrize("make", [jobs.vineyard, jobs.sawmill, jobs.trolley])
def test_what_is_told_clear_in_the_hand_is_clear_to_the_findings(make):
    """Parts held anywhere on any face, a little beside it too: told clear, no finding has anything against the place."""
    dice = random.Random(20)
    codes = {"hole.edge", "hole.bend", "hole.baffle", "fitting.overlap", "fitting.outside", "fitting.face"}
    job = make()
    r, told = evaluate(job).results, 0
    for _ in range(26):
        face, key = dice.choice(r.shell.faces), dice.choice(list(kinds()))
        low, high = face.outline.min(axis=0), face.outline.max(axis=0)
        u, v = (low + (high - low) * np.array([dice.uniform(-0.05, 1.05) for _ in "uv"])).tolist()
        held = settled(job, r, usual(key, "in hand", face.id, u, v), dice.choice([0.0, 3.0, 8.0]))
        if held.clear:
            told += 1
            after = evaluate(job.edited("inside.fittings", [*job.inside.fittings, held.fitting]))
            said = [str(f.message) for f in after.findings if f.code in codes and "in hand" in str(f.message)]
            assert said == [], (face.id, key)
    assert told >= 8
