"""Openings and fittings: round holes on faces, with the ring or boss that carries them and what reaches inside."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from pydantic import Field, field_validator, model_validator

from bathyx.core.geometry.shell import Array, Shell, covers
from bathyx.core.inside.kinds import DUTIES, kind
from bathyx.core.material import fitting_metals
from bathyx.core.memory import remembered
from bathyx.core.units.frozen import Frozen
from bathyx.errors import Refusal

LATER = ("thread", "duty", "stands_mm")


class Fitting(Frozen):
    """A hole of `hole_mm` at (u, v) on `face` (see Face.frame), with a ring or boss of `ring_mm` thick; 0 for what has no hole.

    `floor_clear_mm`: how far a pickup's inlet stands above the floor. `swing_mm`: a sender float's arm. `thread`: in words.
    `duty`: what it is used for, where that is not what its kind usually does. `stands_mm`: out of the face, 0 for the kind's.
    """

    id: str = Field(min_length=1, max_length=40)
    kind: str = Field(max_length=40)
    face: str = Field(max_length=80)
    u_mm: float = Field(ge=-20_000, le=20_000)
    v_mm: float = Field(ge=-20_000, le=20_000)
    hole_mm: float = Field(ge=0, le=600)
    ring_mm: float = Field(0.0, ge=0, le=50)
    ring_od_mm: float = Field(0.0, ge=0, le=800)
    floor_clear_mm: float = Field(12.0, ge=0, le=500)
    swing_mm: float = Field(0.0, ge=0, le=2000)
    metal: str = Field("as_sheet", max_length=40)
    thread: str = Field("", max_length=40)
    duty: str = Field("", max_length=20)
    stands_mm: float = Field(0.0, ge=0, le=1000)

    @field_validator("metal")
    @classmethod
    def _metal_exists(cls, key: str) -> str:
        if key not in fitting_metals():
            raise Refusal(f"no fitting material {key!r}; there are {', '.join(fitting_metals())}")
        return key

    @field_validator("kind")
    @classmethod
    def _kind_exists(cls, key: str) -> str:
        return kind(key).key

    @field_validator("duty")
    @classmethod
    def _duty_exists(cls, key: str) -> str:
        if key not in DUTIES:
            raise Refusal(f"no use {key!r} of a fitting; there are {', '.join(d for d in DUTIES if d)}")
        return key

    @model_validator(mode="after")
    def _hole_where_it_opens(self) -> Fitting:
        if not self.hole_mm and kind(self.kind).hole_mm:
            raise Refusal(f"{self.id}: a {self.title.lower()} needs a hole; give hole_mm above 0")
        if not self.hole_mm and self.duty:
            raise Refusal(f"{self.id}: a {self.title.lower()} has no hole, so it is no {self.duty}")
        return self

    @property
    def title(self) -> str:
        """Name for people."""
        return kind(self.kind).title

    @property
    def said(self) -> str:
        """Kind and name, for a list: `Pickup feed`, but not `Vent vent front` nor `Level sender sender`."""
        title, words = self.title, self.id.split()
        if self.id.lower() in title.lower():
            return title
        if words and words[0].lower() == title.lower():
            words = words[1:]
        return " ".join([title, *words])

    @property
    def does(self) -> str:
        """What the rules take it for: filler, vent, pickup, ...; nothing for what only holds."""
        return self.duty or kind(self.kind).does

    @property
    def opens(self) -> bool:
        """Whether fluid or air can pass through it."""
        return self.hole_mm > 0 and not kind(self.kind).closed

    @property
    def rim_mm(self) -> float:
        """Radius of what it covers of its face: the ring, or the hole where that is wider."""
        return max(self.hole_mm, self.ring_od_mm) / 2

    @property
    def out_mm(self) -> float:
        """How far it stands out of the face."""
        return max(self.ring_mm, self.stands_mm or kind(self.kind).stands_mm)

    @property
    def tube_od_mm(self) -> float:
        """Outside of the tube that reaches down from it."""
        return kind(self.kind).tube_mm or self.hole_mm

    @property
    def weld_mm(self) -> float:
        """Length of the weld that holds it, mm; nothing for a bare hole."""
        if not self.ring_mm:
            return 0.0
        return kind(self.kind).weld_mm or 2 * np.pi * self.rim_mm


def usual(key: str, id_: str, face: str, u_mm: float, v_mm: float, size: str = "") -> Fitting:
    """A fitting with the usual sizes of its kind, or those of one of its sizes.

    Args:
        key: its kind.
        id_: its name.
        face: it sits on.
        u_mm: its place on the face, as `Face.frame` measures.
        v_mm: likewise.
        size: a thread or size of that kind in words.

    >>> usual("filler", "filler", "top", 100.0, 80.0).hole_mm, usual("coupler", "feed", "rear", 40, 30, "G 3/4").ring_od_mm
    (50.0, 32.0)
    """
    made = kind(key)
    usual_ = {"hole_mm": made.hole_mm, "ring_mm": made.ring_mm, "ring_od_mm": made.ring_od_mm}
    if size:
        variant = made.sized(size)
        if variant is None:
            known = ", ".join(s.name for s in made.sizes) or "none"
            raise Refusal(f"a {made.title.lower()} has no size {size!r}; there are {known}")
        usual_ |= dict(variant.figures)
    swing = 120.0 if made.does == "sender" else 0.0
    return Fitting(id=id_, kind=key, face=face, u_mm=u_mm, v_mm=v_mm, swing_mm=swing, thread=size, **usual_)


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
        spot = seat(shell, fitting) if fitting.does == "pickup" else None
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
    spots = [(f, spot) for f in fittings if f.does == "limber" and (spot := seat(shell, f)) is not None]
    return tuple((f, a, b) for (f, a), (_, b) in zip(spots[0::2], spots[1::2], strict=False))


@remembered()
def balance_pipes(shell: Shell, fittings: tuple[Fitting, ...]) -> tuple[tuple[Array, Array], ...]:
    """(end (3,), end (3,)) of each balance pipe: its fittings in pairs, in the order they stand in; an odd one joins nothing."""
    spots = [spot for f in fittings if f.does == "balance" and (spot := seat(shell, f)) is not None]
    return tuple(zip(spots[0::2], spots[1::2], strict=False))
