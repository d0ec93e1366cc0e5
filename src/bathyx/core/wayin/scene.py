"""The tank and what it must not touch on its way, as meshes that are asked how near they are."""

from __future__ import annotations

import copy
import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from bathyx.core.wayin.clock import now
from bathyx.core.wayin.pose import Pose

Array = npt.NDArray[np.float64]
FAR_GAP_MM = 1e6


@dataclass(frozen=True, eq=False)
class Part:
    """Something in the way: its name and its triangles (k, 3, 3) mm."""

    name: str
    triangles: Array


@dataclass(frozen=True, eq=False)
class Gap:
    """To one part: `mm` of air, the place on it (3,), and the way (3,) from it to the tank; `part` is its number."""

    name: str
    mm: float
    place: Array
    way: Array
    part: int = -1


class TimeUp(Exception):
    """The time to look closely is over."""


class Scene:
    """A body about its middle, and the parts in its way."""

    def __init__(self, body: Array, parts: tuple[Part, ...], tilt_deg: float = 180.0) -> None:
        """A scene.

        Args:
            body: triangles (k, 3, 3) mm of the tank's outside, where it sits.
            parts: what is in the way.
            tilt_deg: how far it may lean from how it sits; further over counts as touching.
        """
        self.least_upright = math.cos(math.radians(tilt_deg)) - 1e-9
        spots = body.reshape(-1, 3)
        self.middle: Array = (spots.min(axis=0) + spots.max(axis=0)) / 2
        self.body: Array = body - self.middle
        self.corners: Array = np.unique(np.round(self.body.reshape(-1, 3), 6), axis=0)
        self.reach = float(np.linalg.norm(self.corners, axis=1).max())
        self.parts = parts
        self.moving: Any = _object(self.body)
        self._each = [_object(part.triangles) for part in parts]
        spans = [part.triangles.reshape(-1, 3) for part in parts]
        self._boxes = np.array([s.min(axis=0) for s in spans]), np.array([s.max(axis=0) for s in spans])
        self.half = np.abs(self.corners).max(axis=0)
        self._all = _object(np.concatenate([part.triangles for part in parts]))
        self._edges: dict[int, Array] = {}
        self.checks = 0
        self.until = self.most_checks = math.inf
        self.legs: dict[tuple[int, int, float], tuple[float, float, bool, Pose, Pose]] = {}

    @cached_property
    def seat(self) -> Pose:
        """Where it sits."""
        return Pose(self.middle, np.eye(3))

    @cached_property
    def faces(self) -> Array:
        """(k, 3) the ways its faces look, each once, where it sits."""
        ways = np.cross(self.body[:, 1] - self.body[:, 0], self.body[:, 2] - self.body[:, 0])
        long = np.linalg.norm(ways, axis=1)
        return np.unique(np.round(ways[long > 1e-9] / long[long > 1e-9, None], 6), axis=0)

    def edges_of(self, number: int) -> Array:
        """(m, 2, 3) the edges of a part's triangles, each once."""
        known = self._edges.get(number)
        if known is None:
            corners = self.parts[number].triangles
            each = np.concatenate([corners[:, [k, (k + 1) % 3]] for k in range(3)])
            swap = (each[:, 0] > each[:, 1]).any(axis=1) & ~((each[:, 0] < each[:, 1]).any(axis=1))
            each[swap] = each[swap][:, ::-1]
            known = self._edges[number] = np.unique(np.round(each, 6).reshape(-1, 6), axis=0).reshape(-1, 2, 3)
        return known

    def scaled(self, share: float) -> Scene:
        """The same with a smaller body, about its middle; what is in the way is shared."""
        small = copy.copy(self)
        small.body, small.corners, small.reach = self.body * share, self.corners * share, self.reach * share
        small.moving = _object(small.body)
        small.legs, small.half = {}, self.half * share
        small.__dict__.pop("faces", None)
        return small

    def _put(self, pose: Pose) -> None:
        import fcl

        self.moving.setTransform(fcl.Transform(pose.turn, pose.at))

    def leans(self, turns: Array) -> npt.NDArray[np.bool_]:
        """Which of turns (…, 3, 3) lean further than is allowed."""
        return np.asarray(turns[..., 2, 2] < self.least_upright)

    def hits(self, pose: Pose) -> bool:
        """Whether it touches anything there."""
        import fcl

        self.checks += 1
        if self.leans(pose.turn):
            return True
        self._put(pose)
        return bool(fcl.collide(self.moving, self._all, fcl.CollisionRequest(), fcl.CollisionResult()))

    def gap(self, pose: Pose) -> float:
        """The least air there, mm; 0 where it touches."""
        import fcl

        if self.checks > self.most_checks or now() > self.until:
            raise TimeUp
        self.checks += 1
        if self.leans(pose.turn):
            return 0.0
        self._put(pose)
        return max(float(fcl.distance(self.moving, self._all, fcl.DistanceRequest(), fcl.DistanceResult())), 0.0)

    def gaps(self, pose: Pose, within: float = FAR_GAP_MM) -> list[Gap]:
        """The air to each part that is nearer than `within`; parts that are touched are left out."""
        import fcl

        near = self._near(pose, within)
        self.checks += len(near)
        self._put(pose)
        found = []
        asked = fcl.DistanceRequest(enable_nearest_points=True)
        for number in near:
            result = fcl.DistanceResult()
            mm = float(fcl.distance(self.moving, self._each[number], asked, result))
            if not 0 < mm < within:
                continue
            on_tank, on_part = result.nearest_points
            way = np.subtract(on_tank, on_part)
            long = math.sqrt(float(way @ way))
            if long > 1e-9:
                found.append(Gap(self.parts[number].name, mm, np.array(on_part, float), way / long, number))
        return found

    def _near(self, pose: Pose, within: float) -> list[int]:
        """The parts whose upright boxes come as near as that to the body's."""
        if within >= FAR_GAP_MM:
            return list(range(len(self.parts)))
        half = np.abs(pose.turn) @ self.half
        low, high = self._boxes
        off = np.maximum(np.maximum(low - pose.at - half, pose.at - half - high), 0.0)
        return np.flatnonzero((off**2).sum(axis=1) <= within**2).tolist()


def _object(triangles: Array) -> Any:
    import fcl

    model = fcl.BVHModel()
    model.beginModel(len(triangles) * 3, len(triangles))
    model.addSubModel(triangles.reshape(-1, 3), np.arange(len(triangles) * 3).reshape(-1, 3))
    model.endModel()
    return fcl.CollisionObject(model)
