"""Openings and fittings: round holes on faces, with the ring or boss that carries them and what reaches inside."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import Field, field_validator

from bathyx.core.geometry.shell import Array, Shell, covers
from bathyx.core.material import fitting_metals
from bathyx.core.memory import remembered
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

FittingKind = Literal["filler", "vent", "pickup", "return", "drain", "sender", "inspection", "balance", "limber"]


@dataclass(frozen=True)
class FittingUse:
    """How a kind is usually made: hole and ring in mm, and the source of that; `bought_kg` is what is screwed in, a guess."""

    title: str
    hole_mm: float
    ring_mm: float
    ring_od_mm: float
    source: str
    bought_kg: float = 0.0


USES: dict[str, FittingUse] = {
    "filler": FittingUse("Filler", 50, 3, 80, "50 mm (2 in) neck, common practice", 0.3),
    "vent": FittingUse("Vent", 12, 6, 30, "small bore, two of them front and rear, common practice", 0.05),
    "pickup": FittingUse("Pickup", 14, 6, 36, "tube of 10 to 14 mm through a boss, common practice", 0.1),
    "return": FittingUse("Return", 14, 6, 36, "as the feed, common practice", 0.05),
    "drain": FittingUse("Drain", 20, 6, 42, "3/4 to 2 in, common practice", 0.1),
    "sender": FittingUse("Level sender", 54, 6, 80, "five-hole flange with a 54 mm opening, from memory", 0.25),
    "inspection": FittingUse(
        "Inspection port", 150, 6, 200, "100 to 200 mm, gasket and 6 or more screws, common practice", 0.6
    ),
    "limber": FittingUse("Limber tube", 38, 0, 0, "bilge water runs through; 32 to 50 mm, from memory", 0.0),
    "balance": FittingUse("Balance pipe", 22, 6, 42, "bore of 20 mm and more between two lobes, common practice", 0.15),
}


class Fitting(Frozen):
    """A hole of `hole_mm` at (u, v) on `face` (see Face.frame), with a ring or boss of `ring_mm` thick.

    `floor_clear_mm`: how far a pickup's inlet stands above the floor. `swing_mm`: a sender float's arm.
    """

    id: str = Field(min_length=1, max_length=40)
    kind: FittingKind
    face: str = Field(max_length=80)
    u_mm: float = Field(ge=-20_000, le=20_000)
    v_mm: float = Field(ge=-20_000, le=20_000)
    hole_mm: float = Field(gt=0, le=600)
    ring_mm: float = Field(0.0, ge=0, le=50)
    ring_od_mm: float = Field(0.0, ge=0, le=800)
    floor_clear_mm: float = Field(12.0, ge=0, le=500)
    swing_mm: float = Field(0.0, ge=0, le=2000)
    metal: str = Field("as_sheet", max_length=40)

    @field_validator("metal")
    @classmethod
    def _metal_exists(cls, key: str) -> str:
        if key not in fitting_metals():
            raise Refusal(f"no fitting material {key!r}; there are {', '.join(fitting_metals())}")
        return key

    @property
    def title(self) -> str:
        """Name for people."""
        return USES[self.kind].title


def usual(kind: FittingKind, id_: str, face: str, u_mm: float, v_mm: float) -> Fitting:
    """A fitting with the usual sizes of its kind.

    Args:
        kind: what it is for.
        id_: its name.
        face: it sits on.
        u_mm: its place on the face, as `Face.frame` measures.
        v_mm: likewise.

    >>> usual("filler", "filler", "top", 100.0, 80.0).hole_mm
    50.0
    """
    use = USES[kind]
    return Fitting(
        id=id_,
        kind=kind,
        face=face,
        u_mm=u_mm,
        v_mm=v_mm,
        hole_mm=use.hole_mm,
        ring_mm=use.ring_mm,
        ring_od_mm=use.ring_od_mm,
        swing_mm=120.0 if kind == "sender" else 0.0,
    )


def seat(shell: Shell, fitting: Fitting) -> Array | None:
    """Centre of the fitting's hole in space, (3,), or None when its face is not in this tank."""
    face = shell.by_id.get(fitting.face)
    return None if face is None else face.place(fitting.u_mm, fitting.v_mm)


def floor_below(shell: Shell, x: float, y: float) -> float:
    """Height of the floor under (x, y), mm; the tank's lowest level outside its plan."""
    return next(_heights(shell, x, y, -1.0), float(shell.bounds[0][2]))


def roof_above(shell: Shell, x: float, y: float) -> float:
    """Height of the roof over the floor at (x, y), mm: the first one met on the way up; the highest level outside the plan."""
    floor = floor_below(shell, x, y)
    return min((z for z in _heights(shell, x, y, 1.0) if z > floor + 1e-6), default=float(shell.bounds[1][2]))


def _heights(shell: Shell, x: float, y: float, way: float) -> Iterator[float]:
    """Heights at (x, y) of the faces that look down (`way` -1) or up (1)."""
    for face in shell.faces:
        if any(covers(hole[:, :2], x, y) for hole in face.holes):
            continue
        for loops, normals in face.blocks:
            low, high = loops[:, :, :2].min(axis=1), loops[:, :, :2].max(axis=1)
            near = (
                (way * normals[:, 2] > 1e-6)
                & (low[:, 0] <= x)
                & (x <= high[:, 0])
                & (low[:, 1] <= y)
                & (y <= high[:, 1])
            )
            for k in np.flatnonzero(near).tolist():
                loop, n = loops[k], normals[k]
                if covers(loop[:, :2], x, y):
                    yield float(loop[0, 2] - ((x - loop[0, 0]) * n[0] + (y - loop[0, 1]) * n[1]) / n[2])


@remembered()
def inlets(shell: Shell, fittings: tuple[Fitting, ...]) -> tuple[tuple[Fitting, Array], ...]:
    """(pickup, inlet point (3,)): through the top the tube ends above the floor; through a wall it is the hole."""
    found = []
    for fitting in fittings:
        spot = seat(shell, fitting) if fitting.kind == "pickup" else None
        if spot is None:
            continue
        inlet = spot.copy()
        if shell.by_id[fitting.face].normal_at(spot)[2] > 0.1:
            inlet[2] = floor_below(shell, spot[0], spot[1]) + fitting.floor_clear_mm
        found.append((fitting, inlet))
    return tuple(found)


@remembered()
def limber_tubes(shell: Shell, fittings: tuple[Fitting, ...]) -> tuple[tuple[Fitting, Array, Array], ...]:
    """(fitting, end (3,), end (3,)) of each tube that runs through the tank: limbers in pairs, in the order they stand in."""
    spots = [(f, spot) for f in fittings if f.kind == "limber" and (spot := seat(shell, f)) is not None]
    return tuple((f, a, b) for (f, a), (_, b) in zip(spots[0::2], spots[1::2], strict=False))


@remembered()
def balance_pipes(shell: Shell, fittings: tuple[Fitting, ...]) -> tuple[tuple[Array, Array], ...]:
    """(end (3,), end (3,)) of each balance pipe: its fittings in pairs, in the order they stand in; an odd one joins nothing."""
    spots = [spot for f in fittings if f.kind == "balance" and (spot := seat(shell, f)) is not None]
    return tuple(zip(spots[0::2], spots[1::2], strict=False))
