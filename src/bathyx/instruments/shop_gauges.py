"""The shop's list of gauges: kinds that ship with Bathyx, and the shop's own in `gauges.json` of the home folder."""

from __future__ import annotations

from pathlib import Path

from pydantic import TypeAdapter

from bathyx.core.proving.gauges import EYE, UNKNOWN, GaugeKind
from bathyx.errors import Refusal
from bathyx.instruments.kept_lists import read_list, write_list

SIMULATED_KIND = GaugeKind(
    name="simulated gauge",
    resolution_kpa=0.0001,
    noise_kpa=0.004,
    temp_resolution_c=0.001,
    temp_lag_s=0,
    barometer=True,
    baro_resolution_kpa=0.001,
    accuracy_kpa=0.01,
)
SHIPPED: tuple[GaugeKind, ...] = (
    UNKNOWN,
    SIMULATED_KIND,
    EYE.model_copy(update={"temp_resolution_c": 0.5, "temp_lag_s": 300}),
    GaugeKind(
        name="digital, 0.1 kPa",
        range_kpa=100,
        resolution_kpa=0.1,
        noise_kpa=0.03,
        temp_resolution_c=0.1,
        temp_lag_s=180,
        accuracy_kpa=0.3,
    ),
    GaugeKind(
        name="fine digital, 1 Pa",
        range_kpa=70,
        resolution_kpa=0.001,
        temp_resolution_c=0.01,
        temp_lag_s=60,
        accuracy_kpa=0.07,
    ),
    GaugeKind(
        name="fine digital with barometer",
        range_kpa=70,
        resolution_kpa=0.001,
        temp_resolution_c=0.01,
        temp_lag_s=60,
        barometer=True,
        accuracy_kpa=0.07,
    ),
    GaugeKind(
        name="fine absolute, 1 Pa",
        range_kpa=200,
        resolution_kpa=0.001,
        temp_resolution_c=0.01,
        temp_lag_s=60,
        absolute=True,
        accuracy_kpa=0.2,
    ),
)
_LIST = TypeAdapter(list[GaugeKind])


class GaugeListError(Refusal):
    """The shop's list cannot be read; the message says what to do."""


def _own(home: Path) -> list[GaugeKind]:
    return read_list(home / "gauges.json", _LIST, GaugeListError)


def shop_gauges(home: Path) -> dict[str, GaugeKind]:
    """Every gauge by name, the shop's own last; GaugeListError when its file is broken."""
    return {kind.name: kind for kind in (*SHIPPED, *_own(home))}


def keep_gauge(home: Path, kind: GaugeKind) -> None:
    """Add a gauge to the shop's own, or replace the one of its name. OSError when it cannot be written."""
    write_list(home / "gauges.json", [*(k for k in _own(home) if k.name != kind.name), kind])
