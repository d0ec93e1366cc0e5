"""A laminate cut across, to scale: its plies with how their glass lies, its foam, inside and outside named, thickness
dimensioned."""

from __future__ import annotations

import numpy as np

from bathyx.core.laminate.layup import LayUp
from bathyx.core.units import Family, show
from bathyx.draft.picture import Item, Label, Picture, Poly

HIGH, WIDE, WORDS, LEAST_HIGH = 100.0, 50.0, 146.0, 150.0
THINNEST = 13.0  # of a ply in the picture: a thin one beside a foam is drawn no thinner
STROKES = 9


def layup_view(layup: LayUp, units: Family) -> Picture:
    """The section, the inside below. Plies keep their share of the height as far as each can still be read.

    Args:
        layup: plies, core, resin.
        units: of the thicknesses.
    """
    made = layup.made
    rows: list[tuple[str, float, str]] = []
    for number, (ply, laid) in enumerate(zip(layup.plies, made.plies, strict=True), start=1):
        turn = f", warp at {ply.angle_deg:g}°" if ply.angle_deg else ""
        rows.append((f"{laid.cloth.name}{turn}", laid.mm, "mat" if laid.cloth.any_way else "cloth"))
        if made.core is not None and number == layup.core_after:
            rows.append((made.core.name, layup.core_mm, "core"))
    shares = np.array([mm for _, mm, _ in rows]) / made.thick_mm * HIGH
    heights = np.maximum(shares, THINNEST)
    tall = float(heights.sum())
    low, high_ = min(-14.0, (tall - LEAST_HIGH) / 2), max(tall + 14.0, (tall + LEAST_HIGH) / 2)
    whole = np.array([[0.0, low], [WIDE + WORDS, low], [WIDE + WORDS, high_], [0.0, high_]])
    items: list[Item] = [Poly(whole, None, None)]
    z = 0.0
    for (name, mm, kind), high in zip(rows, heights, strict=True):
        box = np.array([[0.0, z], [WIDE, z], [WIDE, z + high], [0.0, z + high]])
        fill = {"mat": "sheet", "cloth": "ring", "core": "band"}[kind]
        items.append(Poly(box, "ink", fill, 0.8))
        items += _glass(kind, z, float(high))
        said = f"{name}, {show(mm, 'small', units)}"
        items.append(
            Label(
                np.array([WIDE, z + high / 2]),
                said,
                ink="ink",
                anchor="l",
                shift=(8.0, 0.0),
                tall_mm=9.5,
                room_mm=WORDS - 8,
            )
        )
        z += float(high)
    items.append(Label(np.array([WIDE / 2, -7.0]), "inside", ink="fluid line", tall_mm=9.5))
    items.append(Label(np.array([WIDE / 2, z + 7.0]), "outside", ink="quiet", tall_mm=9.5))
    return Picture(tuple(items))


def _glass(kind: str, z: float, high: float) -> list[Item]:
    """How the glass lies: short strokes any way for mat, a wave for what runs one way, none in foam."""
    if kind == "core":
        return []
    x = np.linspace(4.0, WIDE - 4.0, STROKES if kind == "mat" else 40)
    if kind == "cloth":
        wave = z + high * (0.5 + 0.22 * np.sin(x / 4.0))
        return [Poly(np.stack([x, wave], axis=1), "thin", None, 0.6, closed=False)]
    turns = np.arange(len(x)) * 2.4  # a golden angle: never twice alike
    reach = min(high * 0.3, 3.0)
    strokes: list[Item] = []
    for a, t in zip(x, turns, strict=True):
        half = reach * np.array([np.cos(t), np.sin(t)])
        middle = np.array([a, z + high / 2])
        strokes.append(Poly(np.stack([middle - half, middle + half]), "thin", None, 0.5, closed=False))
    return strokes
