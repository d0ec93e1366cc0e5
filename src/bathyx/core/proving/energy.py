"""Energy stored in compressed air: what would be set free if the tank burst."""

from __future__ import annotations

from bathyx.core.formula import Figure, formula
from bathyx.core.proving.plan import PlannedTest
from bathyx.core.proving.readings import ATMOSPHERE_KPA
from bathyx.errors import Refusal

GAMMA = 1.4
WARN_J = 2500.0
STOP_J = 20_000.0
J_PER_KG_TNT = 4.27e6
SCALED_M = 20.0  # m for each cube root of a kilogram
STAND_OFF = formula(
    "proving.stand_off",
    "Distance to stand off",
    "R = 20 · (E / 4.27 MJ)^⅓ m, E the stored energy",
    source="ASME PCC-2, article 501, mandatory appendix III (TNT equivalent, scaled distance of 20 m/kg^⅓ for a biological "
    "effect of none), from memory",
    valid="a whole burst; a seam that parts sets free less",
    check="tests/core/test_judgement.py: 102 kJ",
    tolerance="a rule, as printed",
)
STORED = formula(
    "proving.energy",
    "Stored energy of compressed air",
    "E = P V / (γ − 1) · [1 − (Pa / P)^((γ − 1)/γ)], γ = 1.4",
    source="Isentropic expansion; ASME PCC-2, article 501, mandatory appendix II: E = 2.5 P V [1 − (Pa/P)^0.286]",
    valid="air, absolute pressures",
    check="tests/outside/test_gas_laws.py",
    tolerance="exact for ideal air; a real burst releases less",
)


def stored_energy_j(gauge_kpa: float, volume_l: float) -> float:
    """Joules in `volume_l` of air at `gauge_kpa` above the atmosphere; Refusal below zero."""
    if gauge_kpa < 0 or volume_l < 0:
        raise Refusal(f"stored energy needs pressure and volume of zero or more; got {gauge_kpa:g} kPa, {volume_l:g} L")
    absolute = gauge_kpa + ATMOSPHERE_KPA
    return float(absolute * volume_l / (GAMMA - 1) * (1 - (ATMOSPHERE_KPA / absolute) ** ((GAMMA - 1) / GAMMA)))


def stand_off_m(energy_j: float) -> float:
    """How far people stay off, m.

    >>> round(stand_off_m(102_000), 1)
    5.8
    """
    return float(SCALED_M * (max(energy_j, 0.0) / J_PER_KG_TNT) ** (1 / 3))


def energy_refusal(test: PlannedTest, energy_j: float) -> str:
    """Why so much air does not go in; empty below STOP_J, for water, and where a reason and a distance are in the plan."""
    if not test.uses_air or energy_j <= STOP_J:
        return ""
    wanted = stand_off_m(energy_j)
    if test.reason.strip() and test.stand_off_m is not None and test.stand_off_m >= wanted - 0.05:
        return ""
    return (
        f"Refused: the air would store {energy_j:.0f} J, above {STOP_J:.0f} J. Fill with water, test it in parts, or write in the "
        f"plan why air has to do and that everybody stands off {wanted:.1f} m at least"
    )


def stored_energy(gauge_kpa: float, volume_l: float) -> Figure:
    """The figure that stands beside the start button; the working compares it with a falling mass."""
    energy = stored_energy_j(gauge_kpa, volume_l)
    drop = energy / (10 * 9.80665)
    working = f"{volume_l:.1f} L at {gauge_kpa:.1f} kPa: {energy:.0f} J, as 10 kg falling {drop:.1f} m"
    return Figure("Stored energy", energy, "energy", STORED, working)
