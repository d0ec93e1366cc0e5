"""A proof that a tank cannot pass an opening: whatever way it is turned, its section through one of its places is too large.

On its way from one side of an opening to the other every place of the tank crosses the opening's plane. While one place does, all
of the tank that lies in the plane lies within the opening. So if every section through one place is wider than the opening, there
is no way in. Projections of the hull would not do: a body may pass an opening that none of its shadows fits, by turning on the way.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from itertools import product

import numpy as np

from bathyx.core.formula import formula
from bathyx.core.geometry.shell import Shell
from bathyx.core.space.touch import holds
from bathyx.core.wayin.built import FACET_MM, Door
from bathyx.core.wayin.gates import few_corners, hull_edges
from bathyx.core.wayin.pose import Array

PROOF = formula(
    "wayin.proof",
    "No way through an opening",
    "for every turn: width of the section through the middle > width of the opening, along it or across",
    source="Intermediate values: the middle crosses the opening's plane; what a section keeps of its widths "
    "when it is turned by ε is bounded from the cone over it (derived in `_kept`)",
    valid="a convex part of the tank, one opening, its plate thin or thick; branch and bound over all turns, so nothing is sampled",
    check="tests/core/test_way_in.py: boxes and plates against closed forms",
    tolerance="proves what is too tight by 1 mm in some 300 (engineering estimate of what its time allows)",
)
FIRST, MOST_CELLS, BATCH, BATCH_EDGES, LEAST_HALF = 8, 1_500_000, 20_000, 2_000_000, 2e-4
MOST_REFLEX, LARGE_ANGLE, LEAST_BALL_MM, AT_ONCE = 5, 0.6, 0.5, 2_000_000


@dataclass(frozen=True)
class Proof:
    """What clashes at `opening`: its own `size` along and across, mm, against the section that comes nearest to passing; both as
    outlines, mm from the middle of the opening."""

    opening: str
    size: tuple[float, float]
    section: tuple[float, float]
    hole: tuple[tuple[float, float], ...] = ()
    outline: tuple[tuple[float, float], ...] = ()

    @property
    def over_mm(self) -> float:
        """By how much the section that comes nearest to passing is too large."""
        return max(self.section[0] - self.size[0], self.section[1] - self.size[1])


def convex_part(triangles: Array, shell: Shell, shift: Array) -> Array:
    """(n, 3) corners of a convex part of the tank: all of it, or the largest left when its hull is cut where faces turn inward.

    Args:
        triangles: (k, 3, 3) of the outside without rings, where it sits.
        shell: whose edges turn inward somewhere.
        shift: (3,) from the shell to where it sits.
    """
    from scipy.spatial import ConvexHull, HalfspaceIntersection, QhullError

    spots = np.unique(np.round(triangles.reshape(-1, 3), 6), axis=0)
    if any(face.kind != "plane" for face in shell.faces):
        # Facets stand for curved faces; what is a little less is inside the true tank.
        halves = ConvexHull(spots).equations + [0, 0, 0, FACET_MM]
        within = _deepest(halves)
        if within is None:
            return np.zeros((0, 3))
        spots = HalfspaceIntersection(halves, within).intersections
    turned_in = [edge for edge in shell.edges if edge.reflex][: 2 * MOST_REFLEX]
    if not turned_in:
        # A flange makes the hull more than the tank: then nothing is proven.
        return spots if not _crossed(triangles, ConvexHull(spots).equations) else np.zeros((0, 3))
    hull = ConvexHull(spots)
    planes: list[tuple[Array, Array]] = []
    for edge in turned_in:
        both = []
        for name in (edge.a, edge.b):
            face = shell.by_id[name.split(":")[0]] if name.split(":")[0] in shell.by_id else shell.by_id[name]
            normal = face.normal_at(edge.start)
            # The face's own side of the sheet: what is inside it is tank.
            both.append(np.append(normal, -float(normal @ (edge.start + shift))))
        planes.append((both[0], both[1]))
    best, volume = np.zeros((0, 3)), 0.0
    for choice in product((0, 1), repeat=min(len(planes), MOST_REFLEX)):
        cuts = np.array([pair[k] for pair, k in zip(planes, choice, strict=False)])
        halves = np.concatenate([hull.equations, cuts])
        inside = _deepest(halves)
        if inside is None:
            continue
        try:
            part = np.unique(np.round(HalfspaceIntersection(halves, inside).intersections, 6), axis=0)
            held = ConvexHull(part)
        except QhullError:
            continue
        if held.volume > volume and holds(triangles, part.mean(axis=0)) and not _crossed(triangles, held.equations):
            best, volume = part, held.volume
    return best


def _deepest(halves: Array) -> Array | None:
    """(3,) the middle of the largest ball inside half-spaces n·x + d ≤ 0; None where there is none of 5 mm."""
    from scipy.optimize import linprog

    size = np.linalg.norm(halves[:, :3], axis=1)
    found = linprog(
        [0, 0, 0, -1],
        A_ub=np.column_stack([halves[:, :3], size]),
        b_ub=-halves[:, 3],
        bounds=[(None, None)] * 3 + [(0, None)],
    )
    return np.asarray(found.x[:3]) if found.success and found.x[3] > 5 else None


def _crossed(triangles: Array, halves: Array) -> bool:
    """Whether any triangle runs through the inside of a convex part (a tenth of a millimetre in)."""
    halves = np.unique(np.round(halves, 9), axis=0)
    beyond = np.zeros(len(triangles), bool)  # those that lie outside of one of the faces with all of their corners
    for some in np.array_split(halves, max(1, len(halves) * len(triangles) // AT_ONCE)):
        beyond[~beyond] = ((triangles[~beyond] @ some[:, :3].T + some[:, 3] + 0.1).min(axis=1) >= 0).any(axis=1)
    for triangle in triangles[~beyond]:
        loop = triangle
        for half in halves:
            off = loop @ half[:3] + half[3] + 0.1
            if (off >= 0).all():
                loop = loop[:0]
                break
            if (off > 0).any():
                loop = _clipped(loop, off)
        if len(loop) >= 3:
            return True
    return False


def _clipped(loop: Array, off: Array) -> Array:
    found = []
    for k in range(len(loop)):
        j = (k + 1) % len(loop)
        if off[k] <= 0:
            found.append(loop[k])
        if (off[k] <= 0) != (off[j] <= 0):
            found.append(loop[k] + (loop[j] - loop[k]) * (off[k] / (off[k] - off[j])))
    return np.array(found).reshape(-1, 3)


def no_way(part: Array, door: Door, go_on: Callable[[], bool] = lambda: True) -> Proof | None:
    """The proof that a convex part cannot pass an opening; None where some section through its middle fits, or time ran out.

    Args:
        part: (n, 3) corners of a convex part of the tank.
        door: the opening.
        go_on: False stops.
    """
    from scipy.spatial import ConvexHull

    part = few_corners(part)
    hull = ConvexHull(part)
    middle = _centroid(part, hull.simplices)
    r = float(-(hull.equations @ np.append(middle, 1.0)).max())
    if r <= LEAST_BALL_MM:
        return None
    corners, edges = hull_edges(part - middle)
    batch = max(500, min(BATCH, BATCH_EDGES // len(edges)))
    planes = hull.equations[:, :3], -(hull.equations[:, :3] @ middle + hull.equations[:, 3])
    half = 1.0 / FIRST
    grid = (np.arange(FIRST) + 0.5) * 2 * half - 1
    mesh = np.stack(np.meshgrid(grid, grid, grid, indexing="ij"), axis=-1).reshape(-1, 3)
    cells = np.concatenate([np.column_stack([np.full(len(mesh), k), mesh]) for k in range(4)])
    looked, best = 0, (math.inf, (0.0, 0.0), np.eye(3))
    while len(cells):
        kept: list[Array] = []
        for start in range(0, len(cells), batch):
            if not go_on() or looked > MOST_CELLS:
                return None
            some = cells[start : start + batch]
            looked += len(some)
            wide, least = _kept(corners, edges, planes, r, _turns(some), 2 * math.sqrt(3) * half)
            over = (wide - door.size).max(axis=1)
            k = int(np.argmin(over))
            if over[k] < best[0]:
                best = (float(over[k]), (float(wide[k, 0]), float(wide[k, 1])), _turns(some[k : k + 1])[0])
            if over[k] <= 0:
                return None
            kept.append(some[(least <= door.size).all(axis=1)])
        cells = np.concatenate(kept)
        half /= 2
        if half < LEAST_HALF:
            return None
        offsets = half * np.array(list(product((-1, 1), repeat=3)))
        split = cells[:, None, 1:] + offsets
        cells = np.column_stack([np.repeat(cells[:, 0], 8), split.reshape(-1, 3)])
    flat = (door.opening.placed(door.opening.border) - door.middle) @ door.frame[:2].T
    return Proof(
        door.opening.name,
        (float(door.size[0]), float(door.size[1])),
        best[1],
        _ring(flat),
        _ring(_section(corners, edges, best[2])),
    )


def _ring(spots: Array) -> tuple[tuple[float, float], ...]:
    return tuple((float(x), float(y)) for x, y in spots)


def _section(corners: Array, edges: Array, turn: Array) -> Array:
    """(n, 2) the section through the middle, square to the third row of a turn, about the middle of its widths."""
    from scipy.spatial import ConvexHull

    local = corners @ turn.T
    a, b = local[edges[:, 0]], local[edges[:, 1]]
    over = a[:, 2] * b[:, 2] < 0
    a, b = a[over], b[over]
    spots = a[:, :2] + (a[:, 2] / (a[:, 2] - b[:, 2]))[:, None] * (b[:, :2] - a[:, :2])
    ring = spots[ConvexHull(spots).vertices]
    return np.asarray(ring - (ring.min(axis=0) + ring.max(axis=0)) / 2)


def _kept(
    corners: Array, edges: Array, planes: tuple[Array, Array], r: float, turns: Array, angle: float
) -> tuple[Array, Array]:
    """(widths (n, 2) of the section at each turn, what is left of them (n, 2) at any turn within `angle`).

    Let S be the section, ρ its reach, and the tank reach H up and down from its middle, square to it. Turned by ε a point x of S
    comes to y + h n: y is x but for ρ ε² / 2 at most, so it lies in S made larger by 1 + ρ ε² / 2r, and |h| ≤ ρ sin ε. The cone
    from S to a place H above holds it once it is made smaller by κ = 1 / (1 + ρ ε² / 2r + ρ sin ε / H). So the turned section
    holds S, turned and made smaller by κ. In its own plane S may turn by ε either way: the width between two of its corners is
    concave there and lies above its chord; the pairs that are widest at either end give two chords, their crossing is the least.
    """
    local = np.einsum("nij,kj->nki", turns, corners)
    a, b = local[:, edges[:, 0]], local[:, edges[:, 1]]
    over = a[..., 2] * b[..., 2] < 0
    share = a[..., 2] / np.where(over, a[..., 2] - b[..., 2], 1.0)
    spots = a[..., :2] + share[..., None] * (b[..., :2] - a[..., :2])
    rho = np.sqrt(np.where(over, (spots**2).sum(axis=-1), 0.0).max(axis=1))
    lean = turns[:, 2] @ planes[0].T
    high = (planes[1] / np.maximum(np.abs(lean), 1e-12)).min(axis=1)  # the nearer of both ways
    kappa = 1 / (1 + rho * angle**2 / (2 * r) + rho * math.sin(min(angle, math.pi / 2)) / high)
    inside, outside = np.where(over, 0.0, -np.inf), np.where(over, 0.0, np.inf)
    wide, least = np.empty((len(turns), 2)), np.empty((len(turns), 2))
    rows = np.arange(len(turns))

    def widest(way: Array) -> Array:
        along = spots @ way
        return np.asarray(spots[rows, (along + inside).argmax(axis=1)] - spots[rows, (along + outside).argmin(axis=1)])

    for k in (0, 1):
        way = np.eye(2)[k]
        wide[:, k] = widest(way) @ way
        if angle > LARGE_ANGLE:
            least[:, k] = 0.0
            continue
        c, s = math.cos(angle), math.sin(angle)
        one, two = np.array([[c, s], [-s, c]]) @ way, np.array([[c, -s], [s, c]]) @ way
        first, second = widest(one), widest(two)
        a1, b1, b2, a2 = first @ one, first @ two, second @ one, second @ two
        run = np.maximum((a1 - b2) + (a2 - b1), 1e-12)
        least[:, k] = (a1 + (b1 - a1) * np.clip((a1 - b2) / run, 0, 1)) * kappa
    return wide, least


def _centroid(part: Array, simplices: Array) -> Array:
    base = part.mean(axis=0)
    a, b, c = (part[simplices[:, k]] - base for k in range(3))
    volume = np.abs(np.einsum("ij,ij->i", a, np.cross(b, c)))
    return np.asarray(base + ((a + b + c) / 4 * volume[:, None]).sum(axis=0) / volume.sum())


def _turns(cells: Array) -> Array:
    """(n, 3, 3) rotations at cells (n, 4): which part of a quaternion is largest, and the three others against it."""
    which = cells[:, 0].astype(int)
    q = np.empty((len(cells), 4))
    rows = np.arange(len(cells))
    others = np.array([[1, 2, 3], [0, 2, 3], [0, 1, 3], [0, 1, 2]])[which]
    q[rows, which] = 1.0
    q[rows[:, None], others] = cells[:, 1:]
    q /= np.linalg.norm(q, axis=1)[:, None]
    w, x, y, z = q.T
    rows9 = (
        1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w),
        2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w),
        2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y),
    )  # fmt: skip
    return np.stack(rows9, axis=-1).reshape(-1, 3, 3)
