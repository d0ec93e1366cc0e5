"""Closing plates, tabs and bars: typed, listed, ticked, and bars cut from the fewest stock lengths."""

import random

import numpy as np
import pytest

from bathyx.core.build.steps import steps
from bathyx.core.evaluate import evaluate
from bathyx.core.job import read_job
from bathyx.core.sheet.makeup.collars import collars
from bathyx.core.sheet.makeup.own_parts import OwnPart, bar_plans, own_parts_of
from bathyx.errors import Refusal
from tests.conftest import job_with

LINES = "plate, 60 x 40 x 3, left frame hole, 2\nangle, 30x30x3 x 420, under the floor, 2\n"


def doubler(face, u, v, width, height, thickness):
    return {"face": face, "u_mm": u, "v_mm": v, "width_mm": width, "height_mm": height, "thickness_mm": thickness}


def bars(*lengths):
    return [OwnPart(kind="bar", section="20", place=f"p{k}", length_mm=x) for k, x in enumerate(lengths)]


def test_typed_lines_are_read_written_kept_and_ticked_by_place():
    job = job_with(own_parts=own_parts_of(LINES))
    assert [p.count for p in job.own_parts] == [2, 2]
    assert read_job(job.to_json()) == job
    assert "own_parts" not in job_with().to_json()
    rows = {s.id: s for s in steps(evaluate(job))}
    (plate,) = [s for s in rows.values() if "left frame hole" in s.detail]
    assert plate.title == "Cut 2 × plate"
    assert max(len(step_id) for step_id in rows) <= 80  # what the register holds of a subject
    long = OwnPart(kind="angle", section="40x40x4", place="p" * 80, length_mm=1234.5)
    assert len(long.id) <= 80
    moved = evaluate(job.edited("tank.length_mm", 310.0))
    assert {s.id for s in steps(moved)} == set(rows)


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("plate, 60 x 40, frame", "write kind, size, place"),
        ("angle, 420, floor", "write kind, size, place"),
        ("plate, 60 x nan x 3, frame", "line 1"),
        ("plate, 60 x 0 x 3, frame", "like 60 x 40 x 3"),
        ("washer, 60 x 40 x 3, frame", "line 1"),
        ("plate, 60 x 40 x 3, frame, many", "write kind, size, place"),
        ("plate, 60 x 40 x 3, frame, 0", "count"),
    ],
)
def test_a_line_that_cannot_be_read_says_what_to_write(line, words):
    with pytest.raises(Refusal, match=words):
        own_parts_of(line)


@pytest.mark.parametrize("seed", range(12))
def test_lengths_cut_to_pieces_go_back_into_as_many(seed):
    dice = random.Random(seed)
    kerf, count, pieces = 2.5, dice.randint(1, 4), []
    for _ in range(count):
        left = 6000.0
        while left > 700:
            piece = round(dice.uniform(300, min(2500, left)), 1)
            pieces.append(piece)
            left -= piece + kerf
    dice.shuffle(pieces)
    (plan,) = bar_plans(bars(*pieces), 6000.0, kerf)
    assert len(plan.bars) <= count
    assert sorted(x for bar in plan.bars for x in bar) == sorted(pieces)
    assert all(sum(bar) + kerf * (len(bar) - 1) <= 6000.0 + 1e-6 for bar in plan.bars)


def test_first_fit_is_bettered_where_it_wastes_and_what_is_too_long_is_refused():
    # First fit decreasing takes three bars; two do: 3000 + 2000 + 994 and 2500 + 2500 + 994.
    pieces = (3000, 2500, 2494, 2000, 994, 990)
    (plan,) = bar_plans(bars(*pieces), 6000.0, 2.0)
    assert (len(plan.bars), plan.proven) == (2, True)
    with pytest.raises(Refusal, match="longer than the stock"):
        bar_plans(bars(6100), 6000.0, 2.0)


def test_a_backed_seam_asks_for_its_strip():
    makeup = {
        "makeup__moved": [{"edge": "front/top", "onto": "top", "by_mm": 90}],
        "makeup__edges": [{"edge": "top:1/top:2", "role": "weld", "joint": "backed", "gap_mm": 3}],
    }
    r = evaluate(job_with(**makeup))
    (strip,) = [s for s in steps(r) if "strip" in s.title]
    assert "400 × 25 × 3 mm" in str(strip.detail)
    near, far = (b for b in r.results.blanks if b.faces[0].startswith(("front", "top:2")) and b.role == "shell")
    assert sorted((*near.size_mm, *far.size_mm))[0] == pytest.approx(300 - 90 - 1.5)


def test_a_doubler_is_marked_weighed_listed_and_takes_room():
    plain = evaluate(job_with(inside__baffles__by_rule=False))
    laid = [doubler("bottom", 150, 200, 100, 80, 5), doubler("top", 80, 60, 60, 40, 3) | {"inside": True}]
    e = evaluate(plain.job.edited("makeup.doublers", laid))
    assert read_job(e.job.to_json()) == e.job
    r = e.results
    assert r.outside.height_mm == pytest.approx(plain.results.outside.height_mm + 5)
    more = (100 * 80 * 5 + 60 * 40 * 3) * 2.66e-6
    assert r.weight.dry.value - plain.results.weight.dry.value == pytest.approx(more, rel=1e-6)
    bottom = next(b for b in r.blanks if b.name == "bottom")
    (word,) = [m for m in bottom.marks if m.text == "doubler outside"]
    assert word.start.tolist() == pytest.approx((np.array(bottom.size_mm) / 2).tolist())
    assert [s.title for s in steps(e)].count("Cut 1 × plate") == 2
    assert "sheet.lost" not in {f.code for f in e.findings}
    off = evaluate(
        e.job.edited("makeup.doublers", [doubler("bottom", 290, 200, 100, 80, 5), doubler("lid", 1, 1, 9, 9, 1)])
    )
    assert len([f for f in off.findings if f.code == "sheet.lost"]) == 2
    assert off.results.outside.height_mm == pytest.approx(plain.results.outside.height_mm)
    for wrong in (doubler("bottom", 1, float("nan"), 6, 4, 3), doubler("bottom", 1, 2, 6, 0, 3)):
        with pytest.raises(Refusal):
            e.job.edited("makeup.doublers", [wrong])


def test_closing_plates_are_numbered_lapped_and_refused_in_words():
    one, two = collars("frame, 60x8, 2, 20", 4.0, there=3)
    assert (one.length_mm, one.width_mm, one.thickness_mm) == (
        60 + 2 * 23,
        8 + 2 * 23,
        4.0,
    )  # 3 mm round the bar and the lap, by hand
    assert two.place == "collar 5: frame 2, oval, halves round 60x8, lap 20"
    assert one.id != two.id
    assert collars("stringer, 60x40x5, 1, 25 mm", 5.0)[0].width_mm == 40 + 2 * 28
    for text, why in (
        ("frame, 60x8, 2", "write place, section"),
        ("frame, big, 2, 20", "write place, section"),
        ("frame, 60, 2, 20", "no section"),
        ("frame, 60x8, 0, 20", "1 to 60"),
        ("frame, 60x8, 2, 5", "from 16 mm on"),
        (", 60x8, 2, nan", "a lap of nan"),
    ):
        with pytest.raises(Refusal, match=why):
            collars(text, 4.0)
