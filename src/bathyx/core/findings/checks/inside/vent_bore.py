"""Do the vents let the air out as fast as the tank is filled?"""

from __future__ import annotations

import math
from collections.abc import Iterator

from bathyx.core.findings.finding import Finding, Remedy
from bathyx.core.formula import formula
from bathyx.core.job import Job
from bathyx.core.results import Results
from bathyx.core.units import kpa, mm

BORE = formula(
    "inside.vent",
    "Back pressure of the vents",
    "Δp = ½ ρ (Q / Σ A)² (1.5 + f L / d), ρ = 1.2 kg/m³, f = 0.03, 2 m of hose",
    source="Darcy and Weisbach with entry and exit losses, e.g. White, Fluid Mechanics, ch. 6, from memory",
    valid="open hoses without kinks; a cap vent or a flame arrester adds its own loss",
    check="tests/core/test_findings.py",
    tolerance="±30 % (engineering estimate)",
)
AIR, FRICTION, HOSE_MM, LEAST_FUEL_MM = 1.2, 0.03, 2000.0, 11.0
LIMIT_KPA = 0.5


def back_pressure_kpa(bores_mm: list[float], fill_l_min: float) -> float:
    """Pressure in the tank while it is filled, kPa; the narrowest bore's friction counts for all."""
    area = sum(math.pi / 4 * (d / 1000) ** 2 for d in bores_mm)
    speed = fill_l_min / 60000 / area
    return 0.5 * AIR * speed**2 * (1.5 + FRICTION * HOSE_MM / min(bores_mm)) / 1000


def check(job: Job, r: Results) -> Iterator[Finding]:
    """Too much back pressure for the filling rate, or a vent that a drop of fuel closes."""
    vents = [(i, f) for i, f in enumerate(job.inside.fittings) if f.does == "vent"]
    if not vents or job.brief.pressure == "pressurised":
        return
    bores = [f.hole_mm for _, f in vents]
    pressure = back_pressure_kpa(bores, job.brief.fill_l_min)
    narrow = r.fluid.fuel and max(bores) < LEAST_FUEL_MM
    if pressure <= LIMIT_KPA and not narrow:
        return
    wanted = next(
        (d for d in (12.0, 16.0, 20.0, 26.0, 32.0, 40.0) if _enough(d, len(bores), job.brief.fill_l_min)), 50.0
    )
    changes = []
    for i, f in vents:
        ring = max(f.ring_od_mm, wanted + 18.0)
        changes += [(f"inside.fittings.{i}.hole_mm", wanted), (f"inside.fittings.{i}.ring_od_mm", ring)]
    yield Finding(
        "vent.bore",
        "warn",
        f"Filled at {job.brief.fill_l_min:.0f} L/min the vents leave {kpa(pressure, 2)} in the tank: the nozzle clicks off or spits"
        if pressure > LIMIT_KPA
        else f"No vent has a bore of {mm(LEAST_FUEL_MM)}: a drop of fuel closes it",
        f"at most {kpa(LIMIT_KPA, None)} while filling; fuel vents of {mm(LEAST_FUEL_MM)} bore or more",
        f"{BORE.source}; 11 mm: ISO 10088, from memory; 0.5 kPa is Bathyx's own line",
        "inside",
        f"fitting:{vents[0][1].id}",
        f"{kpa(pressure, 2)}",
        f"at most {kpa(LIMIT_KPA, None)}",
        Remedy(f"Vents of {mm(wanted)}", tuple(changes)),
    )


def _enough(bore: float, count: int, rate: float) -> bool:
    return back_pressure_kpa([bore] * count, rate) <= LIMIT_KPA
