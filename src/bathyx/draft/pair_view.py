"""Two tanks on one job, cut across beside one another at their heights, with what joins them and where they stand full."""

from __future__ import annotations

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.outline import offset_polygon
from bathyx.core.geometry.shell import Shell
from bathyx.core.units import Family, show
from bathyx.draft.leaning_view import below
from bathyx.draft.picture import Dim, Item, Label, Picture, Poly, box, line
from bathyx.draft.tank_views import whole_section


def pair_view(e: Evaluation, units: Family) -> Picture:
    """Both tanks from the rear; empty without a second."""
    second, both, r = e.job.second, e.results.pair, e.results
    if second is None or both is None:
        return Picture(())
    items: list[Item] = []
    shells: list[tuple[Shell, str, float, float]] = [
        (r.shell, "this tank", 0.0, both.full[0]),
        (second.tank.shell(), second.name, both.higher_mm, both.full[1]),
    ]
    x, feet = 0.0, []
    gap = 0.35 * max(float(np.ptp(shell.vertices[:, 1])) for shell, *_ in shells)
    for k, (shell, name, up, full) in enumerate(shells):
        low, high = shell.bounds
        ring = whole_section(shell, "x", float(low[0] + high[0]) / 2 + 0.01)
        ring = ring - [float(ring[:, 0].min()), 0.0] + [x, up - float(low[2])]
        level = both.levels_mm[k]
        items.append(Poly(offset_polygon(ring, np.full(len(ring), r.sheet.thickness_mm)), "skin", "skin", 1.0))
        items.append(Poly(ring, "ink", "paper", 1.0))
        items += [Poly(wet, "fluid line", "fluid", 1.0) for wet in below(ring, np.array([0.0, 1.0]), level)]
        middle, top = float(ring[:, 0].mean()), float(ring[:, 1].max())
        items.append(Label(np.array([middle, top]), name, 11, "ink", bold=True, shift=(0, 34)))
        items.append(Label(np.array([middle, (up + level) / 2]), show(full, "volume", units), 15, "ink", bold=True))
        feet.append((float(ring[:, 0].min()), float(ring[:, 0].max()), float(ring[:, 1].min()), top, middle))
        x += float(np.ptp(ring[:, 0])) + gap
    a, b = feet
    pipe = max(a[2], b[2]) + second.floor_clear_mm
    lower = min(a[2], b[2])
    pump = second.joined == "pump"
    items.append(line([a[1], pipe], [b[0], pipe], "brass", 3.0, dashed=pump))
    words = f"pump, {second.flow_l_min:g} L/min" if pump else f"pipe, {show(second.bore_mm, 'length', units)} bore"
    items.append(Label(np.array([(a[1] + b[0]) / 2, pipe]), words, 10, "brass", shift=(0, -12), badge="paper"))
    if second.breathers_joined:
        crest = max(a[3], b[3]) + 0.12 * (max(a[3], b[3]) - lower)
        items += [line([spot[4], spot[3]], [spot[4], crest], "hole", 1.4) for spot in feet]
        items.append(line([a[4], crest], [b[4], crest], "hole", 1.4))
        items.append(Label(np.array([(a[1] + b[0]) / 2, crest]), "breathers joined", 9, "hole", shift=(0, 9)))
    if abs(both.higher_mm) > 0.5:
        ends = np.array([[b[1], min(0.0, both.higher_mm)], [b[1], max(0.0, both.higher_mm)]])
        items.append(Dim(ends[1], ends[0], show(abs(both.higher_mm), "length", units), 26))
    usable = show(both.usable.value, "volume", units)
    foot = np.array([(a[0] + b[1]) / 2, lower])
    items.append(Label(foot, f"{usable} usable of both", 14, "ink", bold=True, shift=(0, -26)))
    moved = f"{both.moved.label.lower()} {show(both.moved.value, 'time', units, places=0)}"
    runs = f", {both.hours.label.lower()} {both.hours.value:.1f} h" if both.hours is not None else ""
    items.append(Label(foot, moved + runs, 11, "ink", shift=(0, -46)))
    items.append(box(a[0], lower - 0.25 * (max(a[3], b[3]) - lower), b[1] - a[0], 1.0, None, None, 0))
    items.append(Label(foot, "from the rear, left at left; the second counted bare", 9, "quiet", shift=(0, -62)))
    return Picture(tuple(items))
