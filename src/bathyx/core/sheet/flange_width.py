"""How wide a face is along a bend, across it: what the brake's die has to take at each spot of the line, not on the average."""

from __future__ import annotations

import numpy as np

from bathyx.core.geometry.shell import Array, Edge, Face, following

STEP_MM, EDGE_MM = 4.0, 0.5


def widths_along(face: Face, edge: Edge) -> tuple[Array, Array]:
    """(mm along the edge, mm from it to where the face ends across it), (n,) each, from end to end of a straight edge.

    Args:
        face: planar.
        edge: of it.
    """
    start, way = edge.start, (edge.end - edge.start) / edge.length_mm
    across = np.cross(face.normal, way)
    spots = face.loop - start
    x, y = spots @ way, spots @ across
    spread = float(y[np.abs(y).argmax()])
    y = y * (1.0 if spread > 0 else -1.0)
    count = max(3, int(edge.length_mm / STEP_MM))
    at = np.linspace(EDGE_MM, edge.length_mm - EDGE_MM, count)
    x0, y0, x1, y1 = x, y, following(x), following(y)
    run = x1 - x0
    crossing = (np.minimum(x0, x1) < at[:, None]) & (at[:, None] <= np.maximum(x0, x1)) & (np.abs(run) > 1e-9)
    share = (at[:, None] - x0) / np.where(np.abs(run) > 1e-9, run, 1.0)
    height = np.where(crossing, y0 + share * (y1 - y0), np.inf)
    # Both ways off the line: a face may reach further on the other side of one of its own edges, in a notch.
    up, down = (np.where(crossing & (side > 1e-6), side, np.inf).min(axis=1) for side in (height, -height))
    inside = np.where((crossing & (height > 1e-6)).sum(axis=1) % 2 == 1, up, down)
    return at, np.where(np.isfinite(inside), inside, 0.0)


def width_mm(face: Face, edge: Edge, least_mm: float) -> float:
    """The least width of a face along a bend, mm; at its ends, where corners taper, no more than `least_mm` is left out.

    Args:
        face: planar.
        edge: that is bent.
        least_mm: that the die takes.
    """
    at, wide = widths_along(face, edge)
    spare = min(least_mm, edge.length_mm / 3)
    within = (at >= spare) & (at <= edge.length_mm - spare)
    return float(wide[within].min() if within.any() else wide[len(wide) // 2])
