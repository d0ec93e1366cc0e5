"""Puzzles of the way in with limits in closed form, and how often and how soon they are solved: prints the table of docs/way-in.md.

`python -m tools.way_puzzles [--seeds 20] [--seconds 20]` (some ten minutes). Each puzzle is a function of what it has to spare, mm:
it gives the body where it sits, its door, what is in the way, and the size of the space. Below 0 there is no way, and none may be
found.
"""

from __future__ import annotations

import argparse
import math
import statistics
import time
from collections.abc import Callable

import numpy as np
import numpy.typing as npt
import trimesh

from bathyx.core.space.openings import Opening
from bathyx.core.wayin.built import Door
from bathyx.core.wayin.pose import Pose
from bathyx.core.wayin.scene import Part, Scene
from bathyx.core.wayin.through import Through

Array = npt.NDArray[np.float64]
Puzzle = tuple[Array, Door, list[Part], tuple[float, float, float]]

FAR = 4000.0


def brick(low: object, high: object) -> Array:
    """Triangles (12, 3, 3) of an upright box."""
    return np.asarray(trimesh.creation.box(bounds=[low, high]).triangles, float)


def hatch(x0: float, x1: float, y0: float, y1: float, z: float, thick: float = 4.0) -> tuple[Door, list[Part]]:
    """The door, and the four plates round it."""
    opening = Opening(axis="z", at_mm=z, corners=((x0, y0), (x1, y0), (x1, y1), (x0, y1)), thickness_mm=thick)
    middle = np.array([(x0 + x1) / 2, (y0 + y1) / 2])
    door = Door(opening, np.eye(3), np.array([*middle, z + thick / 2]), np.array([x1 - x0, y1 - y0]), "roof")
    sides = (((-FAR, -FAR), (x0, FAR)), ((x1, -FAR), (FAR, FAR)), ((-FAR, -FAR), (FAR, y0)), ((-FAR, y1), (FAR, FAR)))
    return door, [Part("plate", brick([*a, z], [*b, z + thick])) for a, b in sides]


def room(d: float, w: float, h: float) -> list[Part]:
    """Four walls and a floor."""
    walls = (
        ([-50, 0, 0], [0, w, h]),
        ([d, 0, 0], [d + 50, w, h]),
        ([0, -50, 0], [d, 0, h]),
        ([0, w, 0], [d, w + 50, h]),
    )
    return [Part("wall", brick(a, b)) for a, b in (*walls, ([0, 0, -50], [d, w, 0]))]


def looked_for(
    body: Array, door: Door, parts: list[Part], size: tuple[float, float, float], seed: int, seconds: float
) -> tuple[Scene, list[Pose] | None]:
    """The scene of a puzzle, and a path where one was found in time."""
    scene, rng, end = Scene(body, tuple(parts)), np.random.default_rng(seed), time.monotonic() + seconds
    through, turn = Through(scene, door, np.zeros(3), np.array(size, float), rng), 0
    while time.monotonic() < end:
        path = through.path(turn, lambda: time.monotonic() < end)
        if path is not None:
            return scene, path
        turn += 1
    return scene, None


def on_end(spare: float) -> Puzzle:
    """A box of 400 × 300 × 200 under a hatch of 300 × 200 and what is spare: it has to stand on end."""
    door, plates = hatch(100, 400 + spare, 100, 300 + spare, 520)
    return brick([94, 6, 6], [494, 306, 206]), door, [*plates, *room(500, 600, 520)], (500, 600, 520)


def rod(spare: float) -> Puzzle:
    """A rod of 60 round the corner from a shaft of 260 into a corridor of 220; the longest that goes round, in closed form."""
    a, b, w = 260.0, 220.0, 60.0
    turn = np.linspace(0.05, 1.5, 20_001)
    long = float((a / np.cos(turn) + b / np.sin(turn) - w * (np.tan(turn) + 1 / np.tan(turn))).min()) - spare
    high, deep = b + 900, 200
    bounds = (
        ([-50, -50, -50], [1600, deep + 50, 0]), ([1500, -50, 0], [1550, deep + 50, high]),
        ([-50, -50, b], [1500 - a, deep + 50, high]), ([-50, -50, -50], [1600, 0, high]),
        ([-50, deep, -50], [1600, deep + 50, high]), ([-50, -50, -50], [0, deep + 50, b]),
    )  # fmt: skip
    door, _ = hatch(1500 - a, 1500, 0, deep, high)
    return (
        brick([20, 20, 5], [20 + long, 180, 5 + w]),
        door,
        [Part("wall", brick(*x)) for x in bounds],
        (1500, deep, high),
    )


def plate(spare: float) -> Puzzle:
    """A plate of 500 × 420 × 6 passes a square only along its diagonal: side √2 = 420 + 6 and what is spare."""
    side = (420 + 6 + spare) / math.sqrt(2)
    door, plates = hatch(200, 200 + side, 200, 200 + side, 600)
    return brick([50, 50, 6], [550, 470, 12]), door, [*plates, *room(700, 700, 600)], (700, 700, 600)


def ell(spare: float) -> Puzzle:
    """An angle of 60 mm through a slot in a thin plate: at half its turn the slot has to be 60 √2 wide, and half the plate."""
    t, thick = 60.0, 0.5
    slot = t * math.sqrt(2) + thick / 2 + spare
    door, plates = hatch(300, 300 + slot, 100, 310, 600, thick)
    body = np.concatenate([brick([150, 105, 6], [450, 305, 6 + t]), brick([150, 105, 6 + t], [150 + t, 305, 260])])
    return body, door, [*plates, *room(700, 420, 600)], (700, 420, 600)


def bay(spare: float) -> Puzzle:
    """A box of 60 under a deck: down through a hatch of 260 at the bay's end wall, and round below the deck, 220 high."""
    a, h, w = 260.0, 220.0, 60.0
    turn = np.linspace(0.05, 1.5, 20_001)
    long = float((a / np.cos(turn) + h / np.sin(turn) - w * (np.tan(turn) + 1 / np.tan(turn))).min()) - spare
    deep = 200.0
    door, plates = hatch(1500 - a, 1500, 0, deep, h, 0.5)
    high = [Part("bulkhead", brick([1500, -50, h], [1550, deep + 50, h + 1200]))]
    return (
        brick([20, 20, 5], [20 + long, 180, 5 + w]),
        door,
        [*plates, *high, *room(1500, deep, h)],
        (1500, deep, h + 900),
    )


PUZZLES: dict[str, Callable[[float], Puzzle]] = {p.__name__: p for p in (on_end, rod, plate, ell, bay)}
SPARE_MM = 3.0


def measured(name: str, seeds: int, seconds: float) -> str:
    """A row of the table: how many of the seeds found the way with 3 mm to spare, how soon, and with 3 mm too little."""
    times = []
    for seed in range(1, seeds + 1):
        began = time.monotonic()
        if looked_for(*PUZZLES[name](SPARE_MM), seed, seconds)[1] is not None:
            times.append(time.monotonic() - began)
    wrong = sum(
        looked_for(*PUZZLES[name](-SPARE_MM), seed, seconds / 4)[1] is not None for seed in range(1, seeds // 4 + 1)
    )
    middle, longest = (statistics.median(times), max(times)) if times else (math.nan, math.nan)
    return f"| {name} | {len(times)} of {seeds} | {middle:.1f} s | {longest:.1f} s | {wrong} of {seeds // 4} |"


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seeds", type=int, default=20)
    parser.add_argument("--seconds", type=float, default=20.0)
    parser.add_argument("--only", choices=PUZZLES, action="append")
    options = parser.parse_args()
    print("| puzzle | found, 3 mm to spare | median | longest | found, 3 mm too tight |\n|---|---|---|---|---|")
    for name in options.only or PUZZLES:
        print(measured(name, options.seeds, options.seconds), flush=True)


if __name__ == "__main__":
    main()
