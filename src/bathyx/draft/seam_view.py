"""The seam map: every welded edge on side, plan and end view, by its state."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array
from bathyx.core.units import Family
from bathyx.draft.picture import Item, Label, Picture, Poly, line, side_by_side, stacked

VIEWS = {"from the left side": (0, 2), "from above": (0, 1), "from the rear": (1, 2)}

ORDER = ("open", "welded", "repaired", "leaks")  # what must be seen is painted last


def seam_view(e: Evaluation, units: Family, states: Mapping[str, str]) -> Picture:
    """Side over plan, end beside the side."""
    made = {name: _view(e, axes, name, states) for name, axes in VIEWS.items()}
    gap = 0.16 * (e.job.tank.length_mm + e.job.tank.width_mm)
    left = stacked([made["from the left side"], made["from above"]], gap)
    return side_by_side([left, made["from the rear"]], gap)


def _view(e: Evaluation, axes: tuple[int, int], name: str, states: Mapping[str, str]) -> Picture:
    items: list[Item] = []
    labels: list[Item] = []
    used: list[tuple[Array, str]] = []
    for face in e.results.panelled.faces:
        items.append(Poly(face.loop[:, axes], None, "sheet", 0))
    for edge in e.results.panelled.edges:
        items.append(line(edge.start[list(axes)], edge.end[list(axes)], "thin", 0.7))
    reach = 0.05 * float(np.ptp(e.results.shell.vertices, axis=0).max())
    for seam in sorted(e.results.seams, key=lambda s: ORDER.index(states.get(s.id, "open"))):
        if seam.start is None or seam.end is None:
            continue
        p, q = seam.start[list(axes)], seam.end[list(axes)]
        ink = f"seam {states.get(seam.id, 'open')}"
        if np.linalg.norm(q - p) < 1:
            continue
        items.append(line(p, q, ink, 3.5 if states.get(seam.id) != "open" else 2.4, tag=f"seam:{seam.id}"))
        spot = (p + q) / 2
        near = next((k for k, (other, _) in enumerate(used) if np.linalg.norm(other - spot) < reach), None)
        if near is None:
            used.append((spot, seam.id))
            labels.append(Label(spot, seam.id, 8.5, "paper", badge=ink, tag=f"seam:{seam.id}"))
    low = e.results.shell.vertices[:, axes].min(axis=0)
    high = e.results.shell.vertices[:, axes].max(axis=0)
    labels.append(Label(np.array([(low[0] + high[0]) / 2, low[1]]), name, 9, "quiet", shift=(0, -20)))
    return Picture(tuple(items + labels))
