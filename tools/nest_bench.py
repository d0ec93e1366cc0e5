"""Nests at equal time against `rectpack` alone and `spyrrow` alone: `python -m tools.nest_bench [--seconds 20] [--only 3]`.

Ten made-up batches of 50 to 200 parts of two or three thicknesses, with off-cuts on the rack. What counts is the area of
new sheets less half of the largest rectangle that is left of each (80 mm at least either way).

`rectpack` alone: all its packers in all its orders on each stock size, off-cuts first, then shuffled orders until the time is over.
`spyrrow` alone: one strip as high as the best stock sheet, of which only the length that is used counts: it knows no
sheets' ends and no off-cuts. It is held against what ours takes with the whole of the rectangles left given back.
"""

from __future__ import annotations

import argparse
import time
from statistics import median

import numpy as np

from bathyx.core.sheet.cutting.cut_plan import CutPlan, Cutting, Part, cut_plan
from bathyx.core.sheet.cutting.guillotine import beyond
from bathyx.core.sheet.cutting.parts import LEAST_OFFCUT_MM, Place, Used, laid_out, rects_on

Size = tuple[float, float]
STOCKS: tuple[Size, ...] = ((2000.0, 1000.0), (2500.0, 1250.0))
HALF = 0.5
HOW = Cutting(shear=False, kerf_mm=3.0, margin_mm=5.0)


def shape(dice: np.random.Generator, w: float, h: float) -> np.ndarray:
    """An outline as tanks have them: plain, chamfered, stepped, tapered, a gusset or a round end."""
    kind = int(dice.integers(6))
    a, b = float(dice.uniform(0.2, 0.45)) * w, float(dice.uniform(0.2, 0.45)) * h
    if kind == 1:
        ring = [(a, 0), (w - a, 0), (w, b), (w, h), (0, h), (0, b)]
    elif kind == 2:
        ring = [(0, 0), (w, 0), (w, b), (a, b), (a, h), (0, h)]
    elif kind == 3:
        ring = [(0, 0), (w, 0), (w - a, h), (a, h)]
    elif kind == 4:
        ring = [(0, 0), (w, 0), (0, h)]
    elif kind == 5:
        turns = np.linspace(0, 2 * np.pi, 24, endpoint=False)
        return np.column_stack([w / 2 * (1 + np.cos(turns)), w / 2 * (1 + np.sin(turns))])
    else:
        ring = [(0, 0), (w, 0), (w, h), (0, h)]
    return np.array(ring, float)


def batch(seed: int) -> list[tuple[tuple[Part, ...], tuple[Size, ...]]]:
    """(parts, off-cuts) of each thickness."""
    dice = np.random.default_rng(100 + seed)
    count, kinds = int(dice.integers(50, 201)), int(dice.integers(2, 4))
    shares = np.maximum(np.round(dice.dirichlet(np.full(kinds, 3.0)) * count), 5).astype(int)
    found = []
    for k, many in enumerate(shares):
        largest = float(dice.choice([450, 700, 950]))
        parts = []
        for n in range(many):
            w, h = np.round(dice.uniform(60, largest, 2) * dice.choice([1.0, 0.5], 2))
            parts.append(Part(f"t{k} p{n}", shape(dice, max(float(w), 40.0), max(float(h), 40.0))))
        rack = [tuple(map(float, np.round(dice.uniform(200, 900, 2)))) for _ in range(int(dice.integers(0, 4)))]
        found.append((tuple(parts), tuple(rack)))
    return found


def as_rectangle(part: Part) -> Part:
    """Its rectangle."""
    w, h = part.size
    return Part(part.name, np.array([(0, 0), (w, 0), (w, h), (0, h)], float))


def costs(plan: CutPlan, parts: tuple[Part, ...], left_worth: float) -> float:
    """Area of new sheets less a share of the largest rectangle left of each, mm2, reckoned here for all alike."""
    by_name = {p.name: p for p in parts}
    total = 0.0
    for n, used in enumerate(plan.sheets):
        if not used.offcut:
            rest = beyond(rects_on(plan.on(n), by_name), (0.0, 0.0, *used.size), HOW.kerf_mm, LEAST_OFFCUT_MM)
            total += used.area_mm2 - left_worth * sum(r[2] * r[3] for r in rest)
    return total


def by_rectpack(parts: tuple[Part, ...], offcuts: tuple[Size, ...], seconds: float) -> float:
    """The least area that `rectpack` takes."""
    import rectpack

    names = [n for n in dir(rectpack) if n.startswith(("Guillotine", "MaxRects", "Skyline"))]
    sorts = [getattr(rectpack, n) for n in dir(rectpack) if n.startswith("SORT_") and n != "SORT_NONE"]
    dice, end, best = np.random.default_rng(7), time.monotonic() + seconds, float("inf")

    def tries():
        for stock in STOCKS:
            for sort in sorts:
                for name in names:
                    yield stock, getattr(rectpack, name), sort
        while True:
            yield STOCKS[int(dice.integers(len(STOCKS)))], getattr(rectpack, str(dice.choice(names))), None

    for stock, algo, sort in tries():
        if time.monotonic() > end:
            return best
        order = list(range(len(parts))) if sort is not None else dice.permutation(len(parts)).tolist()
        packer = rectpack.newPacker(pack_algo=algo, sort_algo=sort or rectpack.SORT_NONE, rotation=True)
        for i in order:
            packer.add_rect(parts[i].size[0] + 3, parts[i].size[1] + 3, i)
        for w, h in (*sorted(offcuts, key=lambda s: s[0] * s[1]), *[stock] * len(parts)):
            packer.add_bin(w - 10 + 3, h - 10 + 3)
        packer.pack()
        rows = packer.rect_list()
        if len(rows) < len(parts):
            continue
        sheets, places = [], []
        for n in sorted({row[0] for row in rows}):
            size = (packer[n].width + 7, packer[n].height + 7)
            sheets.append(Used(size, any(np.allclose(size, o) for o in offcuts)))
            for _, x, y, w, _h, i in (row for row in rows if row[0] == n):
                turned = abs(w - 3 - parts[i].size[0]) > 1e-6
                x_mm = x + 5 + (parts[i].size[1] if turned else 0.0)
                places.append(Place(parts[i].name, len(sheets) - 1, x_mm, y + 5, 90.0 if turned else 0.0))
        best = min(best, costs(laid_out(sheets, places, parts), parts, HALF))
    return best


def by_spyrrow(parts: tuple[Part, ...], seconds: float) -> float:
    """The area of the strip that `spyrrow` takes, with the margins."""
    import spyrrow

    best = float("inf")
    for w, h in STOCKS:
        short = min(w, h)
        turns = [0.0, 90.0, 180.0, 270.0]
        items = [spyrrow.Item(p.name, [tuple(map(float, q)) for q in p.outline], 1, turns) for p in parts]
        try:
            strip = spyrrow.StripPackingInstance("strip", short - 10 + 6.02, items)  # it keeps 3 mm from the border too
            each = max(1, int(seconds / len(STOCKS)))
            config = spyrrow.StripPackingConfig(
                min_items_separation=3.0, total_computation_time=each, num_workers=1, seed=1
            )
            best = min(best, (strip.solve(config).width + 10 - 6) * short)
        except ValueError:
            continue
    return best


def main() -> None:
    """Print a row for each batch, and the medians."""
    reader = argparse.ArgumentParser(description=__doc__.split("\n", 1)[0])
    reader.add_argument("--seconds", type=float, default=20.0, help="a batch, for each of the four")
    reader.add_argument("--only", type=int, action="append", help="this batch; again for more")
    options = reader.parse_args()
    print(
        "| batch | parts | thicknesses | rectangles, m² | `rectpack` / ours | `spyrrow` / ours | shapes / rectangles |"
    )
    print("|---|---|---|---|---|---|---|")
    rows = []
    for seed in options.only or range(10):
        groups = batch(seed)
        each = options.seconds / len(groups)
        mine = used = packed = strip = true = 0.0
        for parts, offcuts in groups:
            rects = tuple(map(as_rectangle, parts))
            plan = cut_plan(rects, STOCKS, offcuts, HOW, each)
            mine += costs(plan, rects, HALF)
            used += costs(plan, rects, 1.0)
            packed += by_rectpack(rects, offcuts, each)
            strip += by_spyrrow(rects, each)
            true += costs(cut_plan(parts, STOCKS, offcuts, HOW, each), parts, HALF)
        many = sum(len(parts) for parts, _ in groups)
        rows.append((packed / mine, strip / used, true / mine))
        told = " | ".join(f"{v:.3f}" for v in rows[-1])
        print(f"| {seed} | {many} | {len(groups)} | {mine / 1e6:.2f} | {told} |", flush=True)
    middle = " | ".join(f"{median(column):.3f}" for column in zip(*rows, strict=True))
    print(f"| median | | | | {middle} |")


if __name__ == "__main__":
    main()
