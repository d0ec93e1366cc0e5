"""What is known of an instrument and of the air round the tank: the parts of a leak's uncertainty that no trace shows.

A gauge's description is kept in the shop's list and printed on the record. Resolution, drift and lag do not average
away (GUM, JCGM 100:2008, F.2.2: the resolution of an indication is a rectangular distribution of its own).
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Literal

from pydantic import Field

from bathyx.core.formula import formula
from bathyx.core.proving.readings import ATMOSPHERE_KPA
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

BAROMETER = formula(
    "proving.barometer",
    "Wandering of the barometer",
    "p_abs = p_gauge + p_atm: a rate of the air pressure reads as a leak of V·rate/P₀",
    source="Rates by the words of marine forecasts: slowly 1.5 hPa, plainly 3.5 hPa, quickly 6.0 hPa in 3 h "
    "(Met Office glossary, from memory); p(h) of the ICAO standard atmosphere, Doc 7488",
    valid="a gauge that reads against the air and no barometer read beside it",
    check="tests/core/test_decay.py",
    tolerance="a bound, added to the interval in full",
)
Weather = Literal["settled", "changing", "unsettled", "storm"]
WEATHER_KPA_PER_H: dict[str, float] = {"settled": 0.05, "changing": 0.117, "unsettled": 0.2, "storm": 0.4}
WEATHER_WORDS: dict[str, str] = {
    "settled": "Settled: the barometer moves slowly",
    "changing": "Changing: it rises or falls plainly",
    "unsettled": "Unsettled, or not known",
    "storm": "A front or a storm passes",
}
CLASS = 0.01  # of the range: accuracy class 1 of EN 837-1, from memory
HIGHEST_BARO_KPA, LOWEST_KNOWN_KPA = 105.0, 74.0  # sea level in a strong high; 2,500 m in a low


class GaugeKind(Frozen):
    """A kind of gauge as its maker describes it. Resolutions and lag None: not known, taken from the trace or as the worst usual.

    `drift_kpa_per_h` and `temp_drift_k_per_h` are standard uncertainties of a slow wandering of the sensors.
    `temp_lag_s` is how far the thermometer may lag the air, as a time constant. `accuracy_kpa`: how far off a reading may be;
    not said, it is taken as CLASS of the range. `last_check`, `check_due`: of its calibration, as written in the shop's list.
    """

    name: str = Field("unknown gauge", min_length=1, max_length=80)
    range_kpa: float = Field(100.0, gt=0, le=10_000)
    resolution_kpa: float | None = Field(None, gt=0, le=10)
    noise_kpa: float = Field(0.004, ge=0, le=10)
    drift_kpa_per_h: float = Field(0.005, ge=0, le=10)
    absolute: bool = False
    temp_resolution_c: float | None = Field(None, gt=0, le=5)
    temp_lag_s: float | None = Field(None, ge=0, le=3600)
    temp_drift_k_per_h: float = Field(0.02, ge=0, le=5)
    barometer: bool = False
    baro_resolution_kpa: float = Field(0.01, gt=0, le=1)
    accuracy_kpa: float | None = Field(None, ge=0, le=100)
    last_check: str = Field("", max_length=40)
    check_due: str = Field("", max_length=40)

    @property
    def off_kpa(self) -> float:
        """How far a reading may be from the truth, kPa; CLASS of the range where nothing is said."""
        return self.range_kpa * CLASS if self.accuracy_kpa is None else self.accuracy_kpa

    def overdue(self, day: str) -> bool:
        """Whether its check was due before a day, 2026-11-29; False where none is said. Both stand as ISO dates."""
        try:
            return date.fromisoformat(self.check_due) < date.fromisoformat(day)
        except ValueError:
            return False

    def check_words(self, day: str = "") -> str:
        """When it was last held against a better one, for the record of a run on that day."""
        due = f", due {self.check_due}" if self.check_due else ""
        due += ": OVERDUE" if self.overdue(day) else ""
        return f"last checked {self.last_check}{due}" if self.last_check else f"last check not on record{due}"

    @property
    def words(self) -> str:
        """One line for records."""
        steps = "resolution not known" if self.resolution_kpa is None else f"{self.resolution_kpa * 1000:g} Pa steps"
        lag = "lag not known" if self.temp_lag_s is None else f"thermometer lag up to {self.temp_lag_s:g} s"
        kind = "absolute" if self.absolute else "gauge"
        baro = ", with barometer" if self.barometer else ""
        return f"{self.name}: {kind}, to {self.range_kpa:g} kPa, {steps}, {lag}{baro}"


UNKNOWN = GaugeKind()
EYE = GaugeKind(name="dial, 1 kPa marks", range_kpa=60, resolution_kpa=0.5, noise_kpa=0.1, accuracy_kpa=0.6)
UNKNOWN_LAG_S = 300.0


@dataclass(frozen=True)
class Surroundings:
    """The air round the tank. `barometer_kpa`: read at start and end; altitude None: not known, up to 2,500 m."""

    weather: Weather = "unsettled"
    altitude_m: float | None = None
    barometer_kpa: tuple[float, float] | None = None
    barometer_step_kpa: float = 0.1

    @property
    def rate_kpa_per_h(self) -> float:
        """How fast the unread barometer may move."""
        return WEATHER_KPA_PER_H[self.weather]

    @property
    def level_kpa(self) -> float:
        """Air pressure as far as it is known."""
        if self.barometer_kpa is not None:
            return sum(self.barometer_kpa) / 2
        return standard_kpa(self.altitude_m or 0.0)

    @property
    def level_bounds_kpa(self) -> tuple[float, float]:
        """How far the air pressure may be below and above `level_kpa`."""
        if self.barometer_kpa is not None:
            return -0.3, 0.3
        if self.altitude_m is not None:
            return -4.0, 4.0
        return LOWEST_KNOWN_KPA - ATMOSPHERE_KPA, HIGHEST_BARO_KPA - ATMOSPHERE_KPA


def standard_kpa(altitude_m: float) -> float:
    """Air pressure of the standard atmosphere at -500 to 5,000 m; Refusal outside. ICAO Doc 7488, eq. for the troposphere."""
    if not -500 <= altitude_m <= 5000:
        raise Refusal(f"an altitude of {altitude_m:g} m is outside -500 to 5000 m")
    return float(ATMOSPHERE_KPA * (1 - 2.25577e-5 * altitude_m) ** 5.25588)
