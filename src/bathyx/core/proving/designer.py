"""The test designer: how long a decay hold must be for this tank, limit, gauge and weather, or that it cannot decide at all.

Made-up holds are run through the same analysis that judges real ones: what it says is what the analysis will do.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from bathyx.core.formula import formula
from bathyx.core.proving.decay import leak
from bathyx.core.proving.gauges import UNKNOWN, GaugeKind, Surroundings
from bathyx.core.proving.questions import APART_S, protocol, syringe_for
from bathyx.core.proving.readings import ATMOSPHERE_KPA
from bathyx.core.proving.rehearsal import PLACES, Bench, made_up_hold
from bathyx.core.proving.sees import SEES_ML_MIN, leak_words
from bathyx.core.proving.verdict import read_trace

DESIGN = formula(
    "proving.design",
    "Hold that decides",
    "the shortest hold in which every made-up run with no leak is tight and every one with two limits leaks",
    source="Simulated holds through the analysis of proving.decay; sixteen of each kind a length",
    valid="the gauge as described, the place and weather as chosen",
    check="tests/core/test_designer.py and tools/decay_study.py: at least 90 % of runs decided rightly by then",
    tolerance="one step of the list of holds (about a third)",
)
HOLDS_MIN = (5, 10, 15, 20, 30, 45, 60, 90, 120, 180, 240, 360, 480, 720, 1440)
SEEDS, SEEDS_DRAWN = 16, 3


@dataclass(frozen=True)
class Point:
    """Half-width of the interval after a hold, mL/min, and whether all made-up runs were decided rightly by then."""

    hold_min: float
    half_width: float
    decides: bool


@dataclass(frozen=True)
class Design:
    """The curve of half-widths, the hold that decides (None: none within a day), and what would help, in words."""

    limit_ml_min: float
    points: tuple[Point, ...]
    hold_min: float | None
    advice: tuple[str, ...]


def _runs(
    bench: Bench, limit: float, minutes: float, sensors: GaugeKind, around: Surroundings, drawn: int = SEEDS_DRAWN
) -> Point:
    """One length of hold: its half-width over the first runs, and whether every run was decided rightly."""
    widths: list[float] = []
    right = True
    for seed in (5 * k % SEEDS for k in range(SEEDS)):
        if not right and len(widths) >= drawn:
            break
        for share, wanted in ((0.0, "tight"), (2.0, "leaks")):
            trace, air = made_up_hold(bench, sensors, around, share * limit, minutes * 60, seed)
            decision, found = read_trace(trace, bench.volume_l, limit, minutes * 60, sensors, air, bench.test_kpa)
            right = right and decision.verdict == wanted
            if share == 0.0:
                found = leak(trace, bench.volume_l, sensors, air, bench.test_kpa) if found is None else found
                widths.append(found.half_width)
    return Point(minutes, sum(widths) / len(widths), right)


def _shortest(
    bench: Bench, limit: float, sensors: GaugeKind, around: Surroundings, stopped: Callable[[], bool]
) -> float | None:
    """The first hold that decides; None when none within a day does, or when stopped."""
    for minutes in HOLDS_MIN:
        if stopped():
            return None
        if _runs(bench, limit, minutes, sensors, around, 1).decides:
            return float(minutes)
    return None


def design(
    bench: Bench,
    limit_ml_min: float,
    sensors: GaugeKind = UNKNOWN,
    around: Surroundings | None = None,
    most_kpa: float = 0.0,
    stopped: Callable[[], bool] = lambda: False,
) -> Design:
    """The design of a decay test.

    Args:
        bench: air volume, pressure and place.
        limit_ml_min: leak that still counts as tight.
        sensors: the gauge as described.
        around: weather and altitude; None for the worst usual.
        most_kpa: what the panels bear, for the advice on more pressure; 0 gives none.
        stopped: asked now and then; true ends the search with what there is.

    Returns:
        Curve, hold and advice.
    """
    around = around or Surroundings()
    points: list[Point] = []
    hold = None
    for minutes in HOLDS_MIN:
        if stopped():
            break
        points.append(_runs(bench, limit_ml_min, minutes, sensors, around))
        if points[-1].decides:
            if hold is None:
                hold = float(minutes)
            elif len(points) >= 6:
                break
    advice = tuple(_advice(bench, limit_ml_min, sensors, around, hold, most_kpa, stopped))
    return Design(limit_ml_min, tuple(points), hold, advice)


def questions_wanted(bench: Bench, limit: float, sensors: GaugeKind, hold: float | None) -> list[str]:
    """Which questions this tank, gauge and place want, how long each takes, and what the whole of it takes.

    Args:
        bench: volume, pressure, place.
        limit: leak that still counts as tight, mL/min.
        sensors: the gauge.
        hold: that decides, min; None where none does.
    """
    minutes = hold or 60.0
    volume = syringe_for(bench.volume_l, sensors, bench.test_kpa + ATMOSPHERE_KPA)
    steps = protocol(minutes, volume, limit)
    at = [step.from_s / 60 for step in steps]
    share = 0.001 * volume / bench.volume_l * (bench.test_kpa + ATMOSPHERE_KPA)
    lines = [
        f"Ask with {volume:g} mL drawn and given back, at the start and the end: {APART_S / 30:.0f} min each, {share:.3f} kPa to "
        "be seen; a gauge that is shut off, stuck or held by a supply does not answer"
    ]
    known = f"a known leak of {limit:g} mL/min for {at[3] - at[2]:.0f} min"
    if sensors.temp_lag_s is None or sensors.temp_lag_s > 90 or sensors.resolution_kpa is None or hold is None:
        lines.append(f"Ask with {known}: gauge and thermometer are not known well")
    else:
        lines.append(f"{known[:1].upper()}{known[1:]} makes it sure: volume and clock then fall out")
    blind = not sensors.barometer and not sensors.absolute
    if bench.place != "closed room" or blind:
        why = "the barometer is not read" if blind else PLACES[bench.place].lower()
        lines.append(
            f"Ask with a rest at no overpressure for {at[8] - at[7]:.0f} min: {why}, and what it does shows there"
        )
    lines.append(f"All of it takes {at[8] / 60:.1f} h; what will be seen is drawn below")
    return lines


def _advice(
    bench: Bench,
    limit: float,
    sensors: GaugeKind,
    around: Surroundings,
    hold: float | None,
    most_kpa: float,
    stopped: Callable[[], bool],
) -> list[str]:
    def said(other: float | None, what: str) -> str:
        if other is None:
            return f"{what}: still no decision within a day"
        if hold is None:
            return f"{what}: {other:.0f} min decide it"
        return f"{what}: {other:.0f} min instead of {hold:.0f}" if other < hold else f"{what}: no help"

    lines = []
    if not sensors.barometer and not sensors.absolute:
        read = sensors.model_copy(update={"barometer": True})
        lines.append(said(_shortest(bench, limit, read, around, stopped), "A barometer read beside the gauge"))
    half = replace(bench, volume_l=bench.volume_l / 2)
    lines.append(said(_shortest(half, limit, sensors, around, stopped), "Half the air, the rest filled with water"))
    more = min(1.5 * bench.test_kpa, most_kpa)
    if more > 1.1 * bench.test_kpa:
        # The same crack leaks more at more pressure: the limit grows with it.
        harder = replace(bench, test_kpa=more)
        other = _shortest(harder, limit * more / bench.test_kpa, sensors, around, stopped)
        lines.append(said(other, f"At {more:.1f} kPa, which the panels bear"))
    if hold is None:
        lines.append(
            f"Decay cannot decide {limit:g} mL/min on {bench.volume_l:.0f} L with this gauge and weather. Soap sees about "
            f"{SEES_ML_MIN['air_soap']:.1f} mL/min at a seam, a bath about {SEES_ML_MIN['air_water']:.2f}"
        )
    lines += questions_wanted(bench, limit, sensors, hold)
    lines.append(f"{limit:g} mL/min is {leak_words(limit, test_kpa=bench.test_kpa)}")
    return lines
