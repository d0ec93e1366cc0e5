"""How near the outside of a tank comes to each wall of its space and to each thing in it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt

from bathyx.core.formula import formula
from bathyx.core.memory import remembered
from bathyx.core.space.base import Clearance, MeasuredSpace
from bathyx.core.space.cavity import WALLS, Cavity
from bathyx.core.space.obstacles import AnyObstacle

Array = npt.NDArray[np.float64]
NEAREST = formula(
    "space.nearest",
    "Nearest approach",
    "least distance between the outside skin and a wall or a thing in the space; below 0 how far it stands in",
    source="Distance of triangle meshes (FCL, a general collision library)",
    valid="outside skin with mitred corners, rings and flanges; weld beads and tabs are the clearance's business",
    check="tests/core/test_touch.py: boxes, wedges and tubes by hand",
    tolerance="exact between flats; curved walls as their facets, within 0.5 mm",
)
TINY_MM = 1e-6


@dataclass(frozen=True, eq=False)
class Approach:
    """The nearest approach to `what`: `mm` of air (negative: stands in it), `wants_mm` of it to be kept, between two places."""

    what: str
    mm: float
    wants_mm: float
    at: Array
    to: Array

    @property
    def spare_mm(self) -> float:
        """What is left over the clearance."""
        return self.mm - self.wants_mm


def clearances(clear: Clearance) -> dict[str, float]:
    """What is kept off each wall, mm, by the wall's name."""
    sides = (clear.left_mm, clear.right_mm, clear.below_mm, clear.above_mm, clear.front_mm, clear.rear_mm)
    return dict(zip(WALLS, sides, strict=True))


def approaches(space: MeasuredSpace, skin: Array) -> tuple[Approach, ...]:
    """The nearest approach to every wall and everything in the space, tightest first.

    Args:
        space: as measured.
        skin: triangles (k, 3, 3) of the tank's outside, where it sits in the space, mm.
    """
    cavity, wants = space.cavity, clearances(space.kept)
    tank = _model(skin)
    points = skin.reshape(-1, 3)
    # One that lies outside without touching: the way of the wall it is beyond.
    off = cavity.room_at(points)
    found = []
    for k, name in enumerate(WALLS):
        if name not in cavity.mesh or not len(cavity.mesh[name]):
            continue
        worst = int(np.argmin(off[:, k]))
        if off[worst, k] < -TINY_MM:
            to = points[worst].copy()
            to[(1, 1, 2, 2, 0, 0)[k]] -= off[worst, k] * (1, -1, 1, -1, 1, -1)[k]
            found.append(Approach(name, float(off[worst, k]), wants[name], points[worst], to))
            continue
        mm, at, to = _distance(tank, _wall(cavity, name))
        found.append(Approach(name, mm, wants[name], at, to))
    for thing in space.things:
        found.append(_to_thing(tank, skin, thing))
    return tuple(sorted(found, key=lambda a: a.spare_mm))


def apart(skin: Array, other: Array, what: str = "the first tank", wants_mm: float = 6.0) -> Approach:
    """The nearest approach of one tank's outside to another's; −1 mm where one stands in the other.

    Args:
        skin: triangles (k, 3, 3), mm.
        other: triangles (m, 3, 3), mm.
        what: the other is called.
        wants_mm: of air between.
    """
    mm, at, to = _distance(_model(skin), _model(other))
    if mm <= TINY_MM or holds(skin, other[0, 0]) or holds(other, skin[0, 0]):
        return Approach(what, -1.0, wants_mm, at, to)
    return Approach(what, mm, wants_mm, at, to)


@remembered(6)
def _wall(cavity: Cavity, name: str) -> Any:
    return _model(cavity.mesh[name])


def _model(triangles: Array) -> Any:
    import fcl  # not at the start: only spaces that are more than a box need it

    model = fcl.BVHModel()
    model.beginModel(len(triangles) * 3, len(triangles))
    model.addSubModel(triangles.reshape(-1, 3), np.arange(len(triangles) * 3).reshape(-1, 3))
    model.endModel()
    return model


def _distance(a: Any, b: Any) -> tuple[float, Array, Array]:
    """(mm, place on a, place on b); 0 where they touch."""
    import fcl

    first, second = fcl.CollisionObject(a), fcl.CollisionObject(b)
    asked = fcl.CollisionRequest(num_max_contacts=1, enable_contact=True)
    met = fcl.CollisionResult()
    if fcl.collide(first, second, asked, met):
        spot = np.array(met.contacts[0].pos, float)
        return 0.0, spot, spot
    result = fcl.DistanceResult()
    mm = float(fcl.distance(first, second, fcl.DistanceRequest(enable_nearest_points=True), result))
    at, to = (np.array(p, float) for p in result.nearest_points)
    return mm, at, to


@lru_cache(maxsize=64)
def _thing(thing: AnyObstacle) -> tuple[Any, Array, Array]:
    """(model, planes' normals (m, 3), their offsets (m,)) of a convex thing."""
    from scipy.spatial import ConvexHull

    corners = thing.hull()
    hull = ConvexHull(corners)
    return _model(corners[hull.simplices]), hull.equations[:, :3], hull.equations[:, 3]


def _to_thing(tank: Any, skin: Array, thing: AnyObstacle) -> Approach:
    """To a convex thing: its air, or how deep the deepest corner of one stands in the other."""
    model, normals, offsets = _thing(thing)
    mm, at, to = _distance(tank, model)
    points = skin.reshape(-1, 3)
    depth = -(points @ normals.T + offsets).max(axis=1)
    deepest = int(np.argmax(depth))
    inside = depth[deepest] > TINY_MM
    swallowed = holds(skin, thing.hull().mean(axis=0))
    if not inside and not swallowed and mm > TINY_MM:
        return Approach(thing.name, mm, thing.clearance_mm, at, to)
    if inside:
        nearest = int(np.argmax(points[deepest] @ normals.T + offsets))
        at = points[deepest]
        return Approach(
            thing.name, -float(depth[deepest]), thing.clearance_mm, at, at + normals[nearest] * depth[deepest]
        )
    # No corner of the tank stands in it, but an edge or a wall runs through it: how far it would have to move out, box to box.
    low, high = points.min(axis=0), points.max(axis=0)
    corners = thing.hull()
    over = np.minimum(high - corners.min(axis=0), corners.max(axis=0) - low)
    k = int(np.argmin(over))
    spot = at if mm <= TINY_MM else corners.mean(axis=0)
    to = spot.copy()
    to[k] += over[k]
    return Approach(thing.name, -float(max(over[k], TINY_MM)), thing.clearance_mm, spot, to)


def holds(triangles: Array, point: Array) -> bool:
    """Whether a closed mesh holds a point: its solid angle is a whole turn (van Oosterom & Strackee 1983)."""
    a, b, c = (triangles[:, k] - point for k in range(3))
    la, lb, lc = (np.linalg.norm(v, axis=1) for v in (a, b, c))
    top = np.einsum("ij,ij->i", a, np.cross(b, c))
    under = la * lb * lc + (a * b).sum(1) * lc + (b * c).sum(1) * la + (c * a).sum(1) * lb
    return bool(abs(2 * np.arctan2(top, under).sum()) > 2 * np.pi)
