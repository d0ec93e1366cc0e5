"""Reading a tank's profile from DXF, SVG or CSV: a closed loop, its round corners as radii, other curves as chords.

A file that does not say its unit is not guessed at: the unit is asked for, with the size that each would give.
"""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np

from bathyx.core.geometry.outline import Outline
from bathyx.core.geometry.refit import refitted
from bathyx.core.tank.outline import MOST_CORNERS, corners_of
from bathyx.errors import Refusal
from bathyx.files.loops import Drawn, Loop, area, chords, of_dxf, of_svg
from bathyx.files.read import read_text

UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4}
PIXEL_MM = 25.4 / 96  # of an SVG whose size has a unit
NEAR_MM = (
    0.1,
    0.25,
    0.5,
    1.0,
)  # how far the corners may stand off the drawing: the first with which they are few enough
TANGENT = 0.02
SAYS_SIZES = (".dxf", ".svg")  # drawings, which may hold several loops
MOST_SHOWN = 60
Corner = dict[str, Any]


def read_profile(path: Path, unit: str | None = None, pick: int = 0) -> list[Corner]:
    """The corners of a profile in a file, mm, z up.

    Args:
        path: .dxf, .svg or .csv.
        unit: mm, cm, m or in, where the file does not say or is wrong.
        pick: which of its closed loops, 0 the largest.

    Raises:
        Refusal: that says what the file holds and what it lacks.
    """
    if unit is not None and unit not in UNITS:
        raise Refusal(f"no unit {unit!r}; there are {', '.join(UNITS)}")
    if path.suffix.lower() in (".csv", ".tsv", ".txt"):
        scale = UNITS[unit or "mm"]
        corners = [
            {k: v * scale if isinstance(v, float) else v for k, v in corner.items()}
            for corner in corners_of(read_text(path))
        ]
        return _few(path.name, corners)
    return profile_of(drawn(path), path.name, unit, pick)


def profile_of(found: Drawn, name: str, unit: str | None = None, pick: int = 0) -> list[Corner]:
    """The corners of one loop of a drawing that was read already, mm, z up, its lowest and its leftmost at 0.

    Args:
        found: what the drawing holds.
        name: of its file, for what is refused.
        unit: mm, cm, m or in, where the file does not say or is wrong.
        pick: which of its closed loops, 0 the largest.

    Raises:
        Refusal: that says what the file holds and what it lacks.
    """
    if not found.loops:
        raise Refusal(f"{name} holds no closed loop; there is {found.said}. Draw the profile as one closed line")
    if not 0 <= pick < len(found.loops):
        raise Refusal(
            f"{name} holds {len(found.loops)} closed loops; take one from 0, the largest, to {len(found.loops) - 1}"
        )
    scale = _scale(name, found, unit, found.loops[pick])
    loop = [(x * scale, y * scale, bulge) for x, y, bulge in found.loops[pick]]
    if not all(math.isfinite(v) for corner in loop for v in corner):
        raise Refusal(f"{name}: a corner lies beyond all numbers; look at the file's coordinates")
    left, low = (Outline(*_arrays(loop)).bounds)[0]
    loop = [(x - float(left), y - float(low), bulge) for x, y, bulge in loop]  # a drawing lies anywhere on its page
    corners = []
    for near in NEAR_MM:
        corners = _corners(loop, near)
        if len(corners) <= MOST_CORNERS:
            break
    return _few(name, corners)


def drawn(path: Path) -> Drawn:
    """What a DXF or SVG holds.

    Raises:
        Refusal: for a file of another kind, or one that cannot be read.
    """
    kind = path.suffix.lower()
    if kind == ".dxf":
        return of_dxf(read_text(path), path.name)
    if kind == ".svg":
        return of_svg(read_text(path), path.name)
    raise Refusal(f"{path.name}: profiles are read from .dxf, .svg and .csv files")


def millimetres(found: Drawn, unit: str | None = None) -> float | None:
    """Millimetres of one unit of a drawing; None where neither it nor `unit` says."""
    if found.unit == "px":
        return PIXEL_MM * UNITS[unit or "mm"]
    said = unit or found.unit
    return UNITS[said] if said else None


def sizes(found: Drawn, unit: str | None = None, most: int = MOST_SHOWN) -> tuple[tuple[float, float], ...]:
    """(across, up) of the `most` largest loops; mm where the unit is said or known, else as drawn."""
    per = millimetres(found, unit) or 1.0
    return tuple(tuple(float(v) * per for v in _size(loop)) for loop in found.loops[:most])  # type: ignore[misc]


def _size(loop: Loop) -> tuple[float, float]:
    spots = np.array([p[:2] for p in chords(loop, 1e-3 * max(abs(area(loop)), 1e-12) ** 0.5)])
    w, h = np.ptp(spots, axis=0)
    return float(w), float(h)


def _scale(name: str, found: Drawn, unit: str | None, loop: Loop) -> float:
    """Millimetres of one unit of the drawing."""
    per = millimetres(found, unit)
    if per is None:
        raise Refusal(unit_wanted(found, name, loop))
    return per


def unit_wanted(found: Drawn, name: str, loop: Loop | None = None) -> str:
    """The question for the unit of a drawing, with the size that each would give a loop, the largest unless one is given."""
    w, h = _size(loop or found.loops[0])
    each = "; ".join(f"in {u} it is {w * s:.4g} × {h * s:.4g} mm" for u, s in UNITS.items())
    return f"{name} does not say its unit: {each}. Say it: one of {', '.join(UNITS)}"


def _arrays(loop: Loop) -> tuple[np.ndarray[tuple[int, ...], np.dtype[np.float64]], ...]:
    """Points (n, 2) and bulges (n,) of a loop."""
    rows = np.array(loop)
    return rows[:, :2], rows[:, 2]


def _few(name: str, corners: list[Corner]) -> list[Corner]:
    if len(corners) > MOST_CORNERS:
        raise Refusal(
            f"{name}: the profile has {len(corners)} corners; {MOST_CORNERS} at most: draw curves as arcs at corners"
        )
    if not all(math.isfinite(v) for corner in corners for v in corner.values() if isinstance(v, float)):
        raise Refusal(f"{name}: a corner lies beyond all numbers; look at the file's coordinates")
    return corners


def _corners(loop: Loop, near: float) -> list[Corner]:
    """Corners of a loop, mm: arcs that round a corner between straight runs as its radius, other curves as chords within `near`."""
    said = refitted(Outline(np.array([p[:2] for p in loop]), np.array([p[2] for p in loop])), near)
    rows: Loop = [(float(x), float(y), float(b)) for (x, y), b in zip(said.points, said.bulges, strict=True)]
    plain: Loop = []
    for k, row in enumerate(rows):
        keep = abs(row[2]) < 1e-9 or _rounds(rows, k) is not None
        after = rows[(k + 1) % len(rows)]
        plain += [row] if keep else chords([row, (after[0], after[1], 0.0)], near)[:-1]
    found: list[Corner] = []
    for k, (x, y, bulge) in enumerate(plain):
        if abs(bulge) < 1e-9:
            if abs(plain[k - 1][2]) < 1e-9:
                found.append({"x_mm": x, "z_mm": y})
            continue
        corner, radius = _rounds(plain, k) or ((x, y), 0.0)
        found.append({"x_mm": corner[0], "z_mm": corner[1], "cut": "radius", "size_mm": radius})
    if not found:
        return found
    first = min(range(len(found)), key=lambda k: math.dist((found[k]["x_mm"], found[k]["z_mm"]), loop[0][:2]))
    return found[first:] + found[:first]


def _rounds(rows: Loop, k: int) -> tuple[tuple[float, float], float] | None:
    """(the corner that the arc from the k-th point rounds, its radius); None where it does not run from straight to straight."""
    n = len(rows)
    (px, py, before), (x, y, bulge) = rows[k - 1], rows[k]
    (qx, qy, after), (sx, sy, _) = rows[(k + 1) % n], rows[(k + 2) % n]
    if n < 4 or abs(before) > 1e-9 or abs(after) > 1e-9:
        return None
    corner = _meeting((px, py), (x, y), (sx, sy), (qx, qy))
    half = math.atan(abs(bulge)) * 2
    radius = math.dist((x, y), (qx, qy)) / 2 / math.sin(half)
    if corner is None or half > 1.55:
        return None
    if any(abs(math.dist(corner, end) - radius * math.tan(half)) > TANGENT * radius for end in ((x, y), (qx, qy))):
        return None
    return corner, radius


def _meeting(a: Any, b: Any, c: Any, d: Any) -> tuple[float, float] | None:
    """Where the line a to b meets the line c to d."""
    ux, uy, vx, vy = b[0] - a[0], b[1] - a[1], d[0] - c[0], d[1] - c[1]
    det = ux * vy - uy * vx
    if abs(det) < 1e-12:
        return None
    t = ((c[0] - a[0]) * vy - (c[1] - a[1]) * vx) / det
    return a[0] + t * ux, a[1] + t * uy
