"""Each finding: the tank that earns it, its severity, and the remedy that takes it away."""

import pytest

from bathyx.core.evaluate import evaluate
from bathyx.core.findings.rail import CHECKS
from bathyx.core.inside.fittings import usual
from bathyx.core.sheet.bend import shortest_flange_mm
from bathyx.core.space import Clearance, MeasuredBox
from bathyx.core.tank.profile import Chamfer, Jog
from bathyx.core.units import Reading
from bathyx.demo import jobs
from tests.conftest import box, codes, job_with


def fittings(*more):
    """A complete set for a 300 x 400 x 200 box, and more."""
    return [
        usual("filler", "filler", "top", 150, 70),
        usual("vent", "vent 1", "top", 60, 330),
        usual("vent", "vent 2", "top", 240, 330),
        usual("pickup", "feed", "top", 150, 160),
        usual("drain", "drain", "bottom", 150, 200),
        *more,
    ]


def sound(tank=None, **edits):
    """A job with nothing against it but what is edited in."""
    space = MeasuredBox(width=Reading.of(430), depth=Reading.of(340), height=Reading.of(260)).model_dump()
    base = {
        "inside__fittings": fittings(),
        "space": space,
        "brief__demand": {"kind": "capacity", "litres": 21.0},
        "brief__slope_deg": 2.0,
        "brief__braking_g": 0.05,
        "makeup__both_sides": True,
    }
    return job_with(tank, **(base | edits))


CASES = [
    ("fit.space", "stop", lambda: sound(box(length=340)), True),
    ("capacity.short", "stop", lambda: sound(brief__demand={"kind": "capacity", "litres": 24.0}), True),
    ("material.fluid", "stop", lambda: sound(brief__fluid="fresh_water", tank__sheet="s235/3"), True),
    ("material.fluid", "warn", lambda: sound(brief__fluid="petrol_ethanol"), False),
    ("brief.pressurised", "stop", lambda: sound(brief__pressure="pressurised", brief__working_kpa=80.0), False),
    ("inside.bay", "warn", lambda: sound(box(length=700), inside__baffles__by_rule=False), True),
    (
        "inside.open",
        "warn",
        lambda: sound(
            box(width=700),
            inside__baffles__by_rule=False,
            inside__baffles__by_hand=[{"axis": "y", "at_mm": 350.0}],
            inside__baffles__flow_hole_mm=0.0,
            inside__baffles__limber_mm=0.0,
            inside__baffles__air_gap_mm=0.0,
        ),
        True,
    ),
    (
        "inside.open",
        "warn",
        lambda: sound(
            box(width=700, length=150),
            inside__baffles__by_rule=False,
            inside__baffles__by_hand=[{"axis": "y", "at_mm": 350.0}],
            inside__baffles__limber_mm=60.0,
            inside__fittings=[],
            inside__baffles__air_gap_mm=60.0,
            inside__baffles__flow_hole_mm=140.0,
        ),
        True,
    ),
    (
        "fitting.face",
        "stop",
        lambda: sound(inside__fittings=fittings(usual("vent", "lost", "jog floor", 20, 20))),
        True,
    ),
    (
        "fitting.outside",
        "stop",
        lambda: sound(inside__fittings=fittings(usual("return", "out", "top", 298, 250))),
        True,
    ),
    (
        "fitting.overlap",
        "stop",
        lambda: sound(inside__fittings=fittings(usual("return", "near", "top", 160, 170))),
        True,
    ),
    ("hole.edge", "warn", lambda: sound(inside__fittings=fittings(usual("return", "close", "top", 275, 240))), True),
    (
        "hole.bend",
        "stop",
        lambda: sound(
            makeup__school="wrap",
            inside__fittings=fittings(usual("return", "close", "top", 9, 240).model_copy(update={"ring_od_mm": 0.0})),
        ),
        True,
    ),
    (
        "hole.baffle",
        "stop",
        lambda: sound(box(width=700), inside__fittings=fittings(usual("return", "mid", "top", 250, 350))),
        True,
    ),
    (
        "sender.swing",
        "warn",
        lambda: sound(
            inside__baffles__by_rule=False,
            inside__baffles__by_hand=[
                {"axis": "x", "at_mm": 100.0},
                {"axis": "x", "at_mm": 200.0},
                {"axis": "y", "at_mm": 180.0},
                {"axis": "y", "at_mm": 300.0},
            ],
            inside__fittings=fittings(usual("sender", "sender", "top", 150, 240)),
        ),
        True,
    ),
    (
        "sheet.flange",
        "stop",
        lambda: sound(
            box(chamfers=(Chamfer(corner="front_top", along_mm=9.5, up_mm=9.5),)),
            makeup__school="two_l",
            makeup__bend_radius_mm=1.0,
        ),
        True,
    ),
    ("sheet.stock", "stop", lambda: sound(box(length=900, height=700, width=1600), makeup__school="wrap"), True),
    ("sheet.brake", "stop", lambda: sound(makeup__school="two_l", makeup__brake={"length_mm": 350.0}), True),
    ("sheet.closed", "stop", lambda: sound(makeup__school="wrap"), True),
    ("panel.stress", "stop", lambda: sound(proving__tests__0__test_kpa=60.0), True),
    (
        "panel.service",
        "stop",
        lambda: sound(box(700, 900, 600, sheet="5083/1.5"), inside__baffles__by_rule=False),
        True,
    ),
    ("prove.energy", "warn", lambda: sound(box(900, 900, 600, sheet="5083/6")), True),
    ("capacity.air", "warn", lambda: sound(brief__air_space_share=0.01), True),
    (
        "inside.low",
        "warn",
        lambda: sound(
            box(height=250),
            inside__fittings=[
                *fittings()[:3],
                usual("pickup", "feed", "top", 150, 160).model_copy(update={"floor_clear_mm": 60.0}),
            ],
        ),
        True,
    ),
    ("inside.vent", "warn", lambda: sound(inside__fittings=[f for f in fittings() if f.id != "vent 2"]), True),
    ("inside.filler", "stop", lambda: sound(inside__fittings=fittings()[1:]), True),
    ("inside.pickup", "stop", lambda: sound(inside__fittings=[f for f in fittings() if f.kind != "pickup"]), True),
    ("inside.inspection", "note", lambda: sound(box(450, 700, 300)), True),
    (
        "pickup.slope",
        "warn",
        lambda: sound(
            box(length=600),
            brief__slope_deg=15.0,
            inside__fittings=[
                *fittings()[:3],
                usual("pickup", "feed", "top", 60, 160),
                usual("drain", "drain", "bottom", 150, 200),
            ],
        ),
        True,
    ),
    ("fitting.boss", "note", lambda: sound(), False),
    ("space.skew", "note", lambda: sound(space__floor_diagonals=["550", "546"]), False),
    ("space.misfit", "warn", lambda: sound(space__floor_diagonals=["600", "600"]), False),
]


@pytest.mark.parametrize(
    ("code", "severity", "make", "mendable"), CASES, ids=[f"{c[0]}-{k}" for k, c in enumerate(CASES)]
)
def test_a_finding_is_earned_sourced_and_mended(code, severity, make, mendable):
    job = make()
    found = [f for f in evaluate(job).findings if f.code == code]
    assert found, f"{code} was not found among {codes(evaluate(job))}"
    first = found[0]
    assert first.severity == severity
    assert first.source
    assert first.rule
    assert first.message
    if not mendable:
        return
    assert first.remedy is not None
    mended = first.remedy.apply(job)
    assert mended != job
    after = [f for f in evaluate(mended).findings if f.code == code and f.where == first.where]
    assert not after or after[0].figure != first.figure, f"{first.remedy.label} changed nothing"


def test_a_sound_tank_earns_no_stop_and_no_warning():
    assert [f.code for f in evaluate(sound()).findings if f.severity != "note"] == []


def test_every_check_is_one_that_some_case_earns():
    earned = set()
    for _, _, make, _ in CASES:
        e = evaluate(make())
        earned |= {c.__module__ for c in CHECKS if list(c(e.job, e.results))}
    assert {c.__module__ for c in CHECKS} == earned


def test_findings_come_worst_first():
    severities = [f.severity for f in evaluate(sound(box(length=340), inside__fittings=[])).findings]
    assert severities == sorted(severities, key=["stop", "warn", "note"].index)


def test_the_demo_shop_has_no_stops():
    for make in jobs.ALL.values():
        assert not evaluate(make()).stops


def test_the_shortest_flange_is_0_7_of_eight_thicknesses():
    assert shortest_flange_mm(3) == pytest.approx(16.8)


def test_a_jogged_floor_still_finds_its_low_point():
    tank = box(jog=Jog(end="front", length_mm=120, rise_mm=60))
    job = sound(tank, inside__fittings=[*fittings()[:3], usual("drain", "drain", "jog floor", 60, 200)])
    low = next(f for f in evaluate(job).findings if f.code == "inside.low")
    assert low.where == "face:bottom"


def test_clearance_counts_against_the_fit():
    tight = sound(space__clearance=Clearance(left_mm=30).model_dump())
    assert "fit.space" in codes(evaluate(tight))


def test_a_ring_may_not_climb_a_bend_even_where_its_hole_is_clear():
    close = usual("return", "close", "top", 40, 240).model_copy(update={"hole_mm": 10.0, "ring_od_mm": 76.0})
    found = [
        f
        for f in evaluate(sound(makeup__school="wrap", inside__fittings=fittings(close))).findings
        if f.code == "hole.bend"
    ]
    assert [f.where for f in found] == ["fitting:close"]


def test_a_remedy_that_would_be_refused_is_not_offered():
    wide = Chamfer(corner="front_top", along_mm=380, up_mm=60)
    found = [f for f in evaluate(sound(box(length=420, chamfers=(wide,)))).findings if f.where == "size:length"]
    assert [f.code for f in found] == ["fit.space"]
    assert found[0].remedy is None
