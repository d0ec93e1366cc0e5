"""Bands of steel box that stand round a tank of plastic: where they lie, how stiff they have to be, what they take."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from bathyx.core.geometry.shell import Array, CurvedFace, Face, Shell
from bathyx.core.inside.straps import GRAVITY
from bathyx.core.sheet.makeup.skins import Skins

UPRIGHT, TOUCH_MM = 1e-3, 0.5
STEEL_MPA, STIFF, STEEL_KG_M3 = 210_000.0, 300.0, 7850.0
BOXES = tuple((side, wall) for side in (20, 25, 30, 40, 50, 60) for wall in (2.0, 3.0))


def second_moment(side: float, wall: float) -> float:
    """Of a square hollow section about its middle, sharp corners, mm⁴.

    >>> round(second_moment(40, 3))
    101972
    """
    return (side**4 - (side - 2 * wall) ** 4) / 12


def section_mm2(side: float, wall: float) -> float:
    """Area of its metal, mm²."""
    return side**2 - (side - 2 * wall) ** 2


def box_for(needs_mm4: float) -> tuple[int, float] | None:
    """The least box of the list that is as stiff; None where none is."""
    return next((b for b in sorted(BOXES, key=lambda b: second_moment(*b)) if second_moment(*b) >= needs_mm4), None)


def needed_mm4(load_n_mm: float, span_mm: float) -> float:
    """Second moment of a band on two supports that keeps to a three-hundredth of its span, mm⁴."""
    return 5 * load_n_mm * span_mm**3 * STIFF / (384 * STEEL_MPA)


def even_loads(high_mm: float, count: int) -> tuple[float, ...]:
    """Heights of so many bands up a wall whose strips carry equal loads, the lowest first: head rises straight, so the lines
    stand at square roots of shares of the load from above.

    >>> [round(at) for at in even_loads(900.0, 2)]
    [165, 380]
    """
    return tuple(high_mm * (1 - math.sqrt(k / (count + 1))) for k in range(count, 0, -1))


@dataclass(frozen=True)
class BandOn:
    """A band: its middle over the tank's lowest (mm), second moment that it needs (mm⁴), the box that has it (side, wall in mm;
    None where none does), (face, outside length in mm) of its pieces, faces there that it does not
    lie on, and its blocks in space."""

    at_mm: float
    needs_mm4: float
    box: tuple[int, float] | None
    pieces: tuple[tuple[str, float], ...]
    leaning: tuple[str, ...]
    blocks: tuple[tuple[tuple[float, float, float], ...], ...]

    @property
    def kg(self) -> float:
        """Its mass."""
        return (
            0.0 if self.box is None else 1e-9 * STEEL_KG_M3 * section_mm2(*self.box) * sum(mm for _, mm in self.pieces)
        )


def bands_on(shell: Shell, skins: Skins, band_heights: tuple[float, ...], fluid_density: float) -> tuple[BandOn, ...]:
    """Bands of a make-up round a tank that stands full to its top.

    Args:
        shell: the inside.
        skins: thickness of its panels.
        band_heights: over the tank's lowest, mm.
        fluid_density: kg/m3.
    """
    if not band_heights:
        return ()
    foot, top = float(shell.bounds[0][2]), float(shell.bounds[1][2])
    high = top - foot
    heights = sorted({h for h in band_heights if 0 < h < high})
    lines = [0.0, *heights, high]
    found = []
    for below, at, above in zip(lines, heights, lines[2:], strict=False):
        upper, lower = high - (at + above) / 2, high - (below + at) / 2  # depths of the strip that it carries
        load = fluid_density * GRAVITY * 1e-9 * (lower**2 - upper**2) / 2
        walls = [(face, *_crossing(face, foot + at)) for face in shell.faces if _reaches(face, foot + at)]
        ring = np.array([spot for _, a, b in walls for spot in (a, b)])
        leaning = tuple(face.id for face, a, _ in walls if not _bears_on(face, a, ring))
        upright = [wall for wall in walls if wall[0].id not in leaning]
        longest = max((float(np.linalg.norm(b - a)) for _, a, b in upright), default=0.0)
        needs = needed_mm4(load, longest)
        box = box_for(needs)
        side = 0.0 if box is None else float(box[0])
        pieces, blocks = [], []
        for face, a, b in upright:
            t = skins.of(face)
            way = (b - a) / max(float(np.linalg.norm(b - a)), 1e-9)
            ends = np.stack([a - way * (t + side), b + way * (t + side)])
            pieces.append((face.id, float(np.linalg.norm(ends[1] - ends[0]))))
            blocks.append(_block(ends, face.normal, t, side))
        found.append(BandOn(at, needs, box, tuple(pieces), leaning, tuple(blocks)))
    return tuple(found)


def _bears_on(face: Face | CurvedFace, spot: Array, ring: Array) -> bool:
    """Whether a straight band lies on a wall: it stands upright, and nothing of the section stands out beyond it."""
    if isinstance(face, CurvedFace) or abs(float(face.normal[2])) > UPRIGHT:
        return False
    return bool(((ring - spot) @ face.normal).max() < TOUCH_MM)


def _reaches(face: Face | CurvedFace, z: float) -> bool:
    heights = np.asarray(face.loop)[:, 2]
    return bool(heights.min() < z - TOUCH_MM and heights.max() > z + TOUCH_MM)


def _crossing(face: Face | CurvedFace, z: float) -> tuple[Array, Array]:
    """Both ends of where a level crosses a face's border, the furthest apart."""
    loop = np.asarray(face.loop, dtype=float)
    spots = []
    for p, q in zip(loop, np.roll(loop, -1, axis=0), strict=True):
        if (p[2] - z) * (q[2] - z) <= 0 and abs(p[2] - q[2]) > 1e-9:
            spots.append(p + (q - p) * (z - p[2]) / (q[2] - p[2]))
    points = np.array(spots)
    apart = np.linalg.norm(points[:, None] - points[None], axis=2)
    i, k = np.unravel_index(int(apart.argmax()), apart.shape)
    return points[i], points[k]


def _block(ends: Array, out: Array, t: float, side: float) -> tuple[tuple[float, float, float], ...]:
    up = np.array([0.0, 0.0, side / 2])
    near, far = ends + out * t, ends + out * (t + side)
    rows = np.concatenate([near - up, near + up, far - up, far + up])
    return tuple((float(x), float(y), float(z)) for x, y, z in np.round(rows, 6))
