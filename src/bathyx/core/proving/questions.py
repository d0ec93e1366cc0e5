"""Questions put to the tank, whose answers are known: a known volume, a known leak, a rest at no overpressure.

A volume drawn from the tank and given back moves its gauge by what gas volume and walls allow; a leak of a known rate is seen at
its rate; at no overpressure nothing leaks, and what is read is the weather. A set-up that answers right has been shown to look at
the tank; one that does not has been found out.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import Field

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array
from bathyx.core.proving.gauges import GaugeKind
from bathyx.core.proving.readings import ATMOSPHERE_KPA, Trace
from bathyx.core.units.frozen import Frozen

ASKED = formula(
    "proving.questions",
    "Questions with a known answer",
    "V + P · dV/dP = P v / Δp of a volume v drawn; a known leak q seen as −(V/P₀) Δ(d(P T₀/T)/dt); Q = Q_hold − Q_rest",
    source="Boyle's law, with walls that give; superposition of leaks that follow the pressure; intervals in quadrature, 95 %",
    valid="syringe and orifice on a tee at the tank, two minutes and more between questions",
    check="tests/core/test_hidden.py and tools/hidden_study.py: worlds with something hidden",
    tolerance="volume ±15 %, known leak ±60 % or it counts as not answered",
)
What = Literal["draw", "return", "open", "shut", "vent", "rest", "end"]
SETTLES_S, LOOKS_S, APART_S = 60.0, 120.0, 240.0
SYRINGES_ML = (10.0, 20.0, 60.0, 100.0, 200.0, 500.0, 1000.0, 2000.0)


class Mark(Frozen):
    """What was done to the tank, when (seconds of the hold), and with how much: mL of a volume, mL/min of a leak."""

    t_s: float = Field(ge=0)
    what: What
    value: float = Field(0.0, ge=0, le=100_000)


@dataclass(frozen=True)
class Step:
    """A step of the questions: what is done, how much of it, in words, and the second of the hold from which it may be."""

    what: What
    value: float
    words: str
    from_s: float


def next_step(marks: Sequence[Mark], hold_min: float, syringe_ml: float, known_ml_min: float) -> Step | None:
    """The next question of the whole protocol; None when all are asked.

    Args:
        marks: what was asked so far.
        hold_min: the planned hold.
        syringe_ml: the known volume.
        known_ml_min: the known leak.
    """
    done = len(marks)
    at = marks[-1].t_s if marks else 0.0
    hold_s = hold_min * 60
    began = marks[0].t_s if marks else APART_S
    volume, rate = f"{syringe_ml:g} mL", f"{known_ml_min:g} mL/min"
    again = "Draw it once more: " if done > 3 else ""
    steps: tuple[tuple[What, float, str, float], ...] = (
        ("draw", syringe_ml, f"Pull the plunger out to {volume} and leave it", APART_S),
        ("return", syringe_ml, f"Push the {volume} back in and leave it", at + APART_S),
        ("open", known_ml_min, f"Open the known leak of {rate}", max(hold_s + began + APART_S, at + APART_S)),
        ("shut", known_ml_min, "Shut the known leak", at + hold_s / 2),
        ("draw", syringe_ml, f"{again}pull the plunger out to {volume}", at + APART_S),
        ("return", syringe_ml, f"Push the {volume} back in", at + APART_S),
        ("vent", 0.0, "Let the air out and leave the valve open", at + APART_S),
        ("rest", 0.0, "Shut the valve: the tank rests at no overpressure", at + 2 * APART_S),
        ("end", 0.0, "End of the rest", at + hold_s),
    )
    if done >= len(steps):
        return None
    what, value, words, when = steps[done]
    return Step(what, value, words, when)


def protocol(hold_min: float, syringe_ml: float, known_ml_min: float) -> tuple[Step, ...]:
    """All nine questions, each as soon as it may be.

    Args:
        hold_min: the planned hold.
        syringe_ml: the known volume.
        known_ml_min: the known leak.
    """
    marks: list[Mark] = []
    steps: list[Step] = []
    while (step := next_step(marks, hold_min, syringe_ml, known_ml_min)) is not None:
        steps.append(step)
        marks.append(Mark(t_s=step.from_s, what=step.what, value=step.value))
    return tuple(steps)


def expected(
    steps: Sequence[Step], volume_l: float, test_kpa: float, leak_ml_min: float, every_s: float = 20.0
) -> tuple[Array, Array]:
    """(seconds, gauge kPa) of what will be seen in still weather, with a leak of the tank's own at the test pressure.

    Args:
        steps: the questions.
        volume_l: gas volume.
        test_kpa: it begins at.
        leak_ml_min: of the tank.
        every_s: between points.
    """
    t = np.arange(0.0, steps[-1].from_s + every_s, every_s)
    gauge, now, out, opened, vented = [], test_kpa, 0.0, 0.0, False
    left = list(steps)
    for at in t:
        while left and left[0].from_s <= at:
            step = left.pop(0)
            if step.what in ("draw", "return"):
                out = step.value if step.what == "draw" else 0.0
            elif step.what in ("open", "shut"):
                opened = step.value if step.what == "open" else 0.0
            vented = vented or step.what == "vent"
        now = 0.0 if vented else now
        gauge.append(now - (now + ATMOSPHERE_KPA) * out / 1000 / volume_l * (not vented))
        rate = (leak_ml_min + opened) * now / max(test_kpa, 0.1)
        now -= rate / 60e3 / volume_l * ATMOSPHERE_KPA * every_s
    return t, np.array(gauge)


def syringe_for(volume_l: float, gauge: GaugeKind, pressure_kpa: float) -> float:
    """A known volume, mL, that a gauge answers to a twentieth: the least of the usual sizes.

    >>> syringe_for(60.0, GaugeKind(resolution_kpa=0.001, noise_kpa=0.003), 122.0)
    60.0
    """
    shows = max((gauge.resolution_kpa or 0.01) * 3, gauge.noise_kpa * 1.5, 0.001)
    wanted = 20 * shows / pressure_kpa * volume_l * 1000
    return next((size for size in SYRINGES_ML if size >= wanted), SYRINGES_ML[-1])


def hold_of(trace: Trace, marks: Sequence[Mark]) -> Trace:
    """The part of a trace in which nothing was asked: up to the known leak or the rest, less the minutes of a volume drawn."""
    ends = [m.t_s for m in marks if m.what in ("open", "vent", "rest")]
    keep = trace.t < min(ends, default=math.inf)
    for start, end in asked_spans(marks):
        keep &= ~((trace.t >= start) & (trace.t < end))
    return trace.picked(keep)


def asked_spans(marks: Sequence[Mark]) -> tuple[tuple[float, float], ...]:
    """From when to when (s) a volume was out, and the minute in which the gas comes to rest again."""
    spans = []
    for mark in marks:
        if mark.what == "draw":
            back = min((m.t_s for m in marks if m.what == "return" and m.t_s > mark.t_s), default=math.inf)
            spans.append((mark.t_s, back + 2 * SETTLES_S))
    return tuple(spans)
