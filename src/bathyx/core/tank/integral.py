"""The integral family: the walls are the measured hull; a bulkhead before and behind and a lid close it. Sizes in mm as the hull's
stations have them: x along, offsets from the centre line, z up.
"""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from bathyx.core.geometry.hull import hull_face
from bathyx.core.geometry.shell import Array, Face, faces_volume_mm3
from bathyx.core.space.base import MeasuredSpace
from bathyx.core.space.stations import Station, StationSpace
from bathyx.core.tank.family import LiveDim, MakeUpPlan, TankFamily, size
from bathyx.core.units.frozen import checked
from bathyx.errors import Refusal

FAR, LEAST_MM, ROUND, BAYS = -100_000.0, 40.0, 17, 24
ENDS_LEFT_OUT = (0.0, 0.1, 0.2, 0.3, 0.4)


class IntegralTank(TankFamily):
    """Part of a hull from `from_mm` to `to_mm` along, below `top_mm`. Bulkheads and lid are cut from `sheet`; the hull is there."""

    title: ClassVar[str] = "Integral"
    words: ClassVar[str] = "part of a measured hull, whose walls it has, between two bulkheads and under a lid"
    plans: ClassVar[dict[str, MakeUpPlan]] = {"plates": MakeUpPlan()}
    built_in: ClassVar[bool] = True

    family: Literal["integral"] = "integral"
    from_mm: float = size("Front bulkhead at", least=FAR, most=-FAR)
    to_mm: float = size("Rear bulkhead at", least=FAR, most=-FAR)
    top_mm: float = size("Lid at the height", least=FAR, most=-FAR)
    lap_mm: float = size("Lid runs over by", least=-0.001, most=200, default=0.0)
    runs: Literal["fair", "straight"] = "fair"
    stations: tuple[Station, ...] = Field(min_length=2, max_length=200)

    @model_validator(mode="after")
    def _lies_in_the_hull(self) -> IntegralTank:
        cavity = self._hull().cavity
        first, last = float(cavity.xs[0]), float(cavity.xs[-1])
        if self.to_mm - self.from_mm < LEAST_MM:
            raise Refusal(
                f"bulkheads at {self.from_mm:g} and {self.to_mm:g} mm: the rear one stands {LEAST_MM:g} mm or more behind"
            )
        if self.from_mm < first - 1e-6 or self.to_mm > last + 1e-6:
            raise Refusal(f"the hull was measured from {first:g} to {last:g} mm; a tank in it lies between these")
        xs = np.linspace(self.from_mm, self.to_mm, BAYS + 1)
        low, high = np.interp(xs, cavity.xs, cavity.low), np.interp(xs, cavity.xs, cavity.high)
        if self.top_mm > high.min() + 1e-6:
            raise Refusal(
                f"a lid at {self.top_mm:g} mm stands above the hull, which was measured up to {high.min():g} mm there"
            )
        if self.top_mm - low.max() < LEAST_MM:
            left = self.top_mm - low.max()
            raise Refusal(f"a lid at {self.top_mm:g} mm leaves {left:.0f} mm over the keel; {LEAST_MM:g} mm at least")
        return self

    def _hull(self) -> StationSpace:
        return StationSpace.model_construct(stations=self.stations, runs=self.runs, obstacles=(), seat=None)

    def _grid(self) -> Array:
        """(m, 2 ROUND, 3): round each section from the top of the left wall down, and up the right one; x, y, z of the tank."""
        cavity = self._hull().cavity
        inner = cavity.xs[(cavity.xs > self.from_mm + 1) & (cavity.xs < self.to_mm - 1)]
        step = max(1, len(inner) // BAYS)
        xs = np.concatenate([[self.from_mm], inner[::step], [self.to_mm]])
        low = np.interp(xs, cavity.xs, cavity.low)
        share = (
            np.sin(np.linspace(0, np.pi / 2, ROUND))[::-1] ** 2
        )  # closer together where hulls turn: at the keel and at the top
        z = low[:, None] + (self.top_mm - low)[:, None] * share
        x = np.repeat(xs[:, None], ROUND, axis=1)
        left, right, _, _ = (part.reshape(z.shape) for part in cavity.around(x.ravel(), z.ravel()))
        sides = np.stack([x, left, z], axis=2), np.stack([x, right, z], axis=2)[:, ::-1]
        keel = float((sides[1][:, 0, 1] - sides[0][:, -1, 1]).max()) < 1e-6  # one line, or a flat bottom
        grid = np.concatenate([sides[0], sides[1][:, 1:] if keel else sides[1]], axis=1)
        # Chords lie inside a hull: breadths are matched so that the whole holds what its walls hold.
        part = cavity.cut(0, self.from_mm, True)
        part = part and part.cut(0, self.to_mm, False)
        part = part and part.cut(2, self.top_mm, False)
        if part is not None:
            mine = faces_volume_mm3(_closed(grid - grid.reshape(-1, 3).min(axis=0)))
            grid[..., 1] *= part.volume_mm3 / mine
        return grid

    def plan(self, school: str) -> MakeUpPlan | None:
        """Plates; the lid may run over onto cleats and bulkhead flanges."""
        laps = (("lid", self.lap_mm),) if self.lap_mm > 0 else ()
        return MakeUpPlan(laps=laps) if school in self.plans else None

    def written(self, document: dict[str, Any]) -> dict[str, Any]:
        """Without a lap where there is none, so that what was frozen before reads the same."""
        return {name: v for name, v in super().written(document).items() if name != "lap_mm" or v}

    def faces(self, split: str | None = None) -> list[Face]:
        """The hull, the lid, the two bulkheads."""
        grid = self._grid()
        grid = grid - grid.reshape(-1, 3).min(axis=0)
        return _closed(grid)

    def seat_mm(self) -> tuple[float, float, float]:
        """Where its lowest, leftmost, foremost corner lies in the hull, inside."""
        x, y, z = (float(v) for v in self._grid().reshape(-1, 3).min(axis=0))
        return x, y, z

    @classmethod
    def started(cls, box: dict[str, float], sheet: str) -> TankFamily:
        """A hull with upright sides and a bilge, of about the box."""
        half, high, long = box["width"] / 2, box["height"], box["length"]
        shape = ((0, 0.5 * half), (0.25 * high, 0.9 * half), (high, half))
        rows = [{"z_mm": z, "left_mm": y, "right_mm": y} for z, y in shape]
        stations = [{"x_mm": x, "rows": rows} for x in (0.0, long / 2, long)]
        sizes = {"from_mm": 0.0, "to_mm": long, "top_mm": high, "runs": "straight"}
        return checked(cls, {"sheet": sheet, "stations": stations, **sizes})

    @classmethod
    def started_in(cls, space: MeasuredSpace, box: dict[str, float], sheet: str) -> TankFamily:
        """In the hull that was measured: from end to end of it, or as far in as its keel leaves depth, up to its lowest sheer.

        Refusal where no part of that hull holds a tank, or where no hull was measured: its walls would be invented.
        """
        if not isinstance(space, StationSpace):
            raise Refusal("its walls are a measured hull: measure the space as stations first, by offsets or a scan")
        cavity, why = space.cavity, ""
        first, last = float(cavity.xs[0]), float(cavity.xs[-1])
        for share in ENDS_LEFT_OUT:
            a, b = first + share * (last - first), last - share * (last - first)
            top = float(np.interp(np.linspace(a, b, BAYS + 1), cavity.xs, cavity.high).min())
            sizes = {"from_mm": a, "to_mm": b, "top_mm": top, "runs": space.runs}
            try:
                return checked(cls, {"sheet": sheet, "stations": [s.model_dump() for s in space.stations], **sizes})
            except Refusal as error:
                why = str(error)
        raise Refusal(f"no tank goes into the hull as it was measured: {why}")

    def filled(self, box: dict[str, float]) -> dict[str, Any]:
        """Its walls are where they are: Refusal."""
        raise Refusal("the walls of an integral tank are the hull: move its bulkheads or its lid")

    def shortened(self, way: str, by_mm: float) -> dict[str, Any] | None:
        """By the rear bulkhead, or by the lid."""
        if way == "length":
            return {"to_mm": self.to_mm - by_mm} if self.to_mm - by_mm - self.from_mm > LEAST_MM else None
        return {"top_mm": self.top_mm - by_mm} if way == "height" else None

    def dims(self) -> list[LiveDim]:
        """Where the bulkheads and the lid stand."""
        spots = self._grid().reshape(-1, 3)
        n, w, h = np.ptp(spots, axis=0).tolist()
        zero = np.zeros(3)
        return [
            LiveDim("side", np.array([n, 0.0, 0.0]), zero, ""),
            LiveDim("side", zero, np.array([0.0, 0.0, h]), ""),
            LiveDim("end", np.array([0.0, w, 0.0]), zero, ""),
        ]


def _closed(grid: Array) -> list[Face]:
    """The faces round a grid: hull, lid, bulkheads."""
    lid = np.concatenate([grid[:, 0][::-1], grid[:, -1]])
    return [
        hull_face("hull", grid),
        Face("lid", _counter(lid, 2, 1.0), "lid", "roof"),
        Face("front bulkhead", _counter(grid[0][::-1], 0, -1.0), "front bulkhead", "end"),
        Face("rear bulkhead", _counter(grid[-1], 0, 1.0), "rear bulkhead", "end"),
    ]


def _counter(loop: Array, axis: int, way: float) -> Array:
    """A planar loop turned so that its normal points `way` along an axis; corners that stand in one place once."""
    keep = np.linalg.norm(loop - np.roll(loop, 1, axis=0), axis=1) > 1e-6
    loop = loop[keep]
    base = loop - loop[0]
    normal = np.cross(base[1:-1], base[2:]).sum(axis=0)
    return loop if normal[axis] * way > 0 else loop[::-1]
