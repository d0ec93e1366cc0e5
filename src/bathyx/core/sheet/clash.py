"""Plates that would stand in one another: joints that go well edge by edge may meet badly in a corner."""

from __future__ import annotations

from itertools import combinations

import numpy as np
import shapely
from shapely.geometry import Polygon

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Array, Face, Shell
from bathyx.core.memory import remembered
from bathyx.core.sheet.laid import laid_pieces
from bathyx.core.sheet.makeup import EdgeRole
from bathyx.core.sheet.rule import BendRule
from bathyx.core.sheet.skins import Skins

CLASH = formula(
    "sheet.clash",
    "No plate stands in another",
    "no two plates, each as thick as it is and as far as its joints let it run, share more than 0.05 mm",
    source="Separating axes of convex prisms; geometry",
    valid="flat plates cut square, without their flanges, tabs and bevels; rounded bends left out",
    check="tests/core/test_joints.py against linear programming",
    tolerance="0.05 mm",
)
TOUCH_MM = 0.05
Prism = tuple[Array, Array, Array]


@remembered()
def clashes(shell: Shell, roles: tuple[EdgeRole, ...], skins: Skins, rule: BendRule) -> tuple[tuple[str, str], ...]:
    """Pairs of faces whose plates would stand in one another.

    Args:
        shell: panelled.
        roles: what becomes of its edges.
        skins: thickness of its panels.
        rule: radius and K of bends.
    """
    plates: dict[str, list[Prism]] = {}
    for laid in laid_pieces(shell, roles, skins, rule):
        for name, core in laid.cores.items():
            face = shell.by_id[name]
            plates[name] = _prisms(face, laid.lays[name].point(face.loop), core, skins.of(face))
    return tuple((a, b) for a, b in combinations(plates, 2) if any(_share(p, q) for p in plates[a] for q in plates[b]))


def _prisms(face: Face, flat: Array, core: Array, t: float) -> list[Prism]:
    """Convex parts of a plate: (corners (6, 3), normals (5, 3), directions of edges (4, 3)).

    Its flat is taken back into space by the affine map that takes the laid-out loop to the face.
    """
    back, *_ = np.linalg.lstsq(np.column_stack([flat, np.ones(len(flat))]), face.loop, rcond=None)
    found = []
    for part in shapely.constrained_delaunay_triangles(Polygon(core)).geoms:
        ring = np.array(part.exterior.coords)[:3]
        low = np.column_stack([ring, np.ones(3)]) @ back
        sides = np.roll(low, -1, axis=0) - low
        sides /= np.linalg.norm(sides, axis=1)[:, None]
        normals = np.concatenate([np.cross(sides, face.normal), face.normal[None]])
        found.append(
            (np.concatenate([low, low + face.normal * t]), normals, np.concatenate([sides, face.normal[None]]))
        )
    return found


def _share(a: Prism, b: Prism) -> bool:
    """Whether two convex parts share room, by their separating axes."""
    if (
        np.minimum(a[0].max(axis=0), b[0].max(axis=0)) - np.maximum(a[0].min(axis=0), b[0].min(axis=0)) < TOUCH_MM
    ).any():
        return False
    crossed = np.cross(a[2][:, None], b[2][None]).reshape(-1, 3)
    size = np.linalg.norm(crossed, axis=1)
    axes = np.concatenate([a[1], b[1], crossed[size > 1e-6] / size[size > 1e-6][:, None]])
    p, q = a[0] @ axes.T, b[0] @ axes.T
    shared = np.minimum(p.max(axis=0), q.max(axis=0)) - np.maximum(p.min(axis=0), q.min(axis=0))
    return bool(shared.min() > TOUCH_MM)
