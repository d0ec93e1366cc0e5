"""Is there enough air energy in the test to prefer water, or so much that air may not be used as if it were nothing?"""

from __future__ import annotations

from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.job import Job
from bathyx.core.proving.energy import STAND_OFF, STOP_J, STORED, WARN_J, energy_refusal, stand_off_m, stored_energy_j
from bathyx.core.results import Results
from bathyx.core.units import joules


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Large volumes are filled with water first; above STOP_J it is a stop, until reason and distance are in the plan."""
    airs = [(i, t) for i, t in enumerate(job.proving.tests) if t.uses_air and t.what == "tank"]
    if not airs:
        return
    i, test = max(airs, key=lambda pair: pair[1].test_kpa)
    energy = stored_energy_j(test.test_kpa, r.capacity.net.value)
    if energy <= WARN_J:
        return
    much = bool(energy_refusal(test, energy))
    line = STOP_J if much else WARN_J
    at = f"proving.tests.{i}"
    off = f"; else everybody stands off {stand_off_m(energy):.1f} m, and the plan says why" if energy > STOP_J else ""
    press = Remedy("Test by water under pressure", ((f"{at}.method", "water_press"), (f"{at}.hold_min", 30.0)))
    fill = Remedy(
        "Test by water fill", ((f"{at}.method", "water_fill"), (f"{at}.hold_min", 1440.0), (f"{at}.test_kpa", 0.0))
    )
    pressed = r.fluid.fuel or job.brief.pressure == "pressurised"
    yield Finding(
        "prove.energy",
        "stop" if much else "warn",
        f"The air test stores {joules(energy)}; fill with water first, test with water and a small air space, or in parts{off}",
        "air tests of large volumes only after water",
        f"{STORED.source}; {STAND_OFF.source}; {WARN_J:g} J (10 kg falling 25 m) and {STOP_J:g} J are Bathyx's own lines",
        "prove",
        "",
        f"{joules(energy)}",
        f"{joules(line)}",
        press if pressed else fill,
        (fill,) if pressed else (press,),
    )
