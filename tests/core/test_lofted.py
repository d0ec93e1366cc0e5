"""The lofted family: volumes by the prismatoid formula, twist told and split, what cannot be, and all downstream."""

import json

import numpy as np
import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.job import Job
from bathyx.core.tank.lofted import LoftedTank
from bathyx.papers.figures import figures

HULL = [
    {"x_mm": 0, "corners": [(-50, 0), (50, 0), (150, 120), (150, 300), (-150, 300), (-150, 120)]},
    {"x_mm": 600, "corners": [(-60, 0), (60, 0), (180, 144), (180, 300), (-180, 300), (-180, 144)]},
]
BENT = [
    HULL[0],
    {"x_mm": 300, "corners": [(-60, 0), (60, 0), (190, 144), (190, 300), (-190, 300), (-190, 144)]},
    HULL[1],
]


def tank(sections, **more):
    return LoftedTank(sheet="5083/3", sections=sections, **more)


def area(corners):
    y, z = np.array(corners, float).T
    return float((y * np.roll(z, -1) - np.roll(y, -1) * z).sum() / 2)


@pytest.mark.parametrize("turned", [False, True])
def test_a_flat_sided_loft_is_a_prismatoid_either_way_round(turned):
    rows = [{**s, "corners": s["corners"][::-1]} if turned else s for s in HULL]
    middle = [
        ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2) for a, b in zip(HULL[0]["corners"], HULL[1]["corners"], strict=True)
    ]
    exact = 600 * (area(HULL[0]["corners"]) + 4 * area(middle) + area(HULL[1]["corners"])) / 6
    assert tank(rows).shell().volume_mm3 == pytest.approx(exact, rel=1e-12)
    assert tank(rows).volume_mm3() == pytest.approx(exact, rel=1e-12)


def test_a_twisted_side_is_refused_with_its_twist_or_split():
    with pytest.raises(ValueError, match=r"side 2 between sections 1 and 2 is twisted by 7\.7 mm"):
        tank(BENT)
    split = tank(BENT, twisted="split")
    names = [f.id for f in split.faces()]
    assert {"right bilge, bay 1 a", "right bilge, bay 1 b"} <= set(names)
    assert "top" in names  # flat over both bays: one face
    assert split.shell().volume_mm3 == pytest.approx(split.volume_mm3())


@pytest.mark.parametrize(("sections", "more"), [(HULL, {}), (BENT, {"twisted": "split"})])
def test_everything_downstream_works(sections, more):
    for school in LoftedTank.schools():
        made = tank(sections, **more)
        if made.plan(school) is None:
            continue
        e = evaluate(Job(tank=made, makeup={"school": school}))
        r = e.results
        # Plates cover the shell: what bends and corners change is a few per mille.
        flat = sum(b.outline.area_mm2 for b in r.blanks if b.role == "shell")
        assert flat == pytest.approx(sum(f.area_mm2 for f in r.shell.faces), rel=0.02)
        assert json.dumps(figures(e, tilt_deg=(5.0, -3.0)))
        assert r.strength.bears.value > 0
        assert all(s.length_mm > 0 for s in r.seams)


def test_wrap_is_for_two_sections_and_has_one_seam_along():
    r = evaluate(Job(tank=tank(HULL), makeup={"school": "wrap"})).results
    along = [s for s in r.seams if "front" not in s.title and "rear" not in s.title and s.joint != "stitch"]
    assert len(along) == 1
    assert tank(BENT, twisted="split").plan("wrap") is None


@pytest.mark.parametrize(
    ("sections", "why"),
    [
        ([HULL[0], {"x_mm": 600, "corners": HULL[1]["corners"][:5]}], "5 and 6 corners"),
        ([HULL[1], HULL[0]], "from the front to the rear"),
        (
            [HULL[0], {"x_mm": 600, "corners": [(0, 0), (100, 100), (100, 0), (0, 100), (50, 300), (20, 200)]}],
            "crosses itself",
        ),
        (
            [HULL[0], {"x_mm": 600, "corners": [(0, 0), (0, 0), (100, 0), (100, 100), (50, 300), (0, 100)]}],
            "two corners in one place",
        ),
    ],
)
def test_what_cannot_be_says_why(sections, why):
    with pytest.raises(ValueError, match=why):
        tank(sections)


def test_it_fills_a_box_as_a_box_does():
    started = LoftedTank.started({"length": 500.0, "width": 300.0, "height": 200.0}, "5083/3")
    assert started.volume_mm3() == pytest.approx(500 * 300 * 200)
    shorter = LoftedTank(**(started.model_dump() | started.shortened("length", 40.5)))
    assert shorter.volume_mm3() == pytest.approx(459 * 300 * 200)
