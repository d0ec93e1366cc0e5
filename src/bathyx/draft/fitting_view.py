"""A fitting drawn to scale by the shape of its kind: from its side, as the tray has it, and straight on, as it sits on a face."""

from __future__ import annotations

import numpy as np

from bathyx.core.geometry.shell import Array
from bathyx.core.inside.fittings import Fitting
from bathyx.core.inside.kinds import kind
from bathyx.draft.picture import Circle, Item, Poly, box, line

LEAST_OUT_MM, CAP_MM, NECK_MM = 6.0, 7.0, 22.0
STANDING = ("eye", "foot", "tab")  # plates on edge: seen straight on they are a line, not a ring
TURN = np.linspace(0, np.pi, 13)


def out_of(fitting: Fitting) -> float:
    """How far out of its face a fitting is drawn, mm."""
    least = NECK_MM if kind(fitting.kind).shape == "neck" else LEAST_OUT_MM
    return max(fitting.out_mm, least)


def fitting_side(fitting: Fitting, at: Array, up: float = 1.0, tag: str = "") -> list[Item]:
    """From its side: `at` (2,) is where its middle stands on the outside of the face, which looks up (1) or down (-1).

    Args:
        fitting: to draw; its sizes are to scale.
        at: (2,) mm of the picture.
        up: 1 where the face looks up in the picture, -1 where it looks down.
        tag: what the items stand for.
    """
    x, y = float(at[0]), float(at[1])
    shape, od, hole = kind(fitting.kind).shape, max(fitting.ring_od_mm, fitting.hole_mm), fitting.hole_mm
    ring, out = fitting.ring_mm, out_of(fitting)

    def plate(w: float, low: float, high: float, fill: str = "ring", dx: float = 0.0) -> Poly:
        return box(x + dx - w / 2, y + min(up * low, up * high), w, high - low, "hole", fill, 0.9, tag=tag)

    def form(points: list[tuple[float, float]], fill: str = "ring") -> Poly:
        return Poly(np.array([[x + a, y + up * b] for a, b in points]), "hole", fill, 0.9, True, tag=tag)

    base = [plate(od, 0.0, max(ring, 1.0))] if od else []
    through = [plate(hole, 0.0, max(ring, 1.0), "paper")] if hole else []
    if shape == "neck":
        return [*base, plate(hole, 0.0, out - CAP_MM, "paper"), plate(hole + 8, out - CAP_MM, out)]
    if shape == "flange":
        screws = [plate(0.06 * od, ring, ring + 4, "ring", side * 0.42 * od) for side in (-1, 1)]
        return [*base, *screws, plate(0.5 * od, ring, max(out, ring + 5), "paper")]
    if shape == "elbow":
        w = 0.42 * od
        legs = [(-w / 2, ring), (-w / 2, out), (out * 0.9, out), (out * 0.9, out - w), (w / 2, out - w), (w / 2, ring)]
        return [*base, form(legs, "paper")]
    if shape == "barb":
        w, step = 0.3 * od, (out - ring) / 3
        stem = [(-w, ring)]
        for k in range(3):
            stem += [(-w * 0.8, ring + k * step), (-w * 1.15, ring + k * step + 1), (-w * 0.75, ring + (k + 1) * step)]
        return [*base, form([*stem, *((-a, b) for a, b in reversed(stem))], "paper")]
    if shape == "nut":
        bore = [(-od / 4, ring), (-od / 4, 0.35 * ring), (od / 4, 0.35 * ring), (od / 4, ring)]
        return [*base, Poly(np.array([[x + a, y + up * b] for a, b in bore]), "hole", None, 0.9, False, tag=tag)]
    if shape in ("eye", "tab"):
        r = min(od / 2, out / 2)
        top = [(r * float(np.cos(a)), out - r + r * float(np.sin(a))) for a in TURN]
        return [
            form([(od / 2, 0.0), *top, (-od / 2, 0.0)]),
            Circle(np.array([x, y + up * (out - r)]), 0.45 * r, "hole", "paper", 0.9, tag),
        ]
    if shape == "foot":
        w = od / 2
        return [form([(-w, 0.0), (w, 0.0), (w, ring), (ring - w, ring), (ring - w, out), (-w, out)])]
    return [*base, *through]


def fitting_on(fitting: Fitting, at: Array, tag: str = "", ink: str = "hole") -> list[Item]:
    """Straight on, its middle at `at` (2,): the ring and the hole in it, or the plate that stands on its edge.

    Args:
        fitting: to draw, to scale.
        at: (2,) mm of the picture.
        tag: what the items stand for.
        ink: colour of its lines.
    """
    at = np.asarray(at, float)
    shape, od = kind(fitting.kind).shape, fitting.ring_od_mm
    if shape in STANDING:
        t = max(fitting.ring_mm, 2.0)
        items: list[Item] = [box(at[0] - od / 2, at[1] - t / 2, od, t, ink, "ring", 1.2, tag=tag)]
        if shape == "foot":
            items.append(box(at[0] - od / 2, at[1] - out_of(fitting) / 2, od, out_of(fitting), ink, None, 0.8, tag=tag))
        return items
    found: list[Item] = []
    if od > fitting.hole_mm:
        found.append(Circle(at, od / 2, ink, "ring", 1.0, tag))
    if fitting.hole_mm:
        found.append(Circle(at, fitting.hole_mm / 2, ink, "paper", 1.4, tag))
    if shape in ("elbow", "barb") and od:
        reach = od / 2 + 0.6 * out_of(fitting)
        found.append(line(at, at + np.array([reach, 0.0]), ink, 2.2, tag=tag))
    if shape == "flange":
        turn = np.linspace(0, 2 * np.pi, 6, endpoint=False)
        middle = (od + fitting.hole_mm) / 4
        spots = at + middle * np.column_stack([np.cos(turn), np.sin(turn)])
        found += [Circle(spot, max(0.016 * od, 1.2), ink, "paper", 0.7, tag) for spot in spots]
    if shape == "nut":
        found.append(Circle(at, 0.25 * od, ink, None, 0.9, tag))
    return found
