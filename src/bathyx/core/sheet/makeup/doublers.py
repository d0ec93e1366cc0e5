"""Doubler plates: metal laid on a flat panel round screw and mount holes, so that thin sheet does not crack there."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from pydantic import Field
from shapely.geometry import Polygon

from bathyx.core.geometry.shell import Array, Face, Shell
from bathyx.core.units.frozen import Frozen


class Doubler(Frozen):
    """A rectangle of sheet on a flat panel: its middle as places on the face are measured, its sides along u and v, mm; outside
    unless `inside`."""

    face: str = Field(min_length=1, max_length=80)
    u_mm: float = Field(ge=-20_000, le=20_000)
    v_mm: float = Field(ge=-20_000, le=20_000)
    width_mm: float = Field(gt=0, le=5000)
    height_mm: float = Field(gt=0, le=5000)
    thickness_mm: float = Field(gt=0, le=50)
    inside: bool = False


def border_of(doubler: Doubler, face: Face) -> Array:
    """(4, 3) its corners on the inside of its panel."""
    u, v, w, h = doubler.u_mm, doubler.v_mm, doubler.width_mm / 2, doubler.height_mm / 2
    flat = np.array([[u - w, v - h], [u + w, v - h], [u + w, v + h], [u - w, v + h]])
    return np.asarray(face.points(flat))


def seated(shell: Shell, doublers: Sequence[Doubler]) -> list[tuple[Doubler, Face]]:
    """Those that lie on a flat panel of the tank, all of them within its border."""
    found = []
    for doubler in doublers:
        face = shell.by_id.get(doubler.face)
        if face is not None and face.kind == "plane":
            ring = Polygon(face.uv(border_of(doubler, face)))
            if face.shape.buffer(0.5).covers(ring):
                found.append((doubler, face))
    return found
