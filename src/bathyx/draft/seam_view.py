"""The seam map: every welded edge on side, plan and end view, by its state."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from shapely.geometry import MultiPoint

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.makeup.seams import Seam
from bathyx.core.units import Family
from bathyx.draft.picture import Item, Label, Picture, Poly, side_by_side, stacked

# What each view shows across and up, and the direction that points out of the picture at the eye.
VIEWS = {
    "from the left side": ((0, 2), np.array([0.0, -1.0, 0.0])),
    "from above": ((0, 1), np.array([0.0, 0.0, 1.0])),
    "from the rear": ((1, 2), np.array([1.0, 0.0, 0.0])),
}

ORDER = ("open", "welded", "repaired", "leaks")  # what must be seen is painted last
# What is not yet there is dashed, what leaks is broad: told apart without colours, as by the signs.
WIDTHS, DASHED = {"open": 2.4, "welded": 3.5, "repaired": 3.5, "leaks": 6.0}, ("open", "repaired")
SIGNS = {"open": "", "welded": " ✓", "repaired": " r", "leaks": " !"}  # read without colours, too


def seam_view(e: Evaluation, units: Family, states: Mapping[str, str]) -> Picture:
    """Side over plan, end beside the side."""
    made = {name: _view(e, axes, eye, name, states) for name, (axes, eye) in VIEWS.items()}
    gap = 0.16 * float(np.ptp(e.results.shell.vertices, axis=0)[:2].sum())
    left = stacked([made["from the left side"], made["from above"]], gap)
    return side_by_side([left, made["from the rear"]], gap)


def _view(e: Evaluation, axes: tuple[int, int], eye: Array, name: str, states: Mapping[str, str]) -> Picture:
    items: list[Item] = []
    named: dict[tuple[float, ...], Label] = {}
    for face in e.results.panelled.faces:
        outline = MultiPoint([p for loops, _ in face.blocks for p in loops.reshape(-1, 3)[:, axes]]).convex_hull
        if face.kind == "plane":
            items.append(Poly(face.loop[:, axes], None, "sheet", 0))
        elif outline.geom_type == "Polygon":
            items.append(Poly(np.array(outline.exterior.coords)[:-1], "thin", "sheet", 0.7))
    for edge in e.results.panelled.edges:
        items.append(Poly(edge.line[:, axes], "thin", None, 0.7, False))
    reach = 0.05 * float(np.ptp(e.results.shell.vertices, axis=0).max())
    drawn = [s for s in e.results.seams if s.line is not None]
    for seam in sorted(drawn, key=lambda s: (ORDER.index(states.get(s.id, "open")), float(_middle(s) @ eye))):
        row = _line(seam)[:, axes]
        state = states.get(seam.id, "open")
        ink = f"seam {state}"
        if np.ptp(row, axis=0).max() < 1:
            continue
        items.append(Poly(row, ink, None, WIDTHS[state], False, state in DASHED, f"seam:{seam.id}"))
        spot = row[len(row) // 2 - 1 : len(row) // 2 + 1].mean(axis=0) if len(row) > 2 else row.mean(axis=0)
        # Where seams lie behind one another, the worse and then the nearer is painted last and gives the place its name.
        named = {at: label for at, label in named.items() if np.linalg.norm(np.array(at) - spot) >= reach}
        said = seam.id + SIGNS[states.get(seam.id, "open")]
        named[tuple(spot.tolist())] = Label(spot, said, 8.5, "paper", badge=ink, tag=f"seam:{seam.id}")
    low = e.results.shell.vertices[:, axes].min(axis=0)
    high = e.results.shell.vertices[:, axes].max(axis=0)
    caption = Label(np.array([(low[0] + high[0]) / 2, low[1]]), name, 9, "quiet", shift=(0, -20))
    return Picture((*items, *named.values(), caption))


def _line(seam: Seam) -> Array:
    """Its points (n, 3)."""
    assert seam.line is not None
    return seam.line


def _middle(seam: Seam) -> Array:
    row = _line(seam)
    return np.asarray((row.min(axis=0) + row.max(axis=0)) / 2)
