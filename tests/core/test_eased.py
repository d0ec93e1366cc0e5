"""Corners at bends: folded up by the other way of folding (`fold`), no point of a bend lies in a plate it is not bent from."""

import sys
from pathlib import Path

import numpy as np
import pytest
from shapely import Polygon, contains_xy

sys.path.insert(0, str(Path(__file__).parents[2] / "tools"))
from fold_study import drawn, standing

from bathyx.core.evaluate import evaluate
from bathyx.core.sheet.bending.fold import folded
from bathyx.core.sheet.flat import unfold
from bathyx.core.sheet.flat.blanks import pieces_of
from bathyx.core.sheet.flat.laid import laid_pieces
from bathyx.core.tank.profile import Chamfer
from tests.conftest import box, codes, job_with


def in_plates(job):
    """(bend, face) where points in the middle of a bend's sheet, near its ends, lie in a plate it is not bent from."""
    r = evaluate(job).results
    cut = {frozenset(p.lays): Polygon(p.outline.faceted) for p in pieces_of(r.panelled, r.roles, r.skins, r.rule)}
    pieces = laid_pieces(r.panelled, r.roles, r.skins, r.rule)
    plates = [
        (r.panelled.by_id[name], p.lays[name], p.t, Polygon(core).intersection(cut[frozenset(p.lays)]).buffer(-0.1))
        for p in pieces
        for name, core in p.cores.items()
    ]
    edges = {e.id: e for e in r.panelled.edges}
    found = set()
    for laid in pieces:
        up = folded(laid, r.panelled, r.rule, {bend.edge: 1.0 for bend in laid.bends})
        for strip, bend in zip(laid.strips, laid.bends, strict=True):
            edge = edges[bend.edge]
            way = (edge.end - edge.start) / edge.length_mm
            # How far along the edge the strip's corners are: folding does not change that.
            n0, f1, f0, n1 = up.faces[edge.a].points(strip) @ way
            quads = up.strips[bend.edge]
            for k, quad in enumerate(quads):
                share = (k + 0.5) / len(quads)
                low, high = sorted((n0 + (f1 - n0) * share, n1 + (f0 - n1) * share))
                out = np.cross(quad[1] - quad[0], quad[3] - quad[0])
                out *= np.sign(out @ (r.panelled.by_id[edge.a].normal + r.panelled.by_id[edge.b].normal))
                middle = quad.mean(axis=0) + out / np.linalg.norm(out) * laid.t / 2
                at = np.concatenate([np.linspace(low + 0.1, low + 6, 30), np.linspace(high - 6, high - 0.1, 30)])
                spots = middle + way * (at - middle @ way)[:, None]
                for face, lay, t, plate in plates:
                    h = (spots - face.loop[0]) @ face.normal
                    inside = (h > 0.1) & (h < t - 0.1) & contains_xy(plate, lay.point(spots))
                    if face.id not in (edge.a, edge.b) and inside.any():
                        found.add((bend.edge, face.id))
    return sorted(found)


SEEDS = [1, 4, 19, 33, 44]


@pytest.mark.parametrize("seed", SEEDS)
def test_no_bend_stands_in_a_plate_beside_it(seed):
    job = drawn(seed)
    assert in_plates(job) == []
    assert standing(job) == []


def test_without_easing_they_do(monkeypatch):
    monkeypatch.setattr(unfold, "eased", lambda pieces, shell, rule: [(piece.outline, ()) for piece in pieces])
    found = 0
    for job in map(drawn, SEEDS):
        size = next(name for name in ("height_mm", "width_mm") if hasattr(job.tank, name))
        found += bool(
            in_plates(job.edited(f"tank.{size}", getattr(job.tank, size) + 0.25))
        )  # another size: nothing kept
    assert found >= 3


def test_what_lies_too_flat_is_said_and_welded_by_its_remedy():
    tank = box(length=425, width=481, height=166, chamfers=[Chamfer(corner="front_top", along_mm=161.0, up_mm=20.0)])
    job = job_with(tank, makeup__joint="corner", makeup__edges=[{"edge": "front top chamfer/left end", "role": "bend"}])
    e = evaluate(job)
    (finding,) = [f for f in e.findings if f.code == "sheet.clash"]
    assert finding.severity == "stop"
    assert "runs through the plate of top" in finding.message
    assert "sheet.clash" not in codes(evaluate(finding.remedy.apply(job)))


def test_what_cannot_be_cut_away_is_said(monkeypatch):
    """An outline that its cuts would part stays as it is: the bend stands in it, and nobody may be told otherwise."""
    from bathyx.core.sheet.flat import eased

    monkeypatch.setattr(eased, "_cut", lambda outline, off: outline)
    job = drawn(SEEDS[0])
    size = next(name for name in ("height_mm", "width_mm", "top_width_mm") if hasattr(job.tank, name))
    e = evaluate(job.edited(f"tank.{size}", getattr(job.tank, size) + 0.75))
    assert [f for f in e.findings if f.code == "sheet.clash" and "runs through the plate" in f.message]
