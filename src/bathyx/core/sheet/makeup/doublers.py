"""Doubler plates: metal laid on a flat panel round screw and mount holes, so that thin sheet does not crack there."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from pydantic import Field
from shapely.geometry import Polygon

from bathyx.core.geometry.shell import Array, Face, Shell
from bathyx.core.units.frozen import Frozen, checked
from bathyx.core.units.typed import lines_of
from bathyx.errors import Refusal


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


def doublers_of(text: str) -> list[dict[str, object]]:
    """Doublers of typed lines `panel, u, v, 80 x 60 x 3`, then `inside` where they lie there. Refusal that names the line.

    >>> doublers_of("bottom, 100, 80, 60 x 40 x 3")[0]["width_mm"]
    60.0
    """
    found: list[dict[str, object]] = []
    for number, line in lines_of(text):
        cells = [cell.strip() for cell in line.split(",") if cell.strip()]
        if not cells:
            continue
        within = cells[-1].lower() == "inside"
        cells = cells[:-1] if within else cells
        try:
            face = ", ".join(cells[:-3])
            u, v = (float(cell) for cell in cells[-3:-1])
            w, h, t = (float(side) for side in cells[-1].lower().replace("×", "x").replace("mm", "").split("x"))
            given: dict[str, object] = {
                "face": face,
                "u_mm": u,
                "v_mm": v,
                "width_mm": w,
                "height_mm": h,
                "thickness_mm": t,
            }
            if within:
                given["inside"] = True
            if not all(map(math.isfinite, (u, v, w, h, t))):
                raise ValueError
            checked(Doubler, given)
        except (ValueError, IndexError, Refusal):
            raise Refusal(
                f"line {number}, {line.strip()[:40]!r}: write the panel, its place and its size, like "
                "bottom, 100, 80, 60 x 40 x 3, and inside where it lies there"
            ) from None
        found.append(given)
    return found


def text_of_doublers(doublers: Sequence[Doubler]) -> str:
    """The lines that `doublers_of` reads."""
    rows = []
    for d in doublers:
        size = f"{d.width_mm:g} x {d.height_mm:g} x {d.thickness_mm:g}"
        rows.append(f"{d.face}, {d.u_mm:g}, {d.v_mm:g}, {size}" + (", inside" if d.inside else ""))
    return "\n".join(rows)
