"""Blanks of random tanks taken apart again from their DXF alone: is every cut in it that folding it up takes?

`python tools/fold_study.py [--tanks 1000] [--first 0]`. A blank is parted along its bends, each as wide as its allowance: as
many flats must be left as faces are folded of it. A cut that is missing leaves one flat fewer. Tanks of the families of flat faces,
with bends chosen by chance among those that Bathyx takes.
"""

from __future__ import annotations

import argparse
import math
import sys
import tempfile
from itertools import combinations
from pathlib import Path

import ezdxf
import numpy as np
from shapely import LineString, Polygon, union_all

from bathyx.core.evaluate import cuttable, evaluate
from bathyx.core.job import Job
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.sheet.flat.blanks import pieces_of
from bathyx.core.sheet.flat.laid import laid_pieces
from bathyx.core.sheet.flat.solids import depth_mm, meeting, metal_of, near
from bathyx.errors import Refusal
from bathyx.papers.machine.dxf import write_dxf

LEAST_MM2, STANDS_MM = 4.0, 0.05


def flats_of(path: Path, blank: Blank, t: float, k: float) -> list[float]:
    """Areas, mm2, of what is left of the outline in a DXF once its bends are taken out, each as wide as its allowance."""
    space = ezdxf.readfile(path).modelspace()
    outline = next(e for e in space.query("LWPOLYLINE") if e.dxf.layer.startswith("CUT"))
    whole = Polygon([p[:2] for p in outline.get_points("xy")])
    lines = [line for line in space.query("LINE") if line.dxf.layer.startswith("BEND")]
    strips = []
    for line, bend in zip(
        sorted(lines, key=_spot), sorted(blank.bends, key=lambda b: (*_middle(b.start, b.end),)), strict=True
    ):
        wide = math.radians(bend.turn_deg) * (bend.radius_mm + k * t)
        a, b = np.array(line.dxf.start)[:2], np.array(line.dxf.end)[:2]
        way = (b - a) / math.dist(a, b)
        strips.append(LineString([a - way * 0.6, b + way * 0.6]).buffer(wide / 2 + 1e-4, cap_style="flat"))
    left = whole.difference(union_all(strips))
    return [piece.area for piece in getattr(left, "geoms", (left,)) if piece.area > LEAST_MM2]


def _middle(a, b) -> tuple[float, float]:
    return tuple(np.round((np.asarray(a)[:2] + np.asarray(b)[:2]) / 2, 3))


def _spot(line) -> tuple[float, float]:
    return _middle(line.dxf.start, line.dxf.end)


def drawn(seed: int) -> Job:
    """A job with a random tank of flat faces. Refusal where the draw is no tank."""
    dice = np.random.default_rng(seed)
    sheet = str(dice.choice(["5083/2", "5083/3", "304/1.5", "s235/2"]))
    n, w, h = (float(np.round(dice.uniform(150, 700))) for _ in range(3))
    kind = dice.choice(["profile", "saddle", "hopper", "stepped", "outline"])
    tank: dict[str, object] = {"family": "profile", "sheet": sheet, "length_mm": n, "width_mm": w, "height_mm": h}
    if kind == "saddle":
        wide, high = round(w * dice.uniform(0.2, 0.5)), round(h * dice.uniform(0.2, 0.6))
        tank |= {"family": "saddle", "tunnel_width_mm": wide, "tunnel_height_mm": high}
    elif kind == "stepped":
        end, along, up = (
            dice.choice(["front", "rear"]),
            round(n * dice.uniform(0.2, 0.6)),
            round(h * dice.uniform(0.2, 0.6)),
        )
        tank["jog"] = {"end": str(end), "length_mm": along, "rise_mm": up, "run_mm": float(dice.choice([0, 0, 25]))}
    elif kind == "profile":
        corner = str(dice.choice(["front_top", "rear_bottom"]))
        along, up = round(n * dice.uniform(0.1, 0.4)), round(h * dice.uniform(0.1, 0.4))
        tank["chamfers"] = [{"corner": corner, "along_mm": along, "up_mm": up}]
    elif kind == "outline":
        a, b = round(n * dice.uniform(0.3, 0.7)), round(h * dice.uniform(0.3, 0.7))
        spots = [(0, 0), (a, 0), (a, b), (n, b), (n, h), (0, h)]
        tank = {
            "family": "outline",
            "sheet": sheet,
            "width_mm": w,
            "corners": [{"x_mm": x, "z_mm": z} for x, z in spots],
        }
    else:
        tank = {"family": "hopper", "sheet": sheet, "top_length_mm": n, "top_width_mm": w, "height_mm": h}
        tank |= {
            "bottom_length_mm": round(n * dice.uniform(0.4, 1)),
            "bottom_width_mm": round(w * dice.uniform(0.4, 1)),
        }
    job = Job.model_validate(
        {"uid": f"fold-{seed:05d}", "tank": tank, "makeup": {"joint": str(dice.choice(["corner", "lap"]))}}
    )
    edges = [edge.id for edge in evaluate(job).results.shell.edges]
    chosen: list[dict[str, str]] = []
    for name in dice.permutation(edges)[:14]:
        tried = [*chosen, {"edge": str(name), "role": "bend"}]
        try:
            cuttable(evaluate(job.edited("makeup.edges", tried)))  # refused, or taken
        except Refusal:
            continue
        chosen = tried
    return job.edited("makeup.edges", chosen)


def taken_apart(job: Job, folder: Path) -> tuple[int, list[str]]:
    """(blanks of two faces or more, those with a cut missing or an outline that touches itself, in words) of a job."""
    r, bad, looked = evaluate(job).results, [], 0
    for blank in r.blanks:
        if blank.role != "shell" or not blank.bends or len(blank.faces) < 2:
            continue
        looked += 1
        if not Polygon(blank.outline.faceted).is_valid:
            bad.append(f"{job.uid} {job.tank.family} {blank.name}: its outline touches itself")
        flats = flats_of(write_dxf(blank, folder / "b.dxf"), blank, blank.thickness_mm, r.rule.k_factor)
        wanted = len(blank.faces) + sum(b.flange for b in blank.bends)
        if len(flats) != wanted:
            bad.append(f"{job.uid} {job.tank.family} {blank.name}: {len(flats)} flats of {wanted}")
    return looked, bad


def missing(seed: int, folder: Path) -> tuple[int, list[str]]:
    """(blanks looked at, those with a cut missing, in words) of a random tank; none where the draw is no tank."""
    try:
        job = drawn(seed)
    except (Refusal, ValueError):
        return 0, []
    return taken_apart(job, folder)


def standing(job: Job) -> list[tuple[str, str, float]]:
    """What stands in one another when the pieces are folded up, as they are cut, and how deep, mm."""
    r = evaluate(job).results
    cut = {frozenset(p.lays): p.outline for p in pieces_of(r.panelled, r.roles, r.skins, r.rule)}
    metal = []
    for laid in laid_pieces(r.panelled, r.roles, r.skins, r.rule):
        outline = Polygon(cut[frozenset(laid.lays)].faceted).buffer(0)
        metal += metal_of(laid, r.panelled, r.rule, outline)
    found = []
    for a, b in combinations(metal, 2):
        if not meeting(a, b):
            deep = max((depth_mm(p, q) for p, q in near(a, b, STANDS_MM)), default=0.0)
            if deep > STANDS_MM:
                found.append((f"{a.kind} {a.name}", f"{b.kind} {b.name}", deep))
    return found


def main() -> int:
    """Print what was found."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--tanks", type=int, default=1000)
    options.add_argument("--first", type=int, default=0)
    told = options.parse_args()
    looked, bad, tanks, stood, said = 0, 0, 0, 0, 0
    with tempfile.TemporaryDirectory() as name:
        for seed in range(told.first, told.first + told.tanks):
            n, words = missing(seed, Path(name))
            looked, bad = looked + n, bad + len(words)
            print("\n".join(words), end="\n" if words else "", flush=True)
            try:
                job = drawn(seed)
            except (Refusal, ValueError):
                continue
            tanks += 1
            if found := standing(job):
                spoken = any(f.code == "sheet.clash" for f in evaluate(job).findings)
                stood, said = stood + (not spoken), said + spoken
                print(f"{job.uid} {job.tank.family} {'said' if spoken else 'NOT SAID'}", found[:2], flush=True)
    print(f"{looked} blanks folded of two faces or more, {bad} with a cut missing")
    print(
        f"{tanks} tanks: in {stood} something stands {STANDS_MM} mm in another and nothing says so, in {said} a finding does"
    )
    return 1 if bad or stood else 0


if __name__ == "__main__":
    sys.exit(main())
