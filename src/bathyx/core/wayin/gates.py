"""Poses half way through an opening: the tank's middle in its plane, the section there within its border."""

from __future__ import annotations

import math
from collections.abc import Callable
from itertools import permutations, product

import numpy as np

from bathyx.core.wayin.pose import Array, Pose, random_turn, turn_between
from bathyx.core.wayin.scene import Scene
from bathyx.core.wayin.widen import grown

SAMPLES, MOST_TRIED, APART, MOST_EDGES, FITS_MM, MOST_CORNERS = 3000, 24, 0.35, 120, -5.0, 240


def few_corners(points: Array, most: int = MOST_CORNERS) -> Array:
    """(n, 3) of points, no more than `most`: those that reach furthest in so many ways, evenly spread, and along each axis.

    Their hull lies within the hull of all. A rolled body has thousands of corners, of which a section needs a hundred.
    """
    if len(points) <= most:
        return points
    count = most - 6
    k = np.arange(count) + 0.5
    high, turn = 1 - 2 * k / count, math.pi * (1 + math.sqrt(5)) * k
    flat = np.sqrt(1 - high**2)
    ways = np.vstack([np.column_stack([flat * np.cos(turn), flat * np.sin(turn), high]), np.eye(3), -np.eye(3)])
    return np.asarray(points[np.unique((points @ ways.T).argmax(axis=0))])


def hull_edges(corners: Array) -> tuple[Array, Array]:
    """(corners (n, 3), edges (m, 2)) of the convex hull of points; of a hull within it where they are many."""
    from scipy.spatial import ConvexHull  # not at the start: only searches need it

    corners = few_corners(corners)
    hull = ConvexHull(corners)
    pairs = np.sort(hull.simplices[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    used, where = np.unique(pairs, return_inverse=True)
    return corners[used], np.unique(where.reshape(-1, 2), axis=0)


def section_edges(body: Array, corners: Array) -> tuple[Array, Array]:
    """(corners (n, 3), edges (m, 2)) that a section is taken of: the body's own, so that what is hollow in it counts as hollow; of
    its hull where it has more than `MOST_EDGES`.

    Args:
        body: triangles (k, 3, 3).
        corners: (n, 3) all of its corners.
    """
    if len(body) > MOST_EDGES:
        return hull_edges(corners)
    spots, where = np.unique(np.round(body.reshape(-1, 3), 6), axis=0, return_inverse=True)
    pairs = np.sort(where.reshape(-1, 3)[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    return spots, np.unique(pairs, axis=0)


def extents(corners: Array, edges: Array, frames: Array) -> Array:
    """(n, 2, 2) low and high along u and v of the section through the middle, square to the third row of each frame (n, 3, 3)."""
    local = np.einsum("nij,kj->nki", frames, corners)
    a, b = local[:, edges[:, 0]], local[:, edges[:, 1]]
    over = a[..., 2] * b[..., 2] < 0
    share = a[..., 2] / np.where(over, a[..., 2] - b[..., 2], 1.0)
    spots = a[..., :2] + share[..., None] * (b[..., :2] - a[..., :2])
    low = np.where(over[..., None], spots, np.inf).min(axis=1)
    high = np.where(over[..., None], spots, -np.inf).max(axis=1)
    return np.stack([low, high], axis=1)


def straight_turns() -> list[Array]:
    """The 24 rotations that keep a box a box."""
    found = []
    for order, signs in product(permutations(range(3)), product((1.0, -1.0), repeat=3)):
        turn = np.zeros((3, 3))
        turn[range(3), order] = signs
        if np.linalg.det(turn) > 0:
            found.append(turn)
    return found


def gates(
    scene: Scene,
    frame: Array,
    middle: Array,
    size: Array,
    rng: np.random.Generator,
    most: int,
    go_on: Callable[[], bool],
    *,
    any_order: bool = False,
) -> list[Pose]:
    """Clear poses with the tank's middle in an opening, those with most to spare first.

    Args:
        scene: the tank and what is in its way.
        frame: (3, 3) rows u, v along the opening and its normal.
        middle: (3,) of the opening, mm.
        size: (2,) of it along u and v.
        rng: for the turns that are tried.
        most: poses.
        go_on: False stops with what there is.
        any_order: those that fit at random instead: where the tightest moment of a path lies, little is to spare.
    """
    corners, edges = section_edges(scene.body, scene.corners)
    turns = np.array([*straight_turns(), *(random_turn(rng) for _ in range(SAMPLES))])
    turns = turns[~scene.leans(turns)]
    # Rows of what the opening's frame sees of the turned tank.
    seen = np.einsum("ij,njk->nik", frame, turns)
    spans = extents(corners, edges, seen)
    spare = (size - (spans[:, 1] - spans[:, 0])).min(axis=1)
    found: list[Pose] = []
    tried: list[Array] = []
    order = np.argsort(-spare)
    if any_order:
        fits = order[spare[order] > FITS_MM]
        order = np.concatenate([rng.permutation(fits), order[len(fits) :]])
    for k in order:
        if len(found) >= most or len(tried) >= MOST_TRIED or spare[k] < -0.25 * scene.reach or not go_on():
            break
        turn = turns[k]
        if any(np.linalg.norm(turn_between(turn, other)) < APART for other in tried):
            continue
        tried.append(turn)
        off = spans[k].mean(axis=0)
        pose = grown(scene, Pose(middle - off @ frame[:2], turn))
        if pose is not None:
            found.append(pose)
    return found
