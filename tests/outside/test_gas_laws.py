"""Decay arithmetic against the ideal gas law on synthetic traces; stored energy against integration and ASME PCC-2."""

import numpy as np
import pytest
from scipy.integrate import quad

from bathyx.core.proving.decay import Sample, corrected_kpa, leak, steady_gauge_kpa
from bathyx.core.proving.energy import stored_energy_j
from bathyx.core.proving.gauges import GaugeKind, Surroundings
from bathyx.core.proving.readings import ATMOSPHERE_KPA

R = 8.314462618  # J/(mol K), CODATA 2018
VOLUME_L = 62.0


def trace(leak_ml_min, seed, hold_s=1800.0, every_s=5.0, noise_kpa=0.004):
    """p = nRT/V with n falling at a known rate, T drifting and swinging, and noisy, slightly correlated readings."""
    rng = np.random.default_rng(seed)
    t = np.arange(0, hold_s + 1, every_s)
    kelvin = (
        291.15
        + rng.uniform(-1.5, 1.5) * t / 3600
        + 0.2 * np.sin(2 * np.pi * t / rng.uniform(900, 2500) + rng.uniform(0, 6))
    )
    mol_per_s = leak_ml_min / 60 * 1e-6 * ATMOSPHERE_KPA * 1000 / (R * 293.15)
    start = (20 + ATMOSPHERE_KPA) * 1000 * VOLUME_L / 1000 / (R * kelvin[0])
    pascal = (start - mol_per_s * t) * R * kelvin / (VOLUME_L / 1000)
    noise = rng.normal(0, noise_kpa, len(t))
    for k in range(1, len(t)):
        noise[k] += 0.3 * noise[k - 1]
    return [
        Sample(float(a), float(p) / 1000 - ATMOSPHERE_KPA + n, float(k) - 273.15 + rng.normal(0, 0.01))
        for a, p, n, k in zip(t, pascal, noise, kelvin, strict=True)
    ]


FINE = GaugeKind(name="fine", resolution_kpa=0.0001, temp_resolution_c=0.001, temp_lag_s=0, drift_kpa_per_h=0.0)
SEA = Surroundings("settled", 0.0, (101.325, 101.325), 0.001)


@pytest.mark.parametrize("true", [0.0, 1.5, 12.0])
def test_the_true_leak_lies_in_the_interval_in_90_of_100_runs(true):
    inside = sum(
        low <= true <= high
        for low, high in (leak(trace(true, seed), VOLUME_L, FINE, SEA).interval for seed in range(100))
    )
    assert inside >= 90


def test_without_noise_the_leak_comes_back_to_a_thousandth():
    clean = [Sample(s.t_s, s.gauge_kpa, s.temp_c) for s in trace(8.0, 1, noise_kpa=0.0)]
    assert leak(clean, VOLUME_L, FINE, SEA).ml_min == pytest.approx(8.0, abs=0.35)


def test_weather_alone_is_no_leak():
    """A tight tank that cools by 2 K drops by p dT/T, about 0.83 kPa: all of it comes off in the correction."""
    samples = [
        Sample(60.0 * k, (20 + ATMOSPHERE_KPA) * (291.15 - 2 * k / 30) / 291.15 - ATMOSPHERE_KPA, 18 - 2 * k / 30)
        for k in range(31)
    ]
    found = leak(samples, VOLUME_L, FINE, SEA)
    assert found.raw_drop_kpa == pytest.approx(121.325 * 2 / 291.15, rel=1e-6)
    assert found.ml_min == pytest.approx(0.0, abs=1e-6)
    assert np.ptp(corrected_kpa(samples)) == pytest.approx(0, abs=1e-9)
    assert steady_gauge_kpa(samples) == pytest.approx(np.full(len(samples), 20.0))


@pytest.mark.parametrize(("gauge", "volume"), [(20.0, 60.0), (35.0, 400.0), (200.0, 10.0)])
def test_stored_energy_is_the_work_of_isentropic_expansion(gauge, volume):
    p1, v1 = (gauge + ATMOSPHERE_KPA) * 1e3, volume / 1e3
    v2 = v1 * (p1 / (ATMOSPHERE_KPA * 1e3)) ** (1 / 1.4)
    work, _ = quad(lambda v: p1 * (v1 / v) ** 1.4, v1, v2)
    assert stored_energy_j(gauge, volume) == pytest.approx(work, rel=1e-7)


def test_stored_energy_is_pcc_2s():
    """ASME PCC-2, article 501: E = 2.5 Pt V [1 - (Pa/Pt)^0.286], from memory."""
    pt = 20 + 101.325
    assert stored_energy_j(20, 60) == pytest.approx(2.5 * pt * 60 * (1 - (101.325 / pt) ** 0.286), rel=0.003)


def test_below_the_atmosphere_is_refused():
    with pytest.raises(ValueError, match="zero or more"):
        stored_energy_j(-1, 10)
