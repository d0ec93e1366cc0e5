"""What a box is told to bear over what it bears by finite elements: random boxes, prints a line of figures for each kind.

`python tools/box_study.py [--boxes 500] [--workers 2]`. Sides of 150 to 1000 mm, sheet of 1.5 to 6 mm, three metals, corners
welded inside too; every second one of mixed thickness.
"""

from __future__ import annotations

import argparse
from concurrent.futures import ProcessPoolExecutor

import numpy as np
from box_fe import Box, bears_kpa

from bathyx.core.material import sheet
from bathyx.core.strength.loads import Service
from bathyx.core.strength.panels import Metal, strength
from bathyx.core.tank.profile import ProfileTank


def drawn_box(seed: int):
    """(size, thickness across x, y and z, metal's key, its inside, panels of their own thickness) of a random box."""
    rng = np.random.default_rng(seed)
    size = tuple(float(np.round(np.exp(rng.uniform(np.log(150), np.log(1000))))) for _ in range(3))
    base = float(rng.choice([1.5, 2, 3, 4]))
    mixed = seed % 2 == 0
    thick = [float(rng.choice([1.5, 2, 2.5, 3, 4, 5, 6])) if mixed else base for _ in range(3)]
    key = ("5083", "s235", "304")[seed % 3]
    tank = ProfileTank(length_mm=size[0], width_mm=size[1], height_mm=size[2], sheet=f"{key}/{base:g}")
    shell = tank.shell()
    own = tuple((f.id, thick[int(np.argmax(np.abs(f.normal)))]) for f in shell.faces)
    return size, thick, key, shell, Metal(sheet(tank.sheet), own, True)


def told_over_found(seed: int, n: int = 8) -> tuple[bool, float, str]:
    """(mixed thickness, told over found, the box in words)."""
    size, thick, key, shell, made_of = drawn_box(seed)
    metal = made_of.sheet.material
    told = strength(shell, (), made_of, 10.0, Service(0, 800, 0, 0)).bears.value
    edge = [0.9 * metal.yield_at(t, weld=True) for t in thick]
    inside = [0.9 * metal.yield_at(t, weld=False) for t in thick]
    found = bears_kpa(size, thick, edge, inside, metal.modulus, metal.poisson, n)
    return len(set(thick)) > 1, told / found, f"{size} {thick} {key}: told {told:.1f}, found {found:.1f}"


def stood(seed: int, n: int = 6) -> list[tuple[float, tuple[float, float], str]]:
    """(how far a middle stands out by finite elements, the range that is told, words) at seven tenths of what it bears."""
    size, thick, key, shell, made_of = drawn_box(seed)
    metal, service = made_of.sheet.material, Service(0, 800, 0, 0)
    kpa = 0.7 * strength(shell, (), made_of, 10.0, service).bears.value
    box, u = Box(size, thick, metal.modulus, metal.poisson, n), None
    for k in range(1, 6):
        u = box.solve(kpa / 1000 * k / 5, u)
    found, told = box.bulge(u), {p.face: p for p in strength(shell, (), made_of, kpa, service).panels}
    axes = {f.id: int(np.argmax(np.abs(f.normal))) for f in shell.faces}
    return [
        (found[axes[f]], p.bulge_mm, f"{size} {thick} {key} {f} at {kpa:.1f} kPa")
        for f, p in told.items()
        if p.in_range
    ]


def main() -> None:
    """Print the figures."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--boxes", type=int, default=500)
    options.add_argument("--workers", type=int, default=2)
    told = options.parse_args()
    with ProcessPoolExecutor(told.workers) as pool:
        rows = list(pool.map(told_over_found, range(told.boxes), chunksize=4))
    for mixed, words in ((True, "mixed thickness"), (False, "one sheet")):
        x = np.array([ratio for is_mixed, ratio, _ in rows if is_mixed == mixed])
        print(
            f"{words}: {len(x)} boxes, told over found {x.min():.2f} to {x.max():.2f}, median {np.median(x):.2f}; "
            f"{(x > 1).sum()} above 1, {(x > 1.02).sum()} above 1.02"
        )
    for _, ratio, words in sorted(rows, key=lambda row: -row[1])[:5]:
        print(f"  {ratio:.2f} {words}")


if __name__ == "__main__":
    main()
