"""A double-curved skin laid flat: where forming stretches it and where it shrinks, with its stations and what was read on it."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.flat.formed import Check, Flattened, FormedSkin, row_at
from bathyx.core.units import Family, show
from bathyx.draft.picture import Circle, Dim, Item, Label, Picture, Poly, box

EVEN, STEPS = 0.001, (0.005, 0.02)
LEVELS = (-np.inf, -STEPS[1], -STEPS[0], -EVEN, EVEN, STEPS[0], STEPS[1], np.inf)
ROLES = ("shrink 3", "shrink 2", "shrink 1", "sheet", "stretch 1", "stretch 2", "stretch 3")
BANDS = tuple(zip(pairwise(LEVELS), ROLES, strict=True))
WITHIN_MM = 1.0


def strain_view(skin: FormedSkin, laid: Flattened, units: Family, checks: tuple[Check, ...] = ()) -> Picture:
    """The strain map: warm where metal is stretched, cool where it is shrunk, in three steps each.

    Args:
        skin: with its stations.
        laid: the skin laid flat.
        units: for its size.
        checks: readings to be put on it.
    """
    flat = laid.flat
    items: list[Item] = [Poly(_spared(laid.border, skin.spare_mm), "ink", "paper", 1.2)]
    items += [Poly(ring, role, role, 0.7) for role, ring in _bands(laid)]
    items.append(Poly(laid.border, "ink", None, 1.4))
    grid = flat.reshape(laid.rows, laid.columns, 2)
    along = np.linspace(skin.sections[0].at_mm, skin.sections[-1].at_mm, laid.rows)
    right = float(flat[:, 0].max())
    for section in skin.sections:
        row = row_at(grid, along, section.at_mm)
        items.append(Poly(row, "thin", None, 0.9, False))
        items.append(
            Label(
                np.array([right, row[-1, 1]]),
                f"station {section.at_mm:g}",
                8,
                "quiet",
                "l",
                shift=(8 + 0.1 * skin.spare_mm, 0),
            )
        )
    items.append(Poly(grid[:, laid.columns // 2], "mark", None, 1.0, False, True))
    items += _extremes(laid)
    low, high = flat.min(axis=0), flat.max(axis=0)
    items.append(Dim(np.array([high[0], low[1]]), low, show(float(high[0] - low[0]), "length", units), 34))
    items.append(Dim(low, np.array([low[0], high[1]]), show(float(high[1] - low[1]), "length", units), 34))
    items += _key(low, high)
    for check in checks:
        spot = _spot(laid, grid, along, check)
        ink = "go" if abs(check.off_mm) <= WITHIN_MM else "stop"
        items.append(Circle(spot, 0.012 * float(np.ptp(flat)), ink, ink, 1.0))
        words = f"{check.off_mm:+.1f}" + (" L" if check.reading.side == "left" else " R")
        items.append(
            Label(spot, words, 9, "paper", bold=True, badge=ink, shift=(0, 14 if check.reading.side == "left" else -14))
        )
    return Picture(tuple(items))


def _bands(laid: Flattened) -> list[tuple[str, Array]]:
    """(shade, polygon (n, 2)) of the map: strains carried to the corners of the triangles, and these cut where a step is passed."""
    of = laid.triangles.ravel()
    at = np.bincount(of, np.repeat(laid.areal, 3)) / np.bincount(of)
    found: list[tuple[str, Array]] = []
    for corners in laid.triangles:
        values, ring = at[corners], laid.flat[corners]
        for (low, high), role in BANDS:
            if values.max() < low or values.min() > high:
                continue
            part = _cut(_cut(np.column_stack([ring, values]), low, 1.0), high, -1.0)
            if len(part) > 2:
                found.append((role, part[:, :2]))
    return found


def _cut(ring: Array, level: float, way: float) -> Array:
    """(n, 3) the part of a polygon whose third column is above a level, or below it."""
    if not np.isfinite(level) or not len(ring):
        return ring
    off, rows = way * (ring[:, 2] - level), []
    for k in range(len(ring)):
        j = (k + 1) % len(ring)
        if off[k] >= 0:
            rows.append(ring[k])
        if (off[k] >= 0) != (off[j] >= 0):
            rows.append(ring[k] + (ring[j] - ring[k]) * off[k] / (off[k] - off[j]))
    return np.array(rows).reshape(-1, 3)


def _extremes(laid: Flattened) -> list[Item]:
    """Where it is stretched and shrunk most, by how many per cent of length."""
    middles = laid.flat[laid.triangles].mean(axis=1)
    rows: list[Item] = []
    for k, words in ((int(laid.strains[:, 0].argmax()), "stretch"), (int(laid.strains[:, 1].argmin()), "shrink")):
        value = float(laid.strains[k, 0] if words == "stretch" else laid.strains[k, 1])
        if abs(value) > EVEN:
            rows.append(Label(middles[k], f"{words} {abs(value):.1%}", 10, "ink", bold=True, badge="paper"))
    return rows


def _key(low: Array, high: Array) -> list[Item]:
    """What the shades stand for, under the map: steps at half a per cent and two."""
    tall = float(high[1] - low[1])
    size, y = 0.03 * tall, float(low[1]) - 0.34 * tall
    wide = float(high[0] - low[0]) / len(ROLES)
    items: list[Item] = []
    for k, name in enumerate(ROLES):
        items.append(box(float(low[0]) + k * wide, y, wide, size, "thin", name, 0.6))
    said = (f"shrink over {STEPS[1]:.0%}", "even", f"stretch over {STEPS[1]:.0%}")
    for share, words, side in zip((0.0, 0.5, 1.0), said, ("l", "c", "r"), strict=True):
        spot = np.array([float(low[0]) + share * len(ROLES) * wide, y])
        items.append(Label(spot, words, 8, "ink", side, shift=(0, -9)))
    return items


def _spared(ring: Array, spare_mm: float) -> Array:
    from shapely.geometry import Polygon

    wide = Polygon(ring).buffer(spare_mm, join_style="mitre", mitre_limit=2.0)
    return np.array(wide.exterior.coords)[:-1]


def _spot(laid: Flattened, grid: Array, along: Array, check: Check) -> Array:
    """Where a reading lies in the flat."""
    row = row_at(grid, along, check.reading.at_mm)
    places = laid.places.reshape(laid.rows, laid.columns, 3)
    across = row_at(places[:, :, 1:], along, check.reading.at_mm)[:, 0]
    order = np.argsort(across)
    return np.array([np.interp(check.reading.across_mm, across[order], row[order, k]) for k in range(2)])
