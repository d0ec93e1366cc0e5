"""Puzzles of the way in with limits in closed form, and how often and how soon they are solved: prints the table of docs/way-in.md.

`python -m tools.way_puzzles [--seeds 20] [--seconds 20]` (some ten minutes). Each puzzle is a function of what it has to spare, mm:
it gives the body where it sits, its door, what is in the way, and the size of the space. Below 0 there is no way, and none may be
found.
"""

from __future__ import annotations

import argparse
import itertools
import math
import statistics
import time
from collections.abc import Callable

import numpy as np
import numpy.typing as npt
import shapely
import trimesh
from shapely.geometry import Polygon

from bathyx.core.space.openings import Opening
from bathyx.core.wayin.built import Door
from bathyx.core.wayin.path import CLOSE_MM, eased, shortened, tightest
from bathyx.core.wayin.pose import Pose
from bathyx.core.wayin.roadmap import Finder
from bathyx.core.wayin.scene import Part, Scene
from bathyx.core.wayin.through import looks
from bathyx.core.wayin.whole import polished

Array = npt.NDArray[np.float64]
Puzzle = tuple[Array, Door | tuple[Door, ...], list[Part], tuple[float, float, float]]

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
    body: Array,
    door: Door | tuple[Door, ...],
    parts: list[Part],
    size: tuple[float, float, float],
    seed: int,
    seconds: float,
) -> tuple[Scene, list[Pose] | None]:
    """The scene of a puzzle, and a path where one was found in time. Of several doors all but the first are in plates outside."""
    scene, rng, end = Scene(body, tuple(parts)), np.random.default_rng(seed), time.monotonic() + seconds
    first, *more = door if isinstance(door, tuple) else (door,)
    finder, turn = Finder(scene, (first,), np.zeros(3), np.array(size, float), rng, tuple(more), tuple(more)), 0
    while time.monotonic() < end:
        for _, path in finder.paths(turn, lambda: time.monotonic() < end):
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


def prism(shape: Polygon, high: float) -> Array:
    """Triangles of a shape (x, y) drawn up z, closed."""
    shape = shapely.geometry.polygon.orient(shape)
    found = []
    for piece in shapely.constrained_delaunay_triangles(shape).geoms:
        flat = np.array(shapely.geometry.polygon.orient(piece).exterior.coords)[:3]
        found += [np.column_stack([flat[::-1], np.zeros(3)]), np.column_stack([flat, np.full(3, high)])]
    for ring in (shape.exterior, *shape.interiors):
        for p, q in itertools.pairwise(np.array(ring.coords)):
            a, b, c, d = (*p, 0.0), (*q, 0.0), (*q, high), (*p, high)
            found += [np.array([a, b, c]), np.array([a, c, d])]
    return np.array(found, float)


def stood(triangles: Array, order: tuple[int, int, int], at: tuple[float, float, float]) -> Array:
    """A body with its axes in another order, its lowest corner at a place."""
    turned = triangles[..., list(order)]
    return np.asarray(turned - turned.reshape(-1, 3).min(axis=0) + np.array(at))


def holed(ring: list[tuple[float, float]], z: float, thick: float = 4.0) -> tuple[Door, list[Part]]:
    """A door of any border, and the plate round it."""
    opening = Opening(axis="z", at_mm=z, corners=tuple(ring), thickness_mm=thick)
    border = np.array(ring)
    low, size = border.min(axis=0), np.ptp(border, axis=0)
    door = Door(opening, np.eye(3), np.array([*(low + size / 2), z + thick / 2]), size, "roof")
    whole = Polygon([(-FAR, -FAR), (FAR, -FAR), (FAR, FAR), (-FAR, FAR)], [ring])
    return door, [Part("plate", prism(whole, thick) + [0, 0, z])]


def wedge(spare: float) -> Puzzle:
    """A wedge bow-down into a hull: a right triangle of 400 × 300 passes a slot as wide as its altitude, 240.

    A convex shape passes what is as wide as its least width (Strang, The width of a chair, 1982, from memory).
    """
    slot = 400 * 300 / 500 + spare
    door, plates = hatch(250, 250 + slot, 100, 412, 620, 1.0)
    body = stood(prism(Polygon([(0, 0), (400, 0), (0, 300)]), 300), (0, 2, 1), (120, 105, 60))
    deep, wide = 900.0, 520.0
    hull = [Part("hull", stood(prism(Polygon([(0, 0), (deep, 0), (deep, 50)]), wide), (0, 2, 1), (0, 0, 0)))]
    return body, door, [*plates, *hull, *room(deep, wide, 620)], (deep, wide, 620)


def dished(spare: float) -> Puzzle:
    """A cylinder of 240 with dished ends, 420 long, on end through an octagon: its inscribed circle has to be the cylinder's.

    Every section through the middle of such a cylinder holds a circle of its size.
    """
    r = 120.0
    turns = np.linspace(0, 2 * np.pi, 32, endpoint=False)
    apothem = r + spare / 2
    corner = apothem / math.cos(math.pi / 8)
    ring = [(350 + corner * math.cos(a), 300 + corner * math.sin(a)) for a in np.arange(8) * math.pi / 4 + math.pi / 8]
    door, plates = holed(ring, 640)
    rings = [
        (x, math.sqrt(max(r**2 - (r * (30 - x) / 30 * 0.5) ** 2, 0)) if x < 30 else r) for x in (0.0, 10.0, 20.0, 30.0)
    ]
    spots = [(x, rr * math.cos(a), rr * math.sin(a)) for x, rr in rings for a in turns]
    spots += [(420 - x, rr * math.cos(a), rr * math.sin(a)) for x, rr in rings for a in turns]
    body = np.asarray(trimesh.convex.convex_hull(np.array(spots)).triangles, float)
    return stood(body, (0, 1, 2), (60, 100, 6)), door, [*plates, *room(720, 600, 640)], (720, 600, 640)


def tee(spare: float) -> Puzzle:
    """A bar of T section through a hole of the same shape, half of what is spare wider all round."""
    shape = Polygon([(0, 0), (100, 0), (100, 180), (220, 180), (220, 260), (-120, 260), (-120, 180), (0, 180)])
    hole = shape.buffer(spare / 2, join_style="mitre")
    ring = [(x + 350, y + 150) for x, y in list(hole.exterior.coords)[:-1]]
    door, plates = holed(ring, 640)
    body = prism(shape, 420)
    return stood(body, (2, 0, 1), (60, 120, 6)), door, [*plates, *room(800, 600, 640)], (800, 600, 640)


def saddle(spare: float) -> Puzzle:
    """A saddle of 360 over a bracket, its channel as wide as that and what is spare; by a hatch of 250 it has to come in on end."""
    shape = [(0, 0), (120, 0), (120, 160), (200, 160), (200, 0), (320, 0), (320, 240), (0, 240)]
    body = stood(prism(Polygon(shape), 360), (2, 0, 1), (120, 140, 4))
    wide = 80.0 - spare
    bracket = [Part("bracket", brick([80, 300 - wide / 2, 0], [520, 300 + wide / 2, 150]))]
    door, plates = hatch(60, 310, 100, 480, 560)
    return body, door, [*plates, *bracket, *room(620, 600, 560)], (620, 600, 560)


def neck(spare: float) -> Puzzle:
    """A flat tank of 300 × 300 × 150 with a neck to 370, below a deep beam: only lying on its side it is as low as 300.

    The beam is deeper than the tank is long, so all of it is below at once: the least width of its hull counts, which is 300.
    """
    body = np.concatenate([brick([60, 160, 4], [360, 460, 154]), brick([180, 280, 153], [240, 340, 374])])
    beam = [Part("beam", brick([520, -50, 300 + spare], [960, 670, 640]))]
    door, plates = hatch(1000, 1420, 100, 520, 640)
    return body, door, [*plates, *beam, *room(1480, 620, 640)], (1480, 620, 640)


def plates(spare: float) -> Puzzle:
    """A box of 320 × 180 × 120 on end through two plates 460 apart; the holes, aside from each other, are its two smaller sides."""
    door, low = hatch(100, 220 + spare, 100, 280 + spare, 520)
    other, high = hatch(300, 420 + spare, 260, 440 + spare, 980)
    body = brick([94, 106, 6], [414, 286, 126])
    return body, (door, other), [*low, *high, *room(560, 600, 520)], (560, 600, 520)


FIVE = (on_end, rod, plate, ell, bay)
MORE = (wedge, dished, tee, saddle, neck, plates)
PUZZLES: dict[str, Callable[[float], Puzzle]] = {p.__name__: p for p in (*FIVE, *MORE)}
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


def airs(name: str, seeds: int, seconds: float) -> str:
    """A row: the least air of paths with 3 mm to spare and their moves, pushed pose by pose, and led whole where that is more."""
    before, after = [], []
    for seed in range(1, seeds + 1):
        scene, path = looked_for(*PUZZLES[name](SPARE_MM), seed, seconds)
        if path is None:
            continue
        rng = np.random.default_rng(seed)
        pushed = eased(
            scene, shortened(scene, path, rng, lambda: True), looks(scene, lambda: True, 8000), (False, True)
        )
        before.append((tightest(scene, pushed, CLOSE_MM).mm, len(pushed) - 1))
        led, least = polished(scene, path, np.random.default_rng(seed), lambda: True, 1.0)
        after.append((least.mm, len(led) - 1))
    said = [
        f"{statistics.median(a for a, _ in rows):.2f} mm in {statistics.median(m for _, m in rows):.0f} moves"
        for rows in (before, after)
    ]
    return f"| {name} | {len(after)} | {said[0]} | {said[1]} |"


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seeds", type=int, default=20)
    parser.add_argument("--seconds", type=float, default=20.0)
    parser.add_argument("--air", action="store_true", help="the air of the paths instead")
    parser.add_argument("--only", choices=PUZZLES, action="append")
    options = parser.parse_args()
    if options.air:
        print("| puzzle | paths | pushed pose by pose | led whole where that is more |\n|---|---|---|---|")
        for name in options.only or PUZZLES:
            print(airs(name, options.seeds, options.seconds), flush=True)
        return
    print("| puzzle | found, 3 mm to spare | median | longest | found, 3 mm too tight |\n|---|---|---|---|---|")
    for name in options.only or PUZZLES:
        print(measured(name, options.seeds, options.seconds), flush=True)


if __name__ == "__main__":
    main()
