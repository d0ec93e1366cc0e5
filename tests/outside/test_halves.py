"""Pressed halves against a solid built section by section, and their blanks against the true surface."""

import math

import numpy as np
import pytest
from scipy.integrate import quad

from bathyx.core.evaluate import evaluate
from bathyx.core.geometry.dip import dip_curve
from bathyx.core.job import Job
from bathyx.core.sheet.flat.heads import trim_mm
from bathyx.core.tank.halves import HalvesTank

SIZES = {
    "length_mm": 500,
    "width_mm": 350,
    "lower_mm": 100,
    "upper_mm": 120,
    "corner_mm": 70,
    "floor_mm": 30,
    "draft_deg": 4,
}


def halves(**more) -> HalvesTank:
    return HalvesTank(**{**SIZES, "sheet": "304/2", **more})


def section_mm2(tank, depth, h):
    """Rounded rectangle `h` deep in a half: its inset by the wall's draft, or by the floor's arc below where they meet."""
    r, draft, c = tank.floor_mm, math.radians(tank.draft_deg), tank.corner_mm
    centre = (r + (depth - r) * math.sin(draft)) / math.cos(draft)
    if h <= depth - r + r * math.sin(draft):
        inset = h * math.tan(draft)
    else:
        inset = centre - math.sqrt(max(r**2 - (h - depth + r) ** 2, 0.0))
    w, n = tank.width_mm - 2 * inset, tank.length_mm - 2 * inset
    return w * n - (4 - math.pi) * (c - inset) ** 2


@pytest.mark.parametrize("draft", [0, 4, 12])
def test_volume_at_fifty_levels_is_the_integral_of_its_sections(draft):
    tank = halves(draft_deg=draft)
    curve = dip_curve(tank.shell().half_edges)

    def below(z):
        low = quad(lambda h: section_mm2(tank, 100, h), max(100 - z, 0), 100, limit=200)[0]
        high = quad(lambda h: section_mm2(tank, 120, h), 0, max(z - 100, 0), limit=200)[0]
        return low + high

    assert curve.full_mm3 == pytest.approx(below(220), rel=1e-6)
    for z in np.linspace(0, 220, 52)[1:-1]:
        assert abs(float(curve.at(z)) - below(z)) < 1e-4 * curve.full_mm3


def test_the_seam_runs_round_the_flange_and_the_blanks_have_the_surface():
    tank = halves()
    r = evaluate(Job(tank=tank, makeup={"school": "pressed"})).results
    (seam,) = (s for s in r.seams if s.joint != "stitch")
    assert seam.length_mm == pytest.approx(2 * (500 - 140) + 2 * (350 - 140) + 2 * math.pi * (70 + 15))
    blanks = {b.name: b for b in r.blanks if b.role == "shell"}
    assert set(blanks) == {"lower half", "upper half"}
    head = r.shell.by_id["lower half"].on
    rows = head.meridian.spots(40_000)
    step = np.hypot(*np.diff(rows, axis=0).T)
    girth = 2 * math.pi * rows[:, 0] + 4 * (180 + 105)
    area = float(((girth[1:] + girth[:-1]) / 2 * step).sum()) + 360 * 210
    assert r.shell.by_id["lower half"].area_mm2 == pytest.approx(area, rel=1e-4)
    flange = math.pi * (85**2 - 70**2) + 4 * (180 + 105) * 15
    blank, trim = blanks["lower half"], trim_mm(2.0)
    strip = (2 * sum(blank.size_mm) - 8 * trim) * trim  # all round, corners left out
    assert blank.area_mm2 - strip == pytest.approx(area + flange, rel=0.03)
    assert (r.outside.length_mm, r.outside.height_mm) == pytest.approx((500 + 2 * 15, 220 + 4))


@pytest.mark.parametrize(
    ("more", "why"),
    [
        ({"corner_mm": 175}, "leaves no straight side; it is at most 170 mm"),
        ({"floor_mm": 100}, "deeper than the lower half"),
        ({"corner_mm": 31, "floor_mm": 30}, "make it at least"),
        ({"flange_mm": 1.0}, "narrower than the sheet"),
    ],
)
def test_what_cannot_be_pressed_says_what_could(more, why):
    with pytest.raises(ValueError, match=why):
        halves(**more)


def test_a_baffle_in_halves_drains_and_breathes_though_no_corner_is_sharp():
    tank = halves(length_mm=700)
    r = evaluate(Job(tank=tank, makeup={"school": "pressed"})).results
    assert r.plates
    for plate in r.plates:
        points = plate.outline.faceted
        for low, edge in ((True, points[:, 1].min()), (False, points[:, 1].max())):
            row = points[np.abs(points[:, 1] - edge) < 0.5]
            gaps = np.diff(np.sort(row[:, 0]))
            assert ((gaps > 15) & (gaps < 60)).any(), (plate.name, low)
        assert 0.03 < plate.open_share < 0.3
