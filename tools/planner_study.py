"""What the make-up planner calls proven, against every set of bends tried in the order of its weight.

`python tools/planner_study.py [--tanks 300]`. Random boxes, hoppers and wedges, sheets and brakes; the first set in that order that
can be made is the best there is.
"""

from __future__ import annotations

import argparse
import sys
from itertools import combinations

import numpy as np

from bathyx.core.evaluate import evaluate
from bathyx.core.job import Job
from bathyx.core.makeups.pieces import Pieces, groups
from bathyx.core.makeups.plan import planned_pieces
from bathyx.core.makeups.search import best_forests
from bathyx.errors import Refusal

SECONDS = 60.0


def drawn(seed: int) -> Job:
    """A random job of six or seven flat faces. Refusal where the draw is none."""
    dice = np.random.default_rng(seed)
    n, w, h = (float(np.round(dice.uniform(150, 1200))) for _ in range(3))
    sheet = str(dice.choice(["5083/3", "304/1.5", "s235/2"]))
    kind = dice.choice(["box", "hopper", "wedge"], p=[0.5, 0.4, 0.1])
    tank: dict[str, object] = {"family": "profile", "sheet": sheet, "length_mm": n, "width_mm": w, "height_mm": h}
    if kind == "hopper":
        tank = {"family": "hopper", "sheet": sheet, "top_length_mm": n, "top_width_mm": w, "height_mm": h}
        tank |= {
            "bottom_length_mm": round(n * dice.uniform(0.5, 1)),
            "bottom_width_mm": round(w * dice.uniform(0.5, 1)),
        }
    elif kind == "wedge":
        tank["chamfers"] = [{"corner": "rear_top", "along_mm": round(n * 0.3), "up_mm": round(h * 0.3)}]
    brake = {
        "length_mm": float(dice.choice([400, 800, 1250, 2500, 4000])),
        "open_ended": bool(dice.random() < 0.5),
        "pan_mm": float(dice.choice([0, 120, 300])),
    }
    document = {
        "uid": f"plan-{seed:05d}",
        "tank": tank,
        "makeup": {"brake": brake},
        "inside": {"baffles": {"by_rule": False}},
    }
    return Job.model_validate(document)


def best_of_all(pieces: Pieces, weight: dict[str, float]) -> float:
    """The weight of the heaviest set of bends that can be made, by trying all of them, heaviest first."""
    names, faces = [e.id for e in pieces.folds], len(pieces.shell.faces)
    sets = [bent for size in range(faces) for bent in combinations(names, size)]
    sets.sort(key=lambda bent: -sum(weight[n] for n in bent))
    for bent in sets:
        edges = [pieces.by_id[name] for name in bent]
        of = groups(pieces.shell, edges)
        if len(set(of.values())) != faces - len(bent):
            continue
        if all(
            not pieces.refusal(frozenset(e.id for e in edges if of[e.a] == root)) for root in {of[e.a] for e in edges}
        ):
            return sum(weight[n] for n in bent)
    return 0.0


def compared(seed: int) -> tuple[bool, float, float] | None:
    """(proven, the planner's best, the best there is) of a random tank; None where the draw is none."""
    try:
        job = drawn(seed)
        e = evaluate(job)
    except (Refusal, ValueError):
        return None
    pieces = planned_pieces(job, e)
    weight = {edge.id: edge.length_mm for edge in pieces.folds}
    found = best_forests(pieces, weight, 3, SECONDS)
    return found.gap == 0, found.best[0][0], best_of_all(planned_pieces(job, e), weight)


def main() -> int:
    """Print what was found."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--tanks", type=int, default=300)
    options.add_argument("--first", type=int, default=0)
    told = options.parse_args()
    proven, wrong, looked = 0, 0, 0
    for seed in range(told.first, told.first + told.tanks):
        if (found := compared(seed)) is None:
            continue
        looked, proven = looked + 1, proven + found[0]
        if found[0] and abs(found[1] - found[2]) > 1e-6:
            wrong += 1
            print(f"plan-{seed:05d}: called proven at {found[1]:.1f}, {found[2]:.1f} mm can be bent", flush=True)
    print(f"{looked} tanks, {proven} proven, {wrong} of them wrongly")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
