"""Holes and hulls with hidden truth, measured with a tape: how often does the tank fit that is told to have a millimetre to spare?

`python tools/space_study.py [--holes 2000] [--hulls 500] [--cells 0.0]`. A room leans, is out of square and its sides run together
by draws of its own; a hull is fair, round, a V or has one chine or two, both sides alike or not. Each is read to whole millimetres
by a tape with one millimetre of error; a share of a hull's offsets (`--cells`) was not measured, half of the keel's. The tank
is the box that is sure (rooms), or that clears the walls by their doubt (hulls), less a millimetre.
"""

from __future__ import annotations

import argparse
import itertools
import sys
from collections.abc import Callable

import numpy as np

from bathyx.core.space import MeasuredBox, StationSpace
from bathyx.core.space.sure import SURE
from bathyx.core.units import Reading

CORNERS = [" ".join(c) for c in itertools.product(("front", "rear"), ("left", "right"), ("low", "high"))]
SPARE_MM, TAPE_MM = 1.0, 1.0
Wall = Callable[..., np.ndarray]


def room(dice: np.random.Generator) -> np.ndarray:
    """(8, 3) corners of a hole: a box that leans by 10 mm, is out of square by 10 and runs together by 1 (standard deviations)."""
    d, w, h = dice.uniform(300, 1500, 3)
    lean_side, lean_end, square = dice.normal(0, 10, 3)
    taper = dice.normal(0, 1, 6)
    found = []
    for i, j, k in itertools.product((-0.5, 0.5), repeat=3):
        x = i * (d + taper[0] * j + taper[1] * k) + lean_end * k
        y = j * (w + taper[2] * i + taper[3] * k) + square * i + lean_side * k
        z = k * (h + taper[4] * i + taper[5] * j)
        found.append((x, y, z))
    return np.array(found)


def upright(corners: np.ndarray) -> np.ndarray:
    """(3,) the largest upright box in it, square to the foot of its front wall."""
    across, along = corners[2] - corners[0], corners[4] - corners[0]
    y = across / np.linalg.norm(across)
    z = np.cross(along, y)
    z /= np.linalg.norm(z)
    own = (corners - corners[0]) @ np.stack([np.cross(y, z), y, z]).T
    half = np.array(list(itertools.product((-1, 1), repeat=3)))
    return np.array([own[half[:, i] > 0, i].min() - own[half[:, i] < 0, i].max() for i in range(3)])


def measured_room(corners: np.ndarray, dice: np.random.Generator) -> MeasuredBox:
    """The room's twelve edges, and up to six diagonals."""
    pairs = list(itertools.combinations(range(8), 2))
    edges = [
        p for p in pairs if sum(a != b for a, b in zip(CORNERS[p[0]].split(), CORNERS[p[1]].split(), strict=True)) == 1
    ]
    others = [p for p in pairs if p not in edges]
    picked = [others[k] for k in dice.permutation(len(others))[: dice.integers(0, 7)]]
    told = {
        p: round(float(np.linalg.norm(corners[p[0]] - corners[p[1]]) + dice.normal(0, TAPE_MM)))
        for p in [*edges, *picked]
    }
    width, depth, height = (Reading.of(float(told[0, k])) for k in (2, 4, 1))
    more = [
        {"a": CORNERS[a], "b": CORNERS[b], "length": Reading.of(float(v)).model_dump(mode="json"), "error_mm": TAPE_MM}
        for (a, b), v in told.items()
        if (a, b) not in ((0, 2), (0, 4), (0, 1))
    ]
    own = MeasuredBox(width=width, depth=depth, height=height).model_dump(mode="json")
    return MeasuredBox.model_validate(own | {"readings": more})


def room_fits(seed: int) -> tuple[bool, bool]:
    """Whether the tank that is sure of its room goes in, and whether the one goes in that the best hole alone would take."""
    dice = np.random.default_rng(seed)
    true = room(dice)
    hole = measured_room(true, dice).hole
    assert hole is not None
    best = np.array(hole.upright_box)
    less = float((best - np.quantile((hole.likely_boxes - best).min(axis=1), 1 - SURE)).min()) - float(best.min())
    goes = upright(true)
    return bool((goes >= best - less - SPARE_MM).all()), bool((goes >= best - SPARE_MM).all())


def hull(dice: np.random.Generator) -> tuple[float, float, Wall, Wall]:
    """(length, height, half-breadths left and right as functions of x and z)."""
    long, wide, tall = dice.uniform(1200, 4000), dice.uniform(300, 900), dice.uniform(300, 900)

    def wall() -> Wall:
        kind = dice.choice(["fair", "round", "vee", "chine", "two chines"])
        taper, bow = dice.uniform(0, 0.5), dice.uniform(-0.3, 0.3)
        power, foot, keel = dice.uniform(1.5, 3), dice.uniform(0.05, 0.3), dice.uniform(20, 120)
        height, run, at = (
            dice.uniform(0.2, 0.6) * tall,
            dice.uniform(-0.15, 0.25) * tall,
            dice.uniform(0.6, 0.95) * wide,
        )
        low = keel + (at - keel) * dice.uniform(0.55, 0.85)

        def offset(x: np.ndarray, z: np.ndarray) -> np.ndarray:
            plan = 1 - taper * (x / long) ** 2 - bow * 0.3 * x / long
            up = np.clip(z / tall, 0, 1)
            chine = height + run * x / long
            if kind == "fair":
                return wide * plan * (0.15 + 0.85 * (1 - (1 - up) ** power))
            if kind == "round":
                return wide * plan * (foot + (1 - foot) * np.sqrt(1 - (1 - up) ** 2))
            if kind == "vee":
                return plan * (keel + (wide - keel) * up)
            over = at + (wide - at) * (z - chine) / (tall - chine)
            if kind == "chine":
                return plan * np.where(z < chine, keel + (at - keel) * z / chine, over)
            under = np.where(
                z < chine / 2, keel + (low - keel) * z / (chine / 2), low + (at - low) * (z - chine / 2) / (chine / 2)
            )
            return plan * np.where(z < chine, under, over)

        return offset

    left = wall()
    return long, tall, left, wall() if dice.random() < 0.25 else left


def measured_hull(dice: np.random.Generator, cells: float) -> tuple[StationSpace, float, Wall, Wall]:
    """A hull as it was measured: 4 to 8 stations of 4 to 8 heights."""
    long, tall, left, right = hull(dice)
    stations = []
    heights = np.linspace(0, tall, dice.integers(4, 9))
    for x in np.linspace(0, long, dice.integers(4, 9)):
        rows = []
        for k, z in enumerate(heights):
            row: dict[str, float | None] = {"z_mm": round(float(z), 1)}
            for side, wall in (("left_mm", left), ("right_mm", right)):
                row[side] = max(0.0, float(round(float(wall(x, z)) + dice.normal(0, TAPE_MM))))
            if left is right:
                row["right_mm"] = row["left_mm"]
            if cells and k == 0 and dice.random() < 0.5:
                row["left_mm"] = row["right_mm"] = None
            elif dice.random() < cells:
                row[str(dice.choice(["left_mm", "right_mm"]))] = None
            rows.append(row)
        stations.append({"x_mm": round(float(x), 1), "rows": rows})
    none = dict.fromkeys(("left_mm", "right_mm", "front_mm", "rear_mm", "below_mm", "above_mm"), 0)
    return StationSpace.model_validate({"stations": stations, "clearance": none}), tall, left, right


def hull_fits(seed: int, cells: float) -> tuple[bool, bool] | None:
    """Whether the box that clears the doubt goes in, and the one that only clears the walls; None where there is no room."""
    space, tall, left, right = measured_hull(np.random.default_rng(seed), cells)
    found = space.room
    if found.depth_mm < 50 or found.width_mm < 20:
        return None
    x0, y0, z0 = found.origin
    half = SPARE_MM / 2
    xs = np.linspace(x0 + half, x0 + found.depth_mm - half, 60)
    zs = np.linspace(max(z0 + half, 0), min(z0 + found.height_mm - half, tall), 60)
    x, z = (grid.ravel() for grid in np.meshgrid(xs, zs))
    goes = []
    for clears in (True, False):
        fits = True
        for k, (way, wall) in enumerate(((-1, left), (1, right))):
            y = (y0 + half) if k == 0 else (y0 + found.width_mm - half)
            spots = np.column_stack([x, np.full_like(x, y), z])
            short = float((space.doubt_at(spots)[:, k] - space.cavity.room_at(spots)[:, k]).max()) if clears else 0.0
            fits &= bool((way * y - max(short, 0.0) <= wall(x, z)).all())
        goes.append(fits)
    return goes[0], goes[1]


def main() -> int:
    """Print what was found."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--holes", type=int, default=2000)
    options.add_argument("--hulls", type=int, default=500)
    options.add_argument("--cells", type=float, default=0.0)
    told = options.parse_args()
    rooms = np.array([room_fits(seed) for seed in range(told.holes)]).reshape(-1, 2)
    hulls = np.array([f for f in (hull_fits(s, told.cells) for s in range(told.hulls)) if f is not None]).reshape(-1, 2)
    bad = False
    for name, fits in (("rooms", rooms), ("hulls", hulls)):
        if len(fits):
            sure, best = fits.mean(axis=0)
            bad |= sure < SURE
            print(
                f"{len(fits)} {name}: the tank that is sure goes into {sure:.1%}, the one that fits the best into {best:.1%}"
            )
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
