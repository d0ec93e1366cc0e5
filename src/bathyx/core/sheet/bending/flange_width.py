"""How wide a face is along a bend, across it: what the brake's die has to take at each spot of the line, not on the average."""

from __future__ import annotations

import numpy as np

from bathyx.core.geometry.shell import Array, Edge, Face, following

STEP_MM, EDGE_MM, BESIDE_MM = 4.0, 0.5, 1e-4


def widths_along(face: Face, edge: Edge, at: Array | None = None) -> tuple[Array, Array]:
    """(mm along the edge, mm from it to where the face ends across it), (n,) each, from end to end of a straight edge.

    Args:
        face: planar.
        edge: of it.
        at: (n,) mm along the edge; None for one every few millimetres.
    """
    start, way = edge.start, (edge.end - edge.start) / edge.length_mm
    across = np.cross(face.normal, way)
    spots = face.loop - start
    x, y = spots @ way, spots @ across
    spread = float(y[np.abs(y).argmax()])
    y = y * (1.0 if spread > 0 else -1.0)
    if at is None:
        at = np.linspace(EDGE_MM, edge.length_mm - EDGE_MM, max(3, int(edge.length_mm / STEP_MM)))
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
    spare = min(least_mm, edge.length_mm / 3)
    # Between corners a border is straight: the width is least at one of them, on either side, or where looking begins and ends.
    corners = (face.loop - edge.start) @ ((edge.end - edge.start) / edge.length_mm)
    at = np.concatenate([[spare, edge.length_mm - spare], corners - BESIDE_MM, corners + BESIDE_MM])
    _, wide = widths_along(face, edge, at[(at >= spare) & (at <= edge.length_mm - spare)])
    return float(wide.min())
