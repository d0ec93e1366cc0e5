"""Energy stored in compressed air: what would be set free if the tank burst."""

from __future__ import annotations

from bathyx.core.formula import Figure, formula
from bathyx.core.proving.readings import ATMOSPHERE_KPA
from bathyx.errors import Refusal

GAMMA = 1.4
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


def stored_energy(gauge_kpa: float, volume_l: float) -> Figure:
    """The figure that stands beside the start button; the working compares it with a falling mass."""
    energy = stored_energy_j(gauge_kpa, volume_l)
    drop = energy / (10 * 9.80665)
    working = f"{volume_l:.1f} L at {gauge_kpa:.1f} kPa: {energy:.0f} J, as 10 kg falling {drop:.1f} m"
    return Figure("Stored energy", energy, "energy", STORED, working)
